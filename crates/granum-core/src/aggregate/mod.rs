//! Aggregates: one value of many rows, for each group of rows. The same code works for the groups of
//! `one row per`, for rows that lead to one by a link, and for a whole table.

mod apart;
mod fold;
mod groups;
mod led_to;
mod middle;
mod number;
mod ordered;
mod pairs;
mod parts;
mod place;
mod registry;
mod sum;

pub(crate) use apart::{ApartPart, MOST_APART, mixed, parted_by, stands};
use fold::{Sums, divided, narrowed};
pub(crate) use groups::Groups;
pub(crate) use led_to::aggregate_led_to;
pub(crate) use middle::{at_ranks, of_ranks, ranks};
pub(crate) use number::number;
pub(crate) use ordered::order;
pub(crate) use pairs::{counted, different, mostly_different};
pub(crate) use parts::{AllRows, folded, from_parts, kept, parted, parts};
pub(crate) use place::{OF_PLACE, is_of_place, of_place_names};
pub(crate) use registry::{AGGREGATES, Aggregate, OfAmounts, Order, Takes, named};
pub(crate) use sum::{Sum, apart_rows};

use crate::bug::Sure;
use crate::lang::Percent;
use crate::table::{Column, Truths};
use crate::value::Type;

/// What is worked of a group's rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum AggregateFunction {
    /// How many rows there are.
    Rows,
    /// How many values are not blank.
    Count,
    /// How many different values there are, blank apart.
    Distinct,
    Sum,
    Min,
    Max,
    /// The sum of the values divided by how many there are, to ten places.
    Mean,
    /// The middle value, or what lies between two of them.
    Median,
    /// The least value that so many of the values are not above.
    Percentile(Percent),
    /// Whether a condition is true of one row at least, of all rows that it is not blank for, and
    /// of which part of all rows.
    Any,
    All,
    Share,
    /// The one value; several are an error.
    Sole,
    /// The value of the row that something is latest, or earliest, of.
    Latest,
    Earliest,
    /// All values as one text.
    List,
}

/// What an aggregate is worked from, a row each.
#[derive(Debug, Clone)]
pub(crate) struct Values {
    pub function: AggregateFunction,
    /// What is gathered; nothing for `rows`.
    pub value: Option<Column>,
    /// The rows that count.
    pub filter: Option<Truths>,
    /// What the rows of a group are ordered by, and whether the greatest comes first.
    pub by: Vec<(Column, bool)>,
    /// Whether each value stands once in a list.
    pub distinct: bool,
    /// What stands between the values of a list.
    pub separator: String,
    /// The result's type.
    pub ty: Type,
    /// What keeps values apart: those of a group must be in one.
    pub apart: Option<Column>,
}

/// Why a group has no value.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum GroupFailure {
    /// Its sum has too many digits.
    Overflow { group: u32 },
    /// Several values where one was meant: rows that have the first of them.
    Several { group: u32, rows: Vec<u32> },
    /// Its values are in several currencies, or the like: each with its rows and their sum.
    Apart { group: u32, parts: Vec<ApartPart> },
}

impl Values {
    /// A column of which all rows count, in their order.
    pub fn of(function: AggregateFunction, value: Option<Column>, ty: Type) -> Self {
        let (filter, by, separator) = (None, vec![], String::new());
        Self { function, value, filter, by, distinct: false, separator, ty, apart: None }
    }

    /// Whether a row counts that belongs to a group.
    pub fn counts(&self, row: usize) -> bool {
        self.filter.as_ref().is_none_or(|filter| filter.value(row))
    }
}

impl GroupFailure {
    /// The same of a group of another number.
    fn of(self, group: u32) -> Self {
        match self {
            Self::Overflow { .. } => Self::Overflow { group },
            Self::Several { rows, .. } => Self::Several { group, rows },
            Self::Apart { parts, .. } => Self::Apart { group, parts },
        }
    }

    /// The group that has no value.
    pub fn group(&self) -> u32 {
        match self {
            Self::Overflow { group } | Self::Several { group, .. } | Self::Apart { group, .. } => {
                *group
            }
        }
    }
}

/// The aggregate of each group; blank where a group has none, and those groups in their order.
pub(crate) fn aggregate_each(values: &Values, groups: &Groups) -> (Column, Vec<GroupFailure>) {
    if values.function == AggregateFunction::Sole {
        return ordered::sole(values, groups);
    }
    // Sums that are too long are rare: each such group is left out, and the others worked again.
    let mut values = values.clone();
    let mut failed = mixed(&values, groups);
    values.apart = None;
    if !failed.is_empty() {
        let mut out = vec![false; groups.count];
        failed.iter().for_each(|failure| out[failure.group() as usize] = true);
        let stays =
            |row: usize| values.counts(row) && groups.of(row).is_some_and(|group| !out[group]);
        let filter: Vec<bool> = (0..groups.rows()).map(stays).collect();
        values.filter = Some(filter.into());
    }
    loop {
        match aggregate(&values, groups) {
            Ok(column) if failed.is_empty() => return (column, failed),
            Ok(column) => {
                failed.sort_by_key(GroupFailure::group);
                let has =
                    |group: &u32| failed.binary_search_by_key(group, GroupFailure::group).is_err();
                let rows = (0..groups.count as u32).map(|group| has(&group).then_some(group));
                return (column.take(&rows.collect()), failed);
            }
            Err(failure) => {
                let out = failure.group() as usize;
                let stays =
                    |row: usize| values.counts(row) && groups.of(row).is_some_and(|of| of != out);
                let filter: Vec<bool> = (0..groups.rows()).map(stays).collect();
                values.filter = Some(filter.into());
                failed.push(failure);
            }
        }
    }
}

/// The aggregate of each group.
pub(crate) fn aggregate(values: &Values, groups: &Groups) -> Result<Column, GroupFailure> {
    use AggregateFunction::{Distinct, Earliest, Latest, List, Median, Percentile, Sole};
    if let Some(failure) = mixed(values, groups).into_iter().next() {
        return Err(failure);
    }
    match values.function {
        Distinct => Ok(ordered::distinct(values, groups)),
        Latest | Earliest => Ok(ordered::chosen(values, groups)),
        List => Ok(ordered::list(values, groups)),
        Median | Percentile(_) => middle::ranked(values, groups),
        Sole => match ordered::sole(values, groups) {
            (column, failed) if failed.is_empty() => Ok(column),
            (_, failed) => Err(failed.into_iter().next().sure("the group that failed")),
        },
        _ => fold::fold(values, groups),
    }
}

#[cfg(test)]
mod tests;
