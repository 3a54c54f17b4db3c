//! Places, neighbours and windows of all rows, where those have no room: they come in their order, some at a time, and what a
//! window reaches back to is kept from one time to the next.
//!
//! ```text
//! over 3 rows    come         kept before    told of
//! a b c d        a b c d                     a b c d
//! e f            e f          c d            e f
//! ```

use std::sync::atomic::{AtomicU64, Ordering};

use super::window::{Carried, day_of, window};
use crate::aggregate::{AggregateFunction, Groups, Values};
use crate::lang::Over;
use crate::resolve::{AggregatePlan, GroupedPlan, GroupedWhat};
use crate::step::StepRunner;
use crate::step::in_order::{InParts, Orders};
use crate::step::values::{columns_of, values_noted, values_of};
use crate::table::{AwayBuilder, Batch, Column, Held, InOrder, Rows, SlotId};

impl Orders for GroupedPlan {
    fn slots(&self) -> Vec<SlotId> {
        self.reads()
    }

    /// The order of windows, and the grain, which settles what ties.
    fn of(&self, runner: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>> {
        let by = match (&self.what, self.what.plan()) {
            (GroupedWhat::Position { by }, _) => runner.orders(rows, by),
            // What divides by zero here is counted with the values.
            (_, plan) => {
                let zeros = AtomicU64::new(0);
                StepRunner { zeros: &zeros, ..*runner }.orders(rows, &plan?.by)
            }
        };
        let grain = self.grain.iter().map(|slot| (rows.slot(*slot).clone(), false));
        Some(by.ok()?.into_iter().chain(grain).collect())
    }
}

/// What each row gets, put away. Nothing where all that is looked at is here, and where a row or a window has no value: why,
/// is told by who works on all rows at once.
pub(super) fn in_order(plan: &GroupedPlan, runner: &StepRunner<'_>, batch: &Batch) -> Option<Held> {
    let reads = plan.reads();
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    if plan.what.plan().is_some_and(|plan| plan.apart.is_some()) {
        return None;
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
    match &plan.what {
        GroupedWhat::Position { .. } => positions(&rows, &mut found),
        GroupedWhat::Neighbour { plan, next } => neighbours(plan, *next, &rows, &mut found),
        GroupedWhat::Window { plan, over } => windows((plan, *over), &rows, &mut found)?,
        GroupedWhat::Aggregate(_) => return None,
    }
    drop(rows);
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    let mut all = AwayBuilder::new(&room.file());
    found.windows().flatten().for_each(|column| all.push(&column));
    Some(Held::away(all.finish()))
}

/// Each row's place, counted from 1.
fn positions(rows: &InParts, found: &mut InOrder) {
    let mut before = 0;
    for run in rows.runs() {
        let behind = before + run.numbers.len() as i64;
        let places: Vec<i64> = (before + 1..=behind).collect();
        found.take(&[run.numbers, Column::Integer(places.into())]);
        before = behind;
    }
}

/// What the row before each row has, or the row behind, of those that count.
fn neighbours(plan: &AggregatePlan, next: bool, rows: &InParts, found: &mut InOrder) {
    let runs: Box<dyn Iterator<Item = _>> =
        if next { Box::new(rows.back()) } else { Box::new(rows.runs()) };
    // The value of the last row that counts, once there is one.
    let mut last: Option<Column> = None;
    for run in runs {
        let rows = run.numbers.len();
        let values = values_of(plan, &mut run.held.into_iter());
        let Some(value) = &values.value else { continue };
        let own = usize::from(last.is_some());
        let both = Column::concat(&[last.take().unwrap_or(value.slice(0, 0)), value.clone()]);
        let mut at = (own > 0).then_some(0);
        let beside: Rows = (0..rows)
            .map(|row| {
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
    rows: &InParts,
    found: &mut InOrder,
) -> Option<()> {
    let mut walk = Walk { plan, over, kept: None, told: 0, carried: Carried::default() };
    for run in rows.runs() {
        let mut columns = run.held;
        columns.push(run.numbers);
        walk.take(columns, found)?;
    }
    walk.finish(found)
}

/// Rows that come in order.
struct Walk<'p> {
    plan: &'p AggregatePlan,
    over: Option<Over>,
    /// The columns of the last rows, as far as windows reach back, and their numbers behind them.
    kept: Option<Vec<Column>>,
    /// So many of those were told of.
    told: usize,
    /// What was worked of all rows, where windows reach back to the first.
    carried: Carried,
}

impl Walk<'_> {
    fn take(&mut self, more: Vec<Column>, found: &mut InOrder) -> Option<()> {
        let columns = match self.kept.take() {
            Some(kept) => Column::concat_each(&[kept, more]),
            None => more,
        };
        let values = values_of(self.plan, &mut columns.iter().cloned());
        let ready = self.ready(&values, &columns);
        let worked = self.tell(&values, &columns, ready, found)?;
        self.keep(&values, columns, ready, &worked);
        Some(())
    }

    /// What is left to tell of where no row comes any more.
    fn finish(mut self, found: &mut InOrder) -> Option<()> {
        let Some(columns) = self.kept.take() else { return Some(()) };
        let values = values_of(self.plan, &mut columns.iter().cloned());
        let rows = columns.last()?.len();
        if self.told < rows {
            self.tell(&values, &columns, rows, found)?;
        }
        Some(())
    }

    /// The rows of which windows are complete: a window of days has all rows of the last.
    fn ready(&self, values: &Values, columns: &[Column]) -> usize {
        let rows = columns.last().map_or(0, Column::len);
        let (Some(Over::Days(_)), Some((days, _))) = (self.over, values.by.first()) else {
            return rows;
        };
        let Some(last) = rows.checked_sub(1).and_then(|last| day_of(days, last)) else {
            return rows;
        };
        let earlier = (self.told..rows).rev().find(|row| day_of(days, *row) != Some(last));
        earlier.map_or(self.told, |row| row + 1)
    }

    /// Works on all windows, and gives what comes of them to those rows that were not told of.
    fn tell(
        &mut self,
        values: &Values,
        columns: &[Column],
        ready: usize,
        found: &mut InOrder,
    ) -> Option<Column> {
        let numbers = columns.last()?;
        let all = Groups::one(numbers.len());
        let (worked, failed) = window(values, &all, self.over, &mut self.carried);
        if !failed.is_empty() {
            return None;
        }
        let of = |column: &Column| column.slice(self.told, ready - self.told);
        found.take(&[of(numbers), of(&worked)]);
        Some(worked)
    }

    /// Keeps the rows that windows to come reach back to.
    fn keep(&mut self, values: &Values, mut columns: Vec<Column>, ready: usize, worked: &Column) {
        let rows = worked.len();
        let first = match (self.over, values.by.first()) {
            (Some(Over::Rows(count)), _) => (rows + 1).saturating_sub(count as usize),
            (Some(Over::Days(count)), Some((days, _))) => {
                let last = rows.checked_sub(1).and_then(|last| day_of(days, last));
                let within = |row: &usize| {
                    last.zip(day_of(days, *row))
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
