//! Periods of equal keys, resolved once into stretches that lie end to end.

use std::collections::BTreeSet;

use rayon::prelude::*;

use super::order::Ranks;
use super::{Ends, Outside, Periods};
use crate::link::{KeyTable, Keys};

/// No row holds in a stretch.
const NOBODY: u32 = u32::MAX;

/// Periods, by their keys, as stretches that lie end to end: each begins where the one before ends.
pub(super) struct Stretches {
    /// The first stretch of each key, and behind them the number of all.
    bounds: Vec<u32>,
    /// For each row of the target the number of its key; none where it has no key.
    group: Vec<u32>,
    /// The rows of each key, in the order of their starts, and where they begin.
    rows: Vec<u32>,
    rows_from: Vec<u32>,
    /// Where each stretch begins.
    from: Vec<i64>,
    /// The row that holds in it.
    row: Vec<u32>,
    /// How many hold in it; empty where never more than one does.
    count: Vec<u32>,
    /// Stretches in which the first two tie, in their order.
    tied: Vec<u32>,
    /// Rows that hold on no day: they end where they start.
    pub never: u64,
}

/// Rows whose period ends before it starts.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Inverted(pub Vec<u32>);

/// A period of a row, with both its first and its last moment.
#[derive(Debug, Clone, Copy)]
struct Period {
    start: i64,
    last: i64,
    row: u32,
}

/// The stretches of one key.
#[derive(Default)]
struct Part {
    from: Vec<i64>,
    row: Vec<u32>,
    count: Vec<u32>,
    /// By their numbers in this part.
    tied: Vec<u32>,
}

impl Part {
    fn push(&mut self, from: i64, row: u32, count: u32, tied: bool) {
        if tied {
            self.tied.push(self.from.len() as u32);
        }
        self.from.push(from);
        self.row.push(row);
        self.count.push(count);
    }
}

impl Stretches {
    /// Resolves the periods of a target, whose equal keys have been put into a table if there are
    /// any.
    ///
    /// # Errors
    /// Rows whose period ends before it starts.
    pub fn new(keys: &Keys, table: Option<&KeyTable>, periods: &Periods) -> Result<Self, Inverted> {
        let rows = periods.starts.rows();
        let (group, groups) = match table {
            Some(table) => numbered(keys, table),
            None => (vec![0; rows], 1),
        };
        let mut inverted = vec![];
        let mut never = 0;
        let mut kept = vec![false; rows];
        for (row, kept) in kept.iter_mut().enumerate() {
            match holds(periods, row) {
                Holds::Sometimes => *kept = group[row] != NOBODY,
                Holds::Never => never += 1,
                Holds::Inverted => inverted.push(row as u32),
            }
        }
        if !inverted.is_empty() {
            return Err(Inverted(inverted));
        }
        let (mut ordered, rows_from) = by_group(&group, groups, &kept);
        sort_groups(&mut ordered, &rows_from, periods);
        let overlap = (0..groups).into_par_iter().any(|at| {
            let rows = &ordered[rows_from[at] as usize..rows_from[at + 1] as usize];
            overlaps(rows, periods)
        });
        let ranks = match &periods.prefer {
            Some(order) if overlap => Ranks::new(order, rows),
            _ => Ranks::by_place(if overlap { rows } else { 0 }),
        };
        let resolved = Resolving { periods, ranks: &ranks, rows: &ordered, rows_from: &rows_from };
        let (bounds, part) = resolved.all(groups);
        Ok(Self {
            bounds,
            group,
            rows: ordered,
            rows_from,
            from: part.from,
            row: part.row,
            count: if overlap { part.count } else { vec![] },
            tied: part.tied,
            never,
        })
    }

    /// The number of the key of a row of the target.
    pub fn group_of(&self, row: u32) -> usize {
        self.group[row as usize] as usize
    }

    /// How many keys there are.
    pub fn groups(&self) -> usize {
        self.bounds.len() - 1
    }

    /// The stretches of a key.
    pub fn of(&self, group: usize) -> std::ops::Range<u32> {
        self.bounds[group]..self.bounds[group + 1]
    }

    /// The rows of a key that hold on some day, in the order of their starts.
    pub fn rows_of(&self, group: usize) -> &[u32] {
        &self.rows[self.rows_from[group] as usize..self.rows_from[group + 1] as usize]
    }

    /// Where stretches begin, all of them.
    pub fn starts(&self) -> &[i64] {
        &self.from
    }

    /// The key that a stretch belongs to.
    pub fn group_at(&self, at: u32) -> usize {
        // Keys without a stretch have the same bound as the next one.
        self.bounds.partition_point(|bound| *bound <= at) - 1
    }

    /// The first moment behind a stretch, if it ends.
    pub fn end(&self, at: u32) -> Option<i64> {
        Some(self.end_in(self.group_at(at), at)).filter(|end| *end < i64::MAX)
    }

    /// The same of a stretch of a key; the largest number where it does not end.
    #[inline]
    pub fn end_in(&self, group: usize, at: u32) -> i64 {
        let next = at + 1;
        if next < self.bounds[group + 1] { self.from[next as usize] } else { i64::MAX }
    }

    /// The row that holds in a stretch.
    pub fn row(&self, at: u32) -> Option<u32> {
        Some(self.row[at as usize]).filter(|row| *row != NOBODY)
    }

    /// How many hold in it.
    pub fn count(&self, at: u32) -> u32 {
        match self.count.get(at as usize) {
            Some(count) => *count,
            None => u32::from(self.row[at as usize] != NOBODY),
        }
    }

    /// Whether there is a stretch in which several hold.
    pub fn any_overlap(&self) -> bool {
        !self.count.is_empty()
    }

    /// Whether the first two that hold in a stretch tie.
    pub fn is_tied(&self, at: u32) -> bool {
        self.tied.binary_search(&at).is_ok()
    }

    /// Why nothing holds in a stretch; nothing where something does.
    pub fn outside(&self, at: u32) -> Option<Outside> {
        if self.row[at as usize] != NOBODY {
            return None;
        }
        let last = self.bounds.binary_search(&(at + 1)).is_ok();
        Some(if last { Outside::After } else { Outside::Gap })
    }

    /// The first start, and the first moment behind all periods, of one key: nothing where they are open.
    pub fn span(&self) -> (Option<i64>, Option<i64>) {
        let first = self.from.first().copied();
        let last = self.from.len().checked_sub(1).filter(|at| self.row[*at] == NOBODY);
        (first, last.map(|at| self.from[at]))
    }
}

/// The number of each row's key, counted in the order of their first rows, and how many there are.
fn numbered(keys: &Keys, table: &KeyTable) -> (Vec<u32>, usize) {
    let rows = keys.rows();
    let mut group = vec![NOBODY; rows];
    let mut repeats = table.repeats.iter().peekable();
    let mut next = 0;
    for row in 0..rows {
        if let Some((_, first)) = repeats.next_if(|(repeat, _)| *repeat as usize == row) {
            group[row] = group[*first as usize];
        } else if keys.has_key(row) {
            group[row] = next;
            next += 1;
        }
    }
    (group, next as usize)
}

/// On which days a period holds.
enum Holds {
    Sometimes,
    Never,
    Inverted,
}

fn holds(periods: &Periods, row: usize) -> Holds {
    let (Some(start), Some(end)) = (periods.starts.get(row), periods.ends.get(row)) else {
        return Holds::Sometimes;
    };
    match &periods.ends {
        _ if end < start => Holds::Inverted,
        Ends::Until(_) if end == start => Holds::Never,
        _ => Holds::Sometimes,
    }
}

/// The rows of each key below each other, and where those of each begin.
fn by_group(group: &[u32], groups: usize, kept: &[bool]) -> (Vec<u32>, Vec<u32>) {
    let mut from = vec![0_u32; groups + 1];
    let rows = || group.iter().enumerate().filter(|(row, _)| kept[*row]);
    rows().for_each(|(_, group)| from[*group as usize + 1] += 1);
    for at in 0..groups {
        from[at + 1] += from[at];
    }
    let mut next = from.clone();
    let mut ordered = vec![0; from[groups] as usize];
    for (row, group) in rows() {
        let place = &mut next[*group as usize];
        ordered[*place as usize] = row as u32;
        *place += 1;
    }
    (ordered, from)
}

fn start(periods: &Periods, row: u32) -> i64 {
    periods.starts.get(row as usize).unwrap_or(i64::MIN)
}

/// Orders the rows of each key by their starts.
fn sort_groups(rows: &mut [u32], from: &[u32], periods: &Periods) {
    let mut rest = rows;
    let mut groups = vec![];
    for bounds in from.windows(2) {
        let (group, behind) = rest.split_at_mut((bounds[1] - bounds[0]) as usize);
        groups.push(group);
        rest = behind;
    }
    let key = |row: &u32| (start(periods, *row), *row);
    match groups.as_mut_slice() {
        [one] => one.par_sort_unstable_by_key(key),
        groups => groups.par_iter_mut().for_each(|group| group.sort_unstable_by_key(key)),
    }
}

/// Whether two periods of one key hold at once.
fn overlaps(rows: &[u32], periods: &Periods) -> bool {
    match &periods.ends {
        Ends::Onward => rows.windows(2).any(|two| start(periods, two[0]) == start(periods, two[1])),
        ends => rows.windows(2).any(|two| ends.last(two[0] as usize) >= start(periods, two[1])),
    }
}

/// Makes the stretches of each key.
struct Resolving<'a> {
    periods: &'a Periods,
    ranks: &'a Ranks,
    rows: &'a [u32],
    rows_from: &'a [u32],
}

impl Resolving<'_> {
    /// The stretches of all keys below each other, and where those of each begin.
    fn all(&self, groups: usize) -> (Vec<u32>, Part) {
        const RUN: usize = 1 << 12;
        let runs: Vec<(Vec<u32>, Part)> = (0..groups.div_ceil(RUN))
            .into_par_iter()
            .map(|run| {
                let mut part = Part::default();
                let mut ends = vec![];
                for group in run * RUN..((run + 1) * RUN).min(groups) {
                    self.one(group, &mut part);
                    ends.push(part.from.len() as u32);
                }
                (ends, part)
            })
            .collect();
        let mut bounds = vec![0];
        let mut all = Part::default();
        for (ends, part) in runs {
            let before = all.from.len() as u32;
            bounds.extend(ends.into_iter().map(|end| before + end));
            all.from.extend(part.from);
            all.row.extend(part.row);
            all.count.extend(part.count);
            all.tied.extend(part.tied.into_iter().map(|at| before + at));
        }
        (bounds, all)
    }

    fn one(&self, group: usize, part: &mut Part) {
        let rows = &self.rows[self.rows_from[group] as usize..self.rows_from[group + 1] as usize];
        match &self.periods.ends {
            Ends::Onward => self.onward(rows, part),
            ends if !overlaps(rows, self.periods) => {
                let mut before: Option<i64> = None;
                for row in rows {
                    let start = start(self.periods, *row);
                    // One that is not followed at once leaves a gap.
                    if let Some(end) = before.filter(|end| *end < start) {
                        part.push(end, NOBODY, 0, false);
                    }
                    part.push(start, *row, 1, false);
                    let last = ends.last(*row as usize);
                    before = (last < i64::MAX).then(|| last + 1);
                }
                before.into_iter().for_each(|end| part.push(end, NOBODY, 0, false));
            }
            ends => {
                let period = |row: &u32| Period {
                    start: start(self.periods, *row),
                    last: ends.last(*row as usize),
                    row: *row,
                };
                self.sweep(&rows.iter().map(period).collect::<Vec<_>>(), part);
            }
        }
    }

    /// Each start holds until the next; of those that start at once, the one that is preferred.
    fn onward(&self, rows: &[u32], part: &mut Part) {
        for same in rows.chunk_by(|a, b| start(self.periods, *a) == start(self.periods, *b)) {
            let from = start(self.periods, same[0]);
            let [one] = same else {
                let mut ranks: Vec<u32> = same.iter().map(|row| self.ranks.rank(*row)).collect();
                ranks.sort_unstable();
                let tied = self.ranks.tie(ranks[0], ranks[1]);
                part.push(from, self.ranks.row(ranks[0]), same.len() as u32, tied);
                continue;
            };
            part.push(from, *one, 1, false);
        }
    }

    /// Goes through all starts and ends in their order, with the rows that hold in between.
    fn sweep(&self, periods: &[Period], part: &mut Part) {
        let mut events: Vec<(i64, bool, u32)> = vec![];
        for Period { start, last, row } in periods {
            let rank = self.ranks.rank(*row);
            events.push((*start, true, rank));
            if *last < i64::MAX {
                events.push((last + 1, false, rank));
            }
        }
        events.sort_unstable();
        let mut holding: BTreeSet<u32> = BTreeSet::new();
        for together in events.chunk_by(|a, b| a.0 == b.0) {
            for (_, begins, rank) in together {
                if *begins {
                    holding.insert(*rank);
                } else {
                    holding.remove(rank);
                }
            }
            let mut first = holding.iter();
            let row = first.next().map_or(NOBODY, |rank| self.ranks.row(*rank));
            let tied = match (holding.first(), first.next()) {
                (Some(one), Some(other)) => self.ranks.tie(*one, *other),
                _ => false,
            };
            part.push(together[0].0, row, holding.len() as u32, tied);
        }
    }
}
