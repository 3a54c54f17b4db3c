//! The story of a row: what it is made of, what each step did, what it met, what it went into.

use serde::Serialize;

use super::problem::with_kinds;
use super::{NearKind, Problem, Why};
use crate::table::{Amount, Place};

/// A value of a column.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NamedValue {
    /// The column.
    pub name: String,
    /// The value as an output would have it; nothing where it is blank.
    pub value: Option<String>,
}

/// What was found of rows that were asked for.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Story {
    /// The table that was asked for, or the input.
    pub table: String,
    /// What was asked of its rows; nothing where a line of a file was.
    pub asked: Vec<NamedValue>,
    /// The line that was asked for.
    pub line: Option<Place>,
    /// How many rows of the table are so; where there are none, how many once were, or rows that go into it.
    pub found: u64,
    /// The first of them.
    pub rows: Vec<RowStory>,
    /// Of keys that nothing has: those that are near.
    pub near: Vec<NearKey>,
    /// What stopped tables from being built.
    #[serde(serialize_with = "with_kinds")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::tally::ProblemTold>"))]
    pub problems: Vec<Problem>,
}

/// A key that is near to one that is not there.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NearKey {
    /// The key.
    pub key: Vec<NamedValue>,
    /// What keeps the two apart; nothing where they are only beside each other in order.
    pub kinds: Vec<NearKind>,
}

/// The story of one row.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RowStory {
    /// The row as it stands where it was found.
    pub row: ToldRow,
    /// The step of its table that it stands before, where it does not stand at the end.
    pub before: Option<StepName>,
    /// The tables that it is made of, each behind what it is made of; the last is its own.
    pub made_of: Vec<TableStory>,
    /// What became of it, in its own table if it does not stand at its end, and in each that is made from it.
    pub became: Vec<BecameStory>,
    /// Rows that lead to it.
    pub led_here: Vec<LedHere>,
}

/// A row in words.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ToldRow {
    /// Its table.
    pub table: String,
    /// Its grain, as far as it is there.
    pub key: Vec<NamedValue>,
    /// Its line in a file, if it has one.
    pub place: Option<Place>,
    /// All its values.
    pub values: Vec<NamedValue>,
}

/// A step of a table.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StepName {
    /// The table.
    pub table: String,
    /// Its number in the table's tally, if it has one.
    pub number: Option<u64>,
    /// It on one line, as in a plan.
    pub text: String,
}

/// The rows of one table that a row is made of.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TableStory {
    /// The table.
    pub table: String,
    /// Whether it is an input.
    pub input: bool,
    /// How many of its rows.
    pub rows: u64,
    /// The tracked amounts of those.
    pub amounts: Vec<(String, Amount)>,
    /// The first of them.
    pub first: Vec<ToldRow>,
    /// What its steps did with them; of those that did nothing to tell, nothing.
    pub steps: Vec<StepStory>,
}

/// What a step did with rows that are followed.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StepStory {
    /// The step.
    pub step: StepName,
    /// Rows before it that are followed.
    pub before: u64,
    /// Rows after it.
    pub after: u64,
    /// Of one row: the values that it made.
    pub made: Vec<NamedValue>,
    /// Of one row: the links that it followed.
    pub met: Vec<Met>,
    /// Of one row: the rows that it was looked at with.
    pub beside: Vec<Beside>,
    /// Rows that went and for which one of the followed stayed.
    pub instead: Vec<GoneRow>,
    /// How many those are.
    pub instead_rows: u64,
    /// Where rows become groups: the first of them.
    pub members: Vec<ToldRow>,
    /// Results of groups that leave rows out by their `where`, and how many.
    pub left_out: Vec<(String, u64)>,
}

impl StepStory {
    /// Adds what the same step did next.
    pub(crate) fn join(&mut self, next: Self) {
        self.after = next.after;
        self.made.extend(next.made);
        self.met.extend(next.met);
        self.beside.extend(next.beside);
    }
}

/// A link that a row followed, or rows that lead to it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case", tag = "what")]
pub enum Met {
    /// The row that it leads to.
    Row {
        /// The link, with those before it.
        path: String,
        /// The row.
        row: ToldRow,
    },
    /// It leads nowhere.
    Nowhere {
        /// The link, with those before it.
        path: String,
        /// The link's keys in words.
        on: String,
        /// The row's own key.
        key: Vec<Option<String>>,
        /// Of a link by a period: how its moment lies.
        outside: Option<String>,
        /// The row that had its key and went, and the step that took it out.
        once: Option<(ToldRow, StepName)>,
        /// What it nearly meets.
        near: Option<NearMet>,
    },
    /// Rows that lead here.
    Rows {
        /// What is worked of them, as in a plan; empty where only whether there are any.
        text: String,
        /// Their table.
        table: String,
        /// How many.
        rows: u64,
        /// The first of them.
        first: Vec<ToldRow>,
    },
}

/// What a row nearly meets.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NearMet {
    /// The key; nothing where a day lies beside a period.
    pub key: Option<String>,
    /// What keeps them apart.
    pub kinds: Vec<NearKind>,
}

/// Rows that a step looked at together with one.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Beside {
    /// What was worked of them, as in a plan.
    pub text: String,
    /// How many there are beside it.
    pub rows: u64,
    /// The first of them.
    pub first: Vec<ToldRow>,
}

/// A row that went, and why.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GoneRow {
    /// The row.
    pub row: ToldRow,
    /// Why.
    pub why: Why,
}

/// What became of followed rows in one table.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BecameStory {
    /// The table.
    pub table: String,
    /// How many rows of it they became.
    pub rows: u64,
    /// How many it has.
    pub of: u64,
    /// The first of them.
    pub first: Vec<ToldRow>,
    /// Where they became part of one group: how many rows that is made of.
    pub members: Option<u64>,
    /// The step that took out the last of them.
    pub gone: Option<GoneStory>,
    /// The outputs that have the table's rows.
    pub outputs: Vec<String>,
    /// Whether the table could not be built.
    pub failed: bool,
}

/// The step that took rows out.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GoneStory {
    /// The step.
    pub step: StepName,
    /// Why the first of them went.
    pub why: Option<Why>,
    /// The row that stayed for it.
    pub stays: Option<ToldRow>,
    /// The values that the step looked at.
    pub looked_at: Vec<NamedValue>,
    /// The links that it followed.
    pub met: Vec<Met>,
}

/// Rows that lead to one.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LedHere {
    /// Their table.
    pub table: String,
    /// The link.
    pub link: String,
    /// How many.
    pub rows: u64,
    /// The first of them.
    pub first: Vec<ToldRow>,
}
