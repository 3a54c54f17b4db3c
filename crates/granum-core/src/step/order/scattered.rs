//! `sort` where its rows have no room: they are scattered by what they are ordered by, the least first, and each part is
//! sorted by itself.

use crate::resolve::SortPlan;
use crate::step::in_order::{InParts, Orders, Sorted};
use crate::step::{StepRunner, Work};
use crate::table::{Batch, Column, SlotId};

impl Orders for SortPlan {
    fn slots(&self) -> Vec<SlotId> {
        Work::reads(self)
    }

    fn of(&self, runner: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>> {
        runner.orders(rows, &self.by).ok()
    }
}

/// All rows in order, put away. Nothing where all of them are here, and where a row fails: why, is told by who looks at
/// all rows at once.
pub(super) fn scattered(plan: &SortPlan, runner: &StepRunner<'_>, batch: &Batch) -> Option<Batch> {
    let slots = batch.slots_there();
    let room = batch.room_of(&slots).filter(|_| batch.rows > 0)?;
    let parts = InParts::of((runner, batch), plan, &slots, &room)?;
    let mut sorted = Sorted::new(&room, slots, batch);
    parts.runs().for_each(|run| sorted.push(&run.held));
    Some(sorted.finish(batch.slots.len()))
}
