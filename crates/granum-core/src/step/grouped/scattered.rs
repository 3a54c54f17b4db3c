//! Values of groups where what they are worked of has no room: rows are scattered by their keys, each part is worked by
//! itself, and what its rows get goes back into their order.

use std::sync::atomic::{AtomicU64, Ordering};

use super::in_order::in_order;
use super::{Of, worked};
use crate::aggregate::{Groups, folded, from_parts, mixed, parted, parts};
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::by_keys::{KeyedRows, by_keys};
use crate::step::ranks::{Lots, is_ranked, pairs, ranked};
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{AwayBuilder, Batch, Column, Held, PIECE, Scattered};

/// What each row gets of its group, put away. Nothing where all that is looked at is here, and where a row or a group has
/// no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    plan: &GroupedPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    if plan.keys.is_empty() {
        return in_all(plan, runner, batch);
    }
    let sent = |runner: &StepRunner<'_>, run: &Batch| {
        let keys = runner.columns(run, plan.keys.iter()).ok()?;
        Some((keys, looked_at(plan, runner, run)?))
    };
    let part = |rows| of_part(plan, rows);
    let (room, found) = by_keys((runner, batch), plan.reads(), sent, part)?;
    let mut all = AwayBuilder::new(&room.file());
    found.windows().flatten().for_each(|column| all.push(&column));
    Some(Held::away(all.finish()))
}

/// The same of one group of all rows, where its value can be put together of what is kept of runs of them.
fn in_all(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> Option<Held> {
    let GroupedWhat::Aggregate(aggregate) = &plan.what else {
        return in_order(plan, runner, batch);
    };
    let AggregatePlan { function, ty, apart, by, .. } = aggregate;
    if !parted(*function, *ty) && !is_ranked(aggregate) || apart.is_some() || by.len() > 1 {
        return None;
    }
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    let zeros = AtomicU64::new(0);
    let mut kept = vec![];
    let mut all = Scattered::new(&room, 1);
    for (_, run) in batch.runs(reads) {
        let (values, failed) = values_noted(aggregate, &run, runner.around.world, &zeros);
        if !failed.is_empty() {
            return None;
        }
        let one = Groups::one(run.rows);
        if is_ranked(aggregate) {
            let columns = pairs(&[], &values, &one);
            all.send(&columns, &vec![0; columns.first().map_or(0, Column::len)]);
        } else {
            kept.push(parts(&values, &one).ok()?);
        }
    }
    let found = if is_ranked(aggregate) {
        ranked((*function, *ty), (&[], 1), &Lots::Away(&all, 0..1)).ok()?
    } else {
        let all = Groups::one(kept.len());
        let folded = folded(*function, &Column::concat_each(&kept), &all).ok()?;
        from_parts(*function, *ty, &folded).ok()?
    };
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    let mut column = AwayBuilder::new(&room.file());
    for first in (0..batch.rows).step_by(PIECE) {
        let rows = PIECE.min(batch.rows - first);
        column.push(&Column::constant(&found.scalar(0), found.ty(), rows));
    }
    Some(Held::away(column.finish()))
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
