//! Rows that are there more than once, and rows of one key that are not.

use crate::table::Bits;

/// Rows that are exact copies of an earlier one.
#[derive(Debug, Clone)]
pub(crate) struct Copies {
    /// The first of them, each with the row it is a copy of.
    pub first: Vec<(u32, u32)>,
    rows: Bits,
}

impl Copies {
    /// How many there are.
    pub fn count(&self) -> usize {
        self.rows.count()
    }

    pub fn has(&self, row: u32) -> bool {
        self.rows.value(row as usize)
    }

    /// All of them, in order.
    pub fn rows(&self) -> impl Iterator<Item = u32> {
        self.rows.rows().map(|row| row as u32)
    }
}

/// Copies on their way.
pub(super) struct CopiesBuilder {
    rows: usize,
    words: Vec<u64>,
    first: Vec<(u32, u32)>,
}

impl CopiesBuilder {
    /// So many are named.
    const NAMED: usize = 3;

    /// None yet, of so many rows.
    pub fn new(rows: usize) -> Self {
        Self { rows, words: vec![0; rows.div_ceil(64)], first: vec![] }
    }

    /// Takes in a row that is a copy of another.
    pub fn take(&mut self, row: u32, of: u32) {
        self.words[row as usize / 64] |= 1 << (row % 64);
        let at = self.first.partition_point(|known| *known < (row, of));
        if at < Self::NAMED {
            self.first.insert(at, (row, of));
            self.first.truncate(Self::NAMED);
        }
    }

    pub fn finish(self) -> Copies {
        Copies { first: self.first, rows: Bits::of_words(self.words, self.rows) }
    }
}

/// Keys that several rows have, copies apart.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Shared {
    /// How many keys.
    pub keys: u64,
    /// How many rows have them.
    pub rows: u64,
    /// The first keys, in the order of their first rows.
    pub first: Vec<SharedKey>,
}

/// A key that several rows have.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct SharedKey {
    /// The first rows.
    pub first: Vec<u32>,
    /// How many rows have it.
    pub rows: u64,
}

impl Shared {
    /// So many keys are named, and so many rows of each.
    const NAMED: usize = 3;

    /// Takes in the rows of a key, in order.
    pub fn take(&mut self, rows: &[u32]) {
        self.keys += 1;
        self.rows += rows.len() as u64;
        let first = rows.iter().take(Self::NAMED).copied().collect();
        self.name(SharedKey { first, rows: rows.len() as u64 });
    }

    /// Takes in the keys of other rows.
    pub fn add(&mut self, other: Self) {
        self.keys += other.keys;
        self.rows += other.rows;
        other.first.into_iter().for_each(|key| self.name(key));
    }

    fn name(&mut self, key: SharedKey) {
        let at = self.first.partition_point(|known| *known < key);
        if at < Self::NAMED {
            self.first.insert(at, key);
            self.first.truncate(Self::NAMED);
        }
    }
}
