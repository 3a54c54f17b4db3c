//! The steps that work on a batch at a time, and what happens where a table is finished.

use std::sync::atomic::{AtomicU64, Ordering};

use super::chain::{Chain, Context, Op};
use super::check::CheckSum;
use super::demand::input_of;
use super::sums::StepSum;
use crate::aggregate::AllRows;
use crate::bug::Sure;
use crate::expr::{Failing, FailureKind, RowFailure, Scope, Typed, evaluate, truth};
use crate::resolve::{Plan, Step, TablePlan};
use crate::step::units::{Trouble, split_units};
use crate::table::{Amount, Batch, Bits, Column, Place, Places, Rows, TableId};
use crate::tally::{Problem, RowReason};

/// What came of a batch that went through some operations.
pub(super) struct Passed {
    pub batch: Batch,
    pub steps: Vec<(usize, usize, StepSum)>,
    pub finished: Vec<Finished>,
    pub troubles: Vec<(usize, usize, Vec<Trouble>)>,
    pub zero_divisions: Vec<(usize, u64)>,
}

/// What a batch leaves where a table is finished.
pub(super) struct Finished {
    /// The table's place in the chain.
    pub at: usize,
    pub rows: u64,
    pub sums: Vec<Option<Amount>>,
    pub checks: Vec<(usize, CheckSum)>,
    pub totals: Vec<(usize, AllRows)>,
    /// Bytes for outputs, by their number in the plan.
    pub encoded: Vec<(usize, Vec<u8>)>,
}

/// Where a batch's rows came from, for messages.
#[derive(Clone, Copy)]
pub(super) struct Naming<'a> {
    pub input: TableId,
    /// The places of the input's rows while the batch's are numbered as read; nothing where they are
    /// numbered as finished.
    pub places: Option<&'a Places>,
}

impl Naming<'_> {
    /// Of the rows of a finished table.
    pub fn finished(plan: &Plan, table: TableId) -> Self {
        Self { input: input_of(plan, table), places: None }
    }

    pub fn place(&self, context: &Context<'_>, batch: &Batch, row: usize) -> Option<Place> {
        let number = batch.origin(self.input)?.get(row)?;
        self.place_of(context, number)
    }

    pub fn place_of(&self, context: &Context<'_>, number: u32) -> Option<Place> {
        if let Some(places) = self.places {
            return places.place(number);
        }
        let input = context.world.tables[self.input.0].as_ref()?;
        let as_read = input.origin(self.input)?.get(number as usize)?;
        input.places.as_ref()?.place(as_read)
    }
}

/// Sends a batch through `ops`.
pub(super) fn run(
    context: &Context<'_>,
    chain: &Chain,
    ops: &[Op],
    batch: Batch,
    naming: Naming<'_>,
) -> Result<Passed, Problem> {
    let mut passed =
        Passed { batch, steps: vec![], finished: vec![], troubles: vec![], zero_divisions: vec![] };
    for op in ops {
        match *op {
            Op::Step { at, step } => {
                let zeros = AtomicU64::new(0);
                let runner = StepRunner { context, chain, at, step, naming, zeros: &zeros };
                runner.run(&mut passed)?;
                let zeros = zeros.into_inner();
                if zeros > 0 {
                    passed.zero_divisions.push((at, zeros));
                }
            }
            Op::Finish { at } => finish(context, chain, at, &mut passed, naming)?,
        }
    }
    Ok(passed)
}

pub(super) struct StepRunner<'a> {
    pub context: &'a Context<'a>,
    pub chain: &'a Chain,
    pub at: usize,
    pub step: usize,
    pub naming: Naming<'a>,
    pub zeros: &'a AtomicU64,
}

impl<'a> StepRunner<'a> {
    pub fn id(&self) -> TableId {
        self.chain.tables[self.at]
    }

    pub fn plan(&self) -> &'a TablePlan {
        &self.context.plan.tables[self.id().0]
    }

    fn scope<'b>(&'b self, batch: &'b Batch) -> Scope<'b> {
        Scope {
            batch,
            world: self.context.world,
            zero_divisions: self.zeros,
            failing: Failing::Stops,
        }
    }

    /// Lets go of slots that nothing uses from this step on.
    pub fn release(&self, batch: &mut Batch) {
        let demand = &self.context.demand.tables[self.id().0];
        for (slot, column) in batch.slots.iter_mut().enumerate() {
            if demand.last_use[slot].is_none_or(|last| last < self.step) {
                *column = None;
            }
        }
    }

    pub fn problem(&self, batch: &Batch, failure: RowFailure) -> Problem {
        let step = self.plan().steps[self.step].text.clone();
        row_problem(self.context, self.id(), step, batch, self.naming, failure)
    }

    fn run(&self, passed: &mut Passed) -> Result<(), Problem> {
        let demand = &self.context.demand.tables[self.id().0];
        let plan = self.plan();
        match &plan.steps[self.step].step {
            Step::Assign(assigned) => {
                for (slot, value) in assigned {
                    if demand.last_use[slot.0].is_none() {
                        continue;
                    }
                    let column = evaluate(value, &self.scope(&passed.batch))
                        .map_err(|failure| self.problem(&passed.batch, failure))?;
                    passed.batch.slots[slot.0] = Some(column);
                }
                let before = self.changed_before(&passed.batch);
                if before.iter().any(Option::is_some) {
                    let sum = StepSum { before, seen: true, ..StepSum::default() };
                    passed.steps.push((self.at, self.step, sum));
                }
            }
            Step::Filter { keep, condition } => {
                self.release(&mut passed.batch);
                let sum = self.filter(&mut passed.batch, *keep, condition)?;
                passed.steps.push((self.at, self.step, sum));
            }
            Step::Units(units) => {
                self.release(&mut passed.batch);
                let before = self.changed_before(&passed.batch);
                let of = evaluate(&units.of, &self.scope(&passed.batch))
                    .map_err(|failure| self.problem(&passed.batch, failure))?;
                let rows_before = passed.batch.rows as u64;
                let (batch, mut troubles) = split_units(&passed.batch, units, &of);
                for trouble in &mut troubles {
                    self.describe(&passed.batch, trouble);
                }
                if !troubles.is_empty() {
                    passed.troubles.push((self.at, self.step, troubles));
                }
                passed.batch = batch;
                let sum = StepSum { before, rows_before, seen: true, ..StepSum::default() };
                passed.steps.push((self.at, self.step, sum));
            }
            Step::Names => {
                let before = plan.tracked.iter().map(|tracked| {
                    let ends = tracked.ends_at == Some(self.step);
                    let slot = tracked.last_slot();
                    passed.batch.slots[slot.0].as_ref().filter(|_| ends).map(Column::sum)
                });
                let before: Vec<Option<Amount>> = before.collect();
                if before.iter().any(Option::is_some) {
                    let sum = StepSum { before, seen: true, ..StepSum::default() };
                    passed.steps.push((self.at, self.step, sum));
                }
            }
            // Whole steps are done between batches.
            Step::Dedupe { .. }
            | Step::DedupeBy { .. }
            | Step::Grain { .. }
            | Step::OneRow(_)
            | Step::Grouped(_)
            | Step::Sort(_)
            | Step::Top(_) => {}
        }
        Ok(())
    }

    /// Places and tracked amounts of rows that units cannot count.
    fn describe(&self, batch: &Batch, trouble: &mut Trouble) {
        let examples: Vec<_> = trouble.examples.drain(..).collect();
        trouble.examples = examples
            .into_iter()
            .map(|(row, text, _)| (row, text, self.naming.place(self.context, batch, row)))
            .collect();
        let rows: Vec<u32> = trouble.rows.iter().map(|row| *row as u32).collect();
        let rows = Rows::from(rows);
        for tracked in &self.plan().tracked {
            let column =
                tracked.slot_before(self.step).and_then(|slot| batch.slots[slot.0].as_ref());
            if let Some(column) = column {
                trouble.amounts.push((tracked.name.clone(), column.take(&rows).sum()));
            }
        }
    }

    /// What tracked amounts that this step replaces were before it.
    fn changed_before(&self, batch: &Batch) -> Vec<Option<Amount>> {
        self.plan()
            .tracked
            .iter()
            .map(|tracked| {
                let changes =
                    tracked.versions.iter().skip(1).any(|(from, _)| *from == self.step + 1);
                let slot = tracked.slot_before(self.step).filter(|_| changes)?;
                batch.slots[slot.0].as_ref().map(Column::sum)
            })
            .collect()
    }

    fn filter(&self, batch: &mut Batch, keep: bool, condition: &Typed) -> Result<StepSum, Problem> {
        let (holds, blank) =
            truth(condition, &self.scope(batch)).map_err(|failure| self.problem(batch, failure))?;
        let stays = if keep { holds } else { !&holds };
        let removed_rows = (batch.rows - stays.count()) as u64;
        let removed = self.removed(batch, &stays);
        if removed_rows > 0 {
            *batch = batch.filter(&stays);
        }
        Ok(StepSum { removed_rows, blank: blank as u64, removed, seen: true, ..StepSum::default() })
    }

    /// The tracked amounts of the rows that do not stay. An amount that a later `add` makes is
    /// worked for them as well; where that fails it is blank.
    pub fn removed(&self, batch: &Batch, stays: &Bits) -> Vec<Option<Amount>> {
        let plan = self.plan();
        if plan.tracked.is_empty() {
            return vec![];
        }
        let gone = batch.filter(&!stays);
        let mut worked = gone;
        let created = plan.tracked.iter().map(|tracked| tracked.versions[0].0).max().unwrap_or(0);
        let demand = &self.context.demand.tables[self.id().0];
        if worked.rows > 0 {
            for later in self.step + 1..created.min(plan.steps.len()) {
                let Step::Assign(assigned) = &plan.steps[later].step else { continue };
                for (slot, value) in assigned {
                    if plan.from_step[slot.0] > self.step || demand.last_use[slot.0].is_none() {
                        continue;
                    }
                    let scope = Scope {
                        batch: &worked,
                        world: self.context.world,
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
                match &worked.slots[slot.0] {
                    Some(column) => Some(column.sum()),
                    None => {
                        let scale = plan.slots[slot.0].scale().unwrap_or_default();
                        (worked.rows == 0).then(|| Amount::exact(Some(0), scale, 0))
                    }
                }
            })
            .collect()
    }
}

/// A row that cannot be worked, as a problem with its place.
pub(super) fn row_problem(
    context: &Context<'_>,
    id: TableId,
    step: String,
    batch: &Batch,
    naming: Naming<'_>,
    failure: RowFailure,
) -> Problem {
    let plan = &context.plan.tables[id.0];
    let reason = match failure.kind {
        FailureKind::Gathered { id, row } => {
            return context.faults.get(&id).sure("what was gathered").problem(row);
        }
        FailureKind::Grouped { slot, group } => return context.grouped.problem(id, slot, group),
        FailureKind::Overflow => RowReason::Overflow,
        FailureKind::Limit(what) => RowReason::Limit { what: what.into() },
        FailureKind::Conversion { value, to } => {
            RowReason::Conversion { value, to: to.to_string() }
        }
    };
    let row = grain_values(plan, batch, failure.row)
        .into_iter()
        .map(|(name, value)| format!("{name} {value}"))
        .collect::<Vec<_>>()
        .join(", ");
    let place = naming.place(context, batch, failure.row);
    Problem::Row { table: plan.name.clone(), step, reason, span: failure.span, row, place }
}

/// The same for a row of a finished table, whose columns are the batch's slots.
pub(super) fn finished_problem(
    context: &Context<'_>,
    id: TableId,
    step: String,
    columns: &Batch,
    naming: Naming<'_>,
    failure: RowFailure,
) -> Problem {
    let batch = finished_slots(&context.plan.tables[id.0], columns);
    row_problem(context, id, step, &batch, naming, failure)
}

/// A batch with the columns under the numbers of their slots, as steps see them.
pub(super) fn finished_slots(plan: &TablePlan, columns: &Batch) -> Batch {
    let mut slots = vec![None; plan.slots.len()];
    for ((_, slot), column) in plan.columns.iter().zip(&columns.slots) {
        slots[slot.0].clone_from(column);
    }
    Batch::new(columns.rows, slots, columns.origins.clone())
}

/// A row's grain, as far as its columns are at hand.
pub(super) fn grain_values(plan: &TablePlan, batch: &Batch, row: usize) -> Vec<(String, String)> {
    let Some(grain) = &plan.grain else { return vec![] };
    grain
        .columns
        .iter()
        .filter_map(|name| {
            let (_, slot) = plan.columns.iter().find(|(column, _)| column == name)?;
            let column = batch.slots[slot.0].as_ref()?;
            Some((name.clone(), column.scalar(row).to_string()))
        })
        .collect()
}

/// The bytes of finished rows, for each output of their table.
pub(super) fn encoded(context: &Context<'_>, id: TableId, rows: &Batch) -> Vec<(usize, Vec<u8>)> {
    let own = context.encoders.iter().filter(|encoder| encoder.table == id);
    own.map(|encoder| {
        let column = |slot: &Option<Column>| slot.clone().sure("a column of an output");
        let columns: Vec<Column> = rows.slots.iter().map(column).collect();
        (encoder.output, encoder.encoder.encode(&columns, rows.rows))
    })
    .collect()
}

/// A table is finished: sums, checks, totals and outputs take what they need of the batch.
fn finish(
    context: &Context<'_>,
    chain: &Chain,
    at: usize,
    passed: &mut Passed,
    naming: Naming<'_>,
) -> Result<(), Problem> {
    let id = chain.tables[at];
    let plan = &context.plan.tables[id.0];
    let demand = &context.demand.tables[id.0];
    let batch = &mut passed.batch;
    for (slot, column) in batch.slots.iter_mut().enumerate() {
        if demand.last_use[slot].is_none_or(|last| last < plan.steps.len()) {
            *column = None;
        }
    }
    let sums = plan
        .tracked
        .iter()
        .map(|tracked| {
            let slot = tracked.ends_at.is_none().then(|| tracked.last_slot())?;
            batch.slots[slot.0].as_ref().map(Column::sum)
        })
        .collect();
    // Checks and totals see the finished columns as their slots.
    let columns = Batch::new(
        batch.rows,
        plan.columns.iter().map(|(_, slot)| batch.slots[slot.0].clone()).collect(),
        batch.origins.clone(),
    );
    let zeros = AtomicU64::new(0);
    let (checks, totals) = super::check::passing(context, id, &columns, naming, &zeros)?;
    let encoded = encoded(context, id, &columns);
    let rows = batch.rows as u64;
    passed.finished.push(Finished { at, rows, sums, checks, totals, encoded });
    let zeros = zeros.load(Ordering::Relaxed);
    if zeros > 0 {
        passed.zero_divisions.push((at, zeros));
    }
    if let Some(next) = chain.tables.get(at + 1) {
        let next = &context.plan.tables[next.0];
        let mut slots = vec![None; next.slots.len()];
        for (slot, column) in &next.imports {
            slots[slot.0].clone_from(&columns.slots[*column]);
        }
        batch.slots = slots;
    }
    Ok(())
}
