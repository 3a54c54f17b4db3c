//! Files as columns of numbers: each value of a column has one, so that what is asked of values is
//! asked once of each, and what is asked of rows is asked of numbers.

use super::dictionary::Dictionary;
use super::profile::Profile;
use crate::port::CellTrouble;
use crate::table::{Codes, Place, Places};
use crate::tally::Unread;

/// One or more files of the same columns, one under the other.
#[derive(Debug)]
pub(crate) struct Coded {
    pub rows: usize,
    pub columns: Vec<CodedColumn>,
    pub places: Places,
    pub unread: Vec<Unread>,
}

impl Coded {
    /// The bytes that it takes in memory, about.
    pub fn bytes_held(&self) -> u64 {
        let column =
            |column: &CodedColumn| column.dictionary.bytes_held() + column.codes.bytes_held();
        self.columns.iter().map(column).sum::<usize>() as u64
    }
}

/// A column of numbers.
#[derive(Debug)]
pub(crate) struct CodedColumn {
    pub name: String,
    pub dictionary: Dictionary,
    /// For each row its value's number in the dictionary; the hash of its value where that is not whole.
    pub codes: Codes,
    pub blanks: u64,
    /// How many different values there are; an estimate where the dictionary is not whole.
    pub distinct: u64,
    /// What has been seen of the values.
    pub profile: Profile,
    /// Cells of a sheet that are blank, and should not be: they have no value.
    pub without: Without,
}

/// Cells that have no value, such as `#N/A`.
#[derive(Debug, Clone, Default)]
pub(crate) struct Without {
    pub rows: u64,
    /// The first: what stands there, and where.
    pub first: Option<(String, Place)>,
}

impl Without {
    pub(super) fn note(&mut self, trouble: CellTrouble) {
        self.rows += trouble.count;
        if self.first.is_none() {
            self.first = trouble.examples.into_iter().next();
        }
    }
}

impl CodedColumn {
    /// Whether the dictionary has all values.
    pub fn whole(&self) -> bool {
        self.dictionary.halved() == 0
    }

    /// One of so many of its values is in the dictionary.
    pub fn one_in(&self) -> u64 {
        1 << self.dictionary.halved()
    }

    /// Whether a value stands on several rows, as far as values are kept.
    pub fn repeats(&self) -> bool {
        self.dictionary.values().any(|(_, rows, _)| rows > 1)
    }

    /// A row's value, unless it is blank or the dictionary is not whole.
    pub fn text(&self, row: u32) -> Option<&str> {
        let code = self.codes.get(row).filter(|_| self.whole())?;
        Some(self.dictionary.value(code as usize))
    }
}
