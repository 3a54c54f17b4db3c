//! The rows of a part: each checked for its length, with the line it begins on.

use granum_core::port::{SourceError, SourceErrorKind};
use granum_core::table::Lines;
use memchr::memchr_iter;

use super::footer::totals;
use super::grid::{BLOCK, Grid};
use super::part::{CsvPart, cell};
use super::scan::{Field, Scanner};

/// Goes through the records of a part.
pub(super) struct Records<'a> {
    part: &'a CsvPart,
    text: &'a str,
    scanner: Scanner<'a>,
    fields: Vec<Field>,
    rows: usize,
    line: u64,
    /// Kept from the first row on that does not stand one line below the one before.
    each: Option<Vec<u64>>,
}

impl<'a> Records<'a> {
    pub fn new(part: &'a CsvPart, text: &'a str) -> Self {
        Self {
            part,
            text,
            scanner: Scanner::new(&part.text, part.layout.delimiter),
            fields: Vec::with_capacity(part.width),
            rows: 0,
            line: part.line,
            each: None,
        }
    }

    /// How many rows have been found so far.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Fills `grid` with the next rows. False where there are none left.
    pub fn fill(&mut self, grid: &mut Grid) -> Result<bool, SourceError> {
        grid.clear();
        while grid.rows() < BLOCK {
            let before = grid.rows();
            let at = self.scanner.position();
            let at = grid.push_plain_rows(&self.part.text, self.part.layout.delimiter, at);
            self.scanner.go_to(at);
            let plain = grid.rows() - before;
            self.note_lines(self.line, plain);
            self.line += plain as u64;
            // Whatever is not plain goes the long way, a row at a time.
            if grid.rows() < BLOCK && !self.long_row(grid)? {
                break;
            }
        }
        Ok(grid.rows() > 0)
    }

    /// The line of a row of the part, counted from 0.
    pub fn line_of(&self, row: usize) -> u64 {
        self.each.as_ref().map_or(self.part.line + row as u64, |each| each[row])
    }

    /// Notes the lines of rows that stand one line below the other from line `from` on.
    fn note_lines(&mut self, from: u64, rows: usize) {
        let known = self.rows as u64;
        if rows > 0 && self.each.is_none() && from != self.part.line + known {
            self.each = Some((0..known).map(|row| self.part.line + row).collect());
        }
        if let Some(each) = &mut self.each {
            each.extend((0..rows as u64).map(|row| from + row));
        }
        self.rows += rows;
    }

    /// Takes the next row by the scanner's rules. Empty lines are passed over.
    fn long_row(&mut self, grid: &mut Grid) -> Result<bool, SourceError> {
        loop {
            let start = self.scanner.position();
            let more = self.scanner.next(&mut self.fields);
            if !more.map_err(|fault| self.part.fault(fault))? {
                return Ok(false);
            }
            let record = &self.text.as_bytes()[start..self.scanner.position()];
            let line = self.line;
            // Only a quoted field can hold line ends of its own.
            let long = self.fields.iter().any(|field| self.spans_lines(*field));
            self.line += if long { memchr_iter(b'\n', record).count() as u64 } else { 1 };
            if self.fields.len() == 1 && matches!(record, [] | [b'\n' | b'\r'] | [b'\r', b'\n']) {
                continue;
            }
            if self.fields.len() != self.part.width {
                return Err(self.wrong_length(line));
            }
            self.note_lines(line, 1);
            grid.push_row(&self.fields);
            return Ok(true);
        }
    }

    fn spans_lines(&self, field: Field) -> bool {
        let bytes = self.text.as_bytes();
        field.start > 0
            && bytes[field.start - 1] == b'"'
            && memchr::memchr(b'\n', &bytes[field.start..field.end]).is_some()
    }

    fn wrong_length(&self, line: u64) -> SourceError {
        let (found, width) = (self.fields.len(), self.part.width);
        let shown: String = self.fields.iter().take(4).map(|field| cell(self.text, *field)).fold(
            String::new(),
            |all, one| {
                if all.is_empty() { one.into_owned() } else { format!("{all} | {one}") }
            },
        );
        let shown: String = shown.chars().take(60).collect();
        let plural = if found == 1 { "field" } else { "fields" };
        self.part.error(
            SourceErrorKind::RowLength,
            line,
            format!("this row has {found} {plural}, and the header has {width}: {shown}"),
            if found == width + 1 && self.fields.last().is_some_and(|last| last.start == last.end) {
                "a delimiter stands at the row's end; where every row has one, put one behind the \
                 header too"
            } else if width == 1 && found > 2 {
                "if this is the header, say on which line it stands:  header at N  behind the path"
            } else if found > width {
                "a delimiter within a field needs quotes around the field"
            } else if self.fields.first().is_some_and(|first| totals(&cell(self.text, *first))) {
                "lines below the rows are left out by  footer N  behind the path"
            } else {
                "the row is cut off, or its fields have another delimiter"
            },
        )
    }

    /// The lines of all rows.
    pub fn lines(self) -> Lines {
        self.each.map_or(Lines::From(self.part.line), Lines::Each)
    }
}
