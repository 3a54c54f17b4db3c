//! What all parts of a run look at, and the operations of a chain of tables.

use std::ops::Deref;
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

use super::demand::Demand;
use super::ports::{Encoder, Observer, OutputError, SourceError};
use crate::resolve::Plan;
use crate::step::{Around, Naming, Pace, RowsBecome, StepRunner};
use crate::table::TableId;
use crate::tally::Problem;

/// What all parts of a run look at and none changes.
pub(super) struct Context<'a> {
    /// What steps see of it.
    pub around: Around<'a>,
    pub demand: &'a Demand,
    pub encoders: &'a [TableEncoder],
    pub observer: &'a dyn Observer,
}

impl<'a> Deref for Context<'a> {
    type Target = Around<'a>;

    fn deref(&self) -> &Around<'a> {
        &self.around
    }
}

impl<'a> Context<'a> {
    /// A step of a table at its work.
    pub fn runner(
        &self,
        table: TableId,
        step: usize,
        naming: Naming<'a>,
        zeros: &'a AtomicU64,
    ) -> StepRunner<'a> {
        let last_use = &self.demand.tables[table.0].last_use;
        StepRunner { around: self.around, table, step, last_use, naming, zeros }
    }
}

/// What makes bytes of a table's rows for one output.
pub(super) struct TableEncoder {
    pub table: TableId,
    pub output: usize,
    pub encoder: Arc<dyn Encoder>,
}

/// Why a chain did not come to its end.
pub(super) enum Stop {
    Problem(Problem),
    Source(SourceError),
    Output(OutputError),
    /// Cells contradict the types that were found: they must be found from all cells.
    Contradiction(TableId),
}

impl From<Problem> for Stop {
    fn from(problem: Problem) -> Self {
        Self::Problem(problem)
    }
}

impl From<SourceError> for Stop {
    fn from(error: SourceError) -> Self {
        Self::Source(error)
    }
}

#[derive(Debug, Clone, Copy)]
pub(super) enum Op {
    Step { at: usize, step: usize },
    Finish { at: usize },
}

pub(super) struct Chain {
    pub tables: Vec<TableId>,
    pub ops: Vec<Op>,
}

impl Chain {
    pub fn new(plan: &Plan, tables: Vec<TableId>) -> Self {
        let mut ops = vec![];
        for (at, table) in tables.iter().enumerate() {
            let steps = plan.tables[table.0].steps.len();
            ops.extend((0..steps).map(|step| Op::Step { at, step }));
            ops.push(Op::Finish { at });
        }
        Self { tables, ops }
    }

    /// Whether an operation must see all rows at once.
    pub fn is_whole(&self, plan: &Plan, op: Op) -> bool {
        let Op::Step { at, step } = op else { return false };
        let step = &plan.tables[self.tables[at].0].steps[step].step;
        step.work().pace() == Pace::Whole
    }

    /// Whether some operations leave every row where it is.
    pub fn keeps_rows(&self, plan: &Plan, ops: &[Op]) -> bool {
        ops.iter().all(|op| match op {
            Op::Step { at, step } => {
                let step = &plan.tables[self.tables[*at].0].steps[*step].step;
                step.work().rows() == RowsBecome::Same
            }
            // Slots are numbered anew for the next table.
            Op::Finish { at } => *at + 1 == self.tables.len(),
        })
    }
}

impl From<OutputError> for Stop {
    fn from(error: OutputError) -> Self {
        Self::Output(error)
    }
}
