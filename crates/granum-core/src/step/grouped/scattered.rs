//! Values of groups where what they are worked of has no room: rows are scattered by their keys, each part is worked by
//! itself, and what its rows get goes back into their order.

use std::sync::atomic::AtomicU64;

use super::few::of_few;
use super::in_order::in_order;
use super::together::Together;
use super::{Of, worked};
use crate::aggregate::{Groups, mixed};
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::by_keys::{KeyedRows, LotsOfPart, SentByKeys};
use crate::step::in_order::spread;
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{Batch, Column, Held, InOrder, Room, parts_of};

/// What each row gets of its group, put away. Nothing where all that is looked at is here, and where a row or a group has
/// no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    plan: &GroupedPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    let unscattered = match &plan.what {
        GroupedWhat::Aggregate(aggregate) => of_few((plan, aggregate), runner, batch),
        _ if plan.keys.is_empty() || has_large_groups(plan, runner, batch) => {
            in_order(plan, runner, batch)
        }
        _ => None,
    };
    if unscattered.is_some() || plan.keys.is_empty() {
        return unscattered;
    }
    let sent = |runner: &StepRunner<'_>, run: &Batch| {
        let keys = runner.columns(run, plan.keys.iter()).ok()?;
        Some((keys, looked_at(plan, runner, run)?))
    };
    let reads = plan.reads();
    let room = batch.room_of(&reads)?;
    let (values, parts) = (reads.len() + 1, parts_of(batch.rows, reads.len() + 1, &room));
    let rows = SentByKeys::of((runner, batch), reads, (&room, parts), sent)?;
    let of_part = |_, rows| of_part(plan, rows);
    let of_large =
        |lots: LotsOfPart<'_>, found: &mut InOrder| of_large((plan, values), lots, &room, found);
    // Of others all rows of a group have to be held.
    let may = |aggregate: &AggregatePlan| aggregate.apart.is_none() && Together::may(aggregate);
    let most = match &plan.what {
        GroupedWhat::Aggregate(aggregate) if may(aggregate) => held_together(values, &room),
        _ => usize::MAX,
    };
    let found = rows.each_held(runner, of_part, (most, of_large))?;
    Some(Held::away(found.only(&room)))
}

/// How many rows of so many values each there is room for together, about.
fn held_together(values: usize, room: &Room) -> usize {
    /// Bytes of a value, about; so many of all have room wherever.
    const EACH: usize = 12;
    const LEAST: u64 = if cfg!(test) { 1 << 8 } else { 1 << 20 };
    (room.limit() / 4).max(LEAST) as usize / (EACH * values)
}

/// What rows of a part get that are too many to be held; nothing where a group has no value.
fn of_large(
    (plan, values): (&GroupedPlan, usize),
    lots: LotsOfPart<'_>,
    room: &Room,
    found: &mut InOrder,
) -> Option<()> {
    let aggregate = plan.what.plan()?;
    let rows = lots().map(|lot| lot.rows).sum();
    let mut together = Together::new(aggregate, (rows, values), room)?;
    for KeyedRows { rows, keys, mut worked, .. } in lots() {
        together.take((&keys, &values_of(aggregate, &mut worked)), rows, false)?;
    }
    let results = together.finish()?;
    for KeyedRows { rows, numbers, keys, .. } in lots() {
        found.take(&[numbers, results.of(&keys, rows)]);
    }
    Some(())
}

/// Whether a group has so many rows that there is no room for them together, as far as some rows tell that are spread over
/// all.
fn has_large_groups(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> bool {
    const LOOKED_AT: usize = 1 << 10;
    let reads = plan.reads();
    let Some(room) = batch.room_of(&reads) else { return false };
    let some = spread(batch, &reads, LOOKED_AT);
    let own = StepRunner { zeros: &AtomicU64::new(0), ..*runner };
    let Ok(keys) = own.columns(&some, plan.keys.iter()) else { return false };
    let largest = Groups::by(&keys, some.rows).sizes().into_iter().max().unwrap_or(0) as usize;
    largest * batch.rows / some.rows.max(1) > held_together(reads.len() + 1, &room)
}

/// What is worked of a run of rows, and their grain. Nothing where a row fails.
fn looked_at(plan: &GroupedPlan, runner: &StepRunner<'_>, run: &Batch) -> Option<Vec<Column>> {
    let mut columns = match (&plan.what, plan.what.plan()) {
        (GroupedWhat::Position { by }, _) => {
            runner.orders(run, by).ok()?.into_iter().map(|(by, _)| by).collect()
        }
        (_, plan) => {
            let (values, failed) = values_noted(plan?, run, runner.around.world, runner.zeros);
            if !failed.is_empty() {
                return None;
            }
            columns_of(values)
        }
    };
    columns.extend(plan.grain.iter().map(|slot| run.slot(*slot).clone()));
    Some(columns)
}

/// The numbers of a part's rows, and what they get; nothing where a group has no value.
fn of_part(plan: &GroupedPlan, part: KeyedRows) -> Option<Vec<Column>> {
    let KeyedRows { rows, numbers, keys, worked: mut columns } = part;
    let groups = Groups::by(&keys, rows);
    let of = match (&plan.what, plan.what.plan()) {
        (GroupedWhat::Position { by }, _) => {
            let descending = by.iter().map(|(_, descending)| *descending);
            Of::Order(columns.by_ref().take(by.len()).zip(descending).collect())
        }
        (what, aggregate) => {
            let mut values = values_of(aggregate?, &mut columns);
            if !matches!(what, GroupedWhat::Aggregate(_)) {
                if !mixed(&values, &groups).is_empty() {
                    return None;
                }
                values.apart = None;
            }
            Of::Values(values)
        }
    };
    let grain = columns.map(|column| (column, false));
    let (column, failed) = worked(&plan.what, of.settled(&plan.what, grain), &groups);
    failed.is_none_or(|(_, failed)| failed.is_empty()).then(|| vec![numbers, column])
}
