//! `columns`, `rename`, `track`: names change, no value does.

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::resolve::NamesPlan;
use crate::tally::Problem;

impl Work for NamesPlan {
    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let before = at.amounts_before(on.batch);
        if before.iter().all(Option::is_none) {
            return Ok(Left::default());
        }
        Ok(Left::of(StepSum { before, ..StepSum::default() }))
    }
}
