//! Whether a check held.

use serde::{Serialize, Serializer};

use crate::lang::Severity;
use crate::table::Place;
use crate::value::Scalar;

/// The tally of one check.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CheckTally {
    /// Whether it stops a run.
    pub severity: Severity,
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
    /// For totals: both sides of the comparison, in words and as values, and their difference if
    /// they should be equal and are not. For a share of rows: the share, as a text.
    #[serde(serialize_with = "values_as_text")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<(String, Option<String>)>"))]
    pub sides: Vec<(String, Scalar)>,
    /// Whether it could not be looked at because something before it failed.
    pub skipped: bool,
}

/// Values as cells have them, so that no reader rounds one.
fn values_as_text<S: Serializer>(
    sides: &[(String, Scalar)],
    serializer: S,
) -> Result<S::Ok, S::Error> {
    serializer.collect_seq(
        sides
            .iter()
            .map(|(text, value)| (text, (*value != Scalar::Blank).then(|| value.to_string()))),
    )
}

impl CheckTally {
    /// Whether outputs may be written as far as this is concerned: it held, or is only a warning.
    pub fn passes(&self) -> bool {
        self.held || self.severity == Severity::Warn
    }
}

/// A row for which a check does not hold.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FailedRow {
    /// Its grain, and the columns that the condition looks at: names and values.
    pub values: Vec<(String, String)>,
    /// Where the row came from.
    pub place: Option<Place>,
}
