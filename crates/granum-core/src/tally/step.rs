//! What each step of a table did.

use serde::Serialize;

use super::Allocated;
use super::problem::{BadCell, StackedTwice};
use crate::table::{Amount, Place};

/// The tally of one table.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TableTally {
    /// The table.
    pub name: String,
    /// Its grain: the columns that name one row. Empty if each row stands for itself.
    pub grain: Vec<String>,
    /// Whether it is one row in all.
    pub one_row: bool,
    /// The table or input that it starts as; for an input its own name.
    pub begins_as: String,
    /// Whether it is an input.
    pub input: bool,
    /// The amounts that it follows.
    pub tracked: Vec<TrackedName>,
    /// Rows at the start.
    pub rows: u64,
    /// Each amount at the start; `None` where it cannot be worked yet.
    pub amounts: Vec<Option<Amount>>,
    /// The steps that can change rows, grain or tracked amounts.
    pub steps: Vec<StepTally>,
    /// Cells that were made blank because they could not be read, by column.
    pub blanked: Vec<(String, u64)>,
    /// Cells that could not be read and set their rows aside, by column.
    pub aside: Vec<SetAside>,
    /// Moments in hours that the clock of their zone showed twice, or never, by column.
    pub odd_hours: Vec<OddHoursTold>,
    /// Records below the rows of its files that were left out, as the plan says.
    pub footer: Vec<BadCell>,
    /// Columns of its files that it has not, since what they hold is no value.
    pub unread: Vec<Unread>,
    /// The objects around its rows of which no row came.
    pub without_rows: Option<WithoutRows>,
    /// Rows in which a division by zero gave blank.
    pub zero_divisions: u64,
    /// The tables that it is laid from, if it is from several.
    pub parts: Vec<Part>,
    /// Rows that stand in a stack twice, if the plan allows that.
    pub twice: Option<StackedTwice>,
}

impl TableTally {
    /// Its rows at its end.
    pub fn rows_at_end(&self) -> u64 {
        self.steps.last().map_or(self.rows, |step| step.rows)
    }
}

/// Objects of an input's files of which no row came, since their list is empty or not there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WithoutRows {
    /// The path to the list.
    pub list: String,
    /// How many objects there are.
    pub objects: u64,
    /// Those without a row.
    pub without: u64,
    /// The first of them.
    pub examples: Vec<Place>,
}

/// A column of a file that no plan can name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Unread {
    /// What it is called there.
    pub column: String,
    /// What it holds: `a list`.
    pub what: String,
}

/// One of several tables that a table is laid from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Part {
    /// The table.
    pub table: String,
    /// Its rows.
    pub rows: u64,
    /// Where tables meet: its rows whose key no other table has.
    pub alone: Option<u64>,
    /// The first keys of those.
    pub examples: Vec<String>,
}

/// Cells of a column that could not be read, and whose rows were taken out.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SetAside {
    /// The column.
    pub column: String,
    /// How many cells.
    pub count: u64,
    /// The first of them.
    pub examples: Vec<BadCell>,
}

/// Moments of a column in hours that a clock showed twice, or never.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OddHoursTold {
    /// The column.
    pub column: String,
    /// How many in hours that it showed twice.
    pub twice: u64,
    /// How many in hours that it never showed.
    pub never: u64,
    /// The first of them.
    pub examples: Vec<BadCell>,
}

/// An amount that is followed.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TrackedName {
    /// Its name at the table's end, or where it ended; where it counts apart with what it is in: `net EUR`.
    pub name: String,
    /// The column that it is.
    pub column: String,
    /// Its name in the table, or each of the tables, that this one starts as.
    pub base_name: Option<String>,
    /// What it was summed of, where it is a sum of rows of another table.
    pub gathered: Option<GatheredAmount>,
    /// Whether it is followed only since a table built from this one makes it.
    pub foreseen: bool,
}

/// An amount of rows that lead to a table's rows, as it was summed for each of these.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GatheredAmount {
    /// The table whose rows lead here.
    pub from: String,
    /// What was summed of them, in words.
    pub value: String,
    /// The amount that it is there, if it is followed there.
    pub amount: Option<String>,
    /// The table whose rows they lead to.
    pub to: String,
    /// Its rows.
    pub to_rows: u64,
    /// Rows that lead here or not, with their amounts.
    pub all: RowsAmount,
    /// Those of them that lead nowhere.
    pub nowhere: RowsAmount,
    /// Those that lead somewhere and are left out by a `where`.
    pub left_out: RowsAmount,
}

/// Rows and an amount of theirs.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RowsAmount {
    /// How many rows.
    pub rows: u64,
    /// Their amount.
    pub amount: Amount,
}

impl RowsAmount {
    /// Both together.
    #[must_use]
    pub fn plus(self, more: Self) -> Self {
        Self { rows: self.rows + more.rows, amount: self.amount.plus(more.amount) }
    }
}

/// The tally of one step.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StepTally {
    /// The step on one line.
    pub text: String,
    /// Rows after it.
    pub rows: u64,
    /// Each amount after it; `None` where it cannot be worked, or has ended.
    pub amounts: Vec<Option<Amount>>,
    /// What one row is before it and after, where it changes that.
    pub grain: Option<GrainChange>,
    /// What else there is to say.
    pub detail: StepDetail,
}

/// What one row is before a step and after it; nothing where each row stands for itself, and after
/// `one row in all`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GrainChange {
    /// Before.
    pub before: Vec<String>,
    /// After.
    pub after: Vec<String>,
}

/// Rows that `units` leaves out.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct UnitsLeft {
    /// `zero`, `negative` or `blank`.
    pub what: &'static str,
    /// How many.
    pub rows: u64,
    /// The tracked amounts that went with them.
    pub amounts: Vec<(String, Amount)>,
}

/// What a step did, beyond rows and amounts.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum StepDetail {
    /// Nothing more.
    #[default]
    Plain,
    /// `keep` or `drop`.
    Filter {
        /// Rows whose condition was blank.
        blank: u64,
        /// Whether those stayed.
        stayed: bool,
    },
    /// `dedupe` in both forms.
    Dedupe(Cut),
    /// `units`.
    Units {
        /// Amounts that were divided and add up to what they were, but for those of rows that were
        /// dropped.
        conserved: Vec<String>,
        /// Rows whose quantity is no number of units and that went, as the plan says.
        dropped: Vec<UnitsLeft>,
        /// Kinds of quantities that stayed as the plan says, each with how many rows.
        kept: Vec<(&'static str, u64)>,
    },
    /// `allocate`.
    Allocated(Vec<Allocated>),
    /// Amounts that are left out here.
    Ends {
        /// Their names.
        names: Vec<String>,
    },
    /// `one row per`.
    Groups {
        /// How many groups there are, and how many rows they have.
        sizes: GroupSizes,
        /// What the total row is called, if there is one.
        total: Option<String>,
        /// The amounts that are not carried over.
        ends: Vec<String>,
    },
    /// `turn`.
    Turned {
        /// Cells, or rows, that had nothing to turn.
        blank: u64,
        /// Rows that had nothing at all and went.
        rows: u64,
        /// Whether blanks became rows as well.
        kept: bool,
        /// The amounts that were turned and end here.
        ends: Vec<String>,
    },
    /// `expand`.
    Expanded {
        /// The table of the rows that they became.
        of: String,
        /// Rows that became others.
        expanded: u64,
        /// How many those are.
        became: u64,
        /// Rows that nothing leads to, which stay as they are.
        whole: u64,
        /// Amounts that were divided and add up to what they were.
        conserved: Vec<String>,
        /// Columns that were multiplied.
        multiplied: Vec<Multiplied>,
    },
    /// `top` and `bottom`.
    Ties {
        /// Rows that went though they tie with the last that stayed.
        cut: u64,
        /// Rows that stayed above the number asked for, since they tie.
        kept: u64,
    },
}

/// A column that `expand` multiplied.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Multiplied {
    /// The column.
    pub name: String,
    /// Its sum before.
    pub before: Amount,
    /// Its sum after.
    pub after: Amount,
}

/// How many rows groups have.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GroupSizes {
    /// How many groups.
    pub groups: u64,
    /// Rows of the smallest.
    pub least: u64,
    /// Rows of the one in the middle.
    pub median: u64,
    /// Rows of the largest.
    pub most: u64,
}

/// What a `dedupe` took out, and why.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Cut {
    /// Rows equal to the one that stayed in every column.
    pub copies: u64,
    /// Rows of the same key with a value that lost.
    pub older: u64,
    /// Rows of the same key with the same value, decided by their place in the file.
    pub ties: u64,
    /// Rows with a blank key, which were left alone.
    pub blank_keys: u64,
    /// Whether there was a key.
    pub by_key: bool,
}
