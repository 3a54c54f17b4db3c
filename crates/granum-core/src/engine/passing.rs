//! A batch on its way through steps and tables, and what happens where a table is finished.

use std::sync::atomic::{AtomicU64, Ordering};

use super::check::CheckSum;
use super::context::{Context, finished_columns};
use super::feed::begun;
use super::tree::{Branch, End, Leaf, Segment, Tree};
use super::waiting::LeafKind;
use crate::aggregate::{AllRows, Sum};
use crate::bug::Sure;
use crate::port::Encoded;
use crate::step::{Naming, OnRows, Partial, StepSum, Trouble, partial};
use crate::table::{Batch, Column, Held, TableId};
use crate::tally::Problem;

/// What came of a batch that went through a segment. Tables are named by their places in the tree.
#[derive(Default)]
pub(super) struct Passed {
    /// What came to leaves.
    pub arrived: Vec<(usize, Arrived)>,
    pub steps: Vec<(usize, usize, StepSum)>,
    pub finished: Vec<Finished>,
    pub troubles: Vec<(usize, usize, Vec<Trouble>)>,
    pub zero_divisions: Vec<(usize, u64)>,
    /// What stops a table, and with it those that are made from it.
    pub failed: Vec<(usize, Problem)>,
}

/// What a batch brings to a leaf.
pub(super) enum Arrived {
    Rows(Batch),
    /// Groups, or why one of them has no value.
    Groups(Result<Partial, Problem>),
}

/// What a batch leaves where a table is finished.
pub(super) struct Finished {
    /// The table's place in the tree.
    pub at: usize,
    pub rows: u64,
    pub sums: Vec<Option<Sum>>,
    pub checks: Vec<(usize, CheckSum)>,
    pub totals: Vec<(usize, AllRows)>,
    /// Rows for outputs, by their number in the plan.
    pub encoded: Vec<(usize, Encoded)>,
}

/// What batches go through, and what is known of it.
#[derive(Clone, Copy)]
pub(super) struct Way<'a> {
    pub context: &'a Context<'a>,
    pub tree: &'a Tree,
    pub segment: &'a Segment,
    /// By place in the tree: whether the table failed already, so that no row need go there.
    pub failed: &'a [bool],
    pub naming: Naming<'a>,
}

/// Sends a batch through all branches.
pub(super) fn run(way: Way<'_>, batch: Batch) -> Passed {
    let mut passed = Passed::default();
    let mut todo = vec![(0, batch)];
    while let Some((at, batch)) = todo.pop() {
        let branch = &way.segment.branches[at];
        if way.failed[branch.at] {
            continue;
        }
        match along(way, branch, batch, &mut passed) {
            Ok(next) => todo.extend(next),
            Err(problem) => passed.failed.push((branch.at, problem)),
        }
    }
    passed
}

/// Sends a batch along one branch. Gives the branches behind it, with what goes into each.
fn along(
    way: Way<'_>,
    branch: &Branch,
    mut batch: Batch,
    passed: &mut Passed,
) -> Result<Vec<(usize, Batch)>, Problem> {
    through(way, branch, &mut batch, passed)?;
    match &branch.end {
        End::Waits { leaf } => arrive(way, *leaf, batch, passed),
        End::Finished { leaf, next } => {
            let columns = finish(way, branch.at, &mut batch, passed)?;
            if let Some(leaf) = leaf {
                arrive(way, *leaf, batch, passed);
                return Ok(vec![]);
            }
            let into = |next: &usize| {
                let id = way.tree.tables[way.segment.branches[*next].at];
                (*next, Batch { fed: columns.fed.clone(), ..begun(way.context, id, &columns) })
            };
            return Ok(next.iter().map(into).collect());
        }
    }
    Ok(vec![])
}

/// Does the steps of a branch.
pub(super) fn through(
    way: Way<'_>,
    branch: &Branch,
    batch: &mut Batch,
    passed: &mut Passed,
) -> Result<(), Problem> {
    let at = branch.at;
    for step in branch.steps.clone() {
        let zeros = AtomicU64::new(0);
        let runner = way.context.runner(way.tree.tables[at], step, way.naming, &zeros);
        let work = runner.plan().steps[step].step.work();
        let left = work.work(&runner, OnRows { batch, total_row: None })?;
        passed.steps.extend(left.sum.map(|sum| (at, step, sum)));
        if !left.troubles.is_empty() {
            passed.troubles.push((at, step, left.troubles));
        }
        note_zeros(at, &zeros, passed);
    }
    Ok(())
}

fn note_zeros(at: usize, zeros: &AtomicU64, passed: &mut Passed) {
    let zeros = zeros.load(Ordering::Relaxed);
    if zeros > 0 {
        passed.zero_divisions.push((at, zeros));
    }
}

/// A batch comes to where rows are put together.
fn arrive(way: Way<'_>, leaf: usize, batch: Batch, passed: &mut Passed) {
    let Leaf { spot, what } = way.segment.leaves[leaf];
    if what != LeafKind::Groups {
        passed.arrived.push((leaf, Arrived::Rows(batch)));
        return;
    }
    let zeros = AtomicU64::new(0);
    let runner = way.context.runner(way.tree.tables[spot.at], spot.step, way.naming, &zeros);
    let groups = runner.plan().steps[spot.step].step.work().groups().sure("the groups of a step");
    let found = partial(groups, &runner, &batch);
    note_zeros(spot.at, &zeros, passed);
    passed.arrived.push((leaf, Arrived::Groups(found)));
}

/// Finished rows, prepared for each output of their table.
pub(super) fn encoded(context: &Context<'_>, id: TableId, rows: &Batch) -> Vec<(usize, Encoded)> {
    let own = context.encoders.iter().filter(|encoder| encoder.table == id);
    own.map(|encoder| {
        let column = |held: &Option<Held>| held.as_ref().sure("a column of an output").whole();
        let columns: Vec<Column> = rows.columns.iter().map(column).collect();
        (encoder.output, encoder.encoder.encode(&columns, rows.rows))
    })
    .collect()
}

/// A table is finished: sums, checks, totals and outputs take what they need of the batch. Gives the
/// finished rows.
fn finish(
    way: Way<'_>,
    at: usize,
    batch: &mut Batch,
    passed: &mut Passed,
) -> Result<Batch, Problem> {
    let Way { context, naming, .. } = way;
    let id = way.tree.tables[at];
    let plan = &context.plan.tables[id.0];
    let zeros = AtomicU64::new(0);
    // Behind the last step only what is needed at the end is left.
    let runner = context.runner(id, plan.steps.len(), naming, &zeros);
    runner.release(batch);
    let sums = plan
        .tracked
        .iter()
        .map(|tracked| {
            let slot = tracked.ends_at.is_none().then(|| tracked.last_slot())?;
            runner.sum_of(tracked, batch, slot)
        })
        .collect();
    let columns = finished_columns(plan, &batch.slots);
    let columns = Batch {
        fed: batch.fed.clone(),
        ..Batch::finished(batch.rows, columns, batch.origins.clone())
    };
    let (checks, totals) = super::check::passing(context, id, &columns, naming, &zeros)?;
    let encoded = encoded(context, id, &columns);
    let rows = batch.rows as u64;
    passed.finished.push(Finished { at, rows, sums, checks, totals, encoded });
    note_zeros(at, &zeros, passed);
    Ok(columns)
}
