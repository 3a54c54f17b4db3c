//! What a step is worked with.

use std::borrow::Borrow;
use std::collections::HashMap;
use std::sync::atomic::AtomicU64;

use super::naming::row_problem;
use super::{Faults, GroupFaults, Left, Naming, StepSum, add};
use crate::aggregate::Sum;
use crate::expr::{Failing, RowFailure, Scope, Typed, World, evaluate, evaluate_all};
use crate::resolve::{Plan, TablePlan, Tracked};
use crate::table::{Amount, Batch, Bits, Column, GatherId, PIECE, SlotId, TableId};
use crate::tally::Problem;

/// What steps may look at beside their rows. None of them changes it.
#[derive(Clone, Copy)]
pub(crate) struct Around<'a> {
    pub plan: &'a Plan,
    pub world: &'a World,
    /// Why rows that are led to have nothing gathered.
    pub faults: &'a HashMap<GatherId, Faults>,
    /// Why groups have no value.
    pub grouped: &'a GroupFaults,
}

/// A step at its work.
#[derive(Clone, Copy)]
pub(crate) struct StepRunner<'a> {
    pub around: Around<'a>,
    /// The table, and the step's place in it.
    pub table: TableId,
    pub step: usize,
    /// The last step that uses each slot of the table; nothing where none does.
    pub last_use: &'a [Option<usize>],
    pub naming: Naming<'a>,
    /// Counts rows that divided by zero.
    pub zeros: &'a AtomicU64,
}

impl<'a> StepRunner<'a> {
    /// The table that the step is of.
    pub fn plan(&self) -> &'a TablePlan {
        &self.around.plan.tables[self.table.0]
    }

    /// The step on one line, as in a plan.
    pub fn text(&self) -> &'a str {
        &self.plan().steps[self.step].text
    }

    /// Where expressions are worked that may not fail.
    pub fn scope<'b>(&'b self, batch: &'b Batch) -> Scope<'b> {
        Scope {
            batch,
            world: self.around.world,
            zero_divisions: self.zeros,
            failing: Failing::Stops,
        }
    }

    /// Columns of some expressions over all rows, worked on all cores.
    ///
    /// # Errors
    /// The first row that cannot be worked.
    pub fn columns<'t>(
        &self,
        batch: &Batch,
        typed: impl Iterator<Item = &'t Typed>,
    ) -> Result<Vec<Column>, Problem> {
        typed
            .map(|typed| {
                evaluate_all(typed, batch, self.around.world, self.zeros)
                    .map_err(|failure| self.problem(batch, failure))
            })
            .collect()
    }

    /// The same of what rows are ordered by, with whether the greatest comes first.
    ///
    /// # Errors
    /// The first row that cannot be worked.
    pub fn orders(
        &self,
        batch: &Batch,
        by: &[(Typed, bool)],
    ) -> Result<Vec<(Column, bool)>, Problem> {
        let orders = self.columns(batch, by.iter().map(|(by, _)| by))?;
        Ok(orders.into_iter().zip(by.iter().map(|(_, descending)| *descending)).collect())
    }

    /// Lets go of slots that nothing uses from this step on.
    pub fn release(&self, batch: &mut Batch) {
        let gone = |slot: usize| self.last_use[slot].is_none_or(|last| last < self.step);
        let here = batch.slots.iter_mut().enumerate();
        here.filter(|(slot, _)| gone(*slot)).for_each(|(_, column)| *column = None);
        let away = batch.away.iter_mut().enumerate();
        away.filter(|(slot, _)| gone(*slot)).for_each(|(_, held)| *held = None);
    }

    /// The slots that are to be here for the step, those of amounts that it changes or ends among them.
    pub fn looks_at(&self) -> Vec<SlotId> {
        let work = self.plan().steps[self.step].step.work();
        if work.scatters() { vec![] } else { self.with_amounts(work.gets()) }
    }

    /// All slots that the step looks at, those of amounts that it changes or ends among them.
    pub fn reads(&self) -> Vec<SlotId> {
        self.with_amounts(self.plan().steps[self.step].step.work().reads())
    }

    fn with_amounts(&self, mut slots: Vec<SlotId>) -> Vec<SlotId> {
        for tracked in &self.plan().tracked {
            if let Some(slot) = tracked.ends_or_changes(self.step) {
                slots.push(slot);
                slots.extend(tracked.apart_before(self.step));
            }
        }
        slots
    }

    /// Why a row could not be worked.
    pub fn problem(&self, batch: &Batch, failure: RowFailure) -> Problem {
        let step = self.text().to_owned();
        row_problem(&self.around, self.table, step, batch, self.naming, failure)
    }

    /// The tracked amounts that this step replaces or ends, as they are before it.
    pub fn amounts_before(&self, batch: &Batch) -> Vec<Option<Sum>> {
        let before = self.plan().tracked.iter().map(|tracked| {
            let slot = tracked.ends_or_changes(self.step)?;
            self.sum_of(tracked, batch, slot)
        });
        before.collect()
    }

    /// The sum of a tracked amount, that a slot has, before the step; by what it is in, if it counts apart.
    pub fn sum_of(&self, tracked: &Tracked, batch: &Batch, slot: SlotId) -> Option<Sum> {
        self.sum_by(tracked, slot, |slot| batch.slots[slot.0].as_ref())
    }

    /// The same of the columns that `column` gives for slots.
    pub fn sum_by<C: Borrow<Column>>(
        &self,
        tracked: &Tracked,
        slot: SlotId,
        column: impl Fn(SlotId) -> Option<C>,
    ) -> Option<Sum> {
        let values = column(slot)?;
        let apart = match tracked.apart_before(self.step) {
            Some(apart) => Some(column(apart)?),
            None => None,
        };
        Some(Sum::of(values.borrow(), apart.as_ref().map(Borrow::borrow)))
    }

    /// What a step leaves that changes or ends amounts and nothing else; nothing where it does not.
    pub fn left_of_amounts(&self, batch: &Batch) -> Left {
        let before = self.amounts_before(batch);
        if before.iter().all(Option::is_none) {
            return Left::default();
        }
        Left::of(StepSum { before, ..StepSum::default() })
    }

    /// Leaves out rows that do not stay, and says which amounts went with them.
    pub fn leave_out(&self, batch: &mut Batch, stays: &Bits) -> StepSum {
        let removed_rows = (batch.rows - stays.count()) as u64;
        let removed = self.removed(batch, stays);
        if removed_rows > 0 {
            // What only this step looked at, such as fingerprints, is not carried on.
            StepRunner { step: self.step + 1, ..*self }.release(batch);
            *batch = std::mem::take(batch).into_filtered(stays);
        }
        StepSum { removed_rows, removed, ..StepSum::default() }
    }

    /// The tracked amounts of the rows that do not stay. An amount that a later `add` makes is
    /// worked for them as well; where that fails it is blank.
    pub fn removed(&self, batch: &Batch, stays: &Bits) -> Vec<Option<Sum>> {
        let plan = self.plan();
        if plan.tracked.is_empty() {
            return vec![];
        }
        if batch.has_away() && batch.rows > PIECE {
            let mut removed = vec![];
            for (first, run) in batch.runs(vec![]) {
                let stays = stays.slice(first, run.rows);
                add(&mut removed, &self.removed(&run, &stays), first == 0);
            }
            return removed;
        }
        let gone = batch.filter(&!stays);
        let mut worked = gone;
        let began = |tracked: &Tracked| {
            let apart = tracked.apart.first().map_or(0, |(from, _)| *from);
            tracked.versions[0].0.max(apart)
        };
        let created = plan.tracked.iter().map(began).max().unwrap_or(0);
        if worked.rows > 0 {
            for later in self.step + 1..created.min(plan.steps.len()) {
                for (slot, value) in plan.steps[later].step.work().assigned() {
                    if plan.from_step[slot.0] > self.step || self.last_use[slot.0].is_none() {
                        continue;
                    }
                    worked.get(value.slots().into_iter());
                    let scope = Scope {
                        batch: &worked,
                        world: self.around.world,
                        zero_divisions: self.zeros,
                        failing: Failing::Blank,
                    };
                    // What steps in between make for whole groups, removed rows do not have.
                    let there = value.slots().iter().all(|slot| worked.slots[slot.0].is_some());
                    worked.slots[slot.0] = there.then(|| evaluate(value, &scope).ok()).flatten();
                }
            }
        }
        plan.tracked
            .iter()
            .map(|tracked| {
                if tracked.ends_at.is_some_and(|ends| ends < self.step)
                    || tracked.from_step > self.step
                {
                    return None;
                }
                let slot = tracked.slot_before(self.step).unwrap_or(tracked.versions[0].1);
                worked.get([slot].into_iter().chain(tracked.apart_before(self.step)));
                match self.sum_of(tracked, &worked, slot) {
                    Some(sum) => Some(sum),
                    None => {
                        let scale = plan.slots[slot.0].scale().unwrap_or_default();
                        (worked.rows == 0).then(|| Sum::One(Amount::exact(Some(0), scale, 0)))
                    }
                }
            })
            .collect()
    }
}
