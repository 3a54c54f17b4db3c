//! Amounts that count apart: in several currencies, or other measures, within one group.

use std::collections::BTreeMap;

use super::{GroupFailure, Groups, Values};
use crate::bug::Sure;
use crate::table::{Amount, Column, Rows};
use crate::value::{Scalar, Type};

/// The rows of a group that are in one currency, or the like.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct ApartPart {
    /// Which; nothing where it is blank.
    pub value: Option<String>,
    pub rows: u64,
    pub amount: Amount,
}

/// The groups whose values are in several, in their order. Rows that do not count, or have no value, are not
/// looked at; a blank is one of its own.
///
/// ```text
/// group  value  apart
/// 0       1.00  EUR
/// 0       2.00  USD      →  0: EUR 1 row 1.00, USD 1 row 2.00
/// 1       4.00  EUR
/// 1          ·  USD
/// ```
pub(crate) fn mixed(values: &Values, groups: &Groups) -> Vec<GroupFailure> {
    let (Some(apart), Some(value)) = (&values.apart, &values.value) else { return vec![] };
    let counts = |row: usize| stands(value, apart, row) && values.counts(row);
    let numbers = numbered(apart);
    let mut first: Vec<Option<u32>> = vec![None; groups.count];
    let mut several = vec![false; groups.count];
    for row in (0..groups.rows()).filter(|row| counts(*row)) {
        let Some(group) = groups.of(row) else { continue };
        match first[group] {
            None => first[group] = Some(numbers[row]),
            Some(known) => several[group] |= known != numbers[row],
        }
    }
    if !several.contains(&true) {
        return vec![];
    }
    let mut rows: BTreeMap<(usize, u32), Vec<u32>> = BTreeMap::new();
    for row in (0..groups.rows()).filter(|row| counts(*row)) {
        if let Some(group) = groups.of(row).filter(|group| several[*group]) {
            rows.entry((group, numbers[row])).or_default().push(row as u32);
        }
    }
    let mut failed: Vec<(usize, Vec<ApartPart>)> = vec![];
    for ((group, _), rows) in rows {
        let part = ApartPart {
            value: named(apart, rows[0] as usize),
            rows: rows.len() as u64,
            amount: value.take(&Rows::from(rows)).sum(),
        };
        match failed.last_mut().filter(|(last, _)| *last == group) {
            Some((_, parts)) => parts.push(part),
            None => failed.push((group, vec![part])),
        }
    }
    let failure = |(group, parts): (usize, Vec<ApartPart>)| GroupFailure::Apart {
        group: u32::try_from(group).ok().sure("the number of a group"),
        parts,
    };
    failed.into_iter().map(failure).collect()
}

/// Whether a row has an amount that is in something: a zero whose currency is blank is in none, and meets any.
pub(crate) fn stands(value: &Column, apart: &Column, row: usize) -> bool {
    !(value.is_blank(row) || apart.is_blank(row) && is_zero(value, row))
}

fn is_zero(value: &Column, row: usize) -> bool {
    match value {
        Column::Number(array) => array.value(row) == 0.0,
        Column::Integer(_) | Column::Decimal(..) => value.units(row) == 0,
        _ => false,
    }
}

/// What a row is in, in words; nothing where that is blank.
fn named(apart: &Column, row: usize) -> Option<String> {
    match apart.scalar(row) {
        Scalar::Blank => None,
        value => Some(value.to_string()),
    }
}

/// More of them are no currencies, but something else.
pub(crate) const MOST_APART: usize = 200;

/// The rows of each value of what keeps amounts apart, in words; in order of first appearance, of more than
/// [`MOST_APART`] the first.
pub(crate) fn parted_by(apart: &Column) -> Vec<(Option<String>, Rows)> {
    let groups = in_groups(apart);
    let (rows, starts) = groups.sorted();
    let part = |group: usize| {
        let rows = &rows[starts[group]..starts[group + 1]];
        (named(apart, rows[0] as usize), Rows::from(rows.to_vec()))
    };
    (0..groups.count.min(MOST_APART + 1)).map(part).collect()
}

fn in_groups(apart: &Column) -> Groups {
    match apart.ty() {
        Type::Blank if !apart.is_empty() => Groups::one(apart.len()),
        _ => Groups::by(std::slice::from_ref(apart), apart.len()),
    }
}

/// For each row the number of what it is in, in order of first appearance.
fn numbered(apart: &Column) -> Vec<u32> {
    let groups = in_groups(apart);
    (0..apart.len()).map(|row| groups.of(row).sure("every row is in a group") as u32).collect()
}
