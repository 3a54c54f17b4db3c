//! The steps that see all rows at once.

use std::sync::atomic::AtomicU64;

use super::chain::{ChainRun, Op, Stop};
use super::operations::StepRunner;
use super::sums::StepSum;
use super::{grouped, one_row, order};
use crate::expr::{Failing, Scope, evaluate};
use crate::grain::{EXAMPLES, broken};
use crate::resolve::{DedupeRule, Proof, SlotId, Step};
use crate::step::dedupe;
use crate::table::{Batch, Bits, Column};
use crate::tally::{Cut, Problem, RepeatedKey};

impl ChainRun<'_> {
    pub(super) fn whole_step(&mut self, op: Op, batch: &mut Batch) -> Result<(), Stop> {
        let Op::Step { at, step } = op else { return Ok(()) };
        let zeros = AtomicU64::new(0);
        let done = self.whole_step_counting(at, step, batch, &zeros);
        self.end.sums[at].zero_divisions += zeros.into_inner();
        done
    }

    fn whole_step_counting(
        &mut self,
        at: usize,
        step: usize,
        batch: &mut Batch,
        zeros: &AtomicU64,
    ) -> Result<(), Stop> {
        let runner = StepRunner {
            context: self.context,
            chain: self.chain,
            at,
            step,
            naming: self.naming(),
            zeros,
        };
        runner.release(batch);
        let plan = &self.context.plan.tables[self.chain.tables[at].0];
        let column = |batch: &Batch, slot: &SlotId| batch.slot(*slot).clone();
        let (stays, cut): (Bits, Cut) = match &plan.steps[step].step {
            Step::Dedupe { slots } => {
                let columns = slots.iter().map(|slot| column(batch, slot)).collect();
                dedupe::copies(columns, batch.rows)
            }
            Step::DedupeBy { keys, rule, copies } => {
                let scope = Scope {
                    batch,
                    world: self.context.world,
                    zero_divisions: zeros,
                    failing: Failing::Stops,
                };
                let keys: Result<Vec<Column>, _> =
                    keys.iter().map(|key| evaluate(key, &scope)).collect();
                let keys = keys.map_err(|failure| runner.problem(batch, failure))?;
                let ranks: Vec<Column> = match rule {
                    DedupeRule::Best(best) => {
                        best.iter().map(|(_, slot)| column(batch, slot)).collect()
                    }
                    _ => vec![],
                };
                let whole = copies.iter().map(|slot| column(batch, slot)).collect();
                dedupe::by_key(keys, batch.rows, rule, &ranks, whole)
            }
            Step::OneRow(one_row) => {
                let (sum, total) = one_row::one_row(one_row, &runner, batch)?;
                self.total = total.map(|total| (at, total));
                self.end.sums[at].steps[step].absorb(&sum);
                return Ok(());
            }
            Step::Grouped(plans) => {
                grouped::grouped(plans, &runner, batch)?;
                // The total is in no group.
                if let Some((_, total)) = self.total.as_mut().filter(|(of, _)| *of == at) {
                    for plan in plans {
                        let column = Column::all_blank(
                            self.context.plan.tables[self.chain.tables[at].0].slots[plan.slot.0],
                            1,
                        );
                        total.slots[plan.slot.0] = Some(column);
                    }
                }
                return Ok(());
            }
            Step::Sort(by) => {
                let rows = order::sorted(&runner, batch, by)?;
                *batch = batch.take(&rows);
                return Ok(());
            }
            Step::Top(top) => {
                let chosen = order::top(&runner, batch, top)?;
                let removed_rows = (batch.rows - chosen.rows.len()) as u64;
                let removed = runner.removed(batch, &chosen.stays);
                let ties = Some((chosen.ties_cut, chosen.ties_kept));
                let sum = StepSum { removed_rows, removed, ties, seen: true, ..StepSum::default() };
                *batch = batch.take(&chosen.rows);
                self.end.sums[at].steps[step].absorb(&sum);
                return Ok(());
            }
            Step::Grain { columns, proof } => {
                let slots: Vec<Column> =
                    columns.iter().map(|(_, slot)| column(batch, slot)).collect();
                let unique = *proof == Proof::Unique;
                let Some(broken) = broken(slots, batch.rows, unique) else { return Ok(()) };
                let naming = self.naming();
                let place = |row: u32| naming.place(self.context, batch, row as usize);
                let examples = broken.examples.iter().map(|(key, rows)| RepeatedKey {
                    key: key.clone(),
                    rows: rows.len() as u64,
                    places: rows.iter().take(EXAMPLES).filter_map(|row| place(*row)).collect(),
                });
                return Err(Stop::Problem(Problem::Grain {
                    table: plan.name.clone(),
                    columns: columns.iter().map(|(name, _)| name.clone()).collect(),
                    repeated: broken.repeated,
                    repeated_rows: broken.repeated_rows,
                    blank: broken.blank,
                    examples: examples.collect(),
                    blank_places: broken.blank_rows.iter().filter_map(|row| place(*row)).collect(),
                }));
            }
            _ => return Ok(()),
        };
        let removed_rows = (batch.rows - stays.count()) as u64;
        let removed = runner.removed(batch, &stays);
        let sum = StepSum { removed_rows, removed, cut, seen: true, ..StepSum::default() };
        if removed_rows > 0 {
            // What only this step looked at, such as fingerprints, is not carried on.
            let next = StepRunner { step: step + 1, ..runner };
            next.release(batch);
            *batch = std::mem::take(batch).into_filtered(&stays);
        }
        self.end.sums[at].steps[step].absorb(&sum);
        Ok(())
    }
}
