//! `top` and `bottom` of few rows where all have no room: what is not among the first of its own run of rows is not among
//! the first of all.

use std::sync::atomic::{AtomicU64, Ordering};

use super::{Chosen, Ties, top, unmixed};
use crate::aggregate::{Groups, order};
use crate::lang::TopCount;
use crate::resolve::TopPlan;
use crate::step::StepRunner;
use crate::table::{Batch, Bits, Column, PIECE, Rows};

/// Of so many rows or more, one in so many may be among the first of its run.
const FEW: (usize, usize) = if cfg!(test) { (20, 4) } else { (PIECE, 16) };

/// Which rows stay. Nothing where all that is looked at is here, where a part of all rows is asked for, where not only few
/// are among the first of their runs, and where a row fails: why, is told by who looks at all rows at once.
pub(super) fn of_runs(runner: &StepRunner<'_>, batch: &Batch, plan: &TopPlan) -> Option<Chosen> {
    let reads = runner.reads();
    let room = batch.room_of(&reads)?;
    unmixed((runner, batch), plan, &room)?;
    let TopCount::Rows(_) = plan.count else { return None };
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let mut first_of_runs: Vec<u32> = vec![];
    for (first, run) in batch.runs(reads.clone()) {
        let chosen = top(&own, &run, plan).ok()?;
        // Groups stand in the order of their first rows, which may be none of those that stay.
        let mut seen = vec![false; chosen.groups.count];
        let begins = |row: &usize| {
            chosen.groups.of(*row).is_some_and(|group| !std::mem::replace(&mut seen[group], true))
        };
        let mut rows: Vec<usize> = (0..run.rows).filter(begins).collect();
        rows.extend(chosen.rows.numbers().map(|row| row as usize));
        rows.sort_unstable();
        rows.dedup();
        first_of_runs.extend(rows.into_iter().map(|row| (first + row) as u32));
        if first_of_runs.len() > FEW.0 && first_of_runs.len() > (first + run.rows) / FEW.1 {
            return None;
        }
    }
    let mut some = batch.take(&first_of_runs.clone().into());
    some.get(reads.into_iter());
    let again = AtomicU64::new(0);
    let own = StepRunner { zeros: &again, ..*runner };
    let chosen = top(&own, &some, plan).ok()?;
    // With ties all of them are among the first of their runs, and none is cut.
    let cut = if plan.ties { 0 } else { ties_cut(&own, batch, plan, (&some, &chosen))? };
    let ties = Ties { cut, ..chosen.ties };
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    let rows: Vec<u32> = chosen.rows.numbers().map(|at| first_of_runs[at as usize]).collect();
    let stays = Bits::of(batch.rows, rows.iter().copied());
    Some(Chosen { stays, rows: rows.into(), ties, ..chosen })
}

/// How many rows of all go though they tie with the last of their group that stays.
fn ties_cut(
    runner: &StepRunner<'_>,
    batch: &Batch,
    plan: &TopPlan,
    (some, chosen): (&Batch, &Chosen),
) -> Option<u64> {
    let last: Rows = chosen.last.iter().flatten().copied().collect();
    let looked_at = |rows: &Batch| {
        let by = runner.columns(rows, std::iter::once(&plan.by)).ok()?.pop()?;
        Some((by, runner.columns(rows, plan.per.iter()).ok()?))
    };
    let (by, per) = looked_at(some)?;
    let ends = (by.take(&last), per.iter().map(|key| key.take(&last)).collect::<Vec<_>>());
    // Of the rows of a batch those that tie with the last of their group.
    let tie = |(by, per): (Column, Vec<Column>)| {
        let rows = by.len();
        let both = |(ends, own): (&Column, &Column)| Column::concat(&[ends.clone(), own.clone()]);
        let by = [(both((&ends.0, &by)), false)];
        let keys: Vec<Column> = ends.1.iter().zip(&per).map(both).collect();
        // The last rows are of different groups, and stand first: each has the number of its own.
        let groups = Groups::by(&keys, last.len() + rows);
        let ties = |row: &usize| {
            let end = groups.of(last.len() + row).filter(|end| *end < last.len());
            end.is_some_and(|end| order(&by, end, last.len() + row).is_eq())
        };
        (0..rows).filter(ties).count() as u64
    };
    let mut all = 0;
    for (_, run) in batch.runs(runner.reads()) {
        all += tie(looked_at(&run)?);
    }
    let stay = |column: &Column| column.take(&chosen.rows);
    Some(all - tie((stay(&by), per.iter().map(stay).collect())))
}
