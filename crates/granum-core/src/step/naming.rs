//! Where rows came from, and problems with a row's place.

use super::Around;
use crate::bug::Sure;
use crate::expr::{FailureKind, RowFailure};
use crate::resolve::{Plan, TablePlan};
use crate::table::{Batch, Place, Places, Rows, Table, TableId};
use crate::tally::{Problem, RowReason};

/// Where a batch's rows came from, for messages.
#[derive(Clone, Copy)]
pub(crate) struct Naming<'a> {
    pub input: TableId,
    /// The places of the input's rows while the batch's are numbered as read; nothing where they are
    /// numbered as finished.
    pub places: Option<&'a Places>,
}

impl Naming<'_> {
    /// Of the rows of a finished table.
    pub fn finished(plan: &Plan, table: TableId) -> Self {
        Self { input: plan.input_of(table), places: None }
    }

    pub fn place(&self, around: &Around<'_>, batch: &Batch, row: usize) -> Option<Place> {
        let number = batch.origin(self.input)?.get(row)?;
        self.place_of(around, number)
    }

    pub fn place_of(&self, around: &Around<'_>, number: u32) -> Option<Place> {
        if let Some(places) = self.places {
            return places.place(number);
        }
        // Rows of an input that is held are numbered as they are in it, others as they were read.
        let as_read = match &around.world.tables[self.input.0] {
            Some(input) => input.origin(self.input)?.get(number as usize)?,
            None => number,
        };
        around.world.places[self.input.0].as_ref()?.place(as_read)
    }
}

/// A row that cannot be worked, as a problem with its place.
pub(crate) fn row_problem(
    around: &Around<'_>,
    id: TableId,
    step: String,
    batch: &Batch,
    naming: Naming<'_>,
    failure: RowFailure,
) -> Problem {
    let plan = &around.plan.tables[id.0];
    let reason = match failure.kind {
        FailureKind::Gathered { id, row } => {
            return around.faults.get(&id).sure("what was gathered").problem(row);
        }
        FailureKind::Grouped { slot, group } => return around.grouped.problem(id, slot, group),
        FailureKind::Overflow => RowReason::Overflow,
        FailureKind::Limit(what) => RowReason::Limit { what: what.into() },
        FailureKind::Conversion { value, to } => {
            RowReason::Conversion { value, to: to.to_string() }
        }
    };
    let row = grain_values(plan, batch, failure.row)
        .into_iter()
        .map(|(name, value)| format!("{name} {value}"))
        .collect::<Vec<_>>()
        .join(", ");
    let place = naming.place(around, batch, failure.row);
    Problem::Row { table: plan.name.clone(), step, reason, span: failure.span, row, place }
}

/// A row's grain, as far as its columns are at hand: of a table on its way, or of a finished one.
pub(crate) fn grain_values(plan: &TablePlan, batch: &Batch, row: usize) -> Vec<(String, String)> {
    let Some(grain) = &plan.grain else { return vec![] };
    grain
        .columns
        .iter()
        .filter_map(|name| {
            let at = plan.columns.iter().position(|(column, _)| column == name)?;
            let value = if batch.columns.is_empty() {
                let slot = plan.columns[at].1.0;
                let away = || Some(batch.away.get(slot)?.as_ref()?.text(row));
                let here = batch.slots[slot].as_ref();
                here.map(|column| column.scalar(row).to_string()).or_else(away)?
            } else {
                batch.columns[at].as_ref()?.text(row)
            };
            Some((name.clone(), value))
        })
        .collect()
}

/// The rows of a finished table, and itself among their origins.
pub(crate) fn finished_rows(table: &Table, id: TableId) -> Batch {
    let mut origins: Vec<_> =
        table.origins.iter().filter(|(origin, _)| *origin != id).cloned().collect();
    origins.push((id, Rows::same(table.rows)));
    Batch::finished(table.rows, table.columns.clone(), origins)
}
