//! Rows of other tables that lead to rows, and what is worked of them.

use std::sync::atomic::AtomicU64;

use super::values::values_noted;
use super::{Around, Naming, StepRunner, finished_rows, row_problem};
use crate::aggregate::Values;
use crate::expr::{Failing, Kind, RowFailure, Scope};
use crate::resolve::{AggregatePlan, Gather, GatherWhat, Plan};
use crate::table::{Batch, Column, Rows, Scattered};
use crate::tally::Problem;

/// Which row of the table that is led to each gathered row leads to; nothing where one of the
/// tables was not built.
pub(crate) fn way(around: &Around<'_>, gather: &Gather) -> Option<(Batch, Rows)> {
    let from = around.world.tables[gather.from.0].as_ref()?;
    let rows = finished_rows(from, gather.from);
    let zeros = AtomicU64::new(0);
    let scope = Scope {
        batch: &rows,
        world: around.world,
        zero_divisions: &zeros,
        failing: Failing::Stops,
    };
    let index = scope.path(gather.from, &gather.hops);
    Some((rows, index))
}

/// The values of an aggregate for all rows that are gathered; and those that could not be worked.
pub(crate) fn values_of_way(
    around: &Around<'_>,
    plan: &AggregatePlan,
    rows: &Batch,
) -> (Values, Vec<RowFailure>) {
    values_noted(plan, rows, around.world, &AtomicU64::new(0))
}

/// Why a row that is gathered could not be worked.
pub(crate) fn row_of_way(
    around: &Around<'_>,
    gather: &Gather,
    rows: &Batch,
    step: &str,
    failure: RowFailure,
) -> Problem {
    let naming = Naming::finished(around.plan, gather.from);
    row_problem(around, gather.from, step.to_owned(), rows, naming, failure)
}

/// The rows that lead to a step's rows, where an aggregate is of those: its values, and for each
/// of them the step's row.
pub(crate) fn leading(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    batch: &Batch,
) -> Result<Option<(Values, Rows)>, Problem> {
    let around = &runner.around;
    let Some((gather, plan)) = rows_gathered(around.plan, plan) else { return Ok(None) };
    let (Some((rows, index)), Some(here)) = (way(around, gather), batch.origin(gather.to)) else {
        return Ok(None);
    };
    let step = runner.text();
    let (values, failed) = values_of_way(around, plan, &rows);
    let led_to = around.world.tables[gather.to.0].as_ref().map_or(0, |table| table.rows);
    let mut row_of = vec![None; led_to];
    (0..).zip(here.iter()).for_each(|(row, origin)| {
        if let Some(origin) = origin {
            row_of[origin as usize] = Some(row);
        }
    });
    let leads: Rows = index.iter().map(|origin| row_of[origin? as usize]).collect();
    if let Some(failure) = failed.into_iter().find(|failure| leads.has(failure.row)) {
        return Err(row_of_way(around, gather, &rows, step, failure));
    }
    Ok(Some((values, leads)))
}

/// Sends rows that lead somewhere, each to the window of so many rows that it leads into: what it leads to, and these
/// columns of it.
pub(crate) fn send_led(sent: &mut Scattered, window: usize, index: &Rows, columns: &[Column]) {
    let leads: Rows =
        (0..index.len()).filter(|row| index.has(*row)).map(|row| row as u32).collect();
    let to: Vec<u32> = index.numbers().map(|to| to / window as u32).collect();
    let mut of_rows = vec![index.column().take(&leads)];
    of_rows.extend(columns.iter().map(|column| column.take(&leads)));
    sent.send(&of_rows, &to);
}

/// The rows that an aggregate is of, where they lead here, and the aggregate over them.
pub(crate) fn rows_gathered<'p>(
    plan: &'p Plan,
    aggregate: &AggregatePlan,
) -> Option<(&'p Gather, &'p AggregatePlan)> {
    let Kind::Gathered { id, .. } = &aggregate.value.as_ref()?.kind else { return None };
    let gather = &plan.gathers[id.0];
    match &gather.what {
        GatherWhat::Rows(rows) => Some((gather, rows)),
        _ => None,
    }
}
