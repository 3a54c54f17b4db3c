//! Rows that a step takes out.

use crate::tally::Why;

/// A row that a step takes out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Gone {
    /// Which of the rows before the step.
    pub row: u32,
    pub why: Why,
    /// The row before the step that stays in its place.
    pub stays: Option<u32>,
}

impl Gone {
    /// The same where so many rows stand before those that it is told of.
    #[must_use]
    pub fn behind(self, rows: usize) -> Self {
        let behind = |row: u32| row + rows as u32;
        Self { row: behind(self.row), stays: self.stays.map(behind), ..self }
    }
}
