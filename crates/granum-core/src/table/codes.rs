//! Columns of numbers that stand for values: equal numbers for equal values.

/// What stands for each row's value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Codes {
    /// Numbers from 0 on without a gap; [`Codes::BLANK`] for a blank.
    Numbers(Vec<u32>),
    /// Hashes, where there are too many values to number; [`Codes::NO_HASH`] for a blank.
    Hashes(Vec<u64>),
}

impl Codes {
    /// The number of a blank.
    pub const BLANK: u32 = u32::MAX;
    /// The hash of a blank.
    pub const NO_HASH: u64 = u64::MAX;

    pub fn len(&self) -> usize {
        match self {
            Self::Numbers(numbers) => numbers.len(),
            Self::Hashes(hashes) => hashes.len(),
        }
    }

    /// What stands for a row's value; `None` for a blank.
    pub fn get(&self, row: u32) -> Option<u64> {
        let code = self.raw(row);
        (code != Self::NO_HASH).then_some(code)
    }

    /// The same, with [`Codes::NO_HASH`] for a blank.
    pub fn raw(&self, row: u32) -> u64 {
        match self {
            Self::Numbers(numbers) => match numbers[row as usize] {
                Self::BLANK => Self::NO_HASH,
                number => number.into(),
            },
            Self::Hashes(hashes) => hashes[row as usize],
        }
    }
}
