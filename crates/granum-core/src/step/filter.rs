//! `keep` and `drop`.

use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::{Kind, Typed, truth};
use crate::resolve::{FilterPlan, TablePlan};
use crate::table::{Batch, Bits};
use crate::tally::{Problem, StepDetail, Why};

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

    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let ((holds, stays), _) = self.stays(at, rows)?;
        let column = crate::expr::evaluate(&self.condition, &at.scope(rows))
            .map_err(|failure| at.problem(rows, failure))?;
        // A hidden slot says which rows are set aside as they are read.
        let aside = match (&self.condition.kind, at.plan().source_aside()) {
            (Kind::Slot(slot), Some(aside)) => *slot == aside,
            _ => false,
        };
        let why = |row: usize| match (aside, column.is_blank(row)) {
            (true, _) => Why::Unreadable,
            (false, true) => Why::IsBlank,
            (false, false) if holds.value(row) => Why::IsTrue,
            (false, false) => Why::IsFalse,
        };
        let gone = (0..rows.rows).filter(|row| !stays.value(*row));
        Ok(gone.map(|row| Gone { row: row as u32, why: why(row), stays: None }).collect())
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let ((_, stays), blank) = self.stays(at, batch)?;
        let removed_rows = (batch.rows - stays.count()) as u64;
        let removed = at.removed(batch, &stays);
        if removed_rows > 0 {
            *batch = batch.filter(&stays);
        }
        let blank = blank as u64;
        Ok(Left::of(StepSum { removed_rows, blank, removed, ..StepSum::default() }))
    }
}

impl FilterPlan {
    /// Of which rows the condition holds, and which stay; and of how many it is blank.
    fn stays(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<((Bits, Bits), usize), Problem> {
        let (holds, blank) =
            truth(&self.condition, &at.scope(rows)).map_err(|failure| at.problem(rows, failure))?;
        let stays = if self.keep { holds.clone() } else { !&holds };
        Ok(((holds, stays), blank))
    }
}
