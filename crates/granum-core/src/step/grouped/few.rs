//! Aggregates of few groups, or of all rows, where what they are worked of has no room: rows get their group's value as they pass
//! once more.

use std::sync::atomic::{AtomicU64, Ordering};

use super::together::Together;
use crate::expr::Typed;
use crate::resolve::{AggregatePlan, GroupedPlan};
use crate::step::StepRunner;
use crate::step::known_groups::nothing_is_mixed;
use crate::step::values::values_noted;
use crate::table::{AwayBuilder, Batch, Held, Room};

/// What each row gets, put away. Nothing where all that is looked at is here, where groups are not few, where a value cannot
/// be put together of parts, and where a row or a group has none.
pub(super) fn of_few(
    (plan, aggregate): (&GroupedPlan, &AggregatePlan),
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    let mut together = Together::new(aggregate, (batch.rows, reads.len() + 1), &room)?;
    if aggregate.apart.is_some() {
        unmixed((plan, aggregate), (runner, batch), &room)?;
    }
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    for (_, run) in batch.runs(reads) {
        let keys = own.columns(&run, plan.keys.iter()).ok()?;
        let (mut values, failed) = values_noted(aggregate, &run, runner.around.world, &zeros);
        values.apart = None;
        if !failed.is_empty() {
            return None;
        }
        together.take((&keys, &values), run.rows, true)?;
    }
    let results = together.finish()?;
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    let mut column = AwayBuilder::new(&room.file());
    let own = StepRunner { zeros: &AtomicU64::new(0), ..*runner };
    for (_, run) in batch.runs(plan.keys.iter().flat_map(Typed::slots).collect()) {
        let keys = own.columns(&run, plan.keys.iter()).ok()?;
        column.push(&results.of(&keys, run.rows));
    }
    Some(Held::away(column.finish()))
}

/// Whether it is known that no group has amounts in several currencies, or other measures.
pub(super) fn unmixed(
    (plan, aggregate): (&GroupedPlan, &AggregatePlan),
    rows: (&StepRunner<'_>, &Batch),
    room: &Room,
) -> Option<()> {
    nothing_is_mixed(rows, (plan.reads(), room), |runner, run| {
        let keys = runner.columns(run, plan.keys.iter()).ok()?;
        let (values, failed) = values_noted(aggregate, run, runner.around.world, runner.zeros);
        failed.is_empty().then_some((keys, values))
    })
}
