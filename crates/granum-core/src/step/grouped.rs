//! Values of its group that each row gets: `per`.

use std::collections::BTreeMap;

use super::values::values_noted;
use super::{Faults, Left, OnRows, Pace, RowsBecome, StepRunner, Together, Work, group_problem};
use crate::aggregate::{AggregateFunction, GroupFailure, Groups, Values, aggregate_each};
use crate::expr::Typed;
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedPlans, GroupedWhat};
use crate::table::{Batch, Column, SlotId};
use crate::tally::Problem;
use crate::value::{ExactSum, Scalar, Type, decimal};

impl Work for GroupedPlans {
    fn expressions(&self) -> Vec<&Typed> {
        self.0.iter().flat_map(GroupedPlan::parts).collect()
    }

    fn may_lack(&self) -> Vec<SlotId> {
        self.0.iter().map(|plan| plan.slot).collect()
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn serves_next(&self) -> bool {
        true
    }

    fn together(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Together>, Problem> {
        let plans = self.0.iter().map(|plan| {
            let groups = Groups::by(&at.columns(rows, plan.keys.iter())?, rows.rows);
            let text = match &plan.what {
                GroupedWhat::Aggregate(plan) => plan.text.clone(),
                GroupedWhat::Running(_) => "running".to_owned(),
                GroupedWhat::Position { .. } => "position".to_owned(),
            };
            Ok(Together { text, groups })
        });
        plans.collect()
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        grouped(&self.0, at, on.batch)?;
        // The total is in no group.
        if let Some(total) = on.total_row {
            for plan in &self.0 {
                let ty = at.plan().slots[plan.slot.0];
                total.slots[plan.slot.0] = Some(Column::all_blank(ty, 1));
            }
        }
        Ok(Left::default())
    }
}

/// Each row gets values of its group. A group of which there is no value stops the run where a row
/// needs it.
fn grouped(
    plans: &[GroupedPlan],
    runner: &StepRunner<'_>,
    batch: &mut Batch,
) -> Result<(), Problem> {
    // The step that the values are for comes next, and is the one that a user wrote.
    let next = (runner.step + 1).min(runner.plan().steps.len() - 1);
    let runner = &StepRunner { step: next, ..*runner };
    for plan in plans {
        let keys = runner.columns(batch, plan.keys.iter())?;
        let groups = Groups::by(&keys, batch.rows);
        let mut faults = Faults::default();
        let column = match &plan.what {
            GroupedWhat::Position { by } => position(&groups, &runner.orders(batch, by)?),
            GroupedWhat::Aggregate(plan) => {
                let values = noting(runner, plan, batch, &groups, &mut faults);
                let (found, failed) = aggregate_each(&values, &groups);
                note(runner, plan, (&keys, &groups), &values, failed, &mut faults);
                found.take(&groups.array())
            }
            GroupedWhat::Running(plan) => {
                let values = noting(runner, plan, batch, &groups, &mut faults);
                let (found, failed) = running(&values, &groups);
                note(runner, plan, (&keys, &groups), &values, failed, &mut faults);
                found
            }
        };
        if !faults.is_empty() {
            let failed = |row| {
                let group = groups.of(row).map(|group| group as u32);
                group.filter(|group| faults.has(*group))
            };
            batch.without.push((plan.slot, (0..batch.rows).map(failed).collect()));
            runner.around.grouped.note(runner.table, plan.slot, faults);
        }
        batch.slots[plan.slot.0] = Some(column);
    }
    Ok(())
}

/// The values of an aggregate for a step's rows. A row of which they cannot be worked is a fault of
/// its group.
fn noting(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    batch: &Batch,
    groups: &Groups,
    faults: &mut Faults,
) -> Values {
    let (values, failed) = values_noted(plan, batch, runner.around.world, runner.zeros);
    for failure in failed {
        if let Some(group) = groups.of(failure.row) {
            faults.note(group as u32, || runner.problem(batch, failure));
        }
    }
    values
}

/// Notes the groups of which there is no aggregate.
fn note(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    (keys, groups): (&[Column], &Groups),
    values: &Values,
    failed: Vec<GroupFailure>,
    faults: &mut Faults,
) {
    let table = runner.plan();
    let text = runner.text();
    let named = |group: u32| {
        let row = (0..groups.rows()).find(|row| groups.of(*row) == Some(group as usize));
        let value = |key: &Column| row.map_or(Scalar::Blank, |row| key.scalar(row));
        keys.iter().map(|key| (String::new(), value(key))).collect()
    };
    for failure in failed {
        let problem = || group_problem(&table.name, text, plan, values, failure.clone(), named);
        faults.note(failure.group(), problem);
    }
}

/// Each row's place in its group, counted from 1.
fn position(groups: &Groups, by: &[(Column, bool)]) -> Column {
    let (rows, starts) = groups.in_order(by);
    let mut places = vec![0_i64; groups.rows()];
    for group in 0..groups.count {
        for (place, row) in (1..).zip(&rows[starts[group]..starts[group + 1]]) {
            places[*row as usize] = place;
        }
    }
    Column::Integer(places.into())
}

/// The sum up to each row, in its group's order, and the groups that have none. A row that does not
/// count leaves it as it is.
fn running(values: &Values, groups: &Groups) -> (Column, Vec<GroupFailure>) {
    debug_assert_eq!(values.function, AggregateFunction::Sum);
    let Some(value) = &values.value else { return (Column::Blank(groups.rows()), vec![]) };
    let (rows, starts) = groups.in_order(&values.by);
    let mut over: BTreeMap<usize, GroupFailure> = BTreeMap::new();
    let mut fails = |group: usize| {
        over.entry(group).or_insert(GroupFailure::Overflow { group: group as u32 });
    };
    let counts = |row: usize| {
        !value.is_blank(row) && values.filter.as_ref().is_none_or(|filter| filter.value(row))
    };
    // Each row's group, the row, and whether it is the group's first.
    let in_order = (0..groups.count).flat_map(|group| {
        let rows = &rows[starts[group]..starts[group + 1]];
        rows.iter().enumerate().map(move |(at, row)| (group, *row as usize, at == 0))
    });
    let column = if let Column::Number(array) = value {
        let mut sums = vec![0.0; groups.rows()];
        let mut sum = ExactSum::default();
        for (group, row, first) in in_order {
            if first {
                sum = ExactSum::default();
            }
            if counts(row) {
                sum.add(array.value(row));
            }
            sums[row] = sum.value();
            if !sums[row].is_finite() {
                fails(group);
            }
        }
        Column::Number(sums.into())
    } else {
        let mut sums = vec![0_i128; groups.rows()];
        let mut sum = 0;
        for (group, row, first) in in_order {
            if first {
                sum = 0;
            }
            if counts(row) {
                match decimal::add(sum, value.units(row)) {
                    Some(more) => sum = more,
                    None => fails(group),
                }
            }
            if values.ty == Type::Integer && i64::try_from(sum).is_err() {
                fails(group);
            }
            sums[row] = sum;
        }
        match values.ty {
            Type::Decimal(scale) => Column::decimal(sums, None, scale),
            _ => {
                let whole = |sum| i64::try_from(sum).unwrap_or_default();
                Column::Integer(sums.into_iter().map(whole).collect::<Vec<_>>().into())
            }
        }
    };
    (column, over.into_values().collect())
}
