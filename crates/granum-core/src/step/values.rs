//! The values that aggregates are worked of, and why a group has none.

use std::sync::atomic::AtomicU64;

use super::StepRunner;
use crate::aggregate::{ApartPart, GroupFailure, Values};
use crate::bug::{Sure, bug};
use crate::expr::{RowFailure, Typed, World, evaluate_all, evaluate_noting};
use crate::lang::Span;
use crate::resolve::AggregatePlan;
use crate::table::{Batch, Column, Truths};
use crate::tally::{ApartProblem, CountedApart, Problem};
use crate::value::Scalar;

/// The values of an aggregate's expressions for each of some rows.
pub(crate) fn values(
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

/// The same where rows that cannot be worked are blank; and those rows, in their order.
pub(crate) fn values_noted(
    plan: &AggregatePlan,
    rows: &Batch,
    world: &World,
    zeros: &AtomicU64,
) -> (Values, Vec<RowFailure>) {
    values_noting(plan, rows, &|typed| Ok(evaluate_noting(typed, rows, world, zeros)))
        .unwrap_or_else(|failure| bug(format!("row {} failed unnoted", failure.row)))
}

/// What works an expression on all rows: its column, and the rows that failed.
type Working<'w> = &'w dyn Fn(&Typed) -> Result<(Column, Vec<RowFailure>), RowFailure>;

/// The values of an aggregate's expressions, and the rows of which they could not be worked.
fn values_noting(
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
        // What is blank is not true.
        Column::Boolean(array) => Truths::new(array.sure(), None),
        Column::Blank(_) => Truths::from(vec![false; rows.rows]),
        other => bug(format!("a condition is of {}", other.ty())),
    });
    let mut by = vec![];
    for (order, descending) in &plan.by {
        by.push((column(order)?, *descending));
    }
    let value = plan.value.as_ref().map(&mut column).transpose()?;
    let apart = plan.apart.as_ref().map(&mut column).transpose()?;
    let values = Values {
        function: plan.function,
        value,
        filter,
        by,
        distinct: plan.distinct,
        separator: plan.separator.clone(),
        ty: plan.ty,
        apart,
    };
    failed.sort_by_key(|failure| failure.row);
    Ok((values, failed))
}

/// The columns that values are made of, so that they can be put away: what they are of, which rows count, what they are
/// ordered by, what keeps them apart; as far as the aggregate has these.
pub(crate) fn columns_of(values: Values) -> Vec<Column> {
    let filter = values.filter.map(Column::Boolean);
    let by = values.by.into_iter().map(|(by, _)| by);
    values.value.into_iter().chain(filter).chain(by).chain(values.apart).collect()
}

/// The values that an aggregate's columns are of, which are taken from `columns` as [`columns_of`] gave them.
pub(crate) fn values_of(
    plan: &AggregatePlan,
    columns: &mut impl Iterator<Item = Column>,
) -> Values {
    let mut next = || columns.next().sure("a column of an aggregate's values");
    let value = plan.value.as_ref().map(|_| next());
    let filter = plan.filter.as_ref().map(|_| match next() {
        Column::Boolean(array) => Truths::new(array.sure(), None),
        other => Truths::from(vec![false; other.len()]),
    });
    let by = plan.by.iter().map(|(_, descending)| (next(), *descending)).collect();
    let apart = plan.apart.as_ref().map(|_| next());
    let (function, ty, separator) = (plan.function, plan.ty, plan.separator.clone());
    Values { function, value, filter, by, distinct: plan.distinct, separator, ty, apart }
}

/// Why a group has no value, as a problem.
pub(crate) fn group_problem(
    table: &str,
    step: &str,
    plan: &AggregatePlan,
    values: &Values,
    failure: GroupFailure,
    named: impl Fn(u32) -> Vec<(String, Scalar)>,
) -> Problem {
    let (group, found) = match failure {
        GroupFailure::Apart { group, parts } => {
            let parts = parts.into_iter().map(counted_apart);
            return Problem::CountedApart(ApartProblem {
                table: table.to_owned(),
                step: step.to_owned(),
                what: plan.text.clone(),
                span: plan.span,
                group: group_words(named(group)),
                parts: parts.collect(),
                by: plan.apart_text.clone(),
                add: None,
                many: 0,
            });
        }
        GroupFailure::Overflow { group } => (group, vec![]),
        GroupFailure::Several { group, rows } => {
            let value = |row: u32| values.value.as_ref().map(|value| value.scalar(row as usize));
            (group, rows.into_iter().filter_map(value).map(|value| value.to_string()).collect())
        }
    };
    let group = group_words(named(group));
    Problem::Group {
        table: table.to_owned(),
        step: step.to_owned(),
        aggregate: plan.text.clone(),
        span: plan.span,
        group,
        values: found,
    }
}

/// Why a step stops that would divide or compare amounts of a group which count apart.
pub(super) fn apart_problem(
    runner: &StepRunner<'_>,
    span: Span,
    group: Vec<(String, String)>,
    failure: GroupFailure,
) -> Problem {
    let parts = match failure {
        GroupFailure::Apart { parts, .. } => parts,
        GroupFailure::Overflow { .. } | GroupFailure::Several { .. } => vec![],
    };
    Problem::CountedApart(ApartProblem {
        table: runner.plan().name.clone(),
        step: runner.text().to_owned(),
        what: runner.text().to_owned(),
        span,
        group: group_words(group),
        parts: parts.into_iter().map(counted_apart).collect(),
        by: None,
        add: None,
        many: 0,
    })
}

fn counted_apart(part: ApartPart) -> CountedApart {
    CountedApart { value: part.value, rows: part.rows, amount: part.amount }
}

/// The keys of a group in words.
fn group_words<V: std::fmt::Display>(named: Vec<(String, V)>) -> String {
    let words = |(name, value): (String, V)| format!("{name} {value}").trim_start().to_owned();
    named.into_iter().map(words).collect::<Vec<_>>().join(", ")
}
