//! All that a run has to say.

use serde::Serialize;

use super::link::with_shares;
use super::problem::with_kinds;
use super::{
    Allowed, Bridge, CheckTally, ExampleTally, LinkTally, Moved, Problem, Seen, StepName,
    TableTally, Warning,
};

/// The report of a run or a check.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Report {
    /// The plan's title.
    pub title: Option<String>,
    /// The tables, inputs included, in the order of the plan.
    pub tables: Vec<TableTally>,
    /// The links, in the order of the plan.
    #[serde(serialize_with = "with_shares")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::tally::LinkTold>"))]
    pub links: Vec<LinkTally>,
    /// What became of each amount on its way to each output.
    pub bridges: Vec<Bridge>,
    /// How many links the plan has: those that could not be built are not in `links`.
    pub links_planned: usize,
    /// The checks and warnings, in the order of the plan.
    pub checks: Vec<CheckTally>,
    /// The worked examples, in the order of the plan.
    pub examples: Vec<ExampleTally>,
    /// What is usually a mistake.
    pub warnings: Vec<Warning>,
    /// What was looked at and is none here, as the plan says.
    pub allowed: Vec<Allowed>,
    /// Whether warnings hold outputs back.
    pub deny_warnings: bool,
    /// What else stopped it.
    #[serde(serialize_with = "with_kinds")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::tally::ProblemTold>"))]
    pub problems: Vec<Problem>,
    /// Tables that were not built because something that they need failed.
    pub not_built: Vec<String>,
    /// What was written. Empty if anything failed, or nothing was asked for.
    pub written: Vec<Written>,
    /// Whether outputs were asked for.
    pub writes: bool,
    /// What is another than in an earlier run, where one was named.
    pub moved: Vec<Moved>,
    /// The files that rows were put into which steps took out, where that was asked for.
    pub aside: Vec<AsideFile>,
    /// What a page shows of it, where that was asked for.
    #[serde(skip)]
    pub seen: Option<Seen>,
}

/// A file of rows that one step took out.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AsideFile {
    /// The step.
    pub step: StepName,
    /// The path.
    pub path: String,
    /// Its rows.
    pub rows: u64,
    /// Its size.
    pub bytes: u64,
}

/// A sheet of a book, or a table of a database, as messages name it and as it can be named where files are.
pub fn part_name(file: &str, part: &str) -> String {
    format!("{file}#{part}")
}

/// An output that was written.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Written {
    /// The table.
    pub table: String,
    /// The path as the plan has it.
    pub path: String,
    /// In a book the sheet.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// In a database the table.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub named: Option<String>,
    /// Of a picture of its rows the chart's title.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub chart: Option<String>,
    /// Its rows.
    pub rows: u64,
    /// Whether a total row stands behind them.
    pub total: bool,
    /// The file's size: of a book that of all its sheets; of a table on a server what was sent.
    pub bytes: u64,
    /// What became of its table, where a database says that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub taken: Option<Taken>,
}

/// What became of a table of a database.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Taken {
    /// It was not there.
    Made,
    /// Its rows stand in place of others.
    Refilled {
        /// How many those were.
        before: u64,
    },
    /// Its rows stand among others.
    Added {
        /// How many were not there, by their grain.
        new: u64,
        /// How many took the place of a row of their grain.
        replaced: u64,
    },
}

impl Written {
    /// As messages name it: its path, with the sheet or table where that has several.
    pub fn shown(&self) -> String {
        let part = self.sheet.as_ref().or(self.named.as_ref());
        part.map_or_else(|| self.path.clone(), |part| part_name(&self.path, part))
    }
}

impl Report {
    /// Whether everything held.
    pub fn held(&self) -> bool {
        self.problems.is_empty()
            && self.not_built.is_empty()
            && self.links.iter().all(|link| link.held)
            && self.checks.iter().all(CheckTally::passes)
            && self.examples.iter().all(|example| example.held)
            && !(self.deny_warnings && self.warns())
    }

    /// Whether there is a warning: one of the plan's own that does not hold, what is usually a
    /// mistake, or what moved more since an earlier run than it did before.
    pub fn warns(&self) -> bool {
        !self.warnings.is_empty()
            || self.checks.iter().any(|check| !check.held && !check.skipped)
            || self.moved.iter().any(|moved| moved.more)
    }

    /// The tally of a table.
    pub fn table(&self, name: &str) -> Option<&TableTally> {
        self.tables.iter().find(|table| table.name == name)
    }
}
