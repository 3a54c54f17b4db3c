//! Medians and percentiles of groups, of pairs of a group's keys and a value with how often it is there. Of more pairs than
//! are worth holding only those are held that a rank stands among: all are cut into ranges, and counted first.
//!
//! ```text
//! pairs in order     a 1 ×1   a 2 ×3 │ a 4 ×2   a 9 ×1   b 1 ×4 │ b 3 ×1   b 8 ×2
//! counted            a: 4            │ a: 3              b: 4   │ b: 3
//! middle of a, rank 3 of 7: in the first range, none before it; of b, ranks 3 of 7: in the second
//! ```

use std::ops::Range;

use rayon::prelude::*;

use crate::aggregate::{
    AggregateFunction, GroupFailure, Groups, Values, at_ranks, counted, mostly_different, of_ranks,
    ranks,
};
use crate::link::compare;
use crate::resolve::AggregatePlan;
use crate::table::{Column, PIECE, Rows, Scattered};
use crate::value::Type;

/// So many pairs are looked at at once.
const AT_ONCE: usize = if cfg!(test) { 8 } else { 1 << 18 };

/// So many pairs of each range are looked at to see where it ends.
const LOOKED_AT: usize = 64;

/// There are no more ranges than these.
const RANGES: usize = 256;

/// Whether a result is worked of pairs with how often each is there.
pub(super) fn is_ranked(result: &AggregatePlan) -> bool {
    ranks(result.function, 1).is_some()
}

/// The pairs of the rows of some groups: the keys, the value, and how often it is there.
pub(super) fn pairs(keys: &[Column], worked: &Values, groups: &Groups) -> Vec<Column> {
    let (rows, often) = match mostly_different(worked, groups) {
        Some(rows) => (rows.clone(), vec![1; rows.len()]),
        None => counted(worked, groups),
    };
    let often: Vec<i64> = often.into_iter().map(|often| often as i64).collect();
    let columns = keys.iter().chain(&worked.value).map(|column| column.take(&rows));
    columns.chain([Column::Integer(often.into()).narrowed()]).collect()
}

/// Where pairs are: the keys of a group, a value, and how often it is there. A pair may come several times.
pub(super) enum Lots<'p> {
    Here(&'p [Column]),
    /// Some parts of what was sent away.
    Away(&'p Scattered, Range<usize>),
}

impl Lots<'_> {
    fn rows(&self) -> usize {
        match self {
            Self::Here(pairs) => pairs.first().map_or(0, Column::len),
            Self::Away(pairs, parts) => parts.clone().map(|part| pairs.rows(part)).sum(),
        }
    }

    fn each(&self) -> Box<dyn Iterator<Item = Vec<Column>> + '_> {
        match self {
            Self::Here(pairs) => {
                Box::new(Some(pairs.to_vec()).filter(|_| self.rows() > 0).into_iter())
            }
            Self::Away(pairs, parts) => Box::new(parts.clone().flat_map(|part| pairs.lots(part))),
        }
    }
}

/// The result of each of `count` groups, of which these are the keys; without keys all pairs are one group's.
///
/// # Errors
/// The first group that has none.
pub(super) fn ranked(
    (function, ty): (AggregateFunction, Type),
    (keys, count): (&[Column], usize),
    lots: &Lots<'_>,
) -> Result<Column, GroupFailure> {
    if lots.rows() == 0 {
        return Ok(Column::all_blank(ty, count));
    }
    let runs = || Runs { keys, count, lots: lots.each() };
    let (kept, before, all) = if matches!(lots, Lots::Here(_)) || lots.rows() <= AT_ONCE {
        let kept = Run::joined(&runs().collect::<Vec<Run>>());
        let mut all = vec![0; count];
        kept.each(|_, group, often| all[group] += often);
        (kept, vec![0; count], all)
    } else {
        let ends = Ends::of(runs(), lots.rows());
        let cells = Cells::of(runs(), &ends, count);
        cells.among(runs(), &ends, |all| ranks(function, all))
    };
    let (rows, starts) = kept.groups.sorted();
    let of_group = |group: usize| {
        let (low, high) = ranks(function, all[group]).filter(|_| all[group] > 0)?;
        let mut own = rows[starts[group]..starts[group + 1]].to_vec();
        kept.at_ranks(&mut own, low.checked_sub(before[group])?, high.checked_sub(before[group])?)
    };
    let found: Vec<Option<(u32, u32)>> = (0..count).into_par_iter().map(of_group).collect();
    of_ranks((function, ty), &kept.value, &found)
}

/// Some pairs, with the groups that they are of.
struct Run {
    groups: Groups,
    value: Column,
    often: Column,
}

impl Run {
    fn joined(runs: &[Self]) -> Self {
        let column = |of: &dyn Fn(&Self) -> Column| {
            Column::concat(&runs.iter().map(of).collect::<Vec<Column>>())
        };
        let (value, often) = (column(&|run| run.value.clone()), column(&|run| run.often.clone()));
        let count = runs.first().map_or(0, |run| run.groups.count);
        let of = |run: &Self, row| run.groups.of(row).map(|group| group as u32);
        let groups: Rows = runs
            .iter()
            .flat_map(|run| (0..run.groups.rows()).map(move |row| of(run, row)))
            .collect();
        Self { groups: Groups::led_to(&groups, count), value, often }
    }

    /// Each pair: its row, its group, and how often it is there.
    fn each(&self, mut work: impl FnMut(usize, usize, usize)) {
        for row in 0..self.groups.rows() {
            if let Some(group) = self.groups.of(row) {
                work(row, group, self.often.units(row) as usize);
            }
        }
    }

    /// The rows of some that have the values of two ranks, of which one is the other or follows it.
    fn at_ranks(&self, rows: &mut [u32], low: usize, high: usize) -> Option<(u32, u32)> {
        let often = |row: &u32| self.often.units(*row as usize) as usize;
        if rows.iter().all(|row| often(row) == 1) {
            return at_ranks(&self.value, rows, (low, high));
        }
        rows.sort_unstable_by(|a, b| compare(&self.value, *a as usize, *b as usize));
        let sums = rows.iter().scan(0, |sum, row| {
            *sum += often(row);
            Some(*sum)
        });
        let sums: Vec<usize> = sums.collect();
        let of = |rank: usize| rows.get(sums.partition_point(|sum| *sum <= rank)).copied();
        Some((of(low)?, of(high)?))
    }

    fn take(&self, rows: &Rows) -> Self {
        let groups = rows.follow(&self.groups.array());
        let groups = Groups::led_to(&groups, self.groups.count);
        Self { groups, value: self.value.take(rows), often: self.often.take(rows) }
    }
}

/// Pairs with their groups, run by run.
struct Runs<'k> {
    keys: &'k [Column],
    count: usize,
    lots: Box<dyn Iterator<Item = Vec<Column>> + 'k>,
}

impl Iterator for Runs<'_> {
    type Item = Run;

    fn next(&mut self) -> Option<Run> {
        // All keys of groups are looked at with each run: it has as many pairs at least.
        let (mut some, mut rows) = (vec![], 0);
        while rows < self.count.max(PIECE)
            && let Some(lot) = self.lots.next()
        {
            rows += lot.first().map_or(0, Column::len);
            some.push(lot);
        }
        let mut columns = Column::concat_each(&some);
        let (often, value) = (columns.pop()?, columns.pop()?);
        // What is on a disk that breaks is of none of them.
        let groups = Groups::among(self.keys, self.count, &columns, rows);
        Some(Run { groups, value, often })
    }
}

/// What ranges of pairs end with, in the order of groups and of values within each.
struct Ends {
    groups: Vec<usize>,
    values: Column,
}

impl Ends {
    /// Ends that divide so many pairs into ranges of one size, about.
    fn of(runs: Runs<'_>, rows: usize) -> Self {
        let ranges = rows.div_ceil(AT_ONCE / 2).clamp(2, RANGES);
        let step = (rows / (ranges * LOOKED_AT)).max(1);
        let some = runs.map(|run| {
            let rows = (0..run.groups.rows()).step_by(step).map(|row| row as u32);
            run.take(&rows.collect())
        });
        let some = Run::joined(&some.collect::<Vec<Run>>());
        let mut pairs = vec![];
        some.each(|row, group, _| pairs.push((group, row)));
        let in_order = |a: &(usize, usize), b: &(usize, usize)| {
            a.0.cmp(&b.0).then_with(|| compare(&some.value, a.1, b.1))
        };
        pairs.sort_unstable_by(in_order);
        let mut ends: Vec<_> =
            (1..ranges).filter_map(|at| pairs.get(at * pairs.len() / ranges)).collect();
        ends.dedup_by(|a, b| in_order(a, b).is_eq());
        let rows: Rows = ends.iter().map(|(_, row)| *row as u32).collect();
        Self {
            groups: ends.iter().map(|(group, _)| *group).collect(),
            values: some.value.take(&rows),
        }
    }

    /// Works on each pair of a run: its row, its group, the range that it is in, and how often it is there.
    fn each(&self, run: &Run, mut work: impl FnMut(usize, usize, usize, usize)) {
        let both = Column::concat(&[self.values.clone(), run.value.clone()]);
        let ends: Vec<usize> = (0..self.groups.len()).collect();
        run.each(|row, group, often| {
            let own = self.groups.len() + row;
            let before = |end: &usize| {
                self.groups[*end].cmp(&group).then_with(|| compare(&both, *end, own)).is_lt()
            };
            work(row, group, ends.partition_point(before), often);
        });
    }
}

/// How many values each group has in each of its ranges.
struct Cells {
    /// The first range of each group.
    first: Vec<usize>,
    /// Where the ranges of each group begin, and the end of the last.
    starts: Vec<usize>,
    values: Vec<usize>,
}

impl Cells {
    fn of(runs: Runs<'_>, ends: &Ends, count: usize) -> Self {
        let first: Vec<usize> =
            (0..count).map(|group| ends.groups.partition_point(|end| *end < group)).collect();
        let mut starts = vec![0];
        for (group, first) in first.iter().enumerate() {
            let last = ends.groups.partition_point(|end| *end <= group);
            starts.push(starts[group] + last - first + 1);
        }
        let values = vec![0; starts[count]];
        let mut cells = Self { first, starts, values };
        for run in runs {
            ends.each(&run, |_, group, range, often| {
                let cell = cells.cell(group, range);
                cells.values[cell] += often;
            });
        }
        cells
    }

    fn cell(&self, group: usize, range: usize) -> usize {
        self.starts[group] + range - self.first[group]
    }

    /// The pairs of those ranges that the ranks of a group stand in, how many values each group has before those, and how
    /// many in all.
    fn among(
        &self,
        runs: Runs<'_>,
        ends: &Ends,
        ranks: impl Fn(usize) -> Option<(usize, usize)>,
    ) -> (Run, Vec<usize>, Vec<usize>) {
        let mut wanted = vec![false; self.values.len()];
        let (mut before, mut all) = (vec![], vec![]);
        for own in self.starts.windows(2) {
            let own = own[0]..own[1];
            let values: usize = self.values[own.clone()].iter().sum();
            all.push(values);
            let (low, high) = ranks(values).unwrap_or_default();
            let (mut so_far, mut first) = (0, None);
            for cell in own {
                let up_to = so_far + self.values[cell];
                if up_to > low && so_far <= high {
                    wanted[cell] = true;
                    first = first.or(Some(so_far));
                }
                so_far = up_to;
            }
            before.push(first.unwrap_or_default());
        }
        let kept = runs.map(|run| {
            let mut rows = vec![];
            ends.each(&run, |row, group, range, _| {
                if wanted[self.cell(group, range)] {
                    rows.push(row as u32);
                }
            });
            run.take(&rows.into())
        });
        (Run::joined(&kept.collect::<Vec<Run>>()), before, all)
    }
}
