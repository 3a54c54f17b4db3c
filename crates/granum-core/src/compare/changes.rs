//! Which values changed, and by how much.

use rayon::prelude::*;

use super::read::Both;
use super::{Change, ColumnChange};
use crate::link::{BlankKeys, Keys};
use crate::table::{Bits, Column, Rows};
use crate::tally::NamedValue;
use crate::value::{Scalar, Scale, decimal};

/// Changes of a column are listed up to this many.
const LARGEST: usize = 3;

/// Values of a row with their names.
pub(super) fn named(both: &Both, old: bool, row: u32, names: &[String]) -> Vec<NamedValue> {
    let value = |name: &String| {
        let value = both.column(old, name)?.scalar(row as usize);
        let value = (value != Scalar::Blank).then(|| value.to_string());
        Some(NamedValue { name: name.clone(), value })
    };
    names.iter().filter_map(value).collect()
}

/// What became of each column that is no part of the grain, and how many rows changed; `pairs` has for each row
/// of the new build the one of the old.
pub(super) fn changes(
    both: &Both,
    pairs: &Rows,
    grain: &[String],
    tolerance: Option<(i128, Scale)>,
) -> (Vec<ColumnChange>, u64) {
    let found: Vec<(ColumnChange, Bits)> = both
        .columns
        .par_iter()
        .filter(|(name, ..)| !grain.contains(name))
        .map(|(name, old, new)| of_column(both, pairs, grain, (name, old, new), tolerance))
        .collect();
    let mut any = Bits::all(pairs.len(), false);
    for (_, changed) in &found {
        any = &any | changed;
    }
    (found.into_iter().map(|(change, _)| change).collect(), any.count() as u64)
}

fn is_amount(column: &Column) -> bool {
    matches!(column, Column::Integer(_) | Column::Decimal(..) | Column::Number(_))
}

fn of_column(
    both: &Both,
    pairs: &Rows,
    grain: &[String],
    (name, old, new): (&str, &Column, &Column),
    tolerance: Option<(i128, Scale)>,
) -> (ColumnChange, Bits) {
    let keys = |column: &Column| Keys::new(vec![column.clone()], BlankKeys::Equal, column.len());
    let (old_keys, new_keys) = (keys(old), keys(new));
    let differs = |row: usize| {
        pairs.get(row).is_some_and(|own| {
            !new_keys.equal(row, &old_keys, own as usize)
                && !is_near(old, own as usize, new, row, tolerance)
        })
    };
    let changed = Bits::collect(pairs.len(), differs);
    let mut rows: Vec<u32> = changed.rows().map(|row| row as u32).collect();
    let count = rows.len() as u64;
    let sizes = is_amount(new);
    if sizes {
        // The earlier of equal ones comes first.
        rows.sort_by_cached_key(|row| {
            let own = pairs.row(*row as usize);
            (std::cmp::Reverse(size(old, own, new, *row as usize)), *row)
        });
    }
    let value = |column: &Column, row: usize| {
        (!column.is_blank(row)).then(|| column.scalar(row).to_string())
    };
    let largest = rows.iter().take(LARGEST).map(|row| Change {
        key: named(both, false, *row, grain),
        before: value(old, pairs.row(*row as usize)),
        after: value(new, *row as usize),
    });
    let change = ColumnChange {
        name: name.to_owned(),
        changed: count,
        before: sizes.then(|| old.sum()),
        after: sizes.then(|| new.sum()),
        largest: largest.collect(),
    };
    (change, changed)
}

/// How far two numbers are from each other, as a whole number that orders such sizes; of a blank how far the other
/// is from nothing.
fn size(old: &Column, old_row: usize, new: &Column, new_row: usize) -> u128 {
    match (old, new) {
        (Column::Number(old), Column::Number(new)) => {
            let value = |array: &crate::table::Fixed<f64>, row| array.get(row).unwrap_or(0.0);
            let size = (value(new, new_row) - value(old, old_row)).abs();
            // Of floating point numbers above zero the bits order as the numbers do.
            size.to_bits().into()
        }
        _ => units(old, old_row).abs_diff(units(new, new_row)),
    }
}

fn units(column: &Column, row: usize) -> i128 {
    if column.is_blank(row) { 0 } else { column.units(row) }
}

/// Whether two numbers differ by no more than what is tolerated. A blank is near nothing.
fn is_near(
    old: &Column,
    old_row: usize,
    new: &Column,
    new_row: usize,
    tolerance: Option<(i128, Scale)>,
) -> bool {
    let Some((most, scale)) = tolerance else { return false };
    if old.is_blank(old_row) || new.is_blank(new_row) {
        return false;
    }
    match (old.scalar(old_row), new.scalar(new_row)) {
        (Scalar::Number(a), Scalar::Number(b)) => {
            let most: f64 = decimal::to_text(most, scale).parse().unwrap_or(0.0);
            (a - b).abs() <= most
        }
        (a, b) if a.ty().is_numeric() && b.ty().is_numeric() => {
            let own = new.ty().scale().unwrap_or_default();
            let far = units(old, old_row).abs_diff(units(new, new_row));
            let far = i128::try_from(far).unwrap_or(i128::MAX);
            decimal::compare(far, own, most, scale).is_le()
        }
        _ => false,
    }
}
