//! `add`, `change`, and what else makes new slots of a row's own.

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, Work};
use crate::expr::{Failing, Scope, Typed, evaluate};
use crate::resolve::{AssignPlan, ForeseenPlan};
use crate::table::SlotId;
use crate::tally::Problem;

impl Work for AssignPlan {
    fn assigned(&self) -> &[(SlotId, Typed)] {
        &self.0
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        for (slot, value) in &self.0 {
            if at.last_use[slot.0].is_none() {
                continue;
            }
            let column =
                evaluate(value, &at.scope(batch)).map_err(|failure| at.problem(batch, failure))?;
            batch.slots[slot.0] = Some(column);
        }
        Ok(at.left_of_amounts(batch))
    }
}

impl Work for ForeseenPlan {
    fn assigned(&self) -> &[(SlotId, Typed)] {
        &self.0
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    /// A row that cannot be worked is blank: it may never come to the table that the amount is for.
    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        for (slot, value) in &self.0 {
            let scope = Scope { failing: Failing::Blank, ..at.scope(on.batch) };
            let column =
                evaluate(value, &scope).map_err(|failure| at.problem(on.batch, failure))?;
            on.batch.slots[slot.0] = Some(column);
        }
        Ok(Left::default())
    }
}
