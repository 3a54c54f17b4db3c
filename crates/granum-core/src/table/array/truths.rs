//! Truth values.

use super::{Bits, Present};

/// Truth values, some of them blank.
#[derive(Debug, Clone)]
pub struct Truths {
    values: Bits,
    present: Option<Present>,
}

impl Truths {
    /// Truths, and which of them there are; all where that is not said.
    pub fn new(values: Bits, present: Option<Present>) -> Self {
        let rows = present.as_ref().map_or(values.len(), |present| present.bits().len());
        assert_eq!(values.len(), rows, "as many truths as rows");
        Self { values, present }
    }

    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        Self::new(Bits::all(rows, false), Some(Present::none(rows)))
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The truths as bits; what stands under a blank has no meaning.
    pub fn values(&self) -> &Bits {
        &self.values
    }

    /// What is true of a row, which has a value.
    #[inline]
    pub fn value(&self, row: usize) -> bool {
        self.values.value(row)
    }

    /// The rows that are true; what is blank is not.
    pub fn sure(&self) -> Bits {
        match &self.present {
            Some(present) => &self.values & present.bits(),
            None => self.values.clone(),
        }
    }

    /// Which rows there are; `None` where all are.
    pub fn present(&self) -> Option<&Present> {
        self.present.as_ref()
    }

    /// Whether a row has a value.
    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.present.as_ref().is_none_or(|present| present.has(row))
    }

    /// What is true of a row; `None` where blank.
    #[inline]
    pub fn get(&self, row: usize) -> Option<bool> {
        self.has(row).then(|| self.values.value(row))
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        self.present.as_ref().map_or(0, Present::blanks)
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        Self {
            values: self.values.slice(offset, length),
            present: self.present.as_ref().map(|present| present.slice(offset, length)),
        }
    }
}

impl From<Vec<bool>> for Truths {
    fn from(values: Vec<bool>) -> Self {
        Self::new(values.into(), None)
    }
}

impl FromIterator<Option<bool>> for Truths {
    fn from_iter<I: IntoIterator<Item = Option<bool>>>(rows: I) -> Self {
        let mut values = super::BitsBuilder::default();
        let mut present = super::PresentBuilder::default();
        for value in rows {
            values.push(value == Some(true));
            present.push(value.is_some());
        }
        Self::new(values.finish(), present.finish())
    }
}
