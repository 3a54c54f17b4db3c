//! Whether a check held.

use serde::Serialize;

use crate::table::Place;

/// The account of one check.
#[derive(Debug, Clone, Serialize)]
pub struct CheckAccount {
    /// Its title, or its condition.
    pub title: String,
    /// Its condition in words.
    pub condition: String,
    /// The table whose rows were looked at; `None` for a check about totals.
    pub table: Option<String>,
    /// The share that must hold, in words.
    pub at_least: Option<String>,
    /// Rows looked at.
    pub rows: u64,
    /// Rows for which it does not hold.
    pub failed: u64,
    /// Those of them for which it is blank.
    pub blank: u64,
    /// Whether it held.
    pub held: bool,
    /// The first rows for which it does not hold.
    pub examples: Vec<FailedRow>,
    /// For totals: both sides of the comparison, in words and as values.
    pub sides: Vec<(String, String)>,
    /// Whether it could not be looked at because something before it failed.
    pub skipped: bool,
}

/// A row for which a check does not hold.
#[derive(Debug, Clone, Serialize)]
pub struct FailedRow {
    /// Its grain, and the columns that the condition looks at: names and values.
    pub values: Vec<(String, String)>,
    /// Where the row came from.
    pub place: Option<Place>,
}
