//! Rows of columns as lines of text.
//!
//! Cells are made column by column, and only those that are not as in the row above: units of one line, and lines of
//! one order, mostly repeat them. Then each line is put together of new cells and of runs of the line above.

use granum_core::table::{Column, Present};
use granum_core::value::{Type, day, decimal};

use super::quotes::write_text;

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

/// Rows whose cells are made at a time: they stay in the processor's cache until their lines are put together.
const AT_ONCE: usize = if cfg!(test) { 7 } else { 1 << 9 };

/// The lines of rows.
#[cfg(test)]
pub(super) fn bytes_of(columns: &[Column], rows: usize, signs: Signs) -> Vec<u8> {
    Desk::default().lines(columns, rows, signs, vec![])
}

/// What lines are made on. It is kept for other rows, since memory that is had anew costs as much as the work.
#[derive(Default)]
pub(super) struct Desk {
    /// For each row a bit for each column whose value is not that of the row above.
    changes: Vec<u64>,
    /// The rows that have another value in one column.
    changed: Vec<u32>,
    cells: Vec<Cells>,
}

impl Desk {
    /// The lines of rows, in memory that was had before.
    pub fn lines(
        &mut self,
        columns: &[Column],
        rows: usize,
        signs: Signs,
        memory: Vec<u8>,
    ) -> Vec<u8> {
        self.cells.resize_with(columns.len(), Cells::default);
        let mut lines = Lines::new(memory, columns.len(), rows);
        for from in (0..rows).step_by(AT_ONCE) {
            let count = AT_ONCE.min(rows - from);
            // With the row above, that changes are seen.
            let above = from.min(1);
            let own = |column: &Column| column.slice(from - above, above + count);
            self.changes.clear();
            self.changes.resize(above + count, 0);
            self.fill(&columns.iter().map(own).collect::<Vec<_>>(), above, signs);
            lines.expect_cells(&self.cells);
            for changes in &self.changes[above..] {
                lines.go_on(*changes, &mut self.cells);
            }
        }
        lines.finish()
    }

    /// Makes the cells of some rows that are not as those above them. The first `above` rows are looked at alone.
    fn fill(&mut self, columns: &[Column], above: usize, signs: Signs) {
        if above == 0 {
            self.changes[0] = u64::MAX;
        }
        self.changed.resize(self.changes.len(), 0);
        for (at, (column, cells)) in columns.iter().zip(&mut self.cells).enumerate() {
            if at < WATCHED {
                column.mark_changes(1 << at, &mut self.changes);
            }
            let count = changed_rows(&self.changes, above, at, &mut self.changed);
            let place = Place { alone: columns.len() == 1, last: at + 1 == columns.len() };
            cells.fill(column, &self.changed[..count], place, signs);
        }
    }
}

/// Where a column stands in a line.
#[derive(Clone, Copy)]
struct Place {
    /// It is the only one.
    alone: bool,
    last: bool,
}

/// The rows behind the first `above` that have another value in column `at` than the row above; how many they are.
fn changed_rows(changes: &[u64], above: usize, at: usize, rows: &mut [u32]) -> usize {
    let mut count = 0;
    let (every, at) = (u64::from(at >= WATCHED), at % WATCHED);
    for (row, changes) in (above as u32..).zip(&changes[above..]) {
        // Without a branch, since whether there is a change is anybody's guess.
        rows[count] = row;
        count += (every | (changes >> at & 1)) as usize;
    }
    count
}

/// The new cells of a column, in the order of their rows, each with the sign that stands behind it.
#[derive(Default)]
struct Cells {
    bytes: Vec<u8>,
    /// Where each ends.
    ends: Vec<usize>,
    /// The longest of them, with that sign.
    longest: usize,
    /// How many have been taken, and where the next begins.
    taken: usize,
    start: usize,
}

impl Cells {
    /// Makes cells of some rows of a column, in place of those that it had.
    fn fill(&mut self, column: &Column, rows: &[u32], place: Place, signs: Signs) {
        self.bytes.clear();
        self.ends.clear();
        (self.longest, self.taken, self.start) = (0, 0, 0);
        let present = column.present().filter(|present| present.blanks() > 0);
        let behind = if place.last { b'\n' } else { signs.delimiter };
        let mut making = Making { cells: self, rows, present, alone: place.alone, behind };
        match column {
            Column::Text(texts) => {
                making.each(|row, out| {
                    write_text(texts.value(row).as_bytes(), signs.delimiter, out);
                });
            }
            _ if signs.are_looked_for() => {
                making.each(|row, out| write_looked_at(column, row, signs, out));
            }
            Column::Integer(values) => making.each(|row, out| {
                out.extend_from_slice(itoa::Buffer::new().format(values.value(row)).as_bytes());
            }),
            Column::Decimal(units, scale) => {
                making.each(|row, out| decimal::write(units.value(row), *scale, out));
            }
            Column::Date(days) => making.each(|row, out| day::write(days.value(row), out)),
            other => making.each(|row, out| other.write_value(row, out)),
        }
        self.bytes.resize(self.bytes.len() + FEW, 0);
    }

    /// Where the next cell stands.
    fn next(&mut self) -> std::ops::Range<usize> {
        let start = self.start;
        self.start = self.ends[self.taken];
        self.taken += 1;
        start..self.start
    }
}

/// Cells on their way.
struct Making<'a> {
    cells: &'a mut Cells,
    rows: &'a [u32],
    /// Where not all are there.
    present: Option<Present>,
    /// The column is the only one.
    alone: bool,
    /// The sign behind each cell.
    behind: u8,
}

impl Making<'_> {
    fn each(&mut self, write: impl Fn(usize, &mut Vec<u8>)) {
        let Cells { bytes, ends, longest, .. } = &mut *self.cells;
        for row in self.rows {
            let (row, before) = (*row as usize, bytes.len());
            if self.present.as_ref().is_none_or(|present| present.has(row)) {
                write(row, bytes);
            } else if self.alone {
                // A blank in the only column would be an empty line, which is no row.
                bytes.extend_from_slice(b"\"\"");
            }
            bytes.push(self.behind);
            *longest = (bytes.len() - before).max(*longest);
            ends.push(bytes.len());
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

/// Bytes that are made ready for lines at a time: they are in the cache when lines are written over them.
const MADE_READY: usize = 1 << 14;

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
    /// The bytes that a line may have.
    longest: usize,
}

impl Lines {
    /// No lines yet, of so many rows and columns, in memory whose bytes are of no use any more.
    fn new(memory: Vec<u8>, columns: usize, rows: usize) -> Self {
        let mut out = memory;
        out.clear();
        // As good a guess as any; a page that nothing is written to costs nothing.
        out.reserve(rows * columns * 8);
        Self { out, end: 0, above: 0, cells: vec![0; columns + 1], next: 0, longest: 0 }
    }

    /// What lines are made of from now on.
    fn expect_cells(&mut self, cells: &[Cells]) {
        // What is not new is as in the line above, however long that was.
        let longest = cells.iter().map(|cells| cells.longest).sum::<usize>();
        self.longest = longest + self.cells[cells.len()];
    }

    /// Adds the next line, of which the cells that have `changed` are new.
    fn go_on(&mut self, changed: u64, cells: &mut [Cells]) {
        if self.out.len() < self.end + self.longest + FEW {
            self.out.resize(self.end + self.longest + FEW + MADE_READY, 0);
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
    }

    /// Adds the cells up to `end` as they are in the line above.
    #[inline]
    fn repeat(&mut self, end: usize, start: usize) {
        if self.next >= end {
            return;
        }
        let (from, to) = (self.cells[self.next], self.cells[end]);
        let (first, here) = (self.above + from, self.end - start);
        // No more than a line is taken over, and so nothing of it is written over before it is read.
        for at in (0..to - from).step_by(FEW) {
            let mut few = [0; FEW];
            few.copy_from_slice(&self.out[first + at..first + at + FEW]);
            self.out[self.end + at..self.end + at + FEW].copy_from_slice(&few);
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
