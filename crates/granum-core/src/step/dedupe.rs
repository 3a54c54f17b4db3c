//! `dedupe`: which rows stay, and why the others go.

use rayon::prelude::*;

use super::keys::{keys, keys_of};
use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::bug::{Sure, bug};
use crate::expr::{Kind, Typed};
use crate::lang::Preference;
use crate::link::{BlankKeys, Keys, compare, repeated, repeated_along};
use crate::resolve::{DedupeByPlan, DedupePlan, DedupeRule, TablePlan};
use crate::table::{Batch, Bits, Column, Rows, SlotId};
use crate::tally::{Cut, Problem, StepDetail, Why};

impl DedupePlan {
    /// The rows that are equal to an earlier one, with that. What is in order here is looked at among neighbours.
    fn repeated(&self, batch: &Batch) -> Vec<(u32, u32)> {
        let keys = keys_of(batch, &self.slots, BlankKeys::Equal);
        let here = self.of_text.iter().filter_map(|slot| batch.slots.get(slot.0)?.as_ref());
        let mut along = here.filter_map(|column| repeated_along(&keys, column));
        along.next().unwrap_or_else(|| repeated(&keys))
    }
}

impl Work for DedupePlan {
    fn slots(&self) -> Vec<SlotId> {
        self.slots.clone()
    }

    fn gets(&self) -> Vec<SlotId> {
        vec![]
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
        let gone = |(row, first)| Gone { row, why: Why::Copy, stays: Some(first) };
        Ok(self.repeated(rows).into_iter().map(gone).collect())
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let (stays, cut) = copies(&self.repeated(on.batch), on.batch.rows);
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

    fn gets(&self) -> Vec<SlotId> {
        let worked = self.keys.iter().filter(|key| !matches!(key.kind, Kind::Slot(_)));
        worked.flat_map(Typed::slots).collect()
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
        let keys = keys(at, rows, &self.keys, BlankKeys::Apart)?;
        let mut gone = vec![];
        self.decide(&keys, rows, |row, stays, why| {
            gone.push(Gone { row, why, stays: Some(stays) });
        });
        gone.sort_unstable_by_key(|gone| gone.row);
        Ok(gone)
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        let (stays, cut) = self.stays(&keys(at, batch, &self.keys, BlankKeys::Apart)?, batch);
        Ok(Left::of(StepSum { cut, ..at.leave_out(batch, &stays) }))
    }
}

/// Plain `dedupe`: of rows with equal keys the first stays. Blank equals blank.
pub(super) fn copies(repeated: &[(u32, u32)], rows: usize) -> (Bits, Cut) {
    let gone = Bits::of(rows, repeated.iter().map(|(row, _)| *row));
    let cut = Cut { copies: repeated.len() as u64, ..Cut::default() };
    (!&gone, cut)
}

impl DedupeByPlan {
    /// One row for each key; rows with a blank key stay.
    pub(super) fn stays(&self, keys: &Keys, batch: &Batch) -> (Bits, Cut) {
        let mut gone = vec![];
        let mut cut = Cut { by_key: true, blank_keys: keys.absent() as u64, ..Cut::default() };
        self.decide(keys, batch, |row, _, why| {
            gone.push(row);
            *match why {
                Why::Copy => &mut cut.copies,
                Why::Tie => &mut cut.ties,
                _ => &mut cut.older,
            } += 1;
        });
        (!&Bits::of(batch.rows, gone.into_iter()), cut)
    }

    /// Says of each row that goes which one of its key stays, and why. Of rows that are alone with their keys nothing is
    /// looked at.
    fn decide(&self, keys: &Keys, batch: &Batch, mut goes: impl FnMut(u32, u32, Why)) {
        let repeated = repeated(keys);
        let mut rows: Vec<u32> = repeated.iter().flat_map(|(row, first)| [*row, *first]).collect();
        rows.par_sort_unstable();
        rows.dedup();
        let place = |row: u32| match rows.binary_search(&row) {
            Ok(place) => place as u32,
            Err(_) => bug(format!("row {row} repeats no key")),
        };
        let pairs: Vec<(u32, u32)> =
            repeated.par_iter().map(|(row, first)| (place(*row), place(*first))).collect();
        drop(repeated);
        let looked_at = Rows::from(rows.clone());
        let ranks = batch.rows_of(&self.ranks(), &looked_at);
        // The best row so far of each key that has several, by the key's first row; all by their places.
        let mut best: Vec<Option<u32>> = vec![None; rows.len()];
        for (row, first) in &pairs {
            let winner = best[*first as usize].get_or_insert(*first);
            let wins = match &self.rule {
                DedupeRule::First => false,
                DedupeRule::Last => true,
                DedupeRule::Best(best) => wins(best, &ranks, *row as usize, *winner as usize),
            };
            if wins {
                *winner = *row;
            }
        }
        let firsts = (0..).zip(&best).filter(|(_, winner)| winner.is_some());
        let firsts = firsts.map(|(first, _)| (first, first));
        let winner = |first: u32| best[first as usize].sure("the best row of a key");
        let losers = pairs.iter().copied().chain(firsts);
        let losers = losers.map(|(row, first)| (row as usize, winner(first) as usize));
        let losers: Vec<(usize, usize)> = losers.filter(|(row, winner)| row != winner).collect();
        let equal = self.equal(batch, &looked_at, &losers);
        for (&(row, winner), equal) in losers.iter().zip(equal) {
            let why = if equal {
                Why::Copy
            } else if ranks.is_empty() || !ties(&ranks, row, winner) {
                Why::OtherVersion
            } else {
                Why::Tie
            };
            goes(rows[row], rows[winner], why);
        }
    }

    /// Whether pairs of rows, by their places among those that are looked at, are copies. Where columns are away one after
    /// the other is got.
    fn equal(&self, batch: &Batch, looked_at: &Rows, pairs: &[(usize, usize)]) -> Vec<bool> {
        let of = |slot: &SlotId| {
            let column = batch.rows_of(&[*slot], looked_at);
            let column = Keys::new(column, BlankKeys::Equal, looked_at.len());
            let equal = |(row, other): &(usize, usize)| column.equal(*row, &column, *other);
            pairs.iter().map(equal).collect::<Vec<_>>()
        };
        let all = || vec![true; pairs.len()];
        let both = |mut all: Vec<bool>, own: Vec<bool>| {
            all.iter_mut().zip(own).for_each(|(all, own)| *all &= own);
            all
        };
        if batch.has_away() {
            return self.copies.iter().map(of).fold(all(), both);
        }
        self.copies.par_iter().with_max_len(1).map(of).reduce(all, both)
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
