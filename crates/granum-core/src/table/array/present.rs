//! Which rows of an array are not blank.

use super::{Bits, BitsBuilder};

/// Which rows have a value; the others are blank.
#[derive(Debug, Clone)]
pub struct Present {
    bits: Bits,
    blanks: usize,
}

impl Present {
    /// A row has a value where its bit is set.
    pub fn new(bits: Bits) -> Self {
        Self { blanks: bits.len() - bits.count(), bits }
    }

    /// So many blanks.
    pub fn none(rows: usize) -> Self {
        Self { bits: Bits::all(rows, false), blanks: rows }
    }

    /// The rows that have a value in both.
    pub fn both(one: Option<&Present>, other: Option<&Present>) -> Option<Present> {
        match (one, other) {
            (Some(one), Some(other)) => Some(Self::new(&one.bits & &other.bits)),
            (some, None) | (None, some) => some.cloned(),
        }
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        self.blanks
    }

    /// Whether a row has a value.
    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.bits.value(row)
    }

    /// The rows as bits.
    pub fn bits(&self) -> &Bits {
        &self.bits
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        Self::new(self.bits.slice(offset, length))
    }
}

impl From<Vec<bool>> for Present {
    fn from(present: Vec<bool>) -> Self {
        Self::new(present.into())
    }
}

impl FromIterator<bool> for Present {
    fn from_iter<I: IntoIterator<Item = bool>>(present: I) -> Self {
        Self::new(present.into_iter().collect())
    }
}

/// What is present, row by row. Nothing is written down as long as no blank has come.
#[derive(Debug, Default)]
pub struct PresentBuilder {
    rows: usize,
    bits: Option<BitsBuilder>,
}

impl PresentBuilder {
    /// Adds a row.
    #[inline]
    pub fn push(&mut self, present: bool) {
        match &mut self.bits {
            Some(bits) => bits.push(present),
            None if present => self.rows += 1,
            None => self.noted().push(false),
        }
    }

    /// Adds rows that have values, or blank ones.
    pub fn push_all(&mut self, count: usize, present: bool) {
        match &mut self.bits {
            Some(bits) => bits.push_all(count, present),
            None if present || count == 0 => self.rows += count,
            None => self.noted().push_all(count, false),
        }
    }

    /// Adds rows.
    pub fn append(&mut self, present: &Present) {
        if present.blanks == 0 {
            return self.push_all(present.bits.len(), true);
        }
        self.noted().append(&present.bits);
    }

    /// The bits, begun now if they were not yet.
    fn noted(&mut self) -> &mut BitsBuilder {
        let rows = self.rows;
        self.bits.get_or_insert_with(|| {
            let mut bits = BitsBuilder::default();
            bits.push_all(rows, true);
            bits
        })
    }

    /// What is present; `None` where nothing is blank.
    pub fn finish(self) -> Option<Present> {
        self.bits.map(|bits| Present::new(bits.finish()))
    }
}
