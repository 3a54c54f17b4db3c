//! `top` and `bottom` where neither all rows have room nor those that are among the first of their runs: all are put in
//! the order of their groups, and within each as is asked for.

use std::ops::Range;

use super::{Ties, Work, unmixed};
use crate::aggregate::order;
use crate::resolve::TopPlan;
use crate::step::StepRunner;
use crate::step::in_order::{InParts, Orders, Sorted, SortedRun};
use crate::table::{Batch, Bits, Column, Rows, SlotId};

impl Orders for TopPlan {
    fn slots(&self) -> Vec<SlotId> {
        Work::reads(self)
    }

    /// The keys of groups, what is asked for, and the grain, which settles what ties.
    fn of(&self, runner: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>> {
        let keys = runner.columns(rows, self.per.iter()).ok()?;
        let by = runner.columns(rows, std::iter::once(&self.by)).ok()?;
        let grain = self.grain.iter().map(|slot| (rows.slot(*slot).clone(), false));
        let keys = keys.into_iter().map(|key| (key, false));
        Some(keys.chain(by.into_iter().map(|by| (by, !self.bottom))).chain(grain).collect())
    }
}

/// The number of the first row of a row's group: groups stand as these do.
struct ByGroup(SlotId);

impl Orders for ByGroup {
    fn slots(&self) -> Vec<SlotId> {
        vec![self.0]
    }

    fn of(&self, _: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>> {
        Some(vec![(rows.slot(self.0).clone(), false)])
    }
}

/// The rows that stay, put away, which these are, and what ties. Nothing where all rows are here, and where a row fails: why,
/// is told by who looks at all rows at once.
pub(super) fn in_order(
    runner: &StepRunner<'_>,
    batch: &Batch,
    plan: &TopPlan,
) -> Option<(Batch, Bits, Ties)> {
    let room = batch.room_of(&runner.reads()).filter(|_| batch.rows > 0)?;
    unmixed((runner, batch), plan, &room)?;
    let (slots, width) = (batch.slots_there(), batch.slots.len());
    let parts = InParts::of((runner, batch), plan, &slots, &room)?;
    let mut seen = Seen::default();
    let mut last = None;
    // All rows are one group where there are no keys.
    let whole = plan.per.is_empty().then_some(Group { rows: batch.rows, first: 0 });
    if whole.is_none() {
        parts.runs().for_each(|run| seen.take(&Run::of(plan, run, &mut last)));
    }
    let group = SlotId(width);
    let mut left = Sorted::new(&room, [&slots[..], &[group]].concat(), batch);
    let mut walk = Walk { plan, taken: 0, end: None, ties: Ties::default() };
    let mut stays = vec![0_u64; batch.rows.div_ceil(64)];
    last = None;
    for (at, run) in parts.runs().enumerate() {
        let run = Run::of(plan, run, &mut last);
        let (rows, firsts) =
            walk.stay(&run, |group| whole.unwrap_or_else(|| seen.group(at, group, &run)));
        for row in &rows {
            let number = run.numbers.units(*row as usize) as usize;
            stays[number / 64] |= 1 << (number % 64);
        }
        let rows = Rows::from(rows);
        let mut columns: Vec<Column> = run.held.iter().map(|column| column.take(&rows)).collect();
        columns.insert(slots.len(), Column::Integer(firsts.into()));
        left.push(&columns);
    }
    drop(parts);
    let left = left.finish(width + 1);
    let mut sorted = Sorted::new(&room, slots.clone(), batch);
    if left.rows > 0 {
        let by_group = InParts::of((runner, &left), &ByGroup(group), &slots, &room)?;
        by_group.runs().for_each(|run| sorted.push(&run.held));
    }
    Some((sorted.finish(width), Bits::of_words(stays, batch.rows), walk.ties))
}

/// Some rows in order.
struct Run {
    /// Where each group of them begins, and the end of the last.
    groups: Vec<usize>,
    /// Whether the first group is that of the rows before.
    goes_on: bool,
    /// What is asked for of each row, and whether the greatest comes first.
    by: (Column, bool),
    numbers: Column,
    /// The slots that are held of them, then where they came from.
    held: Vec<Column>,
}

impl Run {
    /// `last` has the keys of the last row before, and gets those of the last of these.
    fn of(plan: &TopPlan, rows: SortedRun, last: &mut Option<Vec<Column>>) -> Self {
        let SortedRun { by, numbers, held } = rows;
        let keys = &by[..plan.per.len()];
        let by = (by[keys.len()].clone(), !plan.bottom);
        let rows = numbers.len();
        let ascending = |keys: Vec<Column>| keys.into_iter().map(|key| (key, false)).collect();
        let own: Vec<(Column, bool)> = ascending(keys.to_vec());
        let mut groups = vec![0];
        groups.extend((1..rows).filter(|row| order(&own, row - 1, *row).is_ne()));
        groups.push(rows);
        let goes_on = last.as_ref().is_some_and(|last| {
            let both = last.iter().zip(keys);
            let both = both.map(|(last, key)| Column::concat(&[last.clone(), key.slice(0, 1)]));
            order(&ascending(both.collect()), 0, 1).is_eq()
        });
        *last = Some(keys.iter().map(|key| key.slice(rows - 1, 1)).collect());
        Self { groups, goes_on, by, numbers, held }
    }

    /// How many rows a group has here, and the first of their numbers.
    fn group(&self, at: usize) -> Group {
        let (first, end) = (self.groups[at], self.groups[at + 1]);
        let numbers = (first..end).map(|row| self.numbers.units(row) as usize);
        Group { rows: end - first, first: numbers.min().unwrap_or_default() }
    }

    fn last_group(&self) -> usize {
        self.groups.len() - 2
    }
}

/// How many rows a group has, and the number of the first.
#[derive(Clone, Copy)]
struct Group {
    rows: usize,
    first: usize,
}

/// What is known of the groups that may go on from one run to the next.
#[derive(Default)]
struct Seen {
    groups: Vec<Group>,
    /// For each run the first of its groups, and the last.
    ends: Vec<(usize, usize)>,
}

impl Seen {
    fn take(&mut self, run: &Run) {
        let own = run.group(0);
        match self.groups.last_mut().filter(|_| run.goes_on) {
            Some(known) => {
                *known = Group { rows: known.rows + own.rows, first: known.first.min(own.first) }
            }
            None => self.groups.push(own),
        }
        let first = self.groups.len() - 1;
        if run.last_group() > 0 {
            self.groups.push(run.group(run.last_group()));
        }
        self.ends.push((first, self.groups.len() - 1));
    }

    /// All of a group of a run.
    fn group(&self, at: usize, group: usize, run: &Run) -> Group {
        let (first, last) = self.ends[at];
        match group {
            0 => self.groups[first],
            group if group == run.last_group() => self.groups[last],
            group => run.group(group),
        }
    }
}

/// Where one is among the rows of a group.
struct Walk<'p> {
    plan: &'p TopPlan,
    /// How many stay so far.
    taken: usize,
    /// What was asked for of the last that stays, where all rows behind it so far tie with it.
    end: Option<Column>,
    ties: Ties,
}

impl Walk<'_> {
    /// The rows of a run that stay, and for each the number of the first row of its group.
    fn stay(&mut self, run: &Run, group: impl Fn(usize) -> Group) -> (Vec<u32>, Vec<i64>) {
        let (mut rows, mut firsts) = (vec![], vec![]);
        for at in 0..=run.last_group() {
            if at > 0 || !run.goes_on {
                (self.taken, self.end) = (0, None);
            }
            let all = group(at);
            rows.extend(self.stay_of(run, at, self.plan.most(all.rows)));
            firsts.resize(rows.len(), all.first as i64);
        }
        (rows, firsts)
    }

    /// The rows of a group of a run that stay, where so many of the whole group do.
    fn stay_of(&mut self, run: &Run, group: usize, most: usize) -> Range<u32> {
        let of = run.groups[group]..run.groups[group + 1];
        // What is on a disk that breaks is blank: then what was counted before is not so any more.
        let own = of.len().min(most.saturating_sub(self.taken));
        self.taken += own;
        let end = of.start + own;
        let tied = if self.taken < most || most == 0 {
            0
        } else if own > 0 {
            let by = std::slice::from_ref(&run.by);
            (end..of.end).take_while(|row| order(by, end - 1, *row).is_eq()).count()
        } else {
            self.end.as_ref().map_or(0, |last| {
                let here = run.by.0.slice(of.start, of.len());
                let by = [(Column::concat(&[last.clone(), here]), run.by.1)];
                (1..=of.len()).take_while(|row| order(&by, 0, *row).is_eq()).count()
            })
        };
        let goes_on = self.taken >= most && most > 0 && end + tied == of.end;
        if !goes_on {
            self.end = None;
        } else if own > 0 && group == run.last_group() {
            self.end = Some(run.by.0.slice(end - 1, 1));
        }
        let kept = if self.plan.ties { tied } else { 0 };
        self.ties.kept += kept as u64;
        self.ties.cut += (tied - kept) as u64;
        of.start as u32..(end + kept) as u32
    }
}
