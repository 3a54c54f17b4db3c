//! What is gathered of rows that lead here, for each row that they lead to.

use std::sync::atomic::AtomicU64;

use arrow_array::{Array, UInt32Array};

use super::chain::Context;
use super::check::finished_rows;
use super::operations::{Naming, finished_problem};
use crate::aggregate::{GroupFailure, Groups, Values, aggregate};
use crate::expr::{RowFailure, Scope, World, evaluate_all};
use crate::resolve::{AggregatePlan, GatherId, GatherWhat};
use crate::table::{Batch, Column, Places};
use crate::tally::Problem;
use crate::value::Scalar;

/// The values of an aggregate's expressions for each of some rows.
pub(super) fn values(
    plan: &AggregatePlan,
    rows: &Batch,
    world: &World,
    zeros: &AtomicU64,
) -> Result<Values, RowFailure> {
    let column = |typed| evaluate_all(typed, rows, world, zeros);
    let filter = plan.filter.as_ref().map(column).transpose()?.map(|filter| match filter {
        Column::Boolean(array) => {
            // What is blank is not true.
            let nulls = array.nulls().map(|nulls| nulls.inner().clone());
            let truth =
                nulls.map_or_else(|| array.values().clone(), |nulls| array.values() & &nulls);
            arrow_array::BooleanArray::new(truth, None)
        }
        other => arrow_array::BooleanArray::from(vec![false; other.len()]),
    });
    let mut by = vec![];
    for (order, descending) in &plan.by {
        by.push((column(order)?, *descending));
    }
    Ok(Values {
        function: plan.function,
        value: plan.value.as_ref().map(column).transpose()?,
        filter,
        by,
        distinct: plan.distinct,
        separator: plan.separator.clone(),
        ty: plan.ty,
    })
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
        .map(|(name, value)| format!("{name} {value}"))
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

/// What is gathered for each row of the table that is led to.
pub(super) fn gather(context: &Context<'_>, id: GatherId) -> Result<Option<Column>, Problem> {
    let gather = &context.plan.gathers[id.0];
    let (Some(from), Some(to)) =
        (&context.world.tables[gather.from.0], &context.world.tables[gather.to.0])
    else {
        return Ok(None);
    };
    let rows = finished_rows(from, gather.from);
    let zeros = AtomicU64::new(0);
    let scope =
        Scope { batch: &rows, world: context.world, zero_divisions: &zeros, lenient: false };
    let index = scope.path(gather.from, &gather.hops);
    let aggregate_plan = match &gather.what {
        GatherWhat::Presence => return Ok(Some(presence(&index, to.rows))),
        GatherWhat::Aggregate(plan) => plan,
    };
    let to_plan = &context.plan.tables[gather.to.0];
    let step = format!("gathered for {}", to_plan.name);
    let values = values(aggregate_plan, &rows, context.world, &zeros).map_err(|failure| {
        let input = super::demand::input_of(context.plan, gather.from);
        let places = Places::default();
        let naming = Naming { input, as_read: false, places: &places };
        finished_problem(context, gather.from, step.clone(), &rows, naming, failure)
    })?;
    let groups = Groups::led_to(&index, to.rows);
    aggregate(&values, &groups).map(Some).map_err(|failure| {
        let columns = finished_rows(to, gather.to);
        let grain = to_plan.grain.as_ref().map_or(&[][..], |grain| &grain.columns);
        group_problem(&to_plan.name, &step, aggregate_plan, &values, failure, |group| {
            let value = |name: &String| {
                let at = to_plan.columns.iter().position(|(known, _)| known == name)?;
                let column = columns.slots[at].as_ref()?;
                Some((name.clone(), column.scalar(group as usize)))
            };
            grain.iter().filter_map(value).collect()
        })
    })
}

fn presence(index: &UInt32Array, rows: usize) -> Column {
    let mut found = vec![false; rows];
    for row in (0..index.len()).filter(|row| index.is_valid(*row)) {
        found[index.value(row) as usize] = true;
    }
    Column::Boolean(found.into())
}
