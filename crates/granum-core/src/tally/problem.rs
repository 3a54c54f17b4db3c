//! What the data does not hold to, beyond links and checks: each with its rows, and a way out.

use serde::{Serialize, Serializer};

use super::{AllocateProblem, ChartProblem, InvertedPeriods, SeveralPeriods};
use crate::lang::{Span, UnitsPolicy};
use crate::table::{Amount, Place};

/// Something that stops a table or a link from being built.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(untagged)]
pub enum Problem {
    /// Cells that their `read` cannot take.
    BadCells {
        /// The input.
        table: String,
        /// The column.
        column: String,
        /// The type that was asked for.
        wanted: String,
        /// How many cells.
        count: u64,
        /// The first of them.
        examples: Vec<BadCell>,
    },
    /// A grain that does not hold.
    Grain {
        /// The table.
        table: String,
        /// Its grain.
        columns: Vec<String>,
        /// Keys that stand on more than one row.
        repeated: u64,
        /// Rows that have such a key.
        repeated_rows: u64,
        /// Rows with a blank in the grain.
        blank: u64,
        /// The first keys that repeat.
        examples: Vec<RepeatedKey>,
        /// Where the first rows with a blank stand.
        blank_places: Vec<Place>,
    },
    /// A link whose target has a key on more than one row.
    RepeatedKeys {
        /// The link's source.
        from: String,
        /// The link's target.
        to: String,
        /// The key in words.
        keys: String,
        /// The target's side of it, in words.
        target_keys: String,
        /// What one row of the target is, if the plan says so.
        grain: Vec<String>,
        /// Keys that repeat in the target.
        repeated: u64,
        /// Rows of the source that lead to one of them.
        source_rows: u64,
        /// Rows that a join would have made of those.
        would_be: u64,
        /// The first keys that repeat.
        examples: Vec<RepeatedKey>,
    },
    /// Periods that end before they start.
    InvertedPeriods(InvertedPeriods),
    /// Several periods hold for one row, and nothing says which is preferred.
    SeveralPeriods(SeveralPeriods),
    /// Quantities that `units` cannot count.
    Units(UnitsProblem),
    /// Amounts that count apart and would have been added or compared.
    CountedApart(ApartProblem),
    /// Rows that `expand` cannot expand.
    Expand(ExpandProblem),
    /// Amounts that `allocate` cannot divide.
    Allocate(AllocateProblem),
    /// A row that cannot be worked.
    Row {
        /// The table.
        table: String,
        /// The step, link or check in words.
        step: String,
        /// What went wrong.
        reason: RowReason,
        /// The words in the plan.
        span: Span,
        /// The row's grain in words, if it has one.
        row: String,
        /// Where the row came from.
        place: Option<Place>,
    },
    /// A group that has no one value.
    Group {
        /// The table.
        table: String,
        /// The step in words.
        step: String,
        /// The aggregate in words.
        aggregate: String,
        /// Where it stands in the plan.
        span: Span,
        /// The group's keys in words; nothing for all rows.
        group: String,
        /// The first of several values; nothing where a sum has too many digits.
        values: Vec<String>,
    },
    /// A group that is called what the total row is to be called.
    TotalTaken {
        /// The table.
        table: String,
        /// The key.
        column: String,
        /// The total's name.
        total: String,
    },
    /// Rows that reach a stack by two of its parts.
    StackedTwice {
        /// The stack.
        table: String,
        /// Which rows.
        #[serde(flatten)]
        twice: StackedTwice,
    },
    /// Tables that meet on a key that several rows of one of them have.
    MeetingRepeats {
        /// The table that is laid from them.
        table: String,
        /// The one whose rows share a key.
        of: String,
        /// The key's columns.
        columns: Vec<String>,
        /// The first keys that repeat.
        examples: Vec<RepeatedKey>,
        /// How many rows have such a key.
        rows: u64,
    },
    /// Values that cannot become columns of an output.
    WideOutput(WideOutput),
    /// Rows that cannot be drawn.
    Chart(ChartProblem),
    /// More rows than a table can have.
    TooManyRows {
        /// The table.
        table: String,
    },
}

/// Values that cannot become columns of an output.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WideOutput {
    /// The table.
    pub table: String,
    /// Where it was to be written.
    pub path: String,
    /// The column whose values were to become columns.
    pub column: String,
    /// What is in the way.
    pub what: WideTrouble,
    /// How many rows or values.
    pub count: u64,
    /// The first values.
    pub examples: Vec<String>,
}

/// Why values cannot become columns.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum WideTrouble {
    /// Some rows have none.
    Blank,
    /// There are too many.
    Many,
    /// A column beside has several values in one row.
    Several(String),
    /// Two rows would come into one cell.
    Twice,
    /// Columns are called so already.
    Taken,
}

impl Problem {
    /// The names of all kinds.
    pub const KINDS: &[&str] = &[
        "bad-cells",
        "grain",
        "repeated-keys",
        "inverted-periods",
        "several-periods",
        "counted-apart",
        "units",
        "expand",
        "allocate",
        "overflow",
        "limit",
        "conversion",
        "several-values",
        "total-taken",
        "repeated-rows",
        "meeting-repeats",
        "wide-output",
        "chart",
        "too-many-rows",
    ];

    /// Whether it is that a chart of a title cannot be drawn.
    pub fn is_of_chart(&self, title: &str) -> bool {
        matches!(self, Self::Chart(problem) if problem.title == title)
    }

    /// The stable name of its kind: one of [`Problem::KINDS`].
    pub fn kind(&self) -> &'static str {
        match self {
            Self::BadCells { .. } => "bad-cells",
            Self::Grain { .. } => "grain",
            Self::RepeatedKeys { .. } => "repeated-keys",
            Self::InvertedPeriods(_) => "inverted-periods",
            Self::SeveralPeriods(_) => "several-periods",
            Self::Units(_) => "units",
            Self::CountedApart(_) => "counted-apart",
            Self::Expand(_) => "expand",
            Self::Allocate(_) => "allocate",
            Self::Row { reason: RowReason::Overflow, .. } => "overflow",
            Self::Row { reason: RowReason::Limit { .. }, .. } => "limit",
            Self::Row { .. } => "conversion",
            Self::Group { values, .. } if values.is_empty() => "overflow",
            Self::Group { .. } => "several-values",
            Self::TotalTaken { .. } => "total-taken",
            Self::StackedTwice { .. } => "repeated-rows",
            Self::MeetingRepeats { .. } => "meeting-repeats",
            Self::WideOutput(_) => "wide-output",
            Self::Chart(_) => "chart",
            Self::TooManyRows { .. } => "too-many-rows",
        }
    }
}

/// A problem as documents have it.
#[derive(Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "Problem"))]
pub struct ProblemTold<'p> {
    /// Its kind.
    #[cfg_attr(feature = "schema", schemars(extend("enum" = Problem::KINDS)))]
    kind: &'static str,
    /// What belongs to that.
    #[serde(flatten)]
    problem: &'p Problem,
}

/// Problems, each with the name of its kind beside what it says.
///
/// # Errors
/// What the serializer says.
pub fn with_kinds<S: Serializer>(problems: &[Problem], serializer: S) -> Result<S::Ok, S::Error> {
    let told = |problem| ProblemTold { kind: Problem::kind(problem), problem };
    serializer.collect_seq(problems.iter().map(told))
}

/// Rows of one table that reach a stack by two of its parts.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StackedTwice {
    /// The table that they are rows of.
    pub of: String,
    /// The first part that brings them again.
    pub part: String,
    /// How many rows come again.
    pub rows: u64,
    /// The tracked amounts that they bring once more.
    pub amounts: Vec<(String, Amount)>,
    /// The same of each part of the stack.
    pub parts: Vec<PartTwice>,
}

/// Rows of one part of a stack that another brought before.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PartTwice {
    /// How many rows.
    pub rows: u64,
    /// Their tracked amounts.
    pub amounts: Vec<(String, Amount)>,
}

/// A cell that cannot be read.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BadCell {
    /// What stands there.
    pub text: String,
    /// Where.
    pub place: Place,
}

/// A key that stands on more than one row.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RepeatedKey {
    /// Its values in words, joined by `/`.
    pub key: String,
    /// How many rows have it.
    pub rows: u64,
    /// Where the first of them stand.
    pub places: Vec<Place>,
}

/// Why a row cannot be worked.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum RowReason {
    /// A result with too many digits.
    Overflow,
    /// A result beyond what there may be: a text that is too long, a day outside the calendar.
    Limit {
        /// What it would be.
        what: String,
    },
    /// A value that does not convert.
    Conversion {
        /// The value.
        value: String,
        /// The type.
        to: String,
    },
}

/// Quantities that `units` cannot count.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct UnitsProblem {
    /// The table.
    pub table: String,
    /// The quantity in words.
    pub of: String,
    /// What is wrong with them.
    pub troubles: Vec<UnitsTrouble>,
    /// How many units a row may be.
    pub most: i64,
    /// What the plan says of such quantities.
    pub policy: UnitsPolicy,
}

/// Amounts that count apart and would have been added or compared.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ApartProblem {
    /// The table.
    pub table: String,
    /// The step in words; empty at the end of the table.
    pub step: String,
    /// What would have added or compared them, in words, where that is of several rows; at the end of the table the
    /// column.
    pub what: String,
    /// Where it stands in the plan.
    pub span: Span,
    /// The group's keys, or the row, in words; nothing for all rows.
    pub group: String,
    /// Each of those that were found, with its rows.
    pub parts: Vec<CountedApart>,
    /// What says in words which of them a row is in, where there are some.
    pub by: Option<String>,
    /// A step that says as a column of the table what the rows are in, where one does.
    pub add: Option<String>,
    /// How many there may be at most, where there are more; else 0.
    pub many: u64,
}

/// Rows in one currency, or the like.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CountedApart {
    /// Which; nothing where it is blank.
    pub value: Option<String>,
    /// How many rows.
    pub rows: u64,
    /// Their amount.
    pub amount: Amount,
}

/// Rows that `expand` cannot expand.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ExpandProblem {
    /// The table.
    pub table: String,
    /// The step in words.
    pub step: String,
    /// What is wrong: `blank-weight`, `negative-weight`, `blank-factor` of rows that come in; of amounts
    /// `zero-weights` (all that they would be divided by are zero), `fine` (more places than their parts have),
    /// `large`.
    pub troubles: Vec<UnitsTrouble>,
}

/// One thing that is wrong with quantities.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct UnitsTrouble {
    /// `zero`, `negative`, `blank`, `fraction` or `many`; of an `expand` see there.
    pub what: &'static str,
    /// How many rows.
    pub rows: u64,
    /// Tracked amounts that stand on them.
    pub amounts: Vec<(String, Amount)>,
    /// The first of them: quantity and place.
    pub examples: Vec<(String, Option<Place>)>,
}
