//! Rows of columns as lines of text.
//!
//! Cells are made column by column, and only those that are not as in the row above: units of one line, and lines of
//! one order, mostly repeat them. Then each line is put together of new cells and of runs of the line above.

use std::ops::Range;

use granum_core::Sure;
use granum_core::table::{Column, Present, Texts, Whole, Wide};
use granum_core::value::{Scale, Type, day, decimal};

use super::numbers::{SHORT, SHORT_PLACES, write_short};
use super::quotes::{count_special, write_text};

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
    /// For each row a bit for each watched column whose value is not that of the row above.
    changes: Vec<u64>,
    /// For each row whether its value in one column is another one: 1 or 0. With rows that are not there, so
    /// that they are looked at in eights.
    marks: Vec<u8>,
    /// The rows that have another value in one column.
    changed: Vec<u32>,
    cells: Cells,
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
        let mut lines = Lines::new(memory, columns.len(), rows);
        for from in (0..rows).step_by(AT_ONCE) {
            let count = AT_ONCE.min(rows - from);
            // With the row above, that changes are seen.
            let above = from.min(1);
            let own = |column: &Column| column.slice(from - above, above + count);
            self.changes.clear();
            self.changes.resize((above + count).next_multiple_of(8), 0);
            self.fill(&columns.iter().map(own).collect::<Vec<_>>(), above + count, above, signs);
            lines.expect_cells(&self.cells);
            for changes in &self.changes[above..above + count] {
                lines.go_on(*changes, &mut self.cells);
            }
        }
        lines.finish()
    }

    /// Makes the cells of some rows that are not as those above them. The first `above` rows are looked at alone.
    fn fill(&mut self, columns: &[Column], rows: usize, above: usize, signs: Signs) {
        self.changed.resize(self.changes.len(), 0);
        self.cells.clear();
        for (at, column) in columns.iter().enumerate() {
            let count = if at < WATCHED {
                self.marks.clear();
                self.marks.resize(self.changes.len(), 0);
                column.mark_changes(&mut self.marks[..rows]);
                // A first row has none above it.
                self.marks[0] = u8::from(above == 0);
                take_marked(&self.marks, 1 << at, &mut self.changes, &mut self.changed)
            } else {
                let all = (above..rows).zip(&mut self.changed);
                all.map(|(row, changed)| *changed = row as u32).count()
            };
            let place = Place { alone: columns.len() == 1, last: at + 1 == columns.len() };
            self.cells.add(column, &self.changed[..count], place, signs);
        }
        self.cells.bytes.resize(self.cells.bytes.len() + FEW, 0);
    }
}

/// Where a column stands in a line.
#[derive(Clone, Copy)]
struct Place {
    /// It is the only one.
    alone: bool,
    last: bool,
}

/// Sets `bit` for rows that are marked, and lists them; how many they are.
fn take_marked(marks: &[u8], bit: u64, changes: &mut [u64], rows: &mut [u32]) -> usize {
    let mut count = 0;
    for (at, eight) in marks.as_chunks::<8>().0.iter().enumerate() {
        let mut left = u64::from_le_bytes(*eight);
        while left != 0 {
            let row = 8 * at + left.trailing_zeros() as usize / 8;
            changes[row] |= bit;
            rows[count] = row as u32;
            count += 1;
            left &= left - 1;
        }
    }
    count
}

/// The new cells of some rows, column by column in the order of their rows, each with the sign that stands behind it.
#[derive(Default)]
struct Cells {
    /// All of them, and room for [`FEW`] bytes behind.
    bytes: Vec<u8>,
    /// Where each ends.
    ends: Vec<usize>,
    /// Of each column the next one.
    next: Vec<Next>,
    /// The longest ones of all columns together, with those signs.
    longest: usize,
}

/// The next cell of a column: its number among all, and where it begins.
#[derive(Clone, Copy)]
struct Next {
    number: usize,
    start: usize,
}

impl Cells {
    fn clear(&mut self) {
        self.bytes.clear();
        self.ends.clear();
        self.next.clear();
        self.longest = 0;
    }

    /// Adds the cells of some rows of the next column.
    fn add(&mut self, column: &Column, rows: &[u32], place: Place, signs: Signs) {
        let (number, mut start) = (self.ends.len(), self.bytes.len());
        self.next.push(Next { number, start });
        let present = column.present().filter(|present| present.blanks() > 0);
        let behind = if place.last { b'\n' } else { signs.delimiter };
        let plain = match (column, &present) {
            (_, Some(_)) => false,
            (Column::Text(texts), None) => self.add_plain(texts, rows, behind, signs.delimiter),
            _ if signs.are_looked_for() => false,
            (Column::Integer(values), None) => self.add_short(values, rows, behind, Scale(0)),
            (Column::Decimal(units, scale), None) => self.add_short(units, rows, behind, *scale),
            _ => false,
        };
        if !plain {
            let making = Making { cells: self, rows, present, alone: place.alone, behind };
            making.make(column, signs);
        }
        let mut longest = 0;
        for end in &self.ends[number..] {
            longest = longest.max(end - start);
            start = *end;
        }
        self.longest += longest;
    }

    /// Adds cells of texts of which none is blank, as they are; whether none has to stand in quotes. If one has to,
    /// nothing is added.
    fn add_plain(&mut self, texts: &Texts, rows: &[u32], behind: u8, delimiter: u8) -> bool {
        let (number, start) = (self.ends.len(), self.bytes.len());
        texts.put_rows(rows, behind, &mut self.bytes, &mut self.ends);
        // Each has one such sign, behind it.
        let plain = count_special(&self.bytes[start..], delimiter) == rows.len();
        if !plain {
            self.bytes.truncate(start);
            self.ends.truncate(number);
        }
        plain
    }

    /// Adds cells of whole units of which none is blank; whether all are short. If one is not, nothing is added.
    fn add_short<T: Wide>(
        &mut self,
        values: &Whole<T>,
        rows: &[u32],
        behind: u8,
        scale: Scale,
    ) -> bool {
        let places = usize::from(scale.0);
        let Some(values) = values.short().filter(|_| places <= SHORT_PLACES) else { return false };
        let (number, start) = (self.ends.len(), self.bytes.len());
        let mut end = start;
        self.bytes.resize(start + (rows.len() + 1) * SHORT, 0);
        for row in rows {
            let out = self.bytes[end..].first_chunk_mut().sure("room for a short number");
            let Some(length) = write_short(values[*row as usize], places, out) else {
                self.bytes.truncate(start);
                self.ends.truncate(number);
                return false;
            };
            end += length + 1;
            self.bytes[end - 1] = behind;
            self.ends.push(end);
        }
        self.bytes.truncate(end);
        true
    }

    /// Where the next cell of a column stands.
    #[inline]
    fn take(&mut self, column: usize) -> Range<usize> {
        let Next { number, start } = &mut self.next[column];
        let end = self.ends[*number];
        *number += 1;
        std::mem::replace(start, end)..end
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
    fn make(mut self, column: &Column, signs: Signs) {
        match column {
            Column::Text(texts) => {
                self.each(|row, out| {
                    write_text(texts.value(row).as_bytes(), signs.delimiter, out);
                });
            }
            _ if signs.are_looked_for() => {
                self.each(|row, out| write_looked_at(column, row, signs, out));
            }
            Column::Integer(values) => self.each(|row, out| {
                out.extend_from_slice(itoa::Buffer::new().format(values.value(row)).as_bytes());
            }),
            Column::Decimal(units, scale) => {
                self.each(|row, out| decimal::write(units.value(row), *scale, out));
            }
            Column::Date(days) => self.each(|row, out| day::write(days.value(row), out)),
            other => self.each(|row, out| other.write_value(row, out)),
        }
    }

    fn each(&mut self, write: impl Fn(usize, &mut Vec<u8>)) {
        let Cells { bytes, ends, .. } = &mut *self.cells;
        for row in self.rows {
            let row = *row as usize;
            if self.present.as_ref().is_none_or(|present| present.has(row)) {
                write(row, bytes);
            } else if self.alone {
                // A blank in the only column would be an empty line, which is no row.
                bytes.extend_from_slice(b"\"\"");
            }
            bytes.push(self.behind);
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
    /// The bytes that a line may have.
    longest: usize,
}

impl Lines {
    /// No lines yet, of so many rows and columns, in memory whose bytes are of no use any more.
    fn new(memory: Vec<u8>, columns: usize, rows: usize) -> Self {
        let mut out = memory;
        // As good a guess as any; a page that nothing is written to costs nothing.
        out.reserve((rows * columns * 8).saturating_sub(out.len()));
        Self { out, end: 0, above: 0, cells: vec![0; columns + 1], longest: 0 }
    }

    /// What lines are made of from now on.
    fn expect_cells(&mut self, cells: &Cells) {
        // What is not new is as in the line above, however long that was.
        self.longest = cells.longest + self.cells[cells.next.len()];
    }

    /// Adds the next line, of which the cells that have `changed` are new.
    fn go_on(&mut self, changed: u64, cells: &mut Cells) {
        let start = self.end;
        if self.out.len() < start + self.longest + FEW {
            self.out.resize(start + self.longest + FEW + MADE_READY, 0);
        }
        let last = cells.next.len();
        let mut line = Line {
            out: &mut self.out,
            cells: &mut self.cells[..=last],
            above: self.above,
            start,
            end: start,
            next: 0,
        };
        let (mut left, mut unwatched) = (changed, WATCHED);
        loop {
            let at = if left != 0 {
                let at = left.trailing_zeros() as usize;
                left &= left - 1;
                at
            } else if unwatched < last {
                unwatched += 1;
                unwatched - 1
            } else {
                break;
            };
            line.repeat(at);
            let cell = cells.take(at);
            line.put(at, &cells.bytes, cell);
        }
        line.repeat(last);
        line.cells[last] = line.end - start;
        self.end = line.end;
        self.above = start;
    }

    fn finish(mut self) -> Vec<u8> {
        self.out.truncate(self.end);
        self.out
    }
}

/// A line that is being made.
struct Line<'a> {
    out: &'a mut [u8],
    /// Where each cell begins: from `next` on as in the line above.
    cells: &'a mut [usize],
    /// Where the line above begins, this one, and what stands behind it.
    above: usize,
    start: usize,
    end: usize,
    /// The first cell that is not made yet.
    next: usize,
}

impl Line<'_> {
    /// Adds a new cell.
    #[inline]
    fn put(&mut self, at: usize, bytes: &[u8], cell: Range<usize>) {
        self.cells[at] = self.end - self.start;
        self.next = at + 1;
        let length = cell.len();
        if length <= FEW {
            let few = &bytes[cell.start..][..FEW];
            self.out[self.end..][..FEW].copy_from_slice(few);
        } else {
            self.out[self.end..][..length].copy_from_slice(&bytes[cell]);
        }
        self.end += length;
    }

    /// Adds the cells up to `last` as they are in the line above.
    #[inline]
    fn repeat(&mut self, last: usize) {
        if self.next >= last {
            return;
        }
        let (from, to) = (self.cells[self.next], self.cells[last]);
        let (first, here) = (self.above + from, self.end - self.start);
        // No more than a line is taken over, and so nothing of it is written over before it is read.
        let mut at = 0;
        while at < to - from {
            let mut few = [0; FEW];
            few.copy_from_slice(&self.out[first + at..][..FEW]);
            self.out[self.end + at..][..FEW].copy_from_slice(&few);
            at += FEW;
        }
        self.end += to - from;
        if here != from {
            for cell in &mut self.cells[self.next..last] {
                *cell = *cell - from + here;
            }
        }
    }
}
