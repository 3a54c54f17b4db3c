//! What a plan does that is usually a mistake: it stops nothing, and it is told.

use serde::Serialize;

/// Something that is usually a mistake.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
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
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Mistake {
    /// Rows are gathered by a name that several ids share.
    SharedName {
        /// The key.
        key: String,
        /// The table whose rows have the name.
        of: String,
        /// What one row of it is.
        id: String,
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
}
