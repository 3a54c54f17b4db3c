//! Tables that are made together: rows go from each into all that are made from it, and where they
//! must wait to be seen all at once.

use std::ops::Range;

use super::context::{Context, first_slots};
use super::demand::Demand;
use super::waiting::{LeafKind, waits_for};
use crate::resolve::{Plan, TablePlan};
use crate::step::{Pace, RowsBecome};
use crate::table::{Batch, TableId};

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
    /// The branch that it follows.
    pub behind: Option<usize>,
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
        let mut begins = vec![(from, None)];
        while let Some((begin, behind)) = begins.get(segment.branches.len()).copied() {
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
                let here = Some(segment.branches.len());
                let next = self.made_from[begin.at].iter();
                begins.extend(next.map(|at| (Spot { at: *at, step: 0 }, here)));
                End::Finished { leaf: None, next: (first..begins.len()).collect() }
            };
            segment.branches.push(Branch { at: begin.at, steps: begin.step..to, end, behind });
        }
        segment
    }
}

impl Segment {
    /// Where rows come to a leaf in the order in which they came in, some of them perhaps left out:
    /// those that are fed in, under the slots that they have there.
    pub fn unmoved(&self, plan: &Plan, tree: &Tree, leaf: usize, fed: &Batch) -> Option<Batch> {
        let ends = |branch: &Branch| match branch.end {
            End::Waits { leaf } => Some(leaf),
            End::Finished { leaf, .. } => leaf,
        };
        let last = self.branches.iter().position(|branch| ends(branch) == Some(leaf))?;
        let mut way = vec![last];
        while let Some(behind) = self.branches[way[way.len() - 1]].behind {
            way.push(behind);
        }
        let (mut slots, mut away) = (fed.slots.clone(), fed.away.clone());
        away.resize(slots.len(), None);
        let mut before: Option<&TablePlan> = None;
        for branch in way.into_iter().rev().map(|at| &self.branches[at]) {
            let table = &plan.tables[tree.tables[branch.at].0];
            if let Some(before) = before {
                slots = first_slots(table, |_, column| slots[before.columns[column.0].1.0].clone());
                away = first_slots(table, |_, column| away[before.columns[column.0].1.0].clone());
            }
            before = Some(table);
            let stays = |step: usize| {
                let rows = table.steps[step].step.work().rows();
                matches!(rows, RowsBecome::Same | RowsBecome::Fewer)
            };
            if !branch.steps.clone().all(stays) {
                return None;
            }
        }
        Some(Batch { away, ..Batch::new(fed.rows, slots, vec![]) })
    }
}
