//! `keep` and `drop`.

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::{Typed, truth};
use crate::resolve::{FilterPlan, TablePlan};
use crate::tally::{Problem, StepDetail};

impl Work for FilterPlan {
    fn expressions(&self) -> Vec<&Typed> {
        vec![&self.condition]
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Fewer
    }

    fn detail(&self, _: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        StepDetail::Filter { blank: sum.blank, stayed: !self.keep }
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let (holds, blank) = truth(&self.condition, &at.scope(batch))
            .map_err(|failure| at.problem(batch, failure))?;
        let stays = if self.keep { holds } else { !&holds };
        let removed_rows = (batch.rows - stays.count()) as u64;
        let removed = at.removed(batch, &stays);
        if removed_rows > 0 {
            *batch = batch.filter(&stays);
        }
        let blank = blank as u64;
        Ok(Left::of(StepSum { removed_rows, blank, removed, ..StepSum::default() }))
    }
}
