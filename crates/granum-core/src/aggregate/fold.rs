//! Aggregates that go over the rows once: counts, sums, least and greatest, conditions.

use super::{AggregateFunction, GroupFailure, Groups, Values};
use crate::link::compare;
use crate::table::{Column, Fixed, Present, Rows, Truths};
use crate::value::{ExactSum, Scale, Type, decimal};

pub(super) fn fold(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    match values.function {
        AggregateFunction::Sum => sum(values, groups),
        AggregateFunction::Mean => mean(values, groups),
        AggregateFunction::Min | AggregateFunction::Max => Ok(extreme(values, groups)),
        AggregateFunction::Any | AggregateFunction::All | AggregateFunction::Share => {
            condition(values, groups)
        }
        _ => Ok(counted(counts(values, groups))),
    }
}

/// Calls `take` with each row that counts and has a value, and its group.
fn each(values: &Values, groups: &Groups, mut take: impl FnMut(usize, usize)) {
    let present = values.value.as_ref().and_then(Column::present);
    for row in 0..groups.rows() {
        let there = present.as_ref().is_none_or(|present| present.has(row));
        if there
            && values.counts(row)
            && let Some(group) = groups.of(row)
        {
            take(row, group);
        }
    }
}

fn counts(values: &Values, groups: &Groups) -> Vec<i64> {
    let mut counts = vec![0; groups.count];
    each(values, groups, |_, group| counts[group] += 1);
    counts
}

fn counted(counts: Vec<i64>) -> Column {
    Column::Integer(counts.into())
}

/// The sum of each group in units of the column's scale; with the first group that does not fit.
fn units(values: &Values, groups: &Groups) -> Result<Vec<i128>, GroupFailure> {
    if let Some(short) = values.value.as_ref().and_then(Column::short) {
        // Of at most 2^32 rows no sum needs more than eight bytes.
        let mut sums = vec![0_i64; groups.count];
        each(values, groups, |row, group| sums[group] += i64::from(short[row]));
        return Ok(sums.into_iter().map(i128::from).collect());
    }
    let mut sums = vec![0_i128; groups.count];
    let mut over: Option<usize> = None;
    let mut add = |group: usize, value: i128| match decimal::add(sums[group], value) {
        Some(sum) => sums[group] = sum,
        None => over = Some(over.map_or(group, |first| first.min(group))),
    };
    match &values.value {
        Some(Column::Integer(array)) => {
            each(values, groups, |row, group| add(group, array.value(row).into()));
        }
        Some(Column::Decimal(array, _)) => {
            each(values, groups, |row, group| add(group, array.value(row)));
        }
        _ => {}
    }
    match over {
        Some(group) => Err(GroupFailure::Overflow { group: group as u32 }),
        None => Ok(sums),
    }
}

/// Sums of floating-point numbers, exact and rounded once, so that they do not depend on how rows
/// came; nothing where the values are of another type.
fn floats(values: &Values, groups: &Groups) -> Option<Result<Vec<f64>, GroupFailure>> {
    let Some(Column::Number(array)) = &values.value else { return None };
    let (rows, starts) = groups.sorted();
    let sum = |group: usize| {
        let mut sum = ExactSum::default();
        for row in rows[starts[group]..starts[group + 1]].iter().map(|row| *row as usize) {
            if array.has(row) && values.counts(row) {
                sum.add(array.value(row));
            }
        }
        let sum = sum.value();
        sum.is_finite().then_some(sum).ok_or(GroupFailure::Overflow { group: group as u32 })
    };
    Some((0..groups.count).map(sum).collect())
}

fn sum(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    if let Some(sums) = floats(values, groups) {
        return Ok(Column::Number(Fixed::from(sums?)));
    }
    let sums = units(values, groups)?;
    if let Type::Decimal(scale) = values.ty {
        return Ok(Column::decimal(sums, None, scale));
    }
    narrowed(&sums)
}

/// Sums of whole numbers as a column, a row for each group; fails where one has too many digits.
pub(crate) fn narrowed(sums: &[i128]) -> Result<Column, GroupFailure> {
    let whole = sums.iter().enumerate().map(|(group, sum)| {
        i64::try_from(*sum).map_err(|_| GroupFailure::Overflow { group: group as u32 })
    });
    Ok(counted(whole.collect::<Result<_, _>>()?))
}

/// The sums of groups.
pub(crate) enum Sums {
    /// In units of a scale.
    Units(Vec<i128>, Scale),
    Floats(Vec<f64>),
}

/// Sum by count of each group, rounded half away from zero as a division is. Blank where there is
/// nothing; fails where a quotient has too many digits.
pub(crate) fn divided(sums: Sums, counts: &[i64]) -> Result<Column, GroupFailure> {
    let some = Some(counts.iter().map(|count| *count > 0).collect::<Present>());
    match sums {
        Sums::Floats(sums) => {
            let means = sums.iter().zip(counts).map(|(sum, count)| sum / (*count).max(1) as f64);
            Ok(Column::Number(Fixed::new(means.collect(), some)))
        }
        Sums::Units(sums, scale) => {
            let means = sums.iter().zip(counts).enumerate().map(|(group, (sum, count))| {
                decimal::divide(*sum, scale, i128::from((*count).max(1)), Scale(0))
                    .ok_or(GroupFailure::Overflow { group: group as u32 })
            });
            let means = means.collect::<Result<_, _>>()?;
            Ok(Column::decimal(means, some, decimal::DIVISION_SCALE))
        }
    }
}

fn mean(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    let sums = match floats(values, groups) {
        Some(sums) => Sums::Floats(sums?),
        None => {
            let ty = values.value.as_ref().map(Column::ty);
            let scale = ty.and_then(Type::scale).unwrap_or_default();
            Sums::Units(units(values, groups)?, scale)
        }
    };
    divided(sums, &counts(values, groups))
}

/// The least value, or the greatest. Of equal ones the first.
fn extreme(values: &Values, groups: &Groups) -> Column {
    let Some(column) = &values.value else { return Column::Blank(groups.count) };
    let mut best: Vec<Option<u32>> = vec![None; groups.count];
    let wanted = match values.function {
        AggregateFunction::Min => std::cmp::Ordering::Less,
        _ => std::cmp::Ordering::Greater,
    };
    each(values, groups, |row, group| {
        if best[group].is_none_or(|best| compare(column, row, best as usize) == wanted) {
            best[group] = Some(row as u32);
        }
    });
    column.take(&Rows::from(best))
}

fn condition(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    let array = match &values.value {
        Some(Column::Boolean(array)) => array.clone(),
        // A column without any value has no type of its own.
        _ => Truths::blank(groups.rows()),
    };
    let mut holds = vec![0_i64; groups.count];
    let mut fails = vec![0_i64; groups.count];
    each(values, groups, |row, group| {
        if array.value(row) {
            holds[group] += 1;
        } else {
            fails[group] += 1;
        }
    });
    if values.function != AggregateFunction::Share {
        let any = values.function == AggregateFunction::Any;
        let each = holds.iter().zip(&fails);
        let truth: Vec<bool> =
            each.map(|(holds, fails)| if any { *holds > 0 } else { *fails == 0 }).collect();
        return Ok(Column::Boolean(Truths::from(truth)));
    }
    // Rows that the condition is blank for are rows all the same.
    let mut all = vec![0_i64; groups.count];
    for row in (0..groups.rows()).filter(|row| values.counts(*row)) {
        if let Some(group) = groups.of(row) {
            all[group] += 1;
        }
    }
    divided(Sums::Units(holds.into_iter().map(i128::from).collect(), Scale(0)), &all)
}
