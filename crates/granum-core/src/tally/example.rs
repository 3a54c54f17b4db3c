//! Whether worked examples come out as the plan says.

use serde::Serialize;

use super::problem::{Problem, with_kinds};

/// What came of one worked example.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ExampleTally {
    /// What it shows.
    pub title: String,
    /// Whether it came out as the plan says.
    pub held: bool,
    /// The kind of problem that must stop it, where one must.
    pub stops: Option<String>,
    /// What stopped it.
    #[serde(serialize_with = "with_kinds")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::tally::ProblemTold>"))]
    pub problems: Vec<Problem>,
    /// The tables whose rows are given.
    pub gives: Vec<GivenTable>,
}

/// The rows that a table must come out with, beside those that it has.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GivenTable {
    /// The table.
    pub table: String,
    /// The columns that are given.
    pub columns: Vec<String>,
    /// Whether the cells of each are numbers.
    #[serde(skip)]
    pub numbers: Vec<bool>,
    /// Whether they are the same.
    pub held: bool,
    /// Whether the order of rows counts, since the table is sorted.
    pub ordered: bool,
    /// All rows of either.
    pub rows: Vec<GivenRow>,
}

/// A row that must come out, a row that did, or both.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GivenRow {
    /// Its cells as they are given, nothing for a blank one; nothing at all where no such row is.
    pub expected: Option<Vec<Option<String>>>,
    /// Its cells as they came out, nothing for a blank one; nothing at all where no such row did.
    pub found: Option<Vec<Option<String>>>,
}

impl GivenRow {
    /// Whether it came out as it is given.
    pub fn is_same(&self) -> bool {
        self.expected == self.found
    }
}
