//! Values of groups where what they are worked of has no room: rows are scattered by their keys, each part is worked by
//! itself, and what its rows get goes back into their order.

use std::sync::atomic::AtomicU64;

use super::few::of_few;
use super::in_order::in_order;
use super::{Of, worked};
use crate::aggregate::{Groups, mixed};
use crate::resolve::{GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::by_keys::{KeyedRows, by_keys};
use crate::step::in_order::spread;
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{AwayBuilder, Batch, Column, Held};

/// What each row gets of its group, put away. Nothing where all that is looked at is here, and where a row or a group has
/// no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    plan: &GroupedPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    let in_one_piece = match &plan.what {
        GroupedWhat::Aggregate(aggregate) => of_few((plan, aggregate), runner, batch),
        _ if plan.keys.is_empty() || has_large_groups(plan, runner, batch) => {
            in_order(plan, runner, batch)
        }
        _ => None,
    };
    if in_one_piece.is_some() || plan.keys.is_empty() {
        return in_one_piece;
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

/// Whether a group has so many rows that there is no room for them together, as far as some rows tell that are spread over
/// all.
fn has_large_groups(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> bool {
    const LOOKED_AT: usize = 1 << 10;
    /// Bytes of a value, about; so many of all have room wherever.
    const EACH: usize = 12;
    const LEAST: u64 = if cfg!(test) { 1 << 8 } else { 1 << 20 };
    let reads = plan.reads();
    let Some(room) = batch.room_of(&reads) else { return false };
    let some = spread(batch, &reads, LOOKED_AT);
    let own = StepRunner { zeros: &AtomicU64::new(0), ..*runner };
    let Ok(keys) = own.columns(&some, plan.keys.iter()) else { return false };
    let largest = Groups::by(&keys, some.rows).sizes().into_iter().max().unwrap_or(0) as usize;
    let rows = largest * batch.rows / some.rows.max(1);
    (rows * EACH * (reads.len() + 1)) as u64 > (room.limit() / 4).max(LEAST)
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
