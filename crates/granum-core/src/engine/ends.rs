//! What stands at the ends of links: keys, and amounts that are told.

use std::sync::atomic::AtomicU64;

use super::context::Context;
use crate::bug::Sure;
use crate::expr::{Typed, evaluate_all};
use crate::resolve::LinkPlan;
use crate::step::{Naming, row_problem};
use crate::table::{Batch, Column, TableId};
use crate::tally::Problem;

/// Expressions over the rows of one side of a link.
pub(super) fn values(
    context: &Context<'_>,
    link: &LinkPlan,
    table: TableId,
    rows: &Batch,
    of: &[&Typed],
) -> Result<Vec<Column>, Problem> {
    let zeros = AtomicU64::new(0);
    let columns: Result<Vec<Column>, _> =
        of.iter().map(|key| evaluate_all(key, rows, context.world, &zeros)).collect();
    columns.map_err(|failure| {
        let naming = Naming::finished(context.plan, table);
        let step = format!("link on {}", link.keys_text);
        row_problem(context, table, step, rows, naming, failure)
    })
}

/// The amounts that a finished table follows, by name.
pub(super) fn tracked<'c>(
    context: &'c Context<'_>,
    table: TableId,
) -> impl Iterator<Item = (String, Column)> + use<'c> {
    let plan = &context.plan.tables[table.0];
    let columns = &context.world.tables[table.0].as_ref().sure("a link's source").columns;
    plan.tracked.iter().filter(|tracked| tracked.ends_at.is_none()).filter_map(|tracked| {
        let at = plan.columns.iter().position(|(_, slot)| *slot == tracked.last_slot())?;
        Some((tracked.name.clone(), columns[at].as_ref()?.whole()))
    })
}
