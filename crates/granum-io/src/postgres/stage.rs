//! Rows on their way: into a table that only the session sees, or the one that it makes.

use postgres::Client;

use super::target::{Target, declarations};
use crate::served::{Wanted, Wrong};

/// An output on its way.
#[derive(Debug)]
pub(super) struct Staged {
    pub wanted: Wanted,
    pub target: Target,
    number: usize,
    /// How many rows the server has taken.
    pub rows: u64,
}

impl Staged {
    /// Makes room for an output: where no table is yet, that is the table itself, which nobody sees before the end.
    ///
    /// # Errors
    /// Why it cannot go where it is to.
    pub fn begin(client: &mut Client, wanted: Wanted, number: usize) -> Result<Self, Wrong> {
        let target = Target::of(client, &wanted)?;
        let staged = Self { wanted, target, number, rows: 0 };
        let made = if staged.target.there.is_some() { "TEMP TABLE" } else { "TABLE" };
        let end = if staged.target.there.is_some() { " ON COMMIT DROP" } else { "" };
        let columns = declarations(&staged.wanted.columns);
        client.batch_execute(&format!("CREATE {made} {} ({columns}){end}", staged.quoted()))?;
        Ok(staged)
    }

    /// Where its rows are, as a query names it.
    pub fn quoted(&self) -> String {
        match self.target.there {
            Some(_) => format!("pg_temp.granum_stage_{}", self.number),
            None => self.target.quoted.clone(),
        }
    }
}
