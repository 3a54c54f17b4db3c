//! What has been seen of some cells: how many, and the first of them.

/// The cells of a value: how many rows have it, and how many values that makes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Cells {
    pub rows: u64,
    /// 1 where the value is counted here; 0 where it may be one that was or will be met again.
    pub values: u64,
}

impl Cells {
    /// A row of a value that is known to come once.
    #[cfg(test)]
    pub const ONE: Self = Self { rows: 1, values: 1 };

    /// A row of a value that is not kept: whether it was there before is not known.
    pub const PASSING: Self = Self { rows: 1, values: 0 };

    /// All rows of a value.
    pub fn of_value(rows: u64) -> Self {
        Self { rows, values: 1 }
    }
}

/// Cells that have something in common.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Seen {
    pub rows: u64,
    /// How many different values they have.
    pub values: u64,
    /// The first row, and its value.
    pub first: Option<(u32, String)>,
}

impl Seen {
    /// Takes in some rows of one value, the first of which is `row`.
    pub fn note(&mut self, value: &str, of: Cells, row: u32) {
        self.rows += of.rows;
        self.values += of.values;
        if self.first.as_ref().is_none_or(|(first, _)| row < *first) {
            self.first = Some((row, value.to_owned()));
        }
    }

    pub fn is_none(&self) -> bool {
        self.rows == 0
    }
}
