//! Where the rows of an input stand in its files.

use std::sync::Arc;

use serde::Serialize;

/// A file and a line of it, counted from 1.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Place {
    /// The file as the plan names it.
    pub file: Arc<str>,
    /// The line on which the row begins.
    pub line: u64,
}

impl std::fmt::Display for Place {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{} line {}", self.file, self.line)
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
    parts: Vec<(u32, Arc<str>, Lines)>,
    rows: u32,
}

impl Places {
    /// Adds the rows of a part behind those known.
    pub fn push(&mut self, file: Arc<str>, lines: Lines, rows: u32) {
        self.parts.push((self.rows, file, lines));
        self.rows += rows;
    }

    /// The place of a row, counted from 0 in the order of reading.
    pub fn place(&self, row: u32) -> Option<Place> {
        let part = self.parts.partition_point(|(first, _, _)| *first <= row).checked_sub(1)?;
        let (first, file, lines) = &self.parts[part];
        Some(Place { file: file.clone(), line: lines.line((row - first) as usize) })
    }
}
