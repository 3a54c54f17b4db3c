//! What is finished while a plan runs, and can be looked up.

use crate::table::{Held, Places, Rows, Table};
use crate::value::Scalar;

/// What was gathered of rows that lead to a table's rows.
#[derive(Debug)]
pub(crate) struct Gathered {
    /// For each row of the table that is led to.
    pub column: Held,
    /// Rows that have no value, in their order: several where one was meant, or one too long.
    pub failed: Vec<u32>,
    /// The rows that lead to each, where they are asked for one by one.
    pub each: Option<LeadingRows>,
}

/// The rows that lead to each row of a table.
#[derive(Debug)]
pub(crate) struct LeadingRows {
    /// Of all that are led to, one after the other; in their own order.
    pub rows: Vec<u32>,
    /// For each row that is led to where its own begin, and behind the last their end.
    pub starts: Vec<usize>,
}

impl LeadingRows {
    /// Those that lead to one.
    pub fn to(&self, row: usize) -> &[u32] {
        &self.rows[self.starts[row]..self.starts[row + 1]]
    }
}

/// Finished tables, links, gathered columns and totals, by their numbers in the plan.
#[derive(Debug, Default)]
pub(crate) struct World {
    pub tables: Vec<Option<Table>>,
    /// For inputs: where their rows stand in their files, by their numbers as read.
    pub places: Vec<Option<Places>>,
    /// For each row the row it leads to; blank where it leads nowhere.
    pub links: Vec<Option<Rows>>,
    /// For each row of the source of a link by a period how many rows held, where that is asked for.
    pub choices: Vec<Option<Held>>,
    pub gathered: Vec<Option<Gathered>>,
    pub totals: Vec<Scalar>,
}
