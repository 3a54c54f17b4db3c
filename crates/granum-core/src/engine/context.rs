//! What all parts of a run look at.

use std::ops::Deref;
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

use super::demand::Demand;
use crate::lang::Diagnostic;
use crate::port::{Encoder, Observer, OutputError, SourceError};
use crate::resolve::TablePlan;
use crate::step::{Around, Naming, StepRunner};
use crate::table::{Column, ColumnId, Held, Room, ScratchError, SlotId, TableId};

/// What all parts of a run look at and none changes.
pub(super) struct Context<'a> {
    /// What steps see of it.
    pub around: Around<'a>,
    pub demand: &'a Demand,
    pub encoders: &'a [TableEncoder],
    pub observer: &'a dyn Observer,
    /// How much columns may hold in memory; all that they need where nothing is said.
    pub room: Option<&'a Room>,
}

impl<'a> Deref for Context<'a> {
    type Target = Around<'a>;

    fn deref(&self) -> &Around<'a> {
        &self.around
    }
}

impl<'a> Context<'a> {
    /// Whether what was put away can be got again.
    ///
    /// # Errors
    /// Why it cannot: nothing that was made since has a meaning.
    pub fn can_go_on(&self) -> Result<(), Stop> {
        self.room.and_then(Room::failed).map_or(Ok(()), |error| Err(Stop::Scratch(error)))
    }

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

/// The slots that a table begins with, by what there is of each column that it is made from.
pub(super) fn first_slots<C: Clone>(
    table: &TablePlan,
    column: impl Fn(SlotId, ColumnId) -> Option<C>,
) -> Vec<Option<C>> {
    let mut slots = vec![None; table.slots.len()];
    for (slot, from) in &table.imports {
        slots[slot.0] = column(*slot, *from);
    }
    slots
}

/// The columns of a finished table, from the slots of its rows.
pub(super) fn finished_columns(table: &TablePlan, slots: &[Option<Column>]) -> Vec<Option<Held>> {
    table.columns.iter().map(|(_, slot)| slots[slot.0].clone().map(Held::Own)).collect()
}

/// What makes bytes of a table's rows for one output.
pub(super) struct TableEncoder {
    pub table: TableId,
    pub output: usize,
    pub encoder: Arc<dyn Encoder>,
}

/// Why a run has no report.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// The plan is wrong.
    #[error("the plan has {} errors", .0.len())]
    Plan(Vec<Diagnostic>),
    /// A file cannot be read.
    #[error(transparent)]
    Source(SourceError),
    /// An output cannot be written.
    #[error(transparent)]
    Output(OutputError),
    /// What memory has no room for cannot be put away, or not be got again.
    #[error(transparent)]
    Scratch(ScratchError),
}

/// Why a run did not come to its end. What is wrong with the data does not stop it: it is noted, and
/// what does not need it goes on.
pub(super) enum Stop {
    Source(SourceError),
    Output(OutputError),
    Scratch(ScratchError),
    /// Cells contradict the types that were found: they must be found from all cells.
    Contradiction(TableId),
}

impl From<SourceError> for Stop {
    fn from(error: SourceError) -> Self {
        Self::Source(error)
    }
}

impl From<OutputError> for Stop {
    fn from(error: OutputError) -> Self {
        Self::Output(error)
    }
}
