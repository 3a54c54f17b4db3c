//! What is gathered of rows that lead here, for each row that they lead to.

use std::sync::atomic::AtomicU64;

use super::chain::Context;
use super::check::finished_rows;
use super::faults::Faults;
use super::operations::{Naming, StepRunner, finished_problem};
use crate::aggregate::{GroupFailure, Groups, Values, aggregate_each};
use crate::bug::bug;
use crate::expr::{
    Failing, Gathered, Kind, RowFailure, Scope, Typed, World, evaluate_all, evaluate_noting,
};
use crate::link::LinkIndex;
use crate::resolve::{AggregatePlan, Gather, GatherId, GatherWhat, Plan};
use crate::table::{Batch, Column, Rows, Truths};
use crate::tally::Problem;
use crate::value::Scalar;

/// The values of an aggregate's expressions for each of some rows.
pub(super) fn values(
    plan: &AggregatePlan,
    rows: &Batch,
    world: &World,
    zeros: &AtomicU64,
) -> Result<Values, RowFailure> {
    let (values, failed) =
        values_noting(plan, rows, &|typed| Ok((evaluate_all(typed, rows, world, zeros)?, vec![])))?;
    debug_assert!(failed.is_empty());
    Ok(values)
}

/// What works an expression on all rows: its column, and the rows that failed.
type Working<'w> = &'w dyn Fn(&Typed) -> Result<(Column, Vec<RowFailure>), RowFailure>;

/// The values of an aggregate's expressions, and the rows of which they could not be worked.
pub(super) fn values_noting(
    plan: &AggregatePlan,
    rows: &Batch,
    work: Working<'_>,
) -> Result<(Values, Vec<RowFailure>), RowFailure> {
    let mut failed: Vec<RowFailure> = vec![];
    let mut column = |typed: &Typed| {
        let (column, more) = work(typed)?;
        failed.extend(more);
        Ok(column)
    };
    let filter = plan.filter.as_ref().map(&mut column).transpose()?.map(|filter| match filter {
        Column::Boolean(array) => {
            // What is blank is not true.
            let present = array.present().map(|present| present.bits().clone());
            let truth =
                present.map_or_else(|| array.values().clone(), |present| array.values() & &present);
            Truths::new(truth, None)
        }
        Column::Blank(_) => Truths::from(vec![false; rows.rows]),
        other => bug(format!("a condition is of {}", other.ty())),
    });
    let mut by = vec![];
    for (order, descending) in &plan.by {
        by.push((column(order)?, *descending));
    }
    let value = plan.value.as_ref().map(&mut column).transpose()?;
    let values = Values {
        function: plan.function,
        value,
        filter,
        by,
        distinct: plan.distinct,
        separator: plan.separator.clone(),
        ty: plan.ty,
    };
    failed.sort_by_key(|failure| failure.row);
    Ok((values, failed))
}

/// Why a group has no value, as a problem.
pub(super) fn group_problem(
    table: &str,
    step: &str,
    plan: &AggregatePlan,
    values: &Values,
    failure: GroupFailure,
    named: impl Fn(u32) -> Vec<(String, Scalar)>,
) -> Problem {
    let (group, found) = match failure {
        GroupFailure::Overflow { group } => (group, vec![]),
        GroupFailure::Several { group, rows } => {
            let value = |row: u32| values.value.as_ref().map(|value| value.scalar(row as usize));
            (group, rows.into_iter().filter_map(value).map(|value| value.to_string()).collect())
        }
    };
    let group = named(group)
        .into_iter()
        .map(|(name, value)| format!("{name} {value}").trim_start().to_owned())
        .collect::<Vec<_>>()
        .join(", ");
    Problem::Group {
        table: table.to_owned(),
        step: step.to_owned(),
        aggregate: plan.text.clone(),
        span: plan.span,
        group,
        values: found,
    }
}

/// Which row of the table that is led to each gathered row leads to; nothing where one of the
/// tables was not built.
fn way(context: &Context<'_>, gather: &Gather) -> Option<(Batch, LinkIndex)> {
    let from = context.world.tables[gather.from.0].as_ref()?;
    let rows = finished_rows(from, gather.from);
    let zeros = AtomicU64::new(0);
    let scope = Scope {
        batch: &rows,
        world: context.world,
        zero_divisions: &zeros,
        failing: Failing::Stops,
    };
    let index = scope.path(gather.from, &gather.hops);
    Some((rows, index))
}

/// The values of an aggregate for all rows that are gathered; and those that could not be worked.
fn values_of_way(
    context: &Context<'_>,
    plan: &AggregatePlan,
    rows: &Batch,
) -> (Values, Vec<RowFailure>) {
    let zeros = AtomicU64::new(0);
    let work = |typed: &Typed| Ok(evaluate_noting(typed, rows, context.world, &zeros));
    values_noting(plan, rows, &work)
        .unwrap_or_else(|failure| bug(format!("row {} failed unnoted", failure.row)))
}

/// Why a row that is gathered could not be worked.
fn row_of_way(
    context: &Context<'_>,
    gather: &Gather,
    rows: &Batch,
    step: &str,
    failure: RowFailure,
) -> Problem {
    let naming = Naming::finished(context.plan, gather.from);
    finished_problem(context, gather.from, step.to_owned(), rows, naming, failure)
}

/// What is gathered for each row of the table that is led to.
pub(super) fn gather(context: &Context<'_>, id: GatherId) -> Option<(Gathered, Faults)> {
    let gather = &context.plan.gathers[id.0];
    let to = context.world.tables[gather.to.0].as_ref()?;
    let (rows, index) = way(context, gather)?;
    let plan = match &gather.what {
        GatherWhat::Presence => {
            let column = presence(&index, to.rows);
            return Some((Gathered { column, failed: vec![] }, Faults::default()));
        }
        GatherWhat::Aggregate(plan) => plan,
        GatherWhat::Rows(_) => return None,
    };
    let to_plan = &context.plan.tables[gather.to.0];
    let step = format!("gathered for {}", to_plan.name);
    let (values, rows_failed) = values_of_way(context, plan, &rows);
    let groups = Groups::led_to(&index, to.rows);
    let (column, groups_failed) = aggregate_each(&values, &groups);
    let mut faults = Faults::default();
    for failure in rows_failed {
        if let Some(to) = index.get(failure.row) {
            faults.note(to, || row_of_way(context, gather, &rows, &step, failure));
        }
    }
    let columns = finished_rows(to, gather.to);
    let grain = to_plan.grain.as_ref().map_or(&[][..], |grain| &grain.columns);
    let named = |group: u32| {
        let value = |name: &String| {
            let at = to_plan.columns.iter().position(|(known, _)| known == name)?;
            let column = columns.slots[at].as_ref()?;
            Some((name.clone(), column.scalar(group as usize)))
        };
        grain.iter().filter_map(value).collect()
    };
    for failure in groups_failed {
        let group = failure.group();
        let problem = || group_problem(&to_plan.name, &step, plan, &values, failure, named);
        faults.note(group, problem);
    }
    let failed = faults.numbers().collect();
    Some((Gathered { column, failed }, faults))
}

/// The rows that lead to a step's rows, where an aggregate is of those: its values, and for each
/// of them the step's row.
pub(super) fn leading(
    runner: &StepRunner<'_>,
    plan: &AggregatePlan,
    batch: &Batch,
) -> Result<Option<(Values, Rows)>, Problem> {
    let context = runner.context;
    let Some((gather, plan)) = rows_gathered(context.plan, plan) else { return Ok(None) };
    let (Some((rows, index)), Some(here)) = (way(context, gather), batch.origin(gather.to)) else {
        return Ok(None);
    };
    let step = &runner.plan().steps[runner.step].text;
    let (values, failed) = values_of_way(context, plan, &rows);
    let led_to = context.world.tables[gather.to.0].as_ref().map_or(0, |table| table.rows);
    let mut row_of = vec![None; led_to];
    (0..).zip(here.iter()).for_each(|(row, origin)| {
        if let Some(origin) = origin {
            row_of[origin as usize] = Some(row);
        }
    });
    let leads: Rows = index.iter().map(|origin| row_of[origin? as usize]).collect();
    if let Some(failure) = failed.into_iter().find(|failure| leads.has(failure.row)) {
        return Err(row_of_way(context, gather, &rows, step, failure));
    }
    Ok(Some((values, leads)))
}

/// The rows that an aggregate is of, where they lead here, and the aggregate over them.
pub(super) fn rows_gathered<'p>(
    plan: &'p Plan,
    aggregate: &AggregatePlan,
) -> Option<(&'p Gather, &'p AggregatePlan)> {
    let Kind::Gathered { id, .. } = &aggregate.value.as_ref()?.kind else { return None };
    let gather = &plan.gathers[id.0];
    match &gather.what {
        GatherWhat::Rows(rows) => Some((gather, rows)),
        _ => None,
    }
}

fn presence(index: &Rows, rows: usize) -> Column {
    let mut found = vec![false; rows];
    index.numbers().for_each(|row| found[row as usize] = true);
    Column::Boolean(found.into())
}
