//! `sort`, `top` and `bottom`: all rows in an order.

mod scattered;
mod top_in_order;
mod top_of_runs;

use super::in_order::in_order;
use super::known_groups::nothing_is_mixed;
use super::values::apart_problem;
use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Together, Work};
use crate::aggregate::{AggregateFunction, Groups, Values, mixed, order};
use crate::expr::Typed;
use crate::lang::TopCount;
use crate::resolve::{SortPlan, TablePlan, TopPlan};
use crate::table::{Batch, Bits, Column, Room, Rows, SlotId};
use crate::tally::{Problem, StepDetail, Why};

impl Work for SortPlan {
    fn expressions(&self) -> Vec<&Typed> {
        self.by.iter().map(|(by, _)| by).collect()
    }

    fn scatters(&self) -> bool {
        true
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Moved
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        if let Some(sorted) = scattered::scattered(self, at, on.batch) {
            *on.batch = sorted;
            return Ok(Left::default());
        }
        on.batch.get(at.reads().into_iter());
        let rows = sorted(at, on.batch, &self.by)?;
        *on.batch = on.batch.take(&rows);
        Ok(Left::default())
    }
}

impl Work for TopPlan {
    fn expressions(&self) -> Vec<&Typed> {
        std::iter::once(&self.by).chain(&self.apart).chain(&self.per).collect()
    }

    fn slots(&self) -> Vec<SlotId> {
        self.grain.clone()
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Fewer
    }

    fn detail(&self, _: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        let (cut, kept) = sum.ties.unwrap_or_default();
        StepDetail::Ties { cut, kept }
    }

    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let chosen = top(at, rows, self)?;
        let gone = (0..rows.rows).filter(|row| !chosen.stays.value(*row));
        let gone = gone.map(|row| {
            let stays = chosen.groups.of(row).and_then(|group| chosen.last[group]);
            Gone { row: row as u32, why: Why::BeyondTop, stays }
        });
        Ok(gone.collect())
    }

    fn together(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Together>, Problem> {
        // How many stay of a part depends on how many there are.
        let TopCount::Part(_) = self.count else { return Ok(vec![]) };
        let groups = super::keys::groups(at, rows, &self.per)?;
        Ok(vec![Together { text: at.text().to_owned(), groups }])
    }

    fn scatters(&self) -> bool {
        true
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        let (left, stays, ties) = if let Some(chosen) = top_of_runs::of_runs(at, batch, self) {
            (batch.take(&chosen.rows), chosen.stays, chosen.ties)
        } else if let Some(found) = top_in_order::in_order(at, batch, self) {
            found
        } else {
            batch.get(at.reads().into_iter());
            let chosen = top(at, batch, self)?;
            (batch.take(&chosen.rows), chosen.stays, chosen.ties)
        };
        let removed_rows = (batch.rows - left.rows) as u64;
        let removed = at.removed(batch, &stays);
        *batch = left;
        let ties = Some((ties.cut, ties.kept));
        Ok(Left::of(StepSum { removed_rows, removed, ties, ..StepSum::default() }))
    }
}

impl TopPlan {
    /// How many rows stay of a group of so many.
    fn most(&self, rows: usize) -> usize {
        match self.count {
            TopCount::Rows(count) => rows.min(count as usize),
            TopCount::Part(part) => part.of(rows).min(rows),
        }
    }
}

/// The rows in the order of some expressions; what ties stays as it stands.
fn sorted(runner: &StepRunner<'_>, batch: &Batch, by: &[(Typed, bool)]) -> Result<Rows, Problem> {
    let columns = runner.orders(batch, by)?;
    Ok(Rows::from(in_order(&columns, batch.rows)))
}

/// Which rows stay of a `top` or `bottom`, and in which order.
struct Chosen {
    stays: Bits,
    rows: Rows,
    groups: Groups,
    /// By group: the last row that stayed.
    last: Vec<Option<u32>>,
    ties: Ties,
}

/// Rows that tie with the last that was asked for.
#[derive(Clone, Copy, Default)]
struct Ties {
    /// Those that went.
    cut: u64,
    /// Those that stayed above the number that was asked for.
    kept: u64,
}

/// Whether it is known that no group has amounts in several currencies, or other measures, which nothing is the top of.
fn unmixed(rows: (&StepRunner<'_>, &Batch), plan: &TopPlan, room: &Room) -> Option<()> {
    let Some(apart) = &plan.apart else { return Some(()) };
    let (runner, _) = rows;
    nothing_is_mixed(rows, (runner.reads(), room), |runner, run| {
        let keys = runner.columns(run, plan.per.iter()).ok()?;
        let mut amounts = runner.columns(run, [&plan.by, apart].into_iter()).ok()?;
        let (apart, value) = (amounts.pop(), amounts.pop());
        let values = Values::of(AggregateFunction::Max, value, plan.by.ty);
        Some((keys, Values { apart, ..values }))
    })
}

fn top(runner: &StepRunner<'_>, batch: &Batch, plan: &TopPlan) -> Result<Chosen, Problem> {
    let by = runner.columns(batch, std::iter::once(&plan.by))?;
    let by: Vec<(Column, bool)> = by.into_iter().map(|by| (by, !plan.bottom)).collect();
    let groups = Groups::by(&runner.columns(batch, plan.per.iter())?, batch.rows);
    // The grain settles what ties, then the place in the table.
    let grain = plan.grain.iter().map(|slot| (batch.slot(*slot).clone(), false));
    let settled: Vec<(Column, bool)> = by.iter().cloned().chain(grain).collect();
    if let Some(apart) = &plan.apart {
        let apart = runner.columns(batch, std::iter::once(apart))?.pop();
        let value = by.first().map(|(by, _)| by.clone());
        let values = Values::of(AggregateFunction::Max, value, plan.by.ty);
        if let Some(failure) = mixed(&Values { apart, ..values }, &groups).into_iter().next() {
            let keys = runner.columns(batch, plan.per.iter())?;
            let row = (0..batch.rows).find(|row| groups.of(*row) == Some(failure.group() as usize));
            let value = |key: &Column| row.map_or(String::new(), |row| key.scalar(row).to_string());
            let group = keys.iter().map(|key| (String::new(), value(key))).collect();
            return Err(apart_problem(runner, plan.by.span, group, failure));
        }
    }
    let (rows, starts) = groups.in_order(&settled);
    let mut last = vec![None; groups.count];
    let (mut chosen, mut ties) = (vec![], Ties::default());
    for group in 0..groups.count {
        let of_group = &rows[starts[group]..starts[group + 1]];
        let mut end = plan.most(of_group.len());
        let equal = |row: u32| order(&by, row as usize, of_group[end - 1] as usize).is_eq();
        let behind = of_group[end..].iter();
        let tied = if end == 0 { 0 } else { behind.take_while(|row| equal(**row)).count() };
        if plan.ties {
            end += tied;
            ties.kept += tied as u64;
        } else {
            ties.cut += tied as u64;
        }
        last[group] = of_group[..end].last().copied();
        chosen.extend_from_slice(&of_group[..end]);
    }
    let mut stays = vec![false; batch.rows];
    chosen.iter().for_each(|row| stays[*row as usize] = true);
    let stays = Bits::from(stays);
    Ok(Chosen { stays, rows: Rows::from(chosen), groups, last, ties })
}
