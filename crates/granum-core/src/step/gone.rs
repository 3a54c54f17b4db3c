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
