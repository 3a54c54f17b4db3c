//! A sheet that has been gone through: where its rows stand, and what its columns hold.

use std::sync::Arc;

use calamine::Dimensions;
use granum_core::table::{Origin, Place};
use granum_core::tally::BadCell;
use granum_core::value::{Found, Type};

use super::area;
use super::cell::Shown;
use crate::csv::WithoutValue;
use crate::spool::Spooled;

/// A sheet that has been gone through.
pub(super) struct Sheet {
    pub origin: Origin,
    pub text: Spooled,
    pub names: Vec<String>,
    /// The column of the sheet that each stands in, counted from 0.
    pub columns: Vec<u32>,
    pub kinds: Vec<Kinds>,
    pub parts: Vec<SheetPart>,
    pub left_out: Vec<BadCell>,
}

/// Some rows of it.
#[derive(Debug, Clone, Default)]
pub(super) struct SheetPart {
    pub from: u64,
    pub bytes: usize,
    /// The number of each row in the sheet, counted from 1.
    pub lines: Vec<u64>,
    pub without: Vec<WithoutValue>,
}

/// What the cells of a column are.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Kinds {
    others: Found,
    pub days: bool,
    moments: bool,
}

impl Kinds {
    pub fn of(&mut self, text: &str, shown: Shown) {
        match shown {
            Shown::Day => self.days = true,
            Shown::Moment => self.moments = true,
            Shown::Other => self.others.cell(text.as_bytes()),
            Shown::Blank | Shown::NoValue => {}
        }
    }

    /// The same of another sheet's cells, too.
    pub fn merge(&mut self, other: Self) {
        self.others.merge(other.others);
        self.days |= other.days;
        self.moments |= other.moments;
    }

    /// Whether there are days and moments and nothing else: then a day is its midnight.
    pub fn mixed(self) -> bool {
        self.days && self.moments && self.others.ty() == Type::Blank
    }

    /// What the column is.
    pub fn settled(self) -> Found {
        let mut found = self.others;
        if self.days && !self.mixed() {
            found.cell(b"2000-01-01");
        }
        if self.moments {
            found.cell(b"2000-01-01T00:00:00");
        }
        found
    }
}

impl Sheet {
    /// Cells that a merged one covers show its value to people and have none: each is told, in place of being a blank that
    /// nobody sees.
    pub fn cover(&mut self, merged: &[Dimensions]) {
        for region in merged {
            let ((top, left), (bottom, right)) = (region.start, region.end);
            let first: Arc<str> = format!("merged with {}", area::cell(left, top)).into();
            for part in &mut self.parts {
                // Lines count from 1, rows of a region from 0.
                let before =
                    |number: u32| part.lines.partition_point(|line| *line <= u64::from(number));
                let (from, to) = (before(top), before(bottom + 1));
                for row in from..to {
                    let number = part.lines[row] - 1;
                    for (field, column) in self.columns.iter().enumerate() {
                        // One that has a value all the same is not blank, and keeps it.
                        let own = (number, *column) == (u64::from(top), left);
                        if !own && (left..=right).contains(column) {
                            part.without.push(WithoutValue { row, field, text: first.clone() });
                        }
                    }
                }
            }
        }
        for part in &mut self.parts {
            part.without.sort_by_key(|cell| (cell.row, cell.field));
            part.without.dedup_by_key(|cell| (cell.row, cell.field));
        }
    }

    /// A cell of it, by its row, counted from 1, and the place of its column among the names.
    pub fn cell(&self, line: u64, field: usize) -> Place {
        let mut place = self.origin.place(line);
        let row = line.saturating_sub(1) as u32;
        place.cell = self.columns.get(field).map(|column| area::cell(*column, row).into());
        place
    }
}
