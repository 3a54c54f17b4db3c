//! Values by their rank in each group: the middle one, and those that a part of all lies below.

use rayon::prelude::*;

use super::ordered::counting;
use super::{GroupFailure, Groups, Values};
use crate::lang::Percent;
use crate::link::compare;
use crate::table::{Column, Fixed, Present, Rows};
use crate::value::{Scale, Type, decimal};

/// The rows of each group that have the values of two ranks; nothing where no row counts. `ranks` gives them,
/// counted from 0, of so many values.
fn ranked(
    values: &Values,
    column: &Column,
    groups: &Groups,
    ranks: impl Fn(usize) -> (usize, usize) + Sync,
) -> Vec<Option<(u32, u32)>> {
    let counting = counting(values, groups);
    let (rows, starts) = groups.sorted();
    let of_group = |group: usize| {
        let own = rows[starts[group]..starts[group + 1]].iter().copied();
        let mut own: Vec<u32> = own.filter(|row| counting.value(*row as usize)).collect();
        if own.is_empty() {
            return None;
        }
        let (low, high) = ranks(own.len());
        let (below, upper, _) =
            own.select_nth_unstable_by(high, |a, b| compare(column, *a as usize, *b as usize));
        let upper = *upper;
        if low == high {
            return Some((upper, upper));
        }
        // What stands below has the rank before as its greatest.
        let lower = below.iter().copied().max_by(|a, b| compare(column, *a as usize, *b as usize));
        Some((lower.unwrap_or(upper), upper))
    };
    (0..groups.count).into_par_iter().map(of_group).collect()
}

/// The middle value of each group: of two in the middle their mean, of days the earlier.
///
/// # Errors
/// The first group whose middle has too many digits.
pub(super) fn median(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    let Some(column) = &values.value else { return Ok(Column::Blank(groups.count)) };
    let middle = ranked(values, column, groups, |count| ((count - 1) / 2, count / 2));
    let there = || Some(middle.iter().map(Option::is_some).collect::<Present>());
    match column {
        Column::Integer(_) | Column::Decimal(..) => {
            let from = column.ty().scale().unwrap_or_default();
            let Type::Decimal(to) = values.ty else {
                return Ok(Column::Blank(groups.count));
            };
            let found = middle.iter().enumerate().map(|(group, rows)| {
                let Some((low, high)) = rows else { return Ok(0) };
                let both = (column.units(*low as usize), column.units(*high as usize));
                between(both, from, to).ok_or(GroupFailure::Overflow { group: group as u32 })
            });
            Ok(Column::decimal(found.collect::<Result<_, _>>()?, there(), to))
        }
        Column::Number(array) => {
            let found = middle.iter().map(|rows| match rows {
                // Halved first: the sum of two may be too large.
                Some((low, high)) if low != high => {
                    array.value(*low as usize) / 2.0 + array.value(*high as usize) / 2.0
                }
                Some((low, _)) => array.value(*low as usize),
                None => 0.0,
            });
            Ok(Column::Number(Fixed::new(found.collect(), there())))
        }
        column => Ok(column.take(&middle.iter().map(|rows| rows.map(|(low, _)| low)).collect())),
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

/// The least value of each group that a part of its values is not above: nearest rank.
pub(super) fn percentile(values: &Values, groups: &Groups, part: Percent) -> Column {
    let Some(column) = &values.value else { return Column::Blank(groups.count) };
    let rank = |count: usize| part.of(count).max(1) - 1;
    let found = ranked(values, column, groups, |count| (rank(count), rank(count)));
    let rows: Rows = found.iter().map(|rows| rows.map(|(row, _)| row)).collect();
    column.take(&rows)
}
