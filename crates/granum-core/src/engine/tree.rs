//! Tables that are made together: rows go from each into all that are made from it, and where they
//! must wait to be seen all at once.

use std::ops::Range;

use super::context::Context;
use super::demand::Demand;
use crate::resolve::Plan;
use crate::step::{Pace, RowsBecome, streams};
use crate::table::TableId;

/// Tables that rows go through together.
pub(super) struct Tree {
    /// Each stands behind the one that it is made from.
    pub tables: Vec<TableId>,
    /// By the same places: those that are made from a table as it passes.
    made_from: Vec<Vec<usize>>,
}

/// A place in a tree: a step of a table, or behind its last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Spot {
    /// The table's place in the tree.
    pub at: usize,
    pub step: usize,
}

/// Steps of one table that batches go through without waiting.
pub(super) struct Branch {
    /// The table's place in the tree.
    pub at: usize,
    pub steps: Range<usize>,
    pub end: End,
}

/// What comes behind the steps of a branch.
pub(super) enum End {
    /// Rows wait for a step of the same table.
    Waits { leaf: usize },
    /// The table is finished: it is kept, or goes on into other branches, or both do not happen.
    Finished { leaf: Option<usize>, next: Vec<usize> },
}

/// Where rows are put together.
#[derive(Debug, Clone, Copy)]
pub(super) struct Leaf {
    pub spot: Spot,
    pub what: LeafKind,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum LeafKind {
    /// A step sees them all at once.
    Whole,
    /// They become groups as they come.
    Groups,
    /// The finished table is kept.
    Kept,
}

/// All that batches go through from some spot on until they are put together or nothing takes them.
pub(super) struct Segment {
    /// The first is where they come in; each other stands behind the one that it follows.
    pub branches: Vec<Branch>,
    pub leaves: Vec<Leaf>,
}

impl Tree {
    /// The tree that begins with a table.
    pub fn new(demand: &Demand, first: TableId) -> Self {
        let mut tree = Self { tables: vec![first], made_from: vec![vec![]] };
        let mut at = 0;
        while at < tree.tables.len() {
            for next in demand.fed_by(tree.tables[at]) {
                tree.made_from[at].push(tree.tables.len());
                tree.tables.push(*next);
                tree.made_from.push(vec![]);
            }
            at += 1;
        }
        tree
    }

    /// A table's place with those of all that are made from it here.
    pub fn from(&self, at: usize) -> Vec<usize> {
        let mut all = vec![at];
        let mut next = 0;
        while next < all.len() {
            all.extend(&self.made_from[all[next]]);
            next += 1;
        }
        all
    }

    /// What batches go through from a spot on.
    pub fn segment(&self, context: &Context<'_>, from: Spot) -> Segment {
        let mut segment = Segment { branches: vec![], leaves: vec![] };
        let mut begins = vec![from];
        while let Some(begin) = begins.get(segment.branches.len()).copied() {
            let id = self.tables[begin.at];
            let steps = &context.plan.tables[id.0].steps;
            let whole = |step: &usize| steps[*step].step.work().pace() == Pace::Whole;
            let waits = (begin.step..steps.len()).find(whole);
            let to = waits.unwrap_or(steps.len());
            let leaf = |kind| Leaf { spot: Spot { at: begin.at, step: to }, what: kind };
            let end = if waits.is_some() {
                segment.leaves.push(leaf(waits_for(context.plan, id, to)));
                End::Waits { leaf: segment.leaves.len() - 1 }
            } else if context.demand.tables[id.0].whole {
                segment.leaves.push(leaf(LeafKind::Kept));
                End::Finished { leaf: Some(segment.leaves.len() - 1), next: vec![] }
            } else {
                let first = begins.len();
                begins.extend(self.made_from[begin.at].iter().map(|at| Spot { at: *at, step: 0 }));
                End::Finished { leaf: None, next: (first..begins.len()).collect() }
            };
            segment.branches.push(Branch { at: begin.at, steps: begin.step..to, end });
        }
        segment
    }
}

/// What rows wait for before a step that sees all at once.
fn waits_for(plan: &Plan, table: TableId, step: usize) -> LeafKind {
    let groups = plan.tables[table.0].steps[step].step.work().groups();
    if groups.is_some_and(|groups| streams(plan, groups)) {
        LeafKind::Groups
    } else {
        LeafKind::Whole
    }
}

/// Whether a table that is made from another as it passes gathers its rows before any of them has
/// gone: then it holds as much as the other would.
pub(super) fn gathers_all(plan: &Plan, table: TableId) -> Option<bool> {
    for (at, step) in plan.tables[table.0].steps.iter().enumerate() {
        let work = step.step.work();
        if work.pace() == Pace::Whole {
            return Some(waits_for(plan, table, at) == LeafKind::Whole);
        }
        if work.rows() == RowsBecome::Fewer {
            return Some(false);
        }
    }
    None
}

impl Segment {
    /// Whether rows come to a leaf as they came in, each in its place, with the same slots.
    pub fn keeps_rows(&self, plan: &Plan, tree: &Tree, leaf: usize) -> bool {
        let Some(first) = self.branches.first() else { return false };
        let there = match first.end {
            End::Waits { leaf } => Some(leaf),
            End::Finished { leaf, .. } => leaf,
        };
        let steps = &plan.tables[tree.tables[first.at].0].steps;
        there == Some(leaf)
            && first.steps.clone().all(|step| steps[step].step.work().rows() == RowsBecome::Same)
    }
}
