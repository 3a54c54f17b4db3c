//! `dedupe`: which rows stay, and why the others go.
use std::collections::HashMap;

use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::Typed;
use crate::lang::Preference;
use crate::link::{BlankKeys, Keys, compare, repeated};
use crate::resolve::{DedupeByPlan, DedupePlan, DedupeRule, TablePlan};
use crate::table::{Batch, Bits, Column, SlotId};
use crate::tally::{Cut, Problem, StepDetail, Why};

fn columns(batch: &Batch, slots: &[SlotId]) -> Vec<Column> {
    slots.iter().map(|slot| batch.slot(*slot).clone()).collect()
}

impl Work for DedupePlan {
    fn slots(&self) -> Vec<SlotId> {
        self.slots.clone()
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Fewer
    }

    fn detail(&self, _: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        StepDetail::Dedupe(sum.cut)
    }

    fn gone(&self, _: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let keys = Keys::new(columns(rows, &self.slots), BlankKeys::Equal, rows.rows);
        let gone = |(row, first)| Gone { row, why: Why::Copy, stays: Some(first) };
        Ok(repeated(&keys).into_iter().map(gone).collect())
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let (stays, cut) = copies(columns(on.batch, &self.slots), on.batch.rows);
        Ok(Left::of(StepSum { cut, ..at.leave_out(on.batch, &stays) }))
    }
}

impl DedupeByPlan {
    /// The slots that decide which row of a key stays.
    fn ranks(&self) -> Vec<SlotId> {
        match &self.rule {
            DedupeRule::Best(best) => best.iter().map(|(_, slot)| *slot).collect(),
            DedupeRule::First | DedupeRule::Last => vec![],
        }
    }
}

impl Work for DedupeByPlan {
    fn expressions(&self) -> Vec<&Typed> {
        self.keys.iter().collect()
    }

    fn slots(&self) -> Vec<SlotId> {
        [self.ranks(), self.copies.clone()].concat()
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Fewer
    }

    fn detail(&self, _: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        StepDetail::Dedupe(sum.cut)
    }

    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let keys = Keys::new(at.columns(rows, self.keys.iter())?, BlankKeys::Apart, rows.rows);
        let (ranks, whole) = (columns(rows, &self.ranks()), columns(rows, &self.copies));
        let mut gone = vec![];
        decide(&keys, &self.rule, &ranks, whole, |row, stays, why| {
            gone.push(Gone { row, why, stays: Some(stays) });
        });
        gone.sort_unstable_by_key(|gone| gone.row);
        Ok(gone)
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        let keys = at.columns(batch, self.keys.iter())?;
        let (ranks, whole) = (columns(batch, &self.ranks()), columns(batch, &self.copies));
        let (stays, cut) = by_key(keys, batch.rows, &self.rule, &ranks, whole);
        Ok(Left::of(StepSum { cut, ..at.leave_out(batch, &stays) }))
    }
}

/// Plain `dedupe`: of rows that are equal in all `columns` the first stays. Blank equals blank.
pub(crate) fn copies(columns: Vec<Column>, rows: usize) -> (Bits, Cut) {
    let keys = Keys::new(columns, BlankKeys::Equal, rows);
    let repeated = repeated(&keys);
    let mut stays = vec![true; rows];
    for (row, _) in &repeated {
        stays[*row as usize] = false;
    }
    let cut = Cut { copies: repeated.len() as u64, ..Cut::default() };
    (stays.into(), cut)
}

/// `dedupe by`: one row for each key; rows with a blank key stay. `ranks` are the columns that
/// decide, `whole` those in which an exact copy is equal.
pub(crate) fn by_key(
    keys: Vec<Column>,
    rows: usize,
    rule: &DedupeRule,
    ranks: &[Column],
    whole: Vec<Column>,
) -> (Bits, Cut) {
    let keys = Keys::new(keys, BlankKeys::Apart, rows);
    let mut stays = vec![true; rows];
    let mut cut = Cut { by_key: true, blank_keys: keys.absent() as u64, ..Cut::default() };
    decide(&keys, rule, ranks, whole, |row, _, why| {
        stays[row as usize] = false;
        *match why {
            Why::Copy => &mut cut.copies,
            Why::Tie => &mut cut.ties,
            _ => &mut cut.older,
        } += 1;
    });
    (stays.into(), cut)
}

/// Says of each row that goes which one of its key stays, and why.
fn decide(
    keys: &Keys,
    rule: &DedupeRule,
    ranks: &[Column],
    whole: Vec<Column>,
    mut goes: impl FnMut(u32, u32, Why),
) {
    let repeated = repeated(keys);
    // The best row so far of each key that has several, by the key's first row.
    let mut best: HashMap<u32, u32> = HashMap::new();
    for (row, first) in &repeated {
        let winner = best.entry(*first).or_insert(*first);
        let wins = match rule {
            DedupeRule::First => false,
            DedupeRule::Last => true,
            DedupeRule::Best(best) => wins(best, ranks, *row as usize, *winner as usize),
        };
        if wins {
            *winner = *row;
        }
    }
    let whole = Keys::new(whole, BlankKeys::Equal, keys.rows());
    let mut loses = |row: u32, winner: u32| {
        let why = if row == winner {
            return;
        } else if whole.equal(row as usize, &whole, winner as usize) {
            Why::Copy
        } else if ranks.is_empty() || !ties(ranks, row as usize, winner as usize) {
            Why::OtherVersion
        } else {
            Why::Tie
        };
        goes(row, winner, why);
    };
    for (row, first) in &repeated {
        loses(*row, best[first]);
    }
    for (first, winner) in &best {
        loses(*first, *winner);
    }
}

/// Whether a later row wins over an earlier one: ties do. A blank never wins over a value.
fn wins(best: &[(Preference, SlotId)], ranks: &[Column], row: usize, over: usize) -> bool {
    for ((preference, _), column) in best.iter().zip(ranks) {
        let order = match (column.is_blank(row), column.is_blank(over)) {
            (true, true) => continue,
            (true, false) => return false,
            (false, true) => return true,
            (false, false) => compare(column, row, over),
        };
        let order = match preference {
            Preference::Latest | Preference::Largest => order,
            Preference::Earliest | Preference::Smallest => order.reverse(),
        };
        if order.is_ne() {
            return order.is_gt();
        }
    }
    true
}

fn ties(ranks: &[Column], row: usize, other: usize) -> bool {
    ranks.iter().all(|column| match (column.is_blank(row), column.is_blank(other)) {
        (true, true) => true,
        (false, false) => compare(column, row, other).is_eq(),
        _ => false,
    })
}
