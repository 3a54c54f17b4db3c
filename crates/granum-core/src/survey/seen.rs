//! What has been seen of some cells: how many, and the first of them.

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
    /// Takes in the `rows` rows of one value, the first of which is `row`.
    pub fn note(&mut self, value: &str, rows: u64, row: u32) {
        self.rows += rows;
        self.values += 1;
        if self.first.as_ref().is_none_or(|(first, _)| row < *first) {
            self.first = Some((row, value.to_owned()));
        }
    }

    pub fn is_none(&self) -> bool {
        self.rows == 0
    }
}
