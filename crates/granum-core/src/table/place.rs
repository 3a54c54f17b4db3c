//! Where the rows of an input stand in its files.

use std::sync::Arc;

use serde::Serialize;

/// What is counted from 1 to say where a row stands.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Counted {
    /// Lines of text.
    #[default]
    Line,
    /// Rows of a sheet, as it numbers them.
    Row,
    /// Objects of JSON that share lines.
    Object,
}

impl Counted {
    /// The word for one: `line`.
    pub fn word(self) -> &'static str {
        match self {
            Self::Line => "line",
            Self::Row => "row",
            Self::Object => "object",
        }
    }

    // Serde hands over a reference.
    #[allow(clippy::trivially_copy_pass_by_ref)]
    fn is_line(&self) -> bool {
        *self == Self::Line
    }
}

/// A file and a line of it, counted from 1; or what else its rows are counted by.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Place {
    /// The file as the plan names it; of a book with its sheet behind: `book.xlsx#Orders`.
    pub file: Arc<str>,
    /// The line on which the row begins, or its number.
    pub line: u64,
    /// What that number counts; lines where nothing is said.
    #[serde(skip_serializing_if = "Counted::is_line")]
    #[cfg_attr(feature = "schema", schemars(default))]
    pub counted: Counted,
    /// The cell of a sheet, where one is meant: `C17`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cell: Option<Arc<str>>,
}

impl Place {
    /// A line of a file.
    pub fn line(file: Arc<str>, line: u64) -> Self {
        Self { file, line, counted: Counted::Line, cell: None }
    }

    /// Where it is within its file: `line 17`, `row 17`, `cell C17`.
    pub fn within(&self) -> String {
        match &self.cell {
            Some(cell) => format!("cell {cell}"),
            None => format!("{} {}", self.counted.word(), self.line),
        }
    }
}

impl std::fmt::Display for Place {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.cell {
            Some(cell) => write!(out, "{}!{cell}", self.file),
            None => write!(out, "{} {}", self.file, self.within()),
        }
    }
}

/// The lines of the rows of one part of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lines {
    /// Every row is one line; the first stands here.
    From(u64),
    /// The line of each row.
    Each(Vec<u64>),
}

impl Lines {
    /// The line of a row of the part.
    pub fn line(&self, row: usize) -> u64 {
        match self {
            Self::From(first) => first + row as u64,
            Self::Each(lines) => lines.get(row).copied().unwrap_or(0),
        }
    }
}

/// The places of an input's rows as read, part after part.
#[derive(Debug, Clone, Default)]
pub struct Places {
    parts: Vec<(u32, Origin, Lines)>,
    rows: u32,
}

/// A file, and what its rows are counted by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Origin {
    /// The file as the plan names it.
    pub file: Arc<str>,
    /// What is counted to say where a row stands.
    pub counted: Counted,
}

impl Origin {
    /// A file whose rows are told by their lines.
    pub fn lines(file: Arc<str>) -> Self {
        Self { file, counted: Counted::Line }
    }

    /// The place of a row.
    pub fn place(&self, line: u64) -> Place {
        Place { file: self.file.clone(), line, counted: self.counted, cell: None }
    }
}

impl Places {
    /// Adds the rows of a part behind those known.
    pub fn push(&mut self, origin: Origin, lines: Lines, rows: u32) {
        self.parts.push((self.rows, origin, lines));
        self.rows += rows;
    }

    /// The file of the last part.
    pub fn file(&self) -> Option<&Arc<str>> {
        self.parts.last().map(|(_, origin, _)| &origin.file)
    }

    /// The place of a row, counted from 0 in the order of reading.
    pub fn place(&self, row: u32) -> Option<Place> {
        let part = self.parts.partition_point(|(first, _, _)| *first <= row).checked_sub(1)?;
        let (first, origin, lines) = &self.parts[part];
        Some(origin.place(lines.line((row - first) as usize)))
    }
}
