//! `one row per` while rows pass by: each batch becomes its groups, and those are gathered again, so
//! that what is held grows with groups and not with rows.

use rayon::prelude::*;

use super::account::StepSum;
use super::gather::{group_problem, rows_gathered, values};
use super::one_row::{
    columns as columns_of, group_named, of_groups, own_mistakes, sizes_of, total_row,
};
use super::operations::StepRunner;
use crate::aggregate::{
    AggregateFunction, GroupFailure, Groups, Values, folded, from_parts, kept, number, parts,
};
use crate::resolve::{AggregatePlan, OneRowPlan, Plan, TablePlan};
use crate::table::{Amount, Batch, Column};
use crate::tally::Problem;
use crate::value::Scalar;

/// Groups of batches are put together when there are so many times as many as after the last time.
const SLACK: usize = 3;
const RARELY: usize = 8;

/// Below so many they are left as they are.
const FEW: usize = 1 << 16;

/// Whether a step can be worked while rows pass by: all that it works can be put together from what
/// was worked of parts.
pub(super) fn streams(plan: &Plan, step: &OneRowPlan) -> bool {
    let parted =
        |of: &AggregatePlan| kept(of.function).is_some() && rows_gathered(plan, of).is_none();
    step.months.is_empty() && step.results.iter().all(|(result, _)| parted(result))
}

/// Groups: keys, how many rows each has, and the parts of what is worked.
struct Parts {
    columns: Vec<Column>,
    count: usize,
}

/// The groups of one batch.
pub(super) struct Partial {
    groups: Parts,
    before: Vec<Option<Amount>>,
    rows: u64,
}

/// The groups of a batch.
pub(super) fn partial(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Result<Partial, Problem> {
    let table = runner.plan();
    let keys = columns_of(runner, batch, plan.keys.iter().map(|(key, ..)| key))?;
    let (groups, firsts) = number(keys.clone(), batch.rows);
    let firsts = firsts.into();
    let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
    let sizes: Vec<i64> = groups.sizes().iter().map(|size| *size as i64).collect();
    columns.push(Column::Integer(sizes.into()));
    for (result, _) in &plan.results {
        let worked = values(result, batch, runner.context.world, runner.zeros)
            .map_err(|failure| runner.problem(batch, failure))?;
        let failed = |failure| {
            let named = |group| group_named(plan, &keys, &firsts, group);
            let text = &table.steps[runner.step].text;
            group_problem(&table.name, text, result, &worked, failure, named)
        };
        columns.extend(parts(&worked, &groups).map_err(failed)?);
    }
    Ok(Partial {
        groups: Parts { columns, count: groups.count },
        before: amounts_before(table, runner.step, batch),
        rows: batch.rows as u64,
    })
}

/// The tracked amounts that end or go on under another column in a step, as they are before it.
pub(super) fn amounts_before(table: &TablePlan, step: usize, batch: &Batch) -> Vec<Option<Amount>> {
    let before = table.tracked.iter().map(|tracked| {
        let changes = tracked.versions.iter().skip(1).any(|(from, _)| *from == step + 1)
            || tracked.ends_at == Some(step);
        let slot = tracked.slot_before(step).filter(|_| changes)?;
        batch.slots[slot.0].as_ref().map(Column::sum)
    });
    before.collect()
}

/// A step that gathers rows as they pass.
#[derive(Clone, Copy)]
pub(super) struct GatherStep<'p> {
    /// The table's place in its chain, and the step's in the table.
    pub at: usize,
    pub step: usize,
    pub plan: &'p OneRowPlan,
    pub table: &'p TablePlan,
}

/// Groups of the batches that have passed.
pub(super) struct Gathering<'p> {
    pub step: GatherStep<'p>,
    parts: Vec<Parts>,
    /// How many groups there are in them.
    count: usize,
    /// So many groups are left as they are.
    most: usize,
    sum: StepSum,
}

impl<'p> Gathering<'p> {
    pub fn new(step: GatherStep<'p>) -> Self {
        Self { step, parts: vec![], count: 0, most: FEW, sum: StepSum::default() }
    }

    /// The step in words.
    fn text(&self) -> &'p str {
        &self.step.table.steps[self.step.step].text
    }

    /// Takes in the groups of the next batch. When they are put together depends on the batches
    /// alone, so that sums of floating-point numbers do not depend on threads.
    pub fn absorb(&mut self, partial: Partial) -> Result<(), Problem> {
        let Partial { groups, before, rows } = partial;
        self.count += groups.count;
        self.parts.push(groups);
        let sum = StepSum { before, rows_before: rows, seen: true, ..StepSum::default() };
        self.sum.absorb(&sum);
        if self.count > self.most {
            let whole = self.together()?;
            // Where hardly any are put together, it is tried again much later.
            let slack = if whole.count * 2 > self.count { RARELY } else { SLACK };
            self.most = FEW.max(whole.count * slack);
            self.count = whole.count;
            self.parts = vec![whole];
        }
        Ok(())
    }

    /// All groups, each once.
    fn together(&mut self) -> Result<Parts, Problem> {
        let parts = std::mem::take(&mut self.parts);
        let all = parts.iter().map(|part| part.count).sum();
        let width = parts.first().map_or(0, |part| part.columns.len());
        let stacked: Vec<Column> = (0..width)
            .map(|at| {
                let columns = parts.iter().map(|part| part.columns[at].clone());
                Column::concat(&columns.collect::<Vec<_>>())
            })
            .collect();
        drop(parts);
        let (keys, parts) = stacked.split_at(self.step.plan.keys.len());
        let (groups, firsts) = number(keys.to_vec(), all);
        let firsts: arrow_array::UInt32Array = firsts.into();
        let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
        let named = |group| group_named(self.step.plan, keys, &firsts, group);
        columns.extend(self.folded(parts, &groups, named)?);
        Ok(Parts { columns, count: groups.count })
    }

    /// The sizes of groups and the parts of aggregates, put together.
    fn folded(
        &self,
        columns: &[Column],
        groups: &Groups,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, Problem> {
        let (sizes, mut left) = columns.split_at(1);
        let mut parts: Vec<(Option<&AggregatePlan>, AggregateFunction, &[Column])> =
            vec![(None, AggregateFunction::Rows, sizes)];
        for (result, _) in &self.step.plan.results {
            let (own, others) = left.split_at(kept(result.function).map_or(0, <[_]>::len));
            left = others;
            parts.push((Some(result), result.function, own));
        }
        let columns: Vec<Result<Vec<Column>, (GroupFailure, Values)>> =
            parts.par_iter().map(|(_, function, own)| folded(*function, own, groups)).collect();
        let told = columns.into_iter().zip(&parts).map(|(columns, (result, ..))| {
            columns.map_err(|(failure, values)| {
                let table = &self.step.table.name;
                match result {
                    Some(result) => {
                        group_problem(table, self.text(), result, &values, failure, &named)
                    }
                    // More rows than can be counted there are none.
                    None => Problem::TooManyRows { table: table.clone() },
                }
            })
        });
        Ok(told.collect::<Result<Vec<_>, _>>()?.concat())
    }

    /// The groups with their results, what happened, and the total's row if there is one. A batch at
    /// least has been taken in, if only one of no rows.
    pub fn finish(mut self) -> Result<(Batch, StepSum, Option<Batch>), Problem> {
        let GatherStep { plan, table, .. } = self.step;
        let Parts { columns, count } = self.together()?;
        let (keys, parts) = columns.split_at(plan.keys.len());
        let all = || {
            let folded = self.folded(parts, &Groups::one(count), |_| vec![])?;
            self.results(&folded, |_| vec![])
        };
        let total = total_row(plan, table, keys, all)?;
        // One row in all is there even of nothing.
        let in_all = keys.is_empty();
        let (rows, results) = if in_all {
            (1, all()?)
        } else {
            let firsts = arrow_array::UInt32Array::from_iter_values(0..count as u32);
            (count, self.results(parts, |group| group_named(plan, keys, &firsts, group))?)
        };
        let sizes = match parts.first() {
            Some(Column::Integer(sizes)) if !in_all => {
                sizes.values().iter().map(|size| *size as u64).collect()
            }
            _ => vec![self.sum.rows_before],
        };
        let mistakes = own_mistakes(plan, &table.name, keys, &sizes);
        let rows = of_groups(table.slots.len(), plan, keys.to_vec(), results, rows);
        let sum = StepSum {
            sizes: Some(sizes_of(sizes)),
            mistakes: mistakes.into_iter().collect(),
            ..self.sum
        };
        Ok((rows, sum, total))
    }

    /// Results from their parts: the sizes of groups come first among `parts`.
    fn results(
        &self,
        parts: &[Column],
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, Problem> {
        let mut left = parts.get(1..).unwrap_or_default();
        let mut results = vec![];
        for (result, _) in &self.step.plan.results {
            let count = kept(result.function).unwrap_or_default().len().min(left.len());
            let (own, others) = left.split_at(count);
            left = others;
            results.push(from_parts(result.function, result.ty, own).map_err(|failure| {
                let values = Values::of(result.function, None, result.ty);
                let table = &self.step.table.name;
                group_problem(table, self.text(), result, &values, failure, &named)
            })?);
        }
        Ok(results)
    }
}
