//! Values of groups where what they are worked of has no room: rows are scattered by their keys, each part is worked by
//! itself, and what its rows get goes back into their order.

use std::sync::atomic::{AtomicU64, Ordering};

use super::{Of, worked};
use crate::aggregate::Groups;
use crate::link::hashes;
use crate::resolve::{GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{AwayBuilder, Batch, Column, Held, InOrder, Scattered, parts};

/// Bytes of a value on its way, about.
const EACH: usize = 12;

/// What each row gets of its group, put away. Nothing where all that is looked at is here, and where a row or a group has
/// no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    plan: &GroupedPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0 && !plan.keys.is_empty())?;
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let mut rows = Scattered::new(&room, parts(batch.rows, EACH * (reads.len() + 1), &room));
    for (first, run) in batch.runs(reads) {
        let columns = sent(plan, &own, &run, first)?;
        rows.send_by(&hashes(&columns[1..=plan.keys.len()], run.rows), &columns);
    }
    let mut found = InOrder::new(&room, batch.rows);
    rows.each(|_, columns| of_part(plan, columns), |columns| found.take(&columns))?;
    drop(rows);
    let mut all = AwayBuilder::new(&room.file());
    found.windows().flatten().for_each(|column| all.push(&column));
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    Some(Held::away(all.finish()))
}

/// What is sent of a run of rows: their numbers, their keys, what is worked of them, and their grain. Nothing where a row
/// fails.
fn sent(
    plan: &GroupedPlan,
    runner: &StepRunner<'_>,
    run: &Batch,
    first: usize,
) -> Option<Vec<Column>> {
    let numbers: Vec<i64> = (first..first + run.rows).map(|row| row as i64).collect();
    let mut columns = vec![Column::Integer(numbers.into()).narrowed()];
    columns.extend(runner.columns(run, plan.keys.iter()).ok()?);
    match (&plan.what, plan.what.plan()) {
        (GroupedWhat::Position { by }, _) => {
            columns.extend(runner.orders(run, by).ok()?.into_iter().map(|(by, _)| by));
        }
        (_, Some(plan)) => {
            let (values, failed) = values_noted(plan, run, runner.around.world, runner.zeros);
            if !failed.is_empty() {
                return None;
            }
            columns.extend(columns_of(values));
        }
        (_, None) => return None,
    }
    columns.extend(plan.grain.iter().map(|slot| run.slot(*slot).clone()));
    Some(columns)
}

/// The numbers of a part's rows, and what they get; nothing where a group has no value.
fn of_part(plan: &GroupedPlan, columns: Vec<Column>) -> Option<Vec<Column>> {
    let rows = columns.first().map_or(0, Column::len);
    let mut columns = columns.into_iter();
    let numbers = columns.next()?;
    let keys: Vec<Column> = columns.by_ref().take(plan.keys.len()).collect();
    let groups = Groups::by(&keys, rows);
    let of = match (&plan.what, plan.what.plan()) {
        (GroupedWhat::Position { by }, _) => {
            let by = by.iter().map(|(_, descending)| *descending);
            Of::Order(columns.by_ref().zip(by).collect())
        }
        (what, aggregate) => {
            let mut values = values_of(aggregate?, &mut columns);
            if !matches!(what, GroupedWhat::Aggregate(_)) {
                let apart = crate::aggregate::mixed(&values, &groups);
                if !apart.is_empty() {
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
