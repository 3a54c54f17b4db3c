//! What a plan does that is usually a mistake: it stops nothing, and it is told.

use serde::Serialize;

/// Something that is usually a mistake.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Warning {
    /// The table.
    pub table: String,
    /// The step, or the result, in words.
    pub step: String,
    /// What it is.
    #[serde(flatten)]
    pub what: Mistake,
}

/// What is usually a mistake.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Mistake {
    /// Rows are put in groups by a name that several ids share.
    SharedName {
        /// The key.
        key: String,
        /// The table whose rows have the name.
        of: String,
        /// What one row of it is.
        id: String,
        /// What to do in its place.
        group: String,
        /// How many names several of its rows have.
        names: u64,
        /// The first of them, with how many rows have it.
        examples: Vec<(String, u64)>,
    },
    /// A result is called as a table, and counts rows of a finer one.
    RowsCounted {
        /// The result.
        result: String,
        /// The table that it is called like.
        of: String,
        /// The table whose rows are counted.
        counted: String,
        /// The key by which they lead to it, in words.
        key: String,
        /// Rows of that one that lead to one of the other, at most.
        most: u64,
    },
    /// A mean of ratios: each of them counts alike.
    MeanOfRatio,
    /// Months of several years in one group.
    YearsMixed {
        /// The key.
        key: String,
        /// The first year and the last.
        years: (i64, i64),
    },
    /// A sum of numbers of different values: what is in two groups is counted twice.
    DistinctSummed,
    /// An `allow` behind which nothing of its kind arises.
    UnusedAllow {
        /// The kind that it allows.
        allowed: String,
    },
}

/// The kinds of warning that a plan can allow.
pub const MISTAKES: &[&str] = &[
    "shared-name",
    "rows-counted",
    "mean-of-ratio",
    "years-mixed",
    "distinct-summed",
    "repeated-rows",
];

impl Mistake {
    /// The stable name of its kind.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::SharedName { .. } => "shared-name",
            Self::RowsCounted { .. } => "rows-counted",
            Self::MeanOfRatio => "mean-of-ratio",
            Self::YearsMixed { .. } => "years-mixed",
            Self::DistinctSummed => "distinct-summed",
            Self::UnusedAllow { .. } => "unused-allow",
        }
    }
}

/// A warning that the plan allows, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Allowed {
    /// The table; nothing for a check about totals.
    pub table: Option<String>,
    /// The step, or the check, in words.
    pub step: String,
    /// The kind of warning.
    pub kind: String,
    /// The reason that the plan gives.
    pub reason: String,
}
