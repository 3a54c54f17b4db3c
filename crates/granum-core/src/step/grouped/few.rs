//! Aggregates of few groups, or of all rows, where what they are worked of has no room: what is kept of runs of rows is put
//! together group by group, and rows get their group's value as they pass once more.

use std::sync::atomic::{AtomicU64, Ordering};

use crate::aggregate::{
    AggregateFunction, Groups, different, from_parts, mostly_different, number, parted, parts,
};
use crate::expr::Typed;
use crate::link::hashes;
use crate::resolve::{AggregatePlan, GroupedPlan};
use crate::step::StepRunner;
use crate::step::known_groups::{KnownGroups, nothing_is_mixed};
use crate::step::ranks::{Lots, is_ranked, pairs, ranked};
use crate::step::values::values_noted;
use crate::table::{AwayBuilder, Batch, Column, Held, Room, Rows, Scattered, parts_of};

/// What each row gets, put away. Nothing where all that is looked at is here, where groups are not few, where a value cannot
/// be put together of parts, and where a row or a group has none.
pub(super) fn of_few(
    (plan, aggregate): (&GroupedPlan, &AggregatePlan),
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<Held> {
    let AggregatePlan { function, ty, apart, by, .. } = aggregate;
    let is_ranked = is_ranked(aggregate);
    let is_counted = *function == AggregateFunction::Distinct;
    if !(parted(*function, *ty) || is_ranked || is_counted) || by.len() > 1 {
        return None;
    }
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    if apart.is_some() {
        unmixed((plan, aggregate), (runner, batch), &room)?;
    }
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let kept_of = Some(*function).filter(|_| !is_ranked && !is_counted);
    let mut known = KnownGroups::new(kept_of);
    let lots = if is_counted { parts_of(batch.rows, reads.len() + 1, &room) } else { 1 };
    let mut all = Scattered::new(&room, lots);
    for (_, run) in batch.runs(reads.clone()) {
        let keys = own.columns(&run, plan.keys.iter()).ok()?;
        let (mut values, failed) = values_noted(aggregate, &run, runner.around.world, &zeros);
        values.apart = None;
        if !failed.is_empty() {
            return None;
        }
        let (groups, firsts) = number(keys.clone(), run.rows);
        // Each group has to have some rows in a run, or looking them up is no less than sending rows to parts.
        if groups.count * 4 > run.rows.max(4) {
            return None;
        }
        let mut kept = vec![];
        if is_ranked {
            let columns = pairs(&keys, &values, &groups);
            all.send(&columns, &vec![0; columns.first().map_or(0, Column::len)]);
        } else if is_counted {
            let rows = mostly_different(&values, &groups);
            let rows = rows.unwrap_or_else(|| different(&values, &groups));
            let columns = keys.iter().chain(&values.value).map(|column| column.take(&rows));
            let columns: Vec<Column> = columns.collect();
            all.send_by(&hashes(&columns, rows.len()), &columns);
        } else {
            kept = parts(&values, &groups).ok()?;
        }
        let firsts = Rows::from(firsts);
        let keys = keys.iter().map(|key| key.take(&firsts)).collect();
        known.take(keys, kept, groups.count, &room)?;
    }
    let (count, keys, kept) = known.finish()?;
    let found = if is_ranked {
        ranked((*function, *ty), (&keys, count), &Lots::Away(&all, 0..1)).ok()?
    } else if is_counted {
        different_of(&keys, count, &all)
    } else {
        from_parts(*function, *ty, &kept).ok()?
    };
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    let mut column = AwayBuilder::new(&room.file());
    let own = StepRunner { zeros: &AtomicU64::new(0), ..*runner };
    for (_, run) in batch.runs(plan.keys.iter().flat_map(Typed::slots).collect()) {
        let own = own.columns(&run, plan.keys.iter()).ok()?;
        let groups = Groups::among(&keys, count, &own, run.rows);
        column.push(&found.take(&groups.array()));
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

/// How many different values each of `count` groups has: those of a group, and equal ones, are in one part.
fn different_of(keys: &[Column], count: usize, all: &Scattered) -> Column {
    let mut found = vec![0_i64; count];
    for part in 0..all.parts() {
        let columns = all.part(part);
        let rows = columns.first().map_or(0, Column::len);
        let (_, firsts) = number(columns.clone(), rows);
        let firsts = Rows::from(firsts);
        let own: Vec<Column> = columns.iter().map(|column| column.take(&firsts)).collect();
        let groups = Groups::among(keys, count, &own, firsts.len());
        (0..firsts.len()).filter_map(|row| groups.of(row)).for_each(|group| found[group] += 1);
    }
    Column::Integer(found.into())
}
