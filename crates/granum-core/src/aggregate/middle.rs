//! Values by their rank in each group: the middle one, and those that a part of all lies below.

use rayon::prelude::*;

use super::pairs::counting;
use super::{AggregateFunction, GroupFailure, Groups, Values};
use crate::link::compare;
use crate::table::{Column, Fixed, Present, Rows};
use crate::value::{Scale, Type, decimal};

/// Which of so many values of a group, counted from 0 in their order, an aggregate looks at: twice the same, or two that
/// stand side by side. Nothing where it looks at none by its rank.
pub(crate) fn ranks(function: AggregateFunction, count: usize) -> Option<(usize, usize)> {
    match function {
        AggregateFunction::Median => Some((count.saturating_sub(1) / 2, count / 2)),
        AggregateFunction::Percentile(part) => {
            let rank = part.of(count).max(1) - 1;
            Some((rank, rank))
        }
        _ => None,
    }
}

/// The middle value of each group, or the least that a part of its values is not above: nearest rank.
///
/// # Errors
/// The first group whose middle has too many digits.
pub(super) fn ranked(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    let Some(column) = &values.value else { return Ok(Column::Blank(groups.count)) };
    let counting = counting(values, groups);
    let (rows, starts) = groups.sorted();
    let of_group = |group: usize| {
        let own = rows[starts[group]..starts[group + 1]].iter().copied();
        let mut own: Vec<u32> = own.filter(|row| counting.value(*row as usize)).collect();
        let ranks = ranks(values.function, own.len())?;
        at_ranks(column, &mut own, ranks)
    };
    let found: Vec<_> = (0..groups.count).into_par_iter().map(of_group).collect();
    of_ranks((values.function, values.ty), column, &found)
}

/// The rows that have the values of two ranks among these: of the same twice, or of two that stand side by side. Nothing
/// where there are not so many.
pub(crate) fn at_ranks(
    column: &Column,
    rows: &mut [u32],
    (low, high): (usize, usize),
) -> Option<(u32, u32)> {
    if high >= rows.len() {
        return None;
    }
    let in_order = |a: &u32, b: &u32| compare(column, *a as usize, *b as usize);
    let (below, upper, _) = rows.select_nth_unstable_by(high, in_order);
    // What stands below has the rank before as its greatest.
    let lower = if low < high { below.iter().max_by(|a, b| in_order(a, b)) } else { None };
    Some((lower.copied().unwrap_or(*upper), *upper))
}

/// The result of each group of the rows that have its ranks; blank where it has none. Of two in the middle it is their
/// mean, of days the earlier.
///
/// # Errors
/// The first group whose middle has too many digits.
pub(crate) fn of_ranks(
    (function, ty): (AggregateFunction, Type),
    column: &Column,
    ranks: &[Option<(u32, u32)>],
) -> Result<Column, GroupFailure> {
    let there = || Some(ranks.iter().map(Option::is_some).collect::<Present>());
    match column {
        Column::Integer(_) | Column::Decimal(..) if function == AggregateFunction::Median => {
            let from = column.ty().scale().unwrap_or_default();
            let Type::Decimal(to) = ty else {
                return Ok(Column::Blank(ranks.len()));
            };
            let found = ranks.iter().enumerate().map(|(group, rows)| {
                let Some((low, high)) = rows else { return Ok(0) };
                let both = (column.units(*low as usize), column.units(*high as usize));
                between(both, from, to).ok_or(GroupFailure::Overflow { group: group as u32 })
            });
            Ok(Column::decimal(found.collect::<Result<_, _>>()?, there(), to))
        }
        Column::Number(array) => {
            let found = ranks.iter().map(|rows| {
                let Some((low, high)) = rows else { return 0.0 };
                let (low, high) = (array.value(*low as usize), array.value(*high as usize));
                // Halved first: the sum of two may be too large.
                if low == high { low } else { low / 2.0 + high / 2.0 }
            });
            Ok(Column::Number(Fixed::new(found.collect(), there())))
        }
        column => {
            let rows: Rows = ranks.iter().map(|rows| rows.map(|(low, _)| low)).collect();
            Ok(column.take(&rows))
        }
    }
}

/// The mean of two numbers in other places, rounded half away from zero where those are too few.
fn between((low, high): (i128, i128), from: Scale, to: Scale) -> Option<i128> {
    // Both halves are whole: twice as much may not fit.
    let odd = (low & 1) + (high & 1);
    let whole = (low >> 1) + (high >> 1) + (odd >> 1);
    if to <= from {
        let up = odd & 1 == 1 && whole >= 0;
        return decimal::fits(whole + i128::from(up));
    }
    let tenths = whole.checked_mul(10)?.checked_add((odd & 1) * 5)?;
    decimal::fits(tenths)
}
