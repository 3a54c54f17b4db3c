//! Rows that are put together where they wait, are kept, or become groups as they come.

use std::sync::Arc;

use super::feed::Feed;
use super::passing::Arrived;
use super::tree::{Leaf, Tree};
use super::waiting::LeafKind;
use crate::bug::{Sure, bug};
use crate::resolve::Plan;
use crate::step::{GroupStep, GroupsSoFar, StepSum};
use crate::table::{Batch, Held, Room, RoomFile, Stack};
use crate::tally::Problem;

/// What has come to a leaf.
pub(super) enum Collected<'p> {
    Rows {
        stack: Stack,
        /// What came since rows were last put below each other, and how many there will be in all.
        parts: Vec<Batch>,
        room: usize,
        /// The rows that were fed in, in the slots that they come out in, where some of them come out
        /// in the same order: columns that no step made are not made again.
        before: Option<Batch>,
        /// Whether columns of those rows may be looked at through the rows that come out, in place of
        /// being shortened: another table holds them anyway.
        sees: bool,
        /// Where what has no room goes, once there is such.
        file: Option<Arc<RoomFile>>,
    },
    Groups {
        groups: Box<GroupsSoFar<'p>>,
        /// Groups that have no value are told when it is known that no row before them failed.
        fault: Option<Problem>,
    },
}

/// Rows that have come together.
pub(super) struct Together {
    pub rows: Batch,
    /// By slot: columns that are looked at through another table's, which the rows lack.
    pub seen: Vec<Option<Held>>,
}

/// What a step leaves that worked on rows as they came: for the tally, and the total row.
pub(super) type WorkedOn = (StepSum, Option<Batch>);

impl<'p> Collected<'p> {
    /// Nothing yet.
    pub fn new(plan: &'p Plan, tree: &Tree, leaf: Leaf, before: Option<Batch>, held: bool) -> Self {
        if leaf.what != LeafKind::Groups {
            let sees = held && leaf.what == LeafKind::Kept;
            let (stack, parts) = (Stack::new(), vec![]);
            return Self::Rows { stack, parts, room: 0, before, sees, file: None };
        }
        let table = &plan.tables[tree.tables[leaf.spot.at].0];
        let step = leaf.spot.step;
        let plan = table.steps[step].step.work().groups().sure("the groups of a step");
        let groups = Box::new(GroupsSoFar::new(GroupStep { step, plan, table }));
        Self::Groups { groups, fault: None }
    }

    /// Takes what a batch brought.
    pub fn take(&mut self, arrived: Arrived) {
        match (self, arrived) {
            (Self::Rows { parts, .. }, Arrived::Rows(batch)) => parts.push(batch),
            (Self::Groups { groups, fault }, Arrived::Groups(partial)) => {
                if fault.is_none() {
                    *fault = partial.and_then(|partial| groups.absorb(partial)).err();
                }
            }
            _ => bug("rows came where groups were awaited"),
        }
    }

    /// Notes how many rows are to be expected; of more than `most` not all will be here together.
    pub fn foresee(&mut self, feed: &Feed, most: usize) {
        if let Self::Rows { stack, parts, room, .. } = self {
            *room = feed.room(parts, stack.rows()).min(most);
        }
    }

    /// Puts columns away that have no room while they go over to where there is place for what came. Gives how many bytes are
    /// left.
    pub fn make_way(&mut self, room: &Room, left: u64) -> u64 {
        match self {
            Self::Rows { stack, parts, file, .. } => {
                let file = || Arc::clone(file.get_or_insert_with(|| room.file()));
                stack.make_way(parts, left, file)
            }
            Self::Groups { .. } => left,
        }
    }

    /// Puts what came below what was there.
    pub fn lay(&mut self) {
        if let Self::Rows { stack, parts, room, before, .. } = self {
            stack.append(&std::mem::take(parts), before.as_ref(), *room);
        }
    }

    /// The bytes that its rows hold in memory, about.
    pub fn bytes_held(&self) -> u64 {
        match self {
            Self::Rows { stack, .. } => stack.bytes_held() as u64,
            Self::Groups { groups, fault: None } => groups.bytes_held(),
            Self::Groups { fault: Some(_), .. } => 0,
        }
    }

    /// Puts the rows that came away.
    pub fn put_away(&mut self, room: &Room) {
        match self {
            Self::Rows { stack, file, .. } => {
                stack.put_away(file.get_or_insert_with(|| room.file()));
            }
            Self::Groups { groups, .. } => groups.put_away(room),
        }
    }

    /// All rows.
    ///
    /// # Errors
    /// Groups that have no value.
    pub fn finish(self) -> Result<(Together, Option<WorkedOn>), Problem> {
        match self {
            Self::Rows { stack, before, sees, .. } => {
                let (rows, seen) = stack.finish(before, sees);
                Ok((Together { rows, seen }, None))
            }
            Self::Groups { fault: Some(fault), .. } => Err(fault),
            Self::Groups { groups, fault: None } => {
                let (rows, sum, total) = groups.finish()?;
                Ok((Together { rows, seen: vec![] }, Some((sum, total))))
            }
        }
    }
}
