//! A batch on its way through steps, and what happens where a table is finished.

use std::sync::atomic::{AtomicU64, Ordering};

use super::check::CheckSum;
use super::context::{Chain, Context, Op};
use crate::aggregate::AllRows;
use crate::bug::Sure;
use crate::step::{Naming, OnRows, Pace, StepSum, Trouble};
use crate::table::{Amount, Batch, Column, TableId};
use crate::tally::Problem;

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
                let runner = context.runner(chain.tables[at], step, naming, &zeros);
                let work = runner.plan().steps[step].step.work();
                // Steps that see all rows at once are done between batches.
                if work.pace() == Pace::Passing {
                    let left =
                        work.work(&runner, OnRows { batch: &mut passed.batch, total: None })?;
                    passed.steps.extend(left.sum.map(|sum| (at, step, sum)));
                    if !left.troubles.is_empty() {
                        passed.troubles.push((at, step, left.troubles));
                    }
                }
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
    let batch = &mut passed.batch;
    let zeros = AtomicU64::new(0);
    // Behind the last step only what is needed at the end is left.
    context.runner(id, plan.steps.len(), naming, &zeros).release(batch);
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
