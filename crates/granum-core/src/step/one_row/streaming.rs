//! `one row per` while rows pass by: each batch becomes its groups, and those are put together again, so
//! that what is held grows with groups and not with rows.

use rayon::prelude::*;

use super::super::leading::rows_gathered;
use super::super::{StepRunner, StepSum, group_problem};
use super::pile::{Different, Piece, Pile, different_in, different_in_all};
use super::{group_named, of_groups, own_mistakes, sizes_of, step_values, total_row};
use crate::aggregate::{
    AggregateFunction, Groups, Sum, Values, different as pairs_of, folded, from_parts, kept,
    number, parted, parts,
};
use crate::resolve::{AggregatePlan, OneRowPlan, Plan, TablePlan};
use crate::table::{Batch, Column, Rows};
use crate::tally::Problem;
use crate::value::Scalar;

/// Whether a step can be worked while rows pass by: all that it works can be put together from what
/// was worked of parts.
pub(crate) fn streams(plan: &Plan, step: &OneRowPlan) -> bool {
    let parted = |of: &AggregatePlan| {
        let parts = match of.function {
            AggregateFunction::Distinct => true,
            // What ties goes to the later row, which the total cannot tell from groups.
            AggregateFunction::Latest | AggregateFunction::Earliest => {
                step.total.is_none() && of.by.len() < 2
            }
            function => parted(function, of.ty),
        };
        // What counts apart is looked at in whole groups.
        parts && of.apart.is_none() && rows_gathered(plan, of).is_none()
    };
    step.months.is_empty() && step.results.iter().all(|(result, _)| parted(result))
}

/// The groups of one batch.
pub(crate) struct Partial {
    /// Keys, how many rows each group has, and the parts of what is worked.
    groups: Piece,
    /// For each count of different values, the keys and values that it counts.
    different: Vec<Piece>,
    before: Vec<Option<Sum>>,
    rows: u64,
}

/// The groups of a batch.
pub(crate) fn partial(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Result<Partial, Problem> {
    let table = runner.plan();
    let keys = runner.columns(batch, plan.keys.iter().map(|(key, ..)| key))?;
    let (groups, firsts) = number(keys.clone(), batch.rows);
    let firsts = firsts.into();
    let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
    let sizes: Vec<i64> = groups.sizes().iter().map(|size| *size as i64).collect();
    columns.push(Column::Integer(sizes.into()));
    let mut different = vec![];
    for (result, _) in &plan.results {
        let worked = step_values(runner, result, batch)?;
        if result.function == AggregateFunction::Distinct {
            let rows = pairs_of(&worked, &groups);
            let pairs = keys.iter().chain(&worked.value).map(|column| column.take(&rows));
            different.push(Piece { columns: pairs.collect(), count: rows.len() });
            continue;
        }
        let failed = |failure| {
            let named = |group| group_named(plan, &keys, &firsts, group);
            let text = runner.text();
            group_problem(&table.name, text, result, &worked, failure, named)
        };
        columns.extend(parts(&worked, &groups).map_err(failed)?);
    }
    Ok(Partial {
        groups: Piece { columns, count: groups.count },
        different,
        before: runner.amounts_before(batch),
        rows: batch.rows as u64,
    })
}

/// A step that makes groups of rows as they pass.
#[derive(Clone, Copy)]
pub(crate) struct GroupStep<'p> {
    /// The step's place in its table.
    pub step: usize,
    pub plan: &'p OneRowPlan,
    pub table: &'p TablePlan,
}

/// Groups of the batches that have passed.
pub(crate) struct GroupsSoFar<'p> {
    pub step: GroupStep<'p>,
    groups: Pile,
    different: Vec<Different>,
    sum: StepSum,
}

impl<'p> GroupsSoFar<'p> {
    pub fn new(step: GroupStep<'p>) -> Self {
        Self { step, groups: Pile::new(), different: vec![], sum: StepSum::default() }
    }

    /// The step in words.
    fn text(&self) -> &'p str {
        &self.step.table.steps[self.step.step].text
    }

    /// Takes in the groups of the next batch. When they are put together depends on the batches
    /// alone, so that sums of floating-point numbers do not depend on threads.
    pub fn absorb(&mut self, partial: Partial) -> Result<(), Problem> {
        let Partial { groups, different, before, rows } = partial;
        self.different.resize_with(different.len(), Different::new);
        self.different.iter_mut().zip(different).for_each(|(all, pairs)| all.absorb(pairs));
        let sum = StepSum { before, rows_before: rows, seen: true, ..StepSum::default() };
        self.sum.absorb(&sum);
        if self.groups.lay(groups) {
            let whole = self.together()?;
            self.groups.settle(whole);
        }
        Ok(())
    }

    /// All groups, each once.
    fn together(&mut self) -> Result<Piece, Problem> {
        let Piece { columns: stacked, count: all } = self.groups.take();
        let (keys, parts) = stacked.split_at(self.step.plan.keys.len());
        let (groups, firsts) = number(keys.to_vec(), all);
        let firsts: Rows = firsts.into();
        let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
        let named = |group| group_named(self.step.plan, keys, &firsts, group);
        columns.extend(self.folded(parts, &groups, named)?);
        Ok(Piece { columns, count: groups.count })
    }

    /// The sizes of groups and the parts of aggregates, put together.
    fn folded(
        &self,
        columns: &[Column],
        groups: &Groups,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, Problem> {
        let parts = self.parted(columns);
        let found: Vec<_> =
            parts.par_iter().map(|(result, own)| folded(result.function, own, groups)).collect();
        let table = &self.step.table.name;
        // More rows than can be counted there are none.
        let mut all = folded(AggregateFunction::Rows, &columns[..1], groups)
            .map_err(|_| Problem::TooManyRows { table: table.clone() })?;
        for (columns, (result, _)) in found.into_iter().zip(parts) {
            all.extend(columns.map_err(|(failure, values)| {
                group_problem(table, self.text(), result, &values, failure, &named)
            })?);
        }
        Ok(all)
    }

    /// The results, each with what is kept of it; the sizes of groups come before.
    fn parted<'c>(&self, columns: &'c [Column]) -> Vec<(&'p AggregatePlan, &'c [Column])> {
        let mut left = &columns[1..];
        let results = self.step.plan.results.iter().map(|(result, _)| {
            let (own, others) = left.split_at(kept(result.function).map_or(0, <[_]>::len));
            left = others;
            (result, own)
        });
        results.collect()
    }

    /// The groups with their results, what happened, and the total row if there is one. A batch at
    /// least has been taken in, if only one of no rows.
    pub fn finish(mut self) -> Result<(Batch, StepSum, Option<Batch>), Problem> {
        let GroupStep { plan, table, .. } = self.step;
        let Piece { columns, count } = self.together()?;
        let different = std::mem::take(&mut self.different).into_iter().map(Different::finish);
        let different: Vec<Piece> = different.collect();
        let (keys, parts) = columns.split_at(plan.keys.len());
        let all = || {
            let folded = self.folded(parts, &Groups::one(count), |_| vec![])?;
            let different = different.iter().map(different_in_all).collect();
            self.results(&folded, different, |_| vec![])
        };
        let total = total_row(plan, table, keys, all)?;
        // One row in all is there even of nothing.
        let in_all = keys.is_empty();
        let (rows, results) = if in_all {
            (1, all()?)
        } else {
            let firsts = Rows::same(count);
            let different =
                different.iter().map(|pairs| different_in(keys, count, pairs)).collect();
            let named = |group| group_named(plan, keys, &firsts, group);
            (count, self.results(parts, different, named)?)
        };
        let sizes = match parts.first() {
            Some(Column::Integer(sizes)) if !in_all => {
                sizes.all().map(|size| size as u64).collect()
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

    /// Results from their parts, of which the sizes of groups are the first, and from the counts of
    /// different values.
    fn results(
        &self,
        parts: &[Column],
        different: Vec<Column>,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, Problem> {
        let mut different = different.into_iter();
        let mut results = vec![];
        for (result, own) in self.parted(parts) {
            if result.function == AggregateFunction::Distinct {
                results.extend(different.next());
                continue;
            }
            results.push(from_parts(result.function, result.ty, own).map_err(|failure| {
                let values = Values::of(result.function, None, result.ty);
                let table = &self.step.table.name;
                group_problem(table, self.text(), result, &values, failure, &named)
            })?);
        }
        Ok(results)
    }
}
