//! Aggregates of the rows up to each row of a group, or as far back as is said. One row enters a window and leaves
//! it again, so that the work does not grow with how far it reaches.

use std::cmp::Ordering;
use std::collections::{BTreeMap, VecDeque};

use crate::aggregate::{AggregateFunction, GroupFailure, Groups, Values};
use crate::bug::bug;
use crate::lang::Over;
use crate::link::compare;
use crate::table::{Column, Fixed, Present, Rows};
use crate::value::{ExactSum, Scale, Type, day, decimal};

/// What is worked of all rows that came before, where windows reach back to the first: counts and sums. The least value or
/// the greatest comes as a row.
#[derive(Default)]
pub(super) struct Carried {
    /// Whether rows came before.
    begun: bool,
    count: i64,
    /// The halves of a sum in whole units.
    units: (i128, i128),
    sum: ExactSum,
}

/// What each row gets of its window, in its group's order, and the groups that have a window without a value. Rows of one
/// group may come in lots: what was carried from those before is that of all then.
pub(super) fn window(
    values: &Values,
    groups: &Groups,
    over: Option<Over>,
    carried: &mut Carried,
) -> (Column, Vec<GroupFailure>) {
    use AggregateFunction::{Count, Max, Mean, Min, Rows, Sum};
    let windows = Windows::new(values, groups, over);
    let goes_on = carried.begun && over.is_none();
    let rows = groups.rows();
    let mut counts = || {
        let counts = windows.slide(Counts { count: carried.count, found: vec![0; rows] }, goes_on);
        carried.count = counts.count;
        counts.found
    };
    let mut failed = Failed { groups, found: BTreeMap::new() };
    let column = match (values.function, &values.value) {
        (Rows | Count, _) => Column::Integer(counts().into()),
        (Min | Max, Some(value)) => {
            windows.slide(Extremes::of(value, values.function), false).column()
        }
        (Sum | Mean, Some(value)) => {
            let counts = (values.function == Mean).then(counts);
            match value {
                Column::Number(array) => {
                    let sum = std::mem::take(&mut carried.sum);
                    let sums = Floats { value: array, sum, found: vec![0.0; rows] };
                    let sums = windows.slide(sums, goes_on);
                    carried.sum = sums.sum;
                    floats(sums.found, counts.as_deref(), &mut failed)
                }
                value => {
                    let (high, low) = carried.units;
                    let sums = Units { value, high, low, found: vec![None; rows] };
                    let sums = windows.slide(sums, goes_on);
                    carried.units = (sums.high, sums.low);
                    units(&sums.found, counts.as_deref(), values, &mut failed)
                }
            }
        }
        (Min | Max | Sum | Mean, None) => Column::Blank(rows),
        (other, _) => bug(format!("{other:?} is not worked over windows")),
    };
    carried.begun = true;
    (column, failed.found.into_values().collect())
}

/// Groups that have a window without a value.
struct Failed<'g> {
    groups: &'g Groups,
    found: BTreeMap<u32, GroupFailure>,
}

impl Failed<'_> {
    fn note(&mut self, row: usize) {
        if let Some(group) = self.groups.of(row).map(|group| group as u32) {
            self.found.entry(group).or_insert(GroupFailure::Overflow { group });
        }
    }
}

/// Each group's rows in their order, and how far the window of each of them reaches.
struct Windows<'v> {
    values: &'v Values,
    rows: Vec<u32>,
    /// The places of the first row and behind the last, among all rows in order.
    reach: Vec<(u32, u32)>,
}

/// What is worked of the rows in a window.
trait Slides {
    fn empty(&mut self);
    fn enter(&mut self, row: usize);
    fn leave(&mut self, row: usize);
    /// The window of a row has all of its rows.
    fn complete(&mut self, row: usize);
}

impl<'v> Windows<'v> {
    fn new(values: &'v Values, groups: &'v Groups, over: Option<Over>) -> Self {
        let (rows, starts) = groups.in_order(&values.by);
        let mut reach = Vec::with_capacity(rows.len());
        for group in 0..groups.count {
            let (start, end) = (starts[group], starts[group + 1]);
            match over {
                None => reach.extend((start..end).map(|at| (start as u32, at as u32 + 1))),
                Some(Over::Rows(count)) => reach.extend((start..end).map(|at| {
                    (start.max((at + 1).saturating_sub(count as usize)) as u32, at as u32 + 1)
                })),
                Some(Over::Days(count)) => {
                    let days = values.by.first().map(|(by, _)| by);
                    let day = |at: usize| days.and_then(|days| day_of(days, rows[at] as usize));
                    reach_days((start, end), &day, count.into(), &mut reach);
                }
            }
        }
        Self { values, rows, reach }
    }

    /// Whether a row is one of those that the aggregate is of.
    fn is_of(&self, row: usize) -> bool {
        let there = self.values.value.as_ref().is_none_or(|value| !value.is_blank(row));
        there && self.values.counts(row)
    }

    /// Slides over all windows, from the first row to the last of each group. `goes_on`: the first window goes on from what
    /// is there.
    fn slide<S: Slides>(&self, mut of: S, goes_on: bool) -> S {
        let (mut from, mut to) = (0, 0);
        for (at, (first, end)) in self.reach.iter().enumerate() {
            // What no window before reached begins anew.
            if *first as usize >= to && !(goes_on && at == 0) {
                of.empty();
                (from, to) = (*first as usize, *first as usize);
            }
            while from < *first as usize {
                let row = self.rows[from] as usize;
                if self.is_of(row) {
                    of.leave(row);
                }
                from += 1;
            }
            while to < *end as usize {
                let row = self.rows[to] as usize;
                if self.is_of(row) {
                    of.enter(row);
                }
                to += 1;
            }
            of.complete(self.rows[at] as usize);
        }
        of
    }
}

/// The day of a row.
pub(super) fn day_of(days: &Column, row: usize) -> Option<i64> {
    match days {
        Column::Date(array) => array.get(row).map(i64::from),
        Column::DateTime(array) => array.get(row).map(|micros| i64::from(day::day_of(micros))),
        _ => None,
    }
}

/// How far the windows of one group's rows reach: all rows of the row's day and of the days before, so many in
/// all. A row without a day is alone.
fn reach_days(
    (start, end): (usize, usize),
    day: &dyn Fn(usize) -> Option<i64>,
    count: i64,
    reach: &mut Vec<(u32, u32)>,
) {
    let (mut first, mut behind) = (start, start);
    for at in start..end {
        let Some(own) = day(at) else {
            reach.push((at as u32, at as u32 + 1));
            continue;
        };
        while day(first).is_some_and(|day| day <= own - count) {
            first += 1;
        }
        while behind < end && day(behind).is_some_and(|day| day <= own) {
            behind += 1;
        }
        reach.push((first as u32, behind as u32));
    }
}

/// How many rows count.
struct Counts {
    count: i64,
    found: Vec<i64>,
}

impl Slides for Counts {
    fn empty(&mut self) {
        self.count = 0;
    }

    fn enter(&mut self, _: usize) {
        self.count += 1;
    }

    fn leave(&mut self, _: usize) {
        self.count -= 1;
    }

    fn complete(&mut self, row: usize) {
        self.found[row] = self.count;
    }
}

/// Sums in whole units, in two halves: what a sum has too much on its way goes again.
struct Units<'v> {
    value: &'v Column,
    high: i128,
    low: i128,
    /// Nothing where a sum has too many digits.
    found: Vec<Option<i128>>,
}

impl Slides for Units<'_> {
    fn empty(&mut self) {
        (self.high, self.low) = (0, 0);
    }

    fn enter(&mut self, row: usize) {
        let units = self.value.units(row);
        self.high += units >> 64;
        self.low += units & i128::from(u64::MAX);
    }

    fn leave(&mut self, row: usize) {
        let units = self.value.units(row);
        self.high -= units >> 64;
        self.low -= units & i128::from(u64::MAX);
    }

    fn complete(&mut self, row: usize) {
        let high = self.high + (self.low >> 64);
        let low = self.low & i128::from(u64::MAX);
        let sum = high.checked_mul(1 << 64).map(|high| high + low);
        self.found[row] = sum.and_then(decimal::fits);
    }
}

/// Sums of floating-point numbers, exact until each is rounded once.
struct Floats<'v> {
    value: &'v Fixed<f64>,
    sum: ExactSum,
    found: Vec<f64>,
}

impl Slides for Floats<'_> {
    fn empty(&mut self) {
        self.sum = ExactSum::default();
    }

    fn enter(&mut self, row: usize) {
        self.sum.add(self.value.value(row));
    }

    fn leave(&mut self, row: usize) {
        self.sum.add(-self.value.value(row));
    }

    fn complete(&mut self, row: usize) {
        self.found[row] = self.sum.value();
    }
}

/// The least values, or the greatest: of the rows in a window those that none behind them outdoes.
struct Extremes<'v> {
    value: &'v Column,
    wanted: Ordering,
    best: VecDeque<u32>,
    found: Vec<Option<u32>>,
}

impl<'v> Extremes<'v> {
    fn of(value: &'v Column, function: AggregateFunction) -> Self {
        let wanted = match function {
            AggregateFunction::Min => Ordering::Less,
            _ => Ordering::Greater,
        };
        Self { value, wanted, best: VecDeque::new(), found: vec![None; value.len()] }
    }

    fn column(self) -> Column {
        self.value.take(&Rows::from(self.found))
    }
}

impl Slides for Extremes<'_> {
    fn empty(&mut self) {
        self.best.clear();
    }

    fn enter(&mut self, row: usize) {
        let outdone = |best: &u32| compare(self.value, row, *best as usize) == self.wanted;
        while self.best.back().is_some_and(outdone) {
            self.best.pop_back();
        }
        self.best.push_back(row as u32);
    }

    fn leave(&mut self, row: usize) {
        if self.best.front() == Some(&(row as u32)) {
            self.best.pop_front();
        }
    }

    fn complete(&mut self, row: usize) {
        self.found[row] = self.best.front().copied();
    }
}

/// Sums of windows, or what they are on average where counts are given.
fn units(
    sums: &[Option<i128>],
    counts: Option<&[i64]>,
    values: &Values,
    failed: &mut Failed<'_>,
) -> Column {
    let given = values.value.as_ref().map(Column::ty).and_then(Type::scale).unwrap_or_default();
    let mut fits = |row: usize, found: Option<i128>| {
        found.unwrap_or_else(|| {
            failed.note(row);
            0
        })
    };
    let sums = sums.iter().enumerate();
    if let Some(counts) = counts {
        let mean = |(row, sum): (usize, &Option<i128>)| {
            let count = i128::from(counts[row].max(1));
            fits(row, sum.and_then(|sum| decimal::divide(sum, given, count, Scale(0))))
        };
        let there = counts.iter().map(|count| *count > 0).collect::<Present>();
        return Column::decimal(sums.map(mean).collect(), Some(there), decimal::DIVISION_SCALE);
    }
    match values.ty {
        Type::Decimal(scale) => {
            Column::decimal(sums.map(|(row, sum)| fits(row, *sum)).collect(), None, scale)
        }
        _ => {
            let whole = sums.map(|(row, sum)| {
                let sum = sum.and_then(|sum| i64::try_from(sum).ok());
                fits(row, sum.map(i128::from)) as i64
            });
            Column::Integer(whole.collect::<Vec<i64>>().into())
        }
    }
}

/// The same of floating-point numbers.
fn floats(sums: Vec<f64>, counts: Option<&[i64]>, failed: &mut Failed<'_>) -> Column {
    for (row, _) in sums.iter().enumerate().filter(|(_, sum)| !sum.is_finite()) {
        failed.note(row);
    }
    let Some(counts) = counts else { return Column::Number(sums.into()) };
    let means = sums.iter().zip(counts).map(|(sum, count)| sum / (*count).max(1) as f64);
    let there = counts.iter().map(|count| *count > 0).collect::<Present>();
    Column::Number(Fixed::new(means.collect(), Some(there)))
}
