//! The values of groups, each once: what counts of different values and ranks are worked of.

use super::{Groups, Values, number};
use crate::link::{BlankKeys, KeyTable, Keys};
use crate::table::{Bits, Column, Rows};

/// The rows that count and have a value.
pub(super) fn counting(values: &Values, groups: &Groups) -> Bits {
    let present = values.value.as_ref().and_then(Column::present);
    Bits::collect(groups.rows(), |row| {
        present.as_ref().is_none_or(|present| present.has(row))
            && values.counts(row)
            && groups.of(row).is_some()
    })
}

/// The rows that count and have a value, with their groups and values.
fn counting_pairs(values: &Values, groups: &Groups) -> (Rows, Vec<Column>) {
    let rows = counting_rows(values, groups);
    let value = values.value.clone().unwrap_or(Column::Blank(groups.rows()));
    let pairs = vec![groups.column(), value];
    if rows.len() == groups.rows() {
        return (rows, pairs);
    }
    let pairs = pairs.iter().map(|column| column.take(&rows)).collect();
    (rows, pairs)
}

/// The rows that count and have a value.
fn counting_rows(values: &Values, groups: &Groups) -> Rows {
    let there = values.value.as_ref().is_none_or(|value| value.present().is_none());
    if there && values.filter.is_none() && groups.all_have() {
        return Rows::same(groups.rows());
    }
    let counting = counting(values, groups);
    if counting.count() == groups.rows() {
        return Rows::same(groups.rows());
    }
    counting.rows().map(|row| row as u32).collect()
}

/// The rows of each group that have a value which no row of the group above has.
pub(super) fn first_of_each(values: &Values, groups: &Groups) -> Bits {
    let (rows, columns) = counting_pairs(values, groups);
    let table = KeyTable::build(&Keys::new(columns, BlankKeys::Apart, rows.len()));
    let mut firsts = vec![false; groups.rows()];
    rows.numbers().for_each(|row| firsts[row as usize] = true);
    for (repeat, _) in &table.repeats {
        firsts[rows.row(*repeat as usize)] = false;
    }
    Bits::from(firsts)
}

/// The rows that a count of different values needs: of each value of a group the first.
pub(crate) fn different(values: &Values, groups: &Groups) -> Rows {
    first_of_each(values, groups).rows().map(|row| row as u32).collect()
}

/// So many rows are looked at to see whether nearly all have a value of their own.
const LOOKED_AT: usize = 1 << 10;

/// The rows that count, where nearly all of the first have values of their own: what counts each once, or how often it is
/// there, would be nearly all of them as well.
pub(crate) fn mostly_different(values: &Values, groups: &Groups) -> Option<Rows> {
    let rows = counting_rows(values, groups);
    if rows.len() < 2 * LOOKED_AT {
        return None;
    }
    let some = rows.slice(0, LOOKED_AT);
    let pairs = [groups.column(), values.value.clone()?];
    let (pairs, _) = number(pairs.iter().map(|column| column.take(&some)).collect(), some.len());
    (pairs.count * 8 > LOOKED_AT * 7).then_some(rows)
}

/// Groups and values of so many kinds are counted by their place.
const CELLS: i128 = 1 << 18;

/// The rows that ranks need: of each value of a group the first, and how often it is there.
pub(crate) fn counted(values: &Values, groups: &Groups) -> (Rows, Vec<u64>) {
    if let Some(found) = counted_by_place(values, groups) {
        return found;
    }
    let (rows, pairs) = counting_pairs(values, groups);
    let (pairs, firsts) = number(pairs, rows.len());
    (Rows::from(firsts).follow(&rows), pairs.sizes())
}

/// The same of exact numbers that lie near each other, without a look-up.
fn counted_by_place(values: &Values, groups: &Groups) -> Option<(Rows, Vec<u64>)> {
    let Some(value @ (Column::Integer(_) | Column::Decimal(..))) = &values.value else {
        return None;
    };
    let rows = counting_rows(values, groups);
    let (value, of) = (value.take(&rows), rows.follow(&groups.array()));
    let units = || (0..rows.len()).map(|row| value.units(row));
    let (least, most) = (units().min()?, units().max()?);
    let span = most.checked_sub(least)?.checked_add(1)?;
    let cells = span.checked_mul(groups.count as i128).filter(|cells| *cells <= CELLS)?;
    let mut place = vec![u32::MAX; cells as usize];
    let (mut firsts, mut counts): (Vec<u32>, Vec<u64>) = (vec![], vec![]);
    for (row, (group, units)) in of.numbers().zip(units()).enumerate() {
        let place = &mut place[group as usize * span as usize + (units - least) as usize];
        if *place == u32::MAX {
            *place = firsts.len() as u32;
            firsts.push(row as u32);
            counts.push(0);
        }
        counts[*place as usize] += 1;
    }
    Some((Rows::from(firsts).follow(&rows), counts))
}
