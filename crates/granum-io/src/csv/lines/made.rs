//! The cells of which lines are put together.

use std::ops::Range;

use granum_core::Sure;
use granum_core::table::{Column, Present, Texts, Whole, Wide};
use granum_core::value::{Scale, Type, day, decimal};

use crate::csv::numbers::{SHORT, SHORT_PLACES, write_short};
use crate::csv::quotes::{count_special, write_text};
use crate::csv::signs::Signs;

/// Up to so many bytes are copied as so many: what is too much is written over by what follows, and a copy of a
/// known length is far quicker.
pub(super) const FEW: usize = 32;

/// Where a column stands in a line.
#[derive(Clone, Copy)]
pub(super) struct Place {
    /// It is the only one.
    pub alone: bool,
    pub last: bool,
}

/// The new cells of some rows, column by column in the order of their rows, each with the sign that stands behind it.
#[derive(Default)]
pub(super) struct Cells {
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
    pub fn clear(&mut self) {
        self.bytes.clear();
        self.ends.clear();
        self.next.clear();
        self.longest = 0;
    }

    /// Adds the cells of some rows of the next column.
    pub fn add(&mut self, column: &Column, rows: &[u32], place: Place, signs: Signs) {
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

    /// All are made: room comes behind them.
    pub fn close(&mut self) {
        self.bytes.resize(self.bytes.len() + FEW, 0);
    }

    /// How many columns there are.
    pub fn columns(&self) -> usize {
        self.next.len()
    }

    /// The bytes of all, and of [`FEW`] behind them.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// The bytes of the longest ones of all columns together.
    pub fn longest(&self) -> usize {
        self.longest
    }

    /// Where the next cell of a column stands.
    #[inline]
    pub fn take(&mut self, column: usize) -> Range<usize> {
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
