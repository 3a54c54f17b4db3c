//! `dedupe`: which rows stay, and why the others go.
use std::collections::HashMap;

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::Typed;
use crate::lang::Preference;
use crate::link::{BlankKeys, KeyTable, Keys, compare};
use crate::resolve::{DedupeByPlan, DedupePlan, DedupeRule, TablePlan};
use crate::table::{Batch, Bits, Column, SlotId};
use crate::tally::{Cut, Problem, StepDetail};

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
    let table = KeyTable::build(&keys);
    let mut stays = vec![true; rows];
    for (row, _) in &table.repeats {
        stays[*row as usize] = false;
    }
    let cut = Cut { copies: table.repeats.len() as u64, ..Cut::default() };
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
    let table = KeyTable::build(&keys);
    // The best row so far of each key that has several, by the key's first row.
    let mut best: HashMap<u32, u32> = HashMap::new();
    for (row, first) in &table.repeats {
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
    let whole = Keys::new(whole, BlankKeys::Equal, rows);
    let mut stays = vec![true; rows];
    let mut cut = Cut { by_key: true, blank_keys: keys.absent() as u64, ..Cut::default() };
    let mut goes = |row: u32, winner: u32| {
        if row == winner {
            return;
        }
        stays[row as usize] = false;
        if whole.equal(row as usize, &whole, winner as usize) {
            cut.copies += 1;
        } else if ranks.is_empty() || !ties(ranks, row as usize, winner as usize) {
            cut.older += 1;
        } else {
            cut.ties += 1;
        }
    };
    for (row, first) in &table.repeats {
        goes(*row, best[first]);
    }
    for (first, winner) in &best {
        goes(*first, *winner);
    }
    (stays.into(), cut)
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
