//! Aggregates that look at a group's rows in an order, or at which values are different.

use std::cmp::Ordering;
use std::collections::{BTreeMap, HashSet};

use super::pairs::{counting, different, first_of_each};
use super::{AggregateFunction, GroupFailure, Groups, Values};
use crate::expr::texts;
use crate::link::compare;
use crate::table::{Column, Rows};

/// Values are named up to this many.
const NAMED: usize = 3;

/// Of rows that are all one group, those that the aggregate can depend on, in their order.
pub(super) fn needed(values: Values, rows: usize) -> Values {
    let groups = Groups::one(rows);
    let rows: Rows = match values.function {
        AggregateFunction::Distinct => different(&values, &groups),
        _ => counting(&values, &groups).rows().map(|row| row as u32).collect(),
    };
    Values {
        value: values.value.map(|value| value.take(&rows)),
        filter: None,
        by: values.by.into_iter().map(|(by, descends)| (by.take(&rows), descends)).collect(),
        apart: values.apart.map(|apart| apart.take(&rows)),
        ..values
    }
}

pub(super) fn distinct(values: &Values, groups: &Groups) -> Column {
    let mut counts = vec![0_i64; groups.count];
    for row in first_of_each(values, groups).rows() {
        if let Some(group) = groups.of(row) {
            counts[group] += 1;
        }
    }
    Column::Integer(counts.into())
}

/// The one value of each group; and the groups that have several, in their order.
pub(super) fn sole(values: &Values, groups: &Groups) -> (Column, Vec<GroupFailure>) {
    let firsts = first_of_each(values, groups);
    let mut found: Vec<Option<u32>> = vec![None; groups.count];
    let mut several: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for row in firsts.rows().map(|row| row as u32) {
        let Some(group) = groups.of(row as usize) else { continue };
        match found[group] {
            None => found[group] = Some(row),
            Some(first) => {
                let rows = several.entry(group as u32).or_insert_with(|| vec![first]);
                if rows.len() < NAMED {
                    rows.push(row);
                }
            }
        }
    }
    several.keys().for_each(|group| found[*group as usize] = None);
    let failed = several.into_iter().map(|(group, rows)| GroupFailure::Several { group, rows });
    let value = values.value.as_ref();
    let column = value.map_or(Column::Blank(groups.count), |value| value.take(&Rows::from(found)));
    (column, failed.collect())
}

/// The order of two rows by some columns; blanks last, whichever way.
pub(crate) fn order(by: &[(Column, bool)], row: usize, other: usize) -> Ordering {
    for (column, descending) in by {
        let order = match (column.is_blank(row), column.is_blank(other)) {
            (true, true) => Ordering::Equal,
            (true, false) => return Ordering::Greater,
            (false, true) => return Ordering::Less,
            (false, false) if *descending => compare(column, other, row),
            (false, false) => compare(column, row, other),
        };
        if order.is_ne() {
            return order;
        }
    }
    Ordering::Equal
}

/// The value of the row that is latest, or earliest, of those that have both a value and what they
/// are ordered by. Of several the last.
pub(super) fn chosen(values: &Values, groups: &Groups) -> Column {
    let Some(value) = &values.value else { return Column::Blank(groups.count) };
    let wanted = match values.function {
        AggregateFunction::Latest => Ordering::Less,
        _ => Ordering::Greater,
    };
    let mut best: Vec<Option<u32>> = vec![None; groups.count];
    for row in counting(values, groups).rows() {
        let Some(group) = groups.of(row) else { continue };
        if values.by.iter().any(|(column, _)| column.is_blank(row)) {
            continue;
        }
        let stays = best[group].is_some_and(|best| order(&values.by, row, best as usize) == wanted);
        if !stays {
            best[group] = Some(row as u32);
        }
    }
    value.take(&Rows::from(best))
}

/// All values as one text, in row order or as they are ordered.
pub(super) fn list(values: &Values, groups: &Groups) -> Column {
    let Some(value) = &values.value else { return Column::Blank(groups.count) };
    let counting = counting(values, groups);
    let (rows, starts) = groups.in_order(&values.by);
    let mut cell = vec![];
    Column::Text(texts(groups.count, |group, out| {
        let mut seen: HashSet<Vec<u8>> = HashSet::new();
        let mut first = true;
        for row in rows[starts[group]..starts[group + 1]].iter().map(|row| *row as usize) {
            if !counting.value(row) {
                continue;
            }
            cell.clear();
            value.write_value(row, &mut cell);
            if values.distinct && !seen.insert(cell.clone()) {
                continue;
            }
            if !first {
                out.push_str(&values.separator);
            }
            first = false;
            out.push_str(std::str::from_utf8(&cell).unwrap_or_default());
        }
        !first
    }))
}
