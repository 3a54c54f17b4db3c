//! What becomes of the rows of one side of a link, in numbers.

use super::Keys;
use crate::table::Rows;

/// What becomes of the rows of one side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Counts {
    pub rows: u64,
    /// Rows whose key the other side has.
    pub matched: u64,
    /// Rows whose key it has not.
    pub missing: u64,
    /// Rows without a key.
    pub blank: u64,
}

/// What becomes of the rows of a side that lead by `index`.
pub(crate) fn counts(keys: &Keys, index: &Rows) -> Counts {
    let rows = keys.rows() as u64;
    let matched = rows - index.blanks() as u64;
    let blank = keys.absent() as u64;
    Counts { rows, matched, missing: rows - matched - blank, blank }
}
