//! Rows of columns as lines of text.
//!
//! Cells are made column by column, and only those that are not as in the row above: units of one line, and lines of
//! one order, mostly repeat them. Then each line is put together of new cells and of runs of the line above.

use granum_core::table::{Column, Present};
use granum_core::value::{Type, day, decimal};

/// So many columns are watched for changes; those behind them count as changed.
const WATCHED: usize = 64;

/// The signs between fields and before decimal places.
#[derive(Debug, Clone, Copy)]
pub(super) struct Signs {
    pub delimiter: u8,
    pub decimals: u8,
}

/// What holds where nothing is said.
pub(super) const PLAIN: Signs = Signs { delimiter: b',', decimals: b'.' };

impl Signs {
    /// Whether values that are no text have to be looked at: for the sign between fields, or before places.
    pub fn are_looked_for(self) -> bool {
        self.decimals != PLAIN.decimals
            || self.delimiter.is_ascii_alphanumeric()
            || b"-+.: ".contains(&self.delimiter)
            || self.delimiter == self.decimals
    }
}

/// The lines of rows.
pub(super) fn bytes_of(columns: &[Column], rows: usize, signs: Signs) -> Vec<u8> {
    let changes = changes(columns, rows);
    let made = |(at, column)| Cells::of(column, Changed { at, of: &changes }, columns.len(), signs);
    let mut cells: Vec<Cells> = columns.iter().enumerate().map(made).collect();
    let mut lines = Lines::new(&cells, rows, signs.delimiter);
    for changed in changes {
        lines.go_on(changed, &mut cells);
    }
    lines.finish()
}

/// For each row a bit for each column whose value is not that of the row above.
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

/// Which rows have another value in a column than the row above.
#[derive(Clone, Copy)]
struct Changed<'a> {
    /// The column.
    at: usize,
    of: &'a [u64],
}

impl Changed<'_> {
    fn rows(&self) -> impl Iterator<Item = usize> {
        let (every, bit) = (self.at >= WATCHED, 1_u64 << (self.at % WATCHED));
        let own = self.of.iter().enumerate().filter(move |(_, bits)| every || **bits & bit != 0);
        own.map(|(row, _)| row)
    }
}

/// The new cells of a column, in the order of their rows.
struct Cells {
    bytes: Vec<u8>,
    lengths: Vec<u32>,
    /// The longest of them.
    longest: usize,
    /// How many have been taken, and where the next begins.
    taken: usize,
    start: usize,
}

impl Cells {
    fn of(column: &Column, changed: Changed<'_>, columns: usize, signs: Signs) -> Self {
        let mut made = Making {
            cells: Self { bytes: vec![], lengths: vec![], longest: 0, taken: 0, start: 0 },
            present: column.present().filter(|present| present.blanks() > 0),
            alone: columns == 1,
        };
        match column {
            Column::Text(texts) => made.each(changed, |row, out| {
                write_text(texts.value(row).as_bytes(), signs.delimiter, out);
            }),
            _ if signs.are_looked_for() => {
                made.each(changed, |row, out| write_looked_at(column, row, signs, out));
            }
            Column::Integer(values) => made.each(changed, |row, out| {
                out.extend_from_slice(itoa::Buffer::new().format(values.value(row)).as_bytes());
            }),
            Column::Decimal(units, scale) => {
                made.each(changed, |row, out| decimal::write(units.value(row), *scale, out));
            }
            Column::Date(days) => made.each(changed, |row, out| day::write(days.value(row), out)),
            other => made.each(changed, |row, out| other.write_value(row, out)),
        }
        let mut cells = made.cells;
        cells.bytes.resize(cells.bytes.len() + FEW, 0);
        cells
    }

    /// Where the next cell stands.
    fn next(&mut self) -> std::ops::Range<usize> {
        let start = self.start;
        self.start += self.lengths[self.taken] as usize;
        self.taken += 1;
        start..self.start
    }
}

/// Cells on their way.
struct Making {
    cells: Cells,
    /// Where not all are there.
    present: Option<Present>,
    /// The column is the only one.
    alone: bool,
}

impl Making {
    fn each(&mut self, changed: Changed<'_>, write: impl Fn(usize, &mut Vec<u8>)) {
        let Cells { bytes, lengths, longest, .. } = &mut self.cells;
        for row in changed.rows() {
            let before = bytes.len();
            if self.present.as_ref().is_none_or(|present| present.has(row)) {
                write(row, bytes);
            } else if self.alone {
                // A blank in the only column would be an empty line, which is no row.
                bytes.extend_from_slice(b"\"\"");
            }
            *longest = (bytes.len() - before).max(*longest);
            lengths.push((bytes.len() - before) as u32);
        }
    }
}

/// A value that is no text, in the signs that are asked for.
fn write_looked_at(column: &Column, row: usize, signs: Signs, out: &mut Vec<u8>) {
    let start = out.len();
    column.write_value(row, out);
    if matches!(column.ty(), Type::Decimal(_) | Type::Number) {
        for byte in out[start..].iter_mut().filter(|byte| **byte == b'.') {
            *byte = signs.decimals;
        }
    }
    if out[start..].contains(&signs.delimiter) {
        out.insert(start, b'"');
        out.push(b'"');
    }
}

/// Up to so many bytes are copied as so many: what is too much is written over by what follows, and a copy of a
/// known length is far quicker.
const FEW: usize = 32;

/// Lines, one behind the other.
struct Lines {
    /// What is made, and room behind it for a line and [`FEW`] bytes.
    out: Vec<u8>,
    end: usize,
    /// Where the line above the next begins.
    above: usize,
    /// Where each cell begins in that; behind them, where it ends.
    cells: Vec<usize>,
    /// As the next is made: the first cell that is not made yet. Those behind it are where they were.
    next: usize,
    delimiter: u8,
    /// The bytes that a line may have.
    longest: usize,
}

impl Lines {
    fn new(cells: &[Cells], rows: usize, delimiter: u8) -> Self {
        let longest = cells.iter().map(|cells| cells.longest + 1).sum();
        let out = vec![0; rows * cells.len() * 8 + longest + FEW];
        Self { out, end: 0, above: 0, cells: vec![0; cells.len() + 1], next: 0, delimiter, longest }
    }

    /// Adds the next line, of which the cells that have `changed` are new.
    fn go_on(&mut self, changed: u64, cells: &mut [Cells]) {
        if self.out.len() < self.end + self.longest + FEW {
            self.out.resize(2 * self.out.len() + self.longest, 0);
        }
        let (start, last) = (self.end, cells.len());
        self.next = 0;
        let mut left = changed;
        while left != 0 {
            let at = left.trailing_zeros() as usize;
            let Some(own) = cells.get_mut(at) else { break };
            self.put(at, own, start);
            left &= left - 1;
        }
        for (at, own) in cells.iter_mut().enumerate().skip(WATCHED) {
            self.put(at, own, start);
        }
        self.repeat(last, start);
        self.cells[last] = self.end - start;
        self.above = start;
    }

    /// Adds what stands between the cells that are made and a new one, and that.
    #[inline]
    fn put(&mut self, at: usize, cells: &mut Cells, start: usize) {
        self.repeat(at, start);
        self.cells[at] = self.end - start;
        self.next = at + 1;
        let cell = cells.next();
        let length = cell.len();
        if length <= FEW {
            let few = &cells.bytes[cell.start..cell.start + FEW];
            self.out[self.end..self.end + FEW].copy_from_slice(few);
        } else {
            self.out[self.end..self.end + length].copy_from_slice(&cells.bytes[cell]);
        }
        self.end += length;
        self.out[self.end] = if at + 2 == self.cells.len() { b'\n' } else { self.delimiter };
        self.end += 1;
    }

    /// Adds the cells up to `end` as they are in the line above.
    #[inline]
    fn repeat(&mut self, end: usize, start: usize) {
        if self.next >= end {
            return;
        }
        let (from, to) = (self.cells[self.next], self.cells[end]);
        let (first, here) = (self.above + from, self.end - start);
        if to - from <= FEW {
            let mut few = [0; FEW];
            few.copy_from_slice(&self.out[first..first + FEW]);
            self.out[self.end..self.end + FEW].copy_from_slice(&few);
        } else {
            self.out.copy_within(first..self.above + to, self.end);
        }
        self.end += to - from;
        if here != from {
            for cell in &mut self.cells[self.next..end] {
                *cell = *cell - from + here;
            }
        }
    }

    fn finish(mut self) -> Vec<u8> {
        self.out.truncate(self.end);
        self.out
    }
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
