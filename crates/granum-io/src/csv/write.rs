//! Rows → CSV: UTF-8, `\n`, quotes only where needed, decimals with all places, blank as nothing; unless something
//! else is said.
use std::io::{self, Write};
use std::sync::Arc;

use granum_core::port::{Encoded, Encoder, NamedAs, Style};
use granum_core::table::{Column, Present};
use granum_core::value::Type;

use super::letters::Letters;
use crate::format::{Unwritable, Writer};

/// Writes a table as text with signs between fields.
pub(crate) struct CsvWriter {
    header: Vec<u8>,
    signs: Signs,
    letters: Letters,
}

/// The signs between fields and before decimal places.
#[derive(Debug, Clone, Copy)]
pub(super) struct Signs {
    delimiter: u8,
    decimals: u8,
}

/// What holds where nothing is said.
pub(super) const PLAIN: Signs = Signs { delimiter: b',', decimals: b'.' };

impl Signs {
    /// As is said, else as the name of a file does: a tab in `.tsv`; beside a decimal comma a semicolon.
    fn of(name: &str, style: &Style) -> Self {
        let tabs = NamedAs::of(name).ends(".tsv");
        let decimals = style.decimals.unwrap_or(PLAIN.decimals);
        let delimiter = style.delimiter.unwrap_or(match (tabs, decimals) {
            (true, _) => b'\t',
            (false, b',') => b';',
            (false, _) => PLAIN.delimiter,
        });
        Self { delimiter, decimals }
    }

    /// Whether the sign between fields can stand in a value that is no text.
    fn may_stand_in_values(self) -> bool {
        self.delimiter.is_ascii_alphanumeric()
            || b"-+.: ".contains(&self.delimiter)
            || self.delimiter == self.decimals
    }
}

impl CsvWriter {
    /// Writes columns into a file of a name.
    ///
    /// # Errors
    /// An encoding that nobody knows, or a mark that it has not.
    pub fn new(name: &str, columns: &[(String, Type)], style: &Style) -> Result<Self, Unwritable> {
        let signs = Signs::of(name, style);
        let letters = Letters::new(style.encoding.as_deref(), style.marked)?;
        let names = columns.iter().map(|(name, _)| name.as_str());
        Ok(Self { header: header(names, signs.delimiter), signs, letters })
    }
}

impl Writer for CsvWriter {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(CsvEncoder(self.signs))
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        out.write_all(self.letters.mark())?;
        self.letters.write(&self.header, out)
    }

    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()> {
        match rows {
            Encoded::Bytes(bytes) => self.letters.write(&bytes, out),
            Encoded::Rows(columns, rows) => {
                self.letters.write(&bytes_of(&columns, rows, self.signs), out)
            }
        }
    }

    fn finish(&mut self, _: &mut dyn Write) -> io::Result<()> {
        Ok(())
    }
}

/// Makes CSV of rows.
pub(crate) struct CsvEncoder(Signs);

impl Encoder for CsvEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        Encoded::Bytes(bytes_of(columns, rows, self.0))
    }
}

/// The lines of rows.
///
/// Each row begins as the row before: units of one line, and lines of one order, mostly repeat it, and
/// bytes are copied faster than they are made.
pub(super) fn bytes_of(columns: &[Column], rows: usize, signs: Signs) -> Vec<u8> {
    let changes = changes(columns, rows);
    let writers: Vec<CellWriter<'_>> = columns
        .iter()
        .map(|column| CellWriter {
            column,
            present: column.present(),
            alone: columns.len() == 1,
            signs,
            looked_at: signs.decimals != b'.' || signs.may_stand_in_values(),
        })
        .collect();
    let mut line = Line::new(columns.len(), signs.delimiter);
    let mut out = Vec::with_capacity(rows * columns.len() * 8);
    for (row, changed) in changes.into_iter().enumerate() {
        line.change(changed, &writers, row);
        out.extend_from_slice(&line.bytes);
    }
    out
}

/// The header line.
pub(crate) fn header<'a>(names: impl Iterator<Item = &'a str>, delimiter: u8) -> Vec<u8> {
    let mut out = vec![];
    for (at, name) in names.enumerate() {
        if at > 0 {
            out.push(delimiter);
        }
        write_text(name.as_bytes(), delimiter, &mut out);
    }
    out.push(b'\n');
    out
}

/// So many columns are watched for changes; those behind them count as changed.
const WATCHED: usize = 64;

/// For each row a bit for each column whose value is not that of the row before.
fn changes(columns: &[Column], rows: usize) -> Vec<u64> {
    let mut changed = vec![0_u64; rows];
    if let Some(first) = changed.first_mut() {
        *first = u64::MAX;
    }
    for (at, column) in columns.iter().take(WATCHED).enumerate() {
        column.mark_changes(1 << at, &mut changed);
    }
    changed
}

/// A line that is written over and over.
struct Line {
    bytes: Vec<u8>,
    /// Where each cell begins; the last is the line's end.
    starts: Vec<usize>,
    /// What the line was, while it is made anew.
    old: Vec<u8>,
    old_starts: Vec<usize>,
    cell: Vec<u8>,
    delimiter: u8,
}

impl Line {
    /// Cells with nothing in them.
    fn new(columns: usize, delimiter: u8) -> Self {
        let mut bytes = vec![delimiter; columns];
        if let Some(last) = bytes.last_mut() {
            *last = b'\n';
        }
        let starts = (0..=columns).collect();
        Self { bytes, starts, old: vec![], old_starts: vec![], cell: vec![], delimiter }
    }

    /// Writes the cells that have changed: in their places as long as they are as long as before.
    fn change(&mut self, changed: u64, writers: &[CellWriter<'_>], row: usize) {
        let mut left = changed;
        loop {
            let mut at = left.trailing_zeros() as usize;
            if at >= writers.len().min(WATCHED) {
                at = WATCHED;
            }
            if at >= writers.len() {
                return;
            }
            left &= left.wrapping_sub(1);
            let room = self.starts[at]..self.starts[at + 1] - 1;
            self.cell.clear();
            writers[at].write(row, &mut self.cell);
            if at < WATCHED && self.cell.len() == room.len() {
                self.bytes[room].copy_from_slice(&self.cell);
            } else {
                self.make_from(at, left, writers, row);
                return;
            }
        }
    }

    /// Makes the line anew from cell `at` on, which stands in `cell`. `changed` are those behind it
    /// that have to be written; the others are taken over.
    fn make_from(&mut self, at: usize, changed: u64, writers: &[CellWriter<'_>], row: usize) {
        let Self { bytes, starts, old, old_starts, cell, delimiter } = self;
        std::mem::swap(bytes, old);
        old_starts.clone_from(starts);
        bytes.clear();
        bytes.extend_from_slice(&old[..old_starts[at]]);
        bytes.extend_from_slice(cell);
        for next in at + 1..=writers.len() {
            bytes.push(if next == writers.len() { b'\n' } else { *delimiter });
            starts[next] = bytes.len();
            if next == writers.len() {
                break;
            }
            if next >= WATCHED || changed >> next & 1 == 1 {
                writers[next].write(row, bytes);
            } else {
                bytes.extend_from_slice(&old[old_starts[next]..old_starts[next + 1] - 1]);
            }
        }
    }
}

/// Writes the cells of one column.
struct CellWriter<'a> {
    column: &'a Column,
    present: Option<Present>,
    alone: bool,
    signs: Signs,
    /// Whether values that are no text have to be looked at for signs.
    looked_at: bool,
}

impl CellWriter<'_> {
    fn write(&self, row: usize, out: &mut Vec<u8>) {
        if self.present.as_ref().is_some_and(|present| !present.has(row)) {
            // A blank in the only column would be an empty line, which is no row.
            if self.alone {
                out.extend_from_slice(b"\"\"");
            }
            return;
        }
        match self.column.text(row) {
            Some(text) => write_text(text.as_bytes(), self.signs.delimiter, out),
            None if self.looked_at => self.write_looked_at(row, out),
            None => self.column.write_value(row, out),
        }
    }

    /// A value that is no text, in the signs that are asked for.
    fn write_looked_at(&self, row: usize, out: &mut Vec<u8>) {
        let start = out.len();
        self.column.write_value(row, out);
        if matches!(self.column.ty(), Type::Decimal(_) | Type::Number) {
            for byte in out[start..].iter_mut().filter(|byte| **byte == b'.') {
                *byte = self.signs.decimals;
            }
        }
        if out[start..].contains(&self.signs.delimiter) {
            out.insert(start, b'"');
            out.push(b'"');
        }
    }
}

/// A row of cells with commas between them.
pub(crate) fn write_row<'a>(cells: impl ExactSizeIterator<Item = &'a [u8]>, out: &mut Vec<u8>) {
    let alone = cells.len() == 1;
    for (at, cell) in cells.enumerate() {
        if at > 0 {
            out.push(b',');
        }
        // A blank in the only column would be an empty line, which is no row.
        if alone && cell.is_empty() {
            out.extend_from_slice(b"\"\"");
        }
        write_text(cell, b',', out);
    }
    out.push(b'\n');
}

/// A text, in quotes where it has to be.
pub(crate) fn write_text(text: &[u8], delimiter: u8, out: &mut Vec<u8>) {
    let special = |byte: &u8| matches!(byte, b'"' | b'\n' | b'\r') || *byte == delimiter;
    if !text.iter().any(special) {
        out.extend_from_slice(text);
        return;
    }
    out.push(b'"');
    for byte in text {
        if *byte == b'"' {
            out.push(b'"');
        }
        out.push(*byte);
    }
    out.push(b'"');
}
