//! `columns`, `rename`, `track`: names change, no value does.

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, Work};
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
        Ok(at.left_of_amounts(on.batch))
    }
}
