//! Values of its group that each row gets: `per`.

mod few;
mod in_order;
mod scattered;
mod together;
mod window;

use super::values::values_noted;
use super::{Faults, Left, OnRows, Pace, RowsBecome, StepRunner, Together, Work, group_problem};
use crate::aggregate::{GroupFailure, Groups, Values, aggregate_each, mixed};
use crate::expr::Typed;
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedPlans, GroupedWhat};
use crate::table::{Batch, Column, Rows, SlotId};
use crate::tally::Problem;
use crate::value::Scalar;
use window::{Carried, window};

impl Work for GroupedPlans {
    fn expressions(&self) -> Vec<&Typed> {
        self.0.iter().flat_map(GroupedPlan::parts).collect()
    }

    fn slots(&self) -> Vec<SlotId> {
        self.0.iter().flat_map(|plan| plan.grain.iter().copied()).collect()
    }

    fn scatters(&self) -> bool {
        true
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
            let groups = super::keys::groups(at, rows, &plan.keys)?;
            Ok(Together { text: plan.text().to_owned(), groups })
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
        let slot = plan.slot.0;
        if let Some(held) = scattered::scattered(plan, runner, batch) {
            batch.away.resize(batch.slots.len(), None);
            batch.away[slot] = Some(held);
            continue;
        }
        let got = batch.get(plan.reads().into_iter());
        let found = whole(plan, runner, batch)?;
        batch.let_go(&got);
        batch.without.extend(found.without.map(|rows| (plan.slot, rows)));
        batch.slots[slot] = Some(found.column);
    }
    Ok(())
}

/// What rows get of their groups.
struct Found {
    column: Column,
    /// By row its group, where that has no value; nothing where all have.
    without: Option<Rows>,
}

/// The same, worked of all rows at once.
fn whole(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> Result<Found, Problem> {
    let keys = runner.columns(batch, plan.keys.iter())?;
    let groups = Groups::by(&keys, batch.rows);
    let mut faults = Faults::default();
    // The grain settles what ties, then the place in the table.
    let grain = || plan.grain.iter().map(|slot| (batch.slot(*slot).clone(), false));
    let values = match &plan.what {
        GroupedWhat::Position { by } => Of::Order(runner.orders(batch, by)?),
        GroupedWhat::Aggregate(plan) => {
            Of::Values(noting(runner, plan, batch, &groups, &mut faults))
        }
        GroupedWhat::Window { plan, .. } | GroupedWhat::Neighbour { plan, .. } => {
            Of::Values(apart(runner, plan, batch, (&keys, &groups), &mut faults))
        }
    };
    let (column, failed) = worked(&plan.what, values.settled(&plan.what, grain()), &groups);
    if let (Some(plan), Some((values, failed))) = (plan.what.plan(), failed) {
        note(runner, plan, (&keys, &groups), &values, failed, &mut faults);
    }
    if faults.is_empty() {
        return Ok(Found { column, without: None });
    }
    let failed = |row| {
        let group = groups.of(row).map(|group| group as u32);
        group.filter(|group| faults.has(*group))
    };
    let without = Some((0..batch.rows).map(failed).collect());
    runner.around.grouped.note(runner.table, plan.slot, faults);
    Ok(Found { column, without })
}

/// What something of groups is worked of: values, or an order alone.
enum Of {
    Values(Values),
    Order(Vec<(Column, bool)>),
}

impl Of {
    /// The same, with what settles ties behind what rows are ordered by; an aggregate of a group has its own order.
    fn settled(self, what: &GroupedWhat, grain: impl Iterator<Item = (Column, bool)>) -> Self {
        match (self, what) {
            (Self::Values(values), GroupedWhat::Aggregate(_)) => Self::Values(values),
            (Self::Values(mut values), _) => {
                values.by.extend(grain);
                Self::Values(values)
            }
            (Self::Order(by), _) => Self::Order(by.into_iter().chain(grain).collect()),
        }
    }
}

/// Groups that have no value, with the values that tell it.
type Failing = Option<(Values, Vec<GroupFailure>)>;

/// What each row gets of its group, and the groups that have none.
fn worked(what: &GroupedWhat, of: Of, groups: &Groups) -> (Column, Failing) {
    match (what, of) {
        (_, Of::Order(by)) => (position(groups, &by), None),
        (GroupedWhat::Window { over, .. }, Of::Values(values)) => {
            let (found, failed) = window(&values, groups, *over, &mut Carried::default());
            (found, Some((values, failed)))
        }
        (GroupedWhat::Neighbour { next, .. }, Of::Values(values)) => {
            (neighbours(&values, groups, *next), None)
        }
        (_, Of::Values(values)) => {
            let (found, failed) = aggregate_each(&values, groups);
            (found.take(&groups.array()), Some((values, failed)))
        }
    }
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

/// The same where groups whose values count apart have none; a group is looked at as a whole.
fn apart(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    batch: &Batch,
    (keys, groups): (&[Column], &Groups),
    faults: &mut Faults,
) -> Values {
    let values = noting(runner, plan, batch, groups, faults);
    let failed = mixed(&values, groups);
    note(runner, plan, (keys, groups), &values, failed, faults);
    Values { apart: None, ..values }
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

/// What the row before each row has, or the row behind, of those of its group that count; blank at the ends.
fn neighbours(values: &Values, groups: &Groups, next: bool) -> Column {
    let Some(value) = &values.value else { return Column::Blank(groups.rows()) };
    let (rows, starts) = groups.in_order(&values.by);
    let mut beside: Vec<Option<u32>> = vec![None; groups.rows()];
    for group in 0..groups.count {
        let mut last = None;
        let mut step = |row: u32| {
            beside[row as usize] = last;
            if values.counts(row as usize) {
                last = Some(row);
            }
        };
        let own = rows[starts[group]..starts[group + 1]].iter().copied();
        if next {
            own.rev().for_each(&mut step);
        } else {
            own.for_each(&mut step);
        }
    }
    value.take(&Rows::from(beside))
}
