//! Places, neighbours and windows of all rows, or of groups of which one has many, where those have no room: they come in their
//! order, group after group, some at a time, and what a window reaches back to is kept from one time to the next.
//!
//! ```text
//! over 3 rows    come         kept before    told of
//!                a b c d                     a b c d
//!                e f          c d            e f
//! ```

use std::sync::atomic::{AtomicU64, Ordering};

use super::few::unmixed;
use super::window::{Carried, day_of, window};
use crate::aggregate::{AggregateFunction, Groups, Values, order};
use crate::lang::Over;
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::in_order::{InParts, Orders};
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{Batch, Column, Held, InOrder, Rows, SlotId};

impl Orders for GroupedPlan {
    fn slots(&self) -> Vec<SlotId> {
        self.reads()
    }

    /// The keys, the order of windows, and the grain, which settles what ties.
    fn of(&self, runner: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>> {
        let by = match (&self.what, self.what.plan()) {
            (GroupedWhat::Position { by }, _) => runner.orders(rows, by),
            // What divides by zero here is counted with the values.
            (_, plan) => {
                let zeros = AtomicU64::new(0);
                StepRunner { zeros: &zeros, ..*runner }.orders(rows, &plan?.by)
            }
        };
        let keys = runner.columns(rows, self.keys.iter()).ok()?.into_iter().map(|key| (key, false));
        let grain = self.grain.iter().map(|slot| (rows.slot(*slot).clone(), false));
        Some(keys.chain(by.ok()?).chain(grain).collect())
    }
}

/// What each row gets, put away. Nothing where all that is looked at is here, and where a row or a window has no value: why,
/// is told by who works on all rows at once.
pub(super) fn in_order(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> Option<Held> {
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    if let Some(aggregate) = plan.what.plan().filter(|aggregate| aggregate.apart.is_some()) {
        unmixed((plan, aggregate), (runner, batch), &room)?;
    }
    let held = |runner: &StepRunner<'_>, run: &Batch| {
        let Some(plan) = plan.what.plan() else { return Some(vec![]) };
        let (values, failed) = values_noted(plan, run, runner.around.world, runner.zeros);
        failed.is_empty().then(|| columns_of(values))
    };
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let rows = InParts::holding((&own, batch), plan, &reads, &room, held)?;
    let mut found = InOrder::new(&room, batch.rows);
    let keys = plan.keys.len();
    match &plan.what {
        GroupedWhat::Position { .. } => positions((&rows, keys), &mut found),
        GroupedWhat::Neighbour { plan, next } => neighbours(plan, *next, (&rows, keys), &mut found),
        GroupedWhat::Window { plan, over } => windows((plan, *over), (&rows, keys), &mut found)?,
        GroupedWhat::Aggregate(_) => return None,
    }
    drop(rows);
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    Some(Held::away(found.only(&room)))
}

/// The keys of the last row that came.
#[derive(Default)]
struct Last(Option<Vec<Column>>);

impl Last {
    /// For each of the rows that come next whether a group begins with it; without keys none does.
    fn begins(&mut self, keys: &[Column], rows: usize) -> Vec<bool> {
        if keys.is_empty() || rows == 0 {
            return vec![false; rows];
        }
        let last = self.0.replace(keys.iter().map(|key| key.slice(rows - 1, 1)).collect());
        let own = usize::from(last.is_some());
        let both = last.into_iter().chain([keys.to_vec()]).collect::<Vec<_>>();
        let both = Column::concat_each(&both).into_iter().map(|key| (key, false));
        let both: Vec<(Column, bool)> = both.collect();
        let begins = |row: usize| row == 0 || order(&both, row - 1, row).is_ne();
        (own..own + rows).map(begins).collect()
    }
}

/// Each row's place, counted from 1.
fn positions((rows, keys): (&InParts, usize), found: &mut InOrder) {
    let (mut last, mut place) = (Last::default(), 0);
    for run in rows.runs() {
        let begins = last.begins(&run.by[..keys], run.numbers.len());
        let places = begins.into_iter().map(|begins| {
            place = if begins { 1 } else { place + 1 };
            place
        });
        let places: Vec<i64> = places.collect();
        found.take(&[run.numbers, Column::Integer(places.into())]);
    }
}

/// What the row before each row has, or the row behind, of those that count.
fn neighbours(
    plan: &AggregatePlan,
    next: bool,
    (rows, keys): (&InParts, usize),
    found: &mut InOrder,
) {
    let mut before = Last::default();
    let runs: Box<dyn Iterator<Item = _>> =
        if next { Box::new(rows.back()) } else { Box::new(rows.runs()) };
    // The value of the last row that counts, once there is one.
    let mut last: Option<Column> = None;
    for run in runs {
        let rows = run.numbers.len();
        let begins = before.begins(&run.by[..keys], rows);
        let values = values_of(plan, &mut run.held.into_iter());
        let Some(value) = &values.value else { continue };
        let own = usize::from(last.is_some());
        let both = Column::concat(&[last.take().unwrap_or(value.slice(0, 0)), value.clone()]);
        let mut at = (own > 0).then_some(0);
        let beside: Rows = (0..rows)
            .map(|row| {
                if begins[row] {
                    at = None;
                }
                let beside = at;
                if values.counts(row) {
                    at = Some((own + row) as u32);
                }
                beside
            })
            .collect();
        last = at.map(|at| both.slice(at as usize, 1));
        found.take(&[run.numbers, both.take(&beside)]);
    }
}

/// What is worked of the rows up to each row. Nothing where a window has no value.
fn windows(
    (plan, over): (&AggregatePlan, Option<Over>),
    (rows, keys): (&InParts, usize),
    found: &mut InOrder,
) -> Option<()> {
    let (last, carried) = (Last::default(), Carried::default());
    let mut walk = Walk { plan, over, keys, last, kept: None, told: 0, carried };
    for run in rows.runs() {
        let mut columns = run.held;
        columns.extend(run.by.into_iter().take(keys));
        columns.push(run.numbers);
        walk.take(columns, found)?;
    }
    walk.finish(found)
}

/// Rows that come in order, group after group.
struct Walk<'p> {
    plan: &'p AggregatePlan,
    over: Option<Over>,
    /// How many keys groups have.
    keys: usize,
    last: Last,
    /// The columns of the last rows, as far as windows reach back, with their keys and their numbers behind them.
    kept: Option<Vec<Column>>,
    /// So many of those were told of.
    told: usize,
    /// What was worked of all rows of the last group, where windows reach back to the first.
    carried: Carried,
}

impl Walk<'_> {
    fn take(&mut self, more: Vec<Column>, found: &mut InOrder) -> Option<()> {
        let rows = more.last().map_or(0, Column::len);
        if self.last.begins(self.keys_of(&more), rows).first() == Some(&true) {
            self.carried = Carried::default();
        }
        let columns = match self.kept.take() {
            Some(kept) => Column::concat_each(&[kept, more]),
            None => more,
        };
        let values = values_of(self.plan, &mut columns.iter().cloned());
        let groups = self.groups(&columns);
        let ready = self.ready(&values, &groups);
        let worked = self.tell((&values, &groups), &columns, ready, found)?;
        self.keep((&values, &groups), columns, ready, &worked);
        Some(())
    }

    /// What is left to tell of where no row comes any more.
    fn finish(mut self, found: &mut InOrder) -> Option<()> {
        let Some(columns) = self.kept.take() else { return Some(()) };
        let values = values_of(self.plan, &mut columns.iter().cloned());
        let groups = self.groups(&columns);
        if self.told < groups.rows() {
            self.tell((&values, &groups), &columns, groups.rows(), found)?;
        }
        Some(())
    }

    fn keys_of<'c>(&self, columns: &'c [Column]) -> &'c [Column] {
        let end = columns.len() - 1;
        &columns[end - self.keys..end]
    }

    /// The groups of rows that stand together.
    fn groups(&self, columns: &[Column]) -> Groups {
        let rows = columns.last().map_or(0, Column::len);
        if self.keys == 0 {
            return Groups::one(rows);
        }
        let mut group = 0;
        let of = Last::default().begins(self.keys_of(columns), rows).into_iter().enumerate();
        let of = of.map(|(row, begins)| {
            group += u32::from(begins && row > 0);
            group
        });
        let of: Rows = of.collect();
        Groups::led_to(&of, group as usize + 1)
    }

    /// The rows of which windows are complete: a window of days has all rows of the last.
    fn ready(&self, values: &Values, groups: &Groups) -> usize {
        let rows = groups.rows();
        let (Some(Over::Days(_)), Some((days, _))) = (self.over, values.by.first()) else {
            return rows;
        };
        let Some(last) = rows.checked_sub(1).filter(|last| day_of(days, *last).is_some()) else {
            return rows;
        };
        let (group, day) = (groups.of(last), day_of(days, last));
        let is_earlier = |row: &usize| groups.of(*row) != group || day_of(days, *row) != day;
        let earlier = (self.told..rows).rev().find(is_earlier);
        earlier.map_or(self.told, |row| row + 1)
    }

    /// Works on all windows, and gives what comes of them to those rows that were not told of.
    fn tell(
        &mut self,
        (values, groups): (&Values, &Groups),
        columns: &[Column],
        ready: usize,
        found: &mut InOrder,
    ) -> Option<Column> {
        let numbers = columns.last()?;
        let (worked, failed) = window(values, groups, self.over, &mut self.carried);
        if !failed.is_empty() {
            return None;
        }
        let of = |column: &Column| column.slice(self.told, ready - self.told);
        found.take(&[of(numbers), of(&worked)]);
        Some(worked)
    }

    /// Keeps the rows that windows to come reach back to.
    fn keep(
        &mut self,
        (values, groups): (&Values, &Groups),
        mut columns: Vec<Column>,
        ready: usize,
        worked: &Column,
    ) {
        let rows = worked.len();
        let first = match (self.over, values.by.first()) {
            (Some(Over::Rows(count)), _) => (rows + 1).saturating_sub(count as usize),
            (Some(Over::Days(count)), Some((days, _))) => {
                let last = rows.checked_sub(1);
                let day = last.and_then(|last| day_of(days, last));
                let within = |row: &usize| {
                    last.is_some_and(|last| groups.of(*row) == groups.of(last))
                        && day
                            .zip(day_of(days, *row))
                            .is_some_and(|(last, day)| day > last - i64::from(count))
                };
                (0..rows).rev().take_while(within).last().unwrap_or(rows)
            }
            // The least value or the greatest so far stands for all rows.
            (None, _) if rows > 0 && is_extreme(self.plan) => {
                if let Some(value) = columns.first_mut() {
                    *value = worked.clone();
                }
                if self.plan.filter.is_some() {
                    columns[1] = Column::Boolean(vec![true; rows].into());
                }
                rows - 1
            }
            _ => rows,
        };
        let kept = columns.iter().map(|column| column.slice(first, rows - first));
        (self.kept, self.told) = (Some(kept.collect()), ready - first);
    }
}

fn is_extreme(plan: &AggregatePlan) -> bool {
    matches!(plan.function, AggregateFunction::Min | AggregateFunction::Max)
}
