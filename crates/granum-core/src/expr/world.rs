//! What is finished while a plan runs, and can be looked up.

use crate::link::LinkIndex;
use crate::table::{Column, Table};
use crate::value::Scalar;

/// Finished tables, links, gathered columns and totals, by their numbers in the plan.
#[derive(Debug, Default)]
pub(crate) struct World {
    pub tables: Vec<Option<Table>>,
    pub links: Vec<Option<LinkIndex>>,
    pub gathered: Vec<Option<Column>>,
    pub totals: Vec<Scalar>,
}
