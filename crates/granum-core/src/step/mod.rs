//! The steps of tables: what each reads, how rows come to it, what it makes of them, and what it
//! leaves for the tally.
//!
//! Each step has a file of its own, whose [`Work`] says all that there is to know of it: what is needed
//! before it, in which order things are done, how rows are sent through, and what is told are read from
//! there, and from nowhere else.

mod allocate;
mod apart;
mod assign;
mod by_keys;
mod dedupe;
mod expand;
mod faults;
mod filter;
mod gone;
mod grain;
mod grouped;
mod in_order;
mod keys;
mod known_groups;
mod leading;
mod names;
mod naming;
mod one_row;
mod order;
mod ranks;
mod runner;
mod sum;
mod turn;
mod units;
mod values;

pub(crate) use faults::{Faults, GroupFaults};
pub(crate) use gone::Gone;
pub(crate) use leading::{row_of_way, send_led, values_of_way, way};
pub(crate) use naming::{Naming, finished_rows, grain_values, row_problem};
pub(crate) use one_row::{GroupStep, GroupsSoFar, Partial, SharedNames, partial, streams};
pub(crate) use runner::{Around, StepRunner};
pub(crate) use sum::{StepSum, add};
pub(crate) use units::Trouble;
#[cfg(feature = "parts")]
pub(crate) use units::split_units;
pub(crate) use values::{columns_of, group_problem, values, values_of};

use crate::aggregate::Groups;
use crate::expr::Typed;
use crate::resolve::{OneRowPlan, Step, TablePlan};
use crate::table::{Batch, GatherId, SlotId};
use crate::tally::{Problem, StepDetail};

/// How rows come to a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Pace {
    /// Some at a time, as they pass.
    Passing,
    /// All at once.
    Whole,
}

/// What becomes of rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum RowsBecome {
    /// Each stays where it is.
    Same,
    /// Each stays, in another order.
    Moved,
    /// Some go.
    Fewer,
    /// Each becomes none, one or several.
    Several,
    /// Many become one.
    Groups,
}

/// The rows that a step is worked on.
pub(crate) struct OnRows<'r> {
    pub batch: &'r mut Batch,
    /// The total row of the table, where there is one.
    pub total_row: Option<&'r mut Batch>,
}

/// What a step leaves beside its rows.
#[derive(Default)]
pub(crate) struct Left {
    /// For the tally; nothing where nothing is told.
    pub sum: Option<StepSum>,
    /// Rows that stop the table, all of them told at once.
    pub troubles: Vec<Trouble>,
    /// The total row, where the step makes one.
    pub total_row: Option<Batch>,
}

impl Left {
    /// A sum and nothing else.
    pub fn of(sum: StepSum) -> Self {
        Self { sum: Some(StepSum { seen: true, ..sum }), ..Self::default() }
    }
}

/// Rows that a step looks at together.
pub(crate) struct Together {
    /// What is worked of them, as in a plan.
    pub text: String,
    pub groups: Groups,
}

/// A step.
pub(crate) trait Work {
    /// The expressions that it works on its rows, but for those in [`Work::assigned`].
    fn expressions(&self) -> Vec<&Typed> {
        vec![]
    }

    /// Slots with the expressions that make them, worked one after another where they are needed.
    fn assigned(&self) -> &[(SlotId, Typed)] {
        &[]
    }

    /// The slots that it looks at as they are.
    fn slots(&self) -> Vec<SlotId> {
        vec![]
    }

    /// All slots that it looks at: by themselves, and in expressions.
    fn reads(&self) -> Vec<SlotId> {
        let mut slots = self.slots();
        self.expressions().iter().for_each(|typed| slots.extend(typed.slots()));
        self.assigned().iter().for_each(|(_, typed)| slots.extend(typed.slots()));
        slots
    }

    /// Those of them that it looks at in all rows at once, where it sees all: what is away is got for it. Keys are not
    /// among them.
    fn gets(&self) -> Vec<SlotId> {
        self.reads()
    }

    /// Whether it gets what is away by itself, part by part, and nothing is got for it.
    fn scatters(&self) -> bool {
        false
    }

    /// The slots that it makes and that may have no value in some rows.
    fn may_lack(&self) -> Vec<SlotId> {
        vec![]
    }

    /// Where its rows lead, and the rows that lead there, of which it looks at each by itself.
    fn leads(&self) -> Option<(&Typed, GatherId)> {
        None
    }

    /// How rows come to it.
    fn pace(&self) -> Pace;

    /// What becomes of rows.
    fn rows(&self) -> RowsBecome;

    /// The groups that it makes of rows, if it does.
    fn groups(&self) -> Option<&OneRowPlan> {
        None
    }

    /// What is told of it, beside rows and amounts; `at` is its place in the table.
    fn detail(&self, table: &TablePlan, at: usize, sum: &StepSum) -> StepDetail {
        let _ = sum;
        let ends = table.tracked.iter().filter(|tracked| tracked.ends_at == Some(at));
        let names: Vec<String> = ends.map(|tracked| tracked.name.clone()).collect();
        if names.is_empty() { StepDetail::Plain } else { StepDetail::Ends { names } }
    }

    /// Whether it only makes what the step behind it needs.
    fn serves_next(&self) -> bool {
        false
    }

    /// Whether it can take out rows.
    fn takes_out(&self) -> bool {
        self.rows() == RowsBecome::Fewer
    }

    /// The rows that it takes out of these, and why.
    ///
    /// # Errors
    /// A row that cannot be worked.
    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let _ = (at, rows);
        Ok(vec![])
    }

    /// The rows that it looks at together for the values of one, each with what it works of them.
    ///
    /// # Errors
    /// A row that cannot be worked.
    fn together(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Together>, Problem> {
        let _ = (at, rows);
        Ok(vec![])
    }

    /// Does it.
    ///
    /// # Errors
    /// What stops the table.
    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem>;
}

impl Step {
    /// What a step is and does.
    pub(crate) fn work(&self) -> &dyn Work {
        match self {
            Self::Assign(step) => step,
            Self::Foreseen(step) => step,
            Self::Filter(step) => step,
            Self::Dedupe(step) => step,
            Self::DedupeBy(step) => step,
            Self::Units(step) => step,
            Self::Allocate(step) => step,
            Self::Grain(step) => step,
            Self::Names(step) => step,
            Self::OneRow(step) => step,
            Self::Grouped(step) => step,
            Self::Sort(step) => step,
            Self::Top(step) => step,
            Self::Turn(step) => step,
            Self::Expand(step) => step,
            Self::Apart(step) => step,
        }
    }
}

#[cfg(test)]
mod tests;
