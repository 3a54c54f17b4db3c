//! `one row per`, and the values of groups that each row gets.
use rayon::prelude::*;

mod away;
mod led;
mod pile;
mod scattered;
mod streaming;
mod told;

pub(crate) use streaming::{GroupStep, GroupsSoFar, Partial, partial, streams};
pub(crate) use told::SharedNames;

use super::leading::leading;
use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work, group_problem, values};
use crate::aggregate::{Groups, Values, aggregate, number};
use crate::expr::Typed;
use crate::resolve::{AggregatePlan, OneRowPlan, TablePlan};
use crate::table::{Batch, Column, Rows};
use crate::tally::{Mistake, Problem, StepDetail};
use crate::value::{Scalar, Type};
use told::{Sizes, Years};

/// The values of an aggregate over all rows of a step.
pub(super) fn step_values(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    batch: &Batch,
) -> Result<Values, Problem> {
    values(plan, batch, runner.around.world, runner.zeros)
        .map_err(|failure| runner.problem(batch, failure))
}

impl Work for OneRowPlan {
    fn expressions(&self) -> Vec<&Typed> {
        let parts = self.results.iter().flat_map(|(result, _)| result.parts());
        self.keys.iter().map(|(key, ..)| key).chain(parts).collect()
    }

    fn scatters(&self) -> bool {
        true
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Groups
    }

    fn groups(&self) -> Option<&OneRowPlan> {
        Some(self)
    }

    fn detail(&self, _: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        StepDetail::Groups {
            sizes: sum.sizes.unwrap_or_default(),
            total: self.total.clone(),
            ends: self.ends.clone(),
        }
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        if let Some((sum, groups)) = scattered::scattered(self, at, on.batch) {
            *on.batch = groups;
            return Ok(Left::of(sum));
        }
        on.batch.get(at.reads().into_iter());
        let (sum, total_row) = one_row(self, at, on.batch)?;
        Ok(Left { total_row, ..Left::of(sum) })
    }
}

/// Rows become groups. Gives the total row too, if there is one.
fn one_row(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &mut Batch,
) -> Result<(StepSum, Option<Batch>), Problem> {
    let table = runner.plan();
    let keys = runner.columns(batch, plan.keys.iter().map(|(key, ..)| key))?;
    let (groups, firsts) = if plan.keys.is_empty() {
        (Groups::one(batch.rows), vec![])
    } else {
        number(keys.clone(), batch.rows)
    };
    let worked = plan.results.iter().map(|(result, _)| worked(runner, result, batch));
    let worked = worked.collect::<Result<Vec<_>, _>>()?;
    let firsts = Rows::from(firsts);
    let text = runner.text();
    let results = |groups: &Groups, whole: bool| -> Result<Vec<Column>, Problem> {
        let found: Vec<_> = worked
            .par_iter()
            .map(|(values, leads)| match leads {
                Some(leads) => aggregate(values, &groups.through(leads)),
                None => aggregate(values, groups),
            })
            .collect();
        found
            .into_iter()
            .enumerate()
            .map(|(index, found)| {
                found.map_err(|failure| {
                    let (result, _) = &plan.results[index];
                    let named = |group: u32| {
                        if whole { vec![] } else { group_named(plan, &keys, &firsts, group) }
                    };
                    group_problem(&table.name, text, result, &worked[index].0, failure, named)
                })
            })
            .collect()
    };
    let worked_out = results(&groups, plan.keys.is_empty())?;
    let group_keys: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
    // Worked afresh from all rows, so that different values are counted once.
    let all = || results(&Groups::one(batch.rows), true);
    let total = total_row(plan, table, &group_keys, all)?;
    let sizes = groups.sizes();
    let mut mistakes = vec![];
    for (key, day) in &plan.months {
        let mut years = Years::default();
        runner.columns(batch, std::iter::once(day))?.iter().for_each(|day| years.see(day));
        mistakes.extend(years.mistake(key));
    }
    mistakes.extend(own_mistake(plan, table, &group_keys, &sizes));
    let sum = StepSum {
        before: runner.amounts_before(batch),
        rows_before: batch.rows as u64,
        sizes: Some(Sizes::of(&sizes).told()),
        mistakes,
        ..StepSum::default()
    };
    *batch = of_groups(table.slots.len(), plan, group_keys, worked_out, groups.count);
    Ok((sum, total))
}

/// The values of a result; for each of them the row that it counts for, where it is of rows that
/// lead here.
fn worked(
    runner: &StepRunner<'_>,
    result: &AggregatePlan,
    batch: &Batch,
) -> Result<(Values, Option<Rows>), Problem> {
    if let Some((values, leads)) = leading(runner, result, batch)? {
        return Ok((values, Some(leads)));
    }
    Ok((step_values(runner, result, batch)?, None))
}

/// The keys of a group by its first row.
pub(super) fn group_named(
    plan: &OneRowPlan,
    keys: &[Column],
    firsts: &Rows,
    group: u32,
) -> Vec<(String, Scalar)> {
    let row = firsts.row(group as usize);
    plan.keys.iter().zip(keys).map(|((.., name), key)| (name.clone(), key.scalar(row))).collect()
}

/// The total row, if there is one, with the results that `all` gives of all rows. No group may be
/// called as it is.
pub(super) fn total_row(
    plan: &OneRowPlan,
    table: &TablePlan,
    keys: &[Column],
    all: impl FnOnce() -> Result<Vec<Column>, Problem>,
) -> Result<Option<Batch>, Problem> {
    let Some(total) = &plan.total else { return Ok(None) };
    if let Some((_, taken)) = total_taken(plan, table, keys) {
        return Err(taken);
    }
    let text = Scalar::Text(total.clone());
    let keys = plan.keys.iter().map(|_| Column::constant(&text, Type::Text, 1)).collect();
    Ok(Some(of_groups(table.slots.len(), plan, keys, all()?, 1)))
}

/// The first key by which a group is called as the total row is, and what is told of that.
fn total_taken(plan: &OneRowPlan, table: &TablePlan, keys: &[Column]) -> Option<(usize, Problem)> {
    let total = plan.total.as_ref()?;
    let called = |key: &Column| match key {
        Column::Text(array) => array.iter().flatten().any(|value| value == total),
        _ => false,
    };
    let at = keys.iter().position(called)?;
    let (table, column, total) = (table.name.clone(), plan.keys[at].2.clone(), total.clone());
    Some((at, Problem::TotalTaken { table, column, total }))
}

/// A name that several of the step's own rows share.
fn own_mistake(
    plan: &OneRowPlan,
    table: &TablePlan,
    keys: &[Column],
    sizes: &[u64],
) -> Option<Mistake> {
    plan.own_name.as_ref()?;
    let mut names = SharedNames::default();
    keys.iter().take(1).for_each(|key| names.see(key, sizes));
    names.own_mistake(plan, &table.name)
}

/// The rows of groups: keys and results in their slots, and nothing else.
pub(super) fn of_groups(
    slots: usize,
    plan: &OneRowPlan,
    keys: Vec<Column>,
    results: Vec<Column>,
    count: usize,
) -> Batch {
    let mut all = vec![None; slots];
    for ((_, slot, _), column) in plan.keys.iter().zip(keys) {
        all[slot.0] = Some(column);
    }
    for ((_, slot), column) in plan.results.iter().zip(results) {
        all[slot.0] = Some(column);
    }
    Batch::new(count, all, vec![])
}

#[cfg(test)]
mod tests;
