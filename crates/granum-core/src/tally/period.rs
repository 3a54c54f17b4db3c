//! What lies outside of all periods of a link, and where they overlap.

use serde::Serialize;

use crate::table::Amount;

/// What a link by a period tells beyond how complete it is.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PeriodTally {
    /// Rows with a key of which the target has no period.
    pub no_key: OutsideTally,
    /// Rows before the first start of their key.
    pub before: OutsideTally,
    /// Rows between two periods.
    pub gap: OutsideTally,
    /// Rows after the last end of their key.
    pub after: OutsideTally,
    /// The first start, where there are no equal keys and it is not open.
    pub first: Option<String>,
    /// The last end, likewise.
    pub last: Option<String>,
    /// The days between periods: of the ten keys with most rows, where there are equal keys.
    pub gaps: Vec<PeriodRange>,
    /// How many such ranges there are in all.
    pub gap_ranges: u64,
    /// Days on which several periods hold, likewise.
    pub overlaps: Vec<PeriodOverlap>,
    /// How many such ranges there are in all.
    pub overlap_ranges: u64,
    /// Rows for which several periods held.
    pub several: u64,
    /// How many rows a join would make of those.
    pub pairs: u64,
    /// Those of them where what is preferred was the same, so that the target's grain settled it.
    pub tied: u64,
    /// Whether the plan says which is preferred.
    pub prefers: bool,
    /// Periods that hold on no day, since they end where they start.
    pub never: u64,
}

/// Rows that lead nowhere for one reason.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OutsideTally {
    /// How many.
    pub rows: u64,
    /// Their tracked amounts, with their signs.
    pub amounts: Vec<(String, Amount)>,
}

/// Days that follow each other.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PeriodRange {
    /// The equal keys of the periods beside it, in words.
    pub of: Option<String>,
    /// The first day, or time; nothing where it is open.
    pub from: Option<String>,
    /// The last day; of times where it ends. Nothing where it is open.
    pub to: Option<String>,
    /// Whether these are days, not times.
    pub days: bool,
    /// Rows of the source that fall into it.
    pub rows: u64,
}

/// Days on which several periods hold.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PeriodOverlap {
    /// The days.
    #[serde(flatten)]
    pub range: PeriodRange,
    /// How many hold.
    pub holding: u64,
    /// The first of them, by what one row of the target is.
    pub examples: Vec<String>,
}

/// A period that ends before it starts.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InvertedPeriod {
    /// Its start.
    pub from: String,
    /// Its end.
    pub to: String,
    /// Where it stands.
    pub place: Option<crate::table::Place>,
}

/// Periods of a link's target that end before they start.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InvertedPeriods {
    /// The link's source.
    pub from: String,
    /// The table that has them.
    pub to: String,
    /// The keys in words.
    pub keys: String,
    /// The start and the end in words.
    pub bounds: (String, String),
    /// How many rows.
    pub rows: u64,
    /// The first of them.
    pub examples: Vec<InvertedPeriod>,
}

/// Several periods hold for one row.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SeveralPeriods {
    /// The link's source.
    pub from: String,
    /// The link's target.
    pub to: String,
    /// The keys in words.
    pub keys: String,
    /// Rows of the source for which several hold.
    pub source_rows: u64,
    /// Rows that a join would have made of those.
    pub would_be: u64,
    /// How many ranges of days have several periods.
    pub ranges: u64,
    /// Ranges of days, with the periods that hold on them: those with most rows.
    pub overlaps: Vec<PeriodOverlap>,
    /// The column of the starts, where the latest of them decides for every row.
    pub could_prefer: Option<String>,
}
