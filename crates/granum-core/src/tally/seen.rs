//! What is shown of a run beside what is told of it: first rows, charts, links by month.

use super::Chart;
use crate::table::Column;

/// What a page shows of a run.
#[derive(Debug, Clone, Default)]
pub struct Seen {
    /// The first rows of each table that was built, in the order of the plan.
    pub tables: Vec<FirstRows>,
    /// The charts that could be drawn.
    pub charts: Vec<Chart>,
    /// Links whose rows have days, in the order of the plan.
    pub months: Vec<LinkMonths>,
}

/// The first rows of a table as it is finished.
#[derive(Debug, Clone)]
pub struct FirstRows {
    /// The table.
    pub table: String,
    /// How many rows are here.
    pub rows: usize,
    /// Its columns that something of the plan needs, with their values in these rows.
    pub columns: Vec<(String, Column)>,
    /// Its other columns.
    pub unused: Vec<String>,
}

/// How complete a link was, month by month.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkMonths {
    /// The table whose rows lead.
    pub from: String,
    /// The link's name.
    pub name: String,
    /// The column whose days these are, as a plan writes it: `ordered_on`, `orders.ordered_on`.
    pub by: String,
    /// The first month that a row has, in months since the year 0.
    pub first: i32,
    /// From that one on every month, whether or not a row has it.
    pub months: Vec<MonthMet>,
    /// Rows without a day.
    pub without: MonthMet,
}

/// The rows of a month, or of none.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct MonthMet {
    /// How many there are; those with a blank key left out where the link allows that.
    pub rows: u64,
    /// How many of them lead somewhere.
    pub matched: u64,
}
