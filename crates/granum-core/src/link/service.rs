//! What leads where between two tables, and all that is told of it: a run, the commands that look at
//! one link, and the rows that it leaves out see the same numbers.

use std::collections::BTreeMap;

use super::amounts::{AmountsBy, amounts};
use super::near::{Missing, near_misses};
use super::repeats::{Repeats, key_text};
use super::{KeyTable, Keys, link_few};
use crate::table::{Column, Rows};
use crate::tally::{MissingKey, NearMiss, Spread};

/// Missing keys are listed up to this many.
const MISSING: usize = 10;

/// How a row finds the one that it leads to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Method {
    /// Its key is equal. `unique` says that it is known that no key stands on two rows of the target:
    /// then nothing looks for such keys.
    Equal { unique: bool },
}

/// Rows of a source that lead to rows of a target.
pub(crate) struct Linked {
    pub left: Keys,
    pub right: Keys,
    /// For each row of the source the row of the target, the first of those with its key.
    pub index: Rows,
    /// Keys that stand on several rows of the target.
    pub repeats: Repeats,
}

/// What becomes of the rows of one side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Counts {
    pub rows: u64,
    /// Rows whose key the other side has.
    pub matched: u64,
    /// Rows whose key it has not.
    pub missing: u64,
    /// Rows without a key.
    pub blank: u64,
}

impl Linked {
    /// Leads the rows of `left` to those of `right`.
    pub fn new(left: Keys, right: Keys, method: Method) -> Self {
        let Method::Equal { unique } = method;
        if unique && left.rows() < right.rows() / 4 {
            let index = link_few(&left, &right);
            return Self { left, right, index, repeats: Repeats::default() };
        }
        let table = KeyTable::build(&right);
        let index = table.link(&right, &left);
        Self { left, right, index, repeats: Repeats::of(&table) }
    }

    /// For each row of the target the first row of the source that has its key: also from rows that
    /// repeat a key, which nothing leads to.
    pub fn back(&self) -> Rows {
        KeyTable::build(&self.left).link(&self.left, &self.right)
    }

    /// What becomes of the rows of the source.
    pub fn counts(&self) -> Counts {
        counts(&self.left, &self.index)
    }

    /// The same by an amount of the source.
    pub fn amounts(&self, column: &Column) -> AmountsBy {
        amounts(column, &self.left, &self.index)
    }

    /// How many rows of the target nothing leads to, and how many rows lead to one of the others.
    pub fn spread(&self) -> (u64, Option<Spread>) {
        spread(&self.index, self.right.rows())
    }

    /// The first keys of the source that the target does not have.
    pub fn missing_keys(&self) -> Vec<MissingKey> {
        missing_keys(&self.left, &self.index)
    }

    /// Why keys that do not match nearly do, and how many rows nothing explains. `words` are both
    /// sides of each key as the plan writes them.
    pub fn near(&self, words: &[(String, String)]) -> (Vec<NearMiss>, u64) {
        let Self { left, right, index, .. } = self;
        near_misses(&Missing { left, right, index, words })
    }
}

/// What becomes of the rows of a side that lead by `index`.
pub(crate) fn counts(keys: &Keys, index: &Rows) -> Counts {
    let rows = keys.rows() as u64;
    let matched = rows - index.blanks() as u64;
    let blank = keys.absent() as u64;
    Counts { rows, matched, missing: rows - matched - blank, blank }
}

fn spread(index: &Rows, target_rows: usize) -> (u64, Option<Spread>) {
    let mut counts = vec![0_u32; target_rows];
    index.numbers().for_each(|to| counts[to as usize] += 1);
    let mut by_count: BTreeMap<u32, u64> = BTreeMap::new();
    for count in counts {
        *by_count.entry(count).or_default() += 1;
    }
    let unreached = by_count.remove(&0).unwrap_or(0);
    let reached: u64 = by_count.values().sum();
    let (Some((least, _)), Some((most, _))) =
        (by_count.first_key_value(), by_count.last_key_value())
    else {
        return (unreached, None);
    };
    let mut seen = 0;
    let median = by_count
        .iter()
        .find(|(_, rows)| {
            seen += **rows;
            seen * 2 >= reached
        })
        .map_or(0, |(count, _)| *count);
    let spread = Spread { least: (*least).into(), median: median.into(), most: (*most).into() };
    (unreached, Some(spread))
}

/// The first keys that the other side does not have, in the order of the rows, with how many rows
/// have each.
pub(crate) fn missing_keys(keys: &Keys, index: &Rows) -> Vec<MissingKey> {
    if index.blanks() == 0 {
        return vec![];
    }
    let missing: Vec<u32> = (0..index.len())
        .filter(|row| !index.has(*row) && keys.has_key(*row))
        .map(|row| row as u32)
        .collect();
    let rows = missing.len();
    let keys = keys.take(&Rows::from(missing));
    let table = KeyTable::build(&keys);
    let mut counts: BTreeMap<u32, u64> = BTreeMap::new();
    for (_, first) in &table.repeats {
        *counts.entry(*first).or_insert(1) += 1;
    }
    let mut repeats = table.repeats.iter().map(|(row, _)| *row).peekable();
    let mut out = vec![];
    for row in 0..rows as u32 {
        if repeats.peek() == Some(&row) {
            repeats.next();
            continue;
        }
        out.push(MissingKey {
            key: key_text(&keys, row as usize),
            rows: counts.get(&row).copied().unwrap_or(1),
        });
        if out.len() == MISSING {
            break;
        }
    }
    out
}
