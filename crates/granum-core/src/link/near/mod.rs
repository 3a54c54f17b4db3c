//! Why keys that do not match nearly do: what would have to be done to them, how many rows that
//! would win, and how many keys of the target it would make one.
//!
//! Tried in this order, each on what those before do not explain: outer spaces, letter case, leading
//! zeros, other signs, something fixed before or behind, one letter off. The keys that lead nowhere are
//! held, up to a number; those of the target never are: they pass as often as something is asked of them.

mod fixed;
mod folds;
mod letter;
mod measure;
mod target;

use std::collections::HashMap;

use measure::Measured;
pub(super) use measure::Mend;
use target::{Target, each_part, owned, print};

use super::Keys;
use super::counts::counts;
use crate::table::{Column, PIECE, Rows};
use crate::tally::{NearKind, NearMiss};

/// So many different keys are looked at.
const KEYS: usize = 50_000;

/// Pairs of keys are listed up to so many.
const EXAMPLES: usize = 3;

/// The values of a key as texts, as they are printed.
type Key = Vec<String>;

/// How many rows a mend wins, or nothing.
type Confirm<'a> = dyn Fn(&Mend) -> Option<u64> + Sync + 'a;

/// Both sides of a link that leaves rows without a target.
pub(super) struct Missing<'a> {
    pub left: &'a Keys,
    pub right: &'a Keys,
    pub index: &'a Rows,
    /// Both sides of each key as the plan writes them.
    pub words: &'a [(String, String)],
    /// How many rows a mend wins in the end, where an equal key is not all that a row needs; nothing
    /// where it does harm.
    pub confirm: Option<&'a Confirm<'a>>,
}

/// What nearly matches, and how many rows are left that nothing explains.
pub(super) fn near_misses(missing: &Missing<'_>) -> (Vec<NearMiss>, u64) {
    let Missing { left, right, index, words, confirm } = *missing;
    let all = counts(left, index).missing;
    let texts: Vec<bool> =
        left.slice(0, 0).columns().iter().map(|column| matches!(column, Column::Text(_))).collect();
    if all == 0 || !texts.contains(&true) {
        return (vec![], all);
    }
    let Some(keys) = keys_that_lead_nowhere(left, index) else { return (vec![], all) };
    let open = (0..keys.len()).collect();
    let target = Target::new(right, index);
    let mut search = Search { words, confirm, texts, target, keys, open };
    let mut found = vec![];
    found.extend(search.folds());
    found.extend(search.fixed());
    found.extend(search.one_letter_off());
    (found, search.open.iter().map(|at| search.keys[*at].1).sum())
}

/// Each of them with how many rows have it, in the order of their first rows; nothing of too many.
fn keys_that_lead_nowhere(left: &Keys, index: &Rows) -> Option<Vec<(Key, u64)>> {
    let mut keys: Vec<(Key, u64)> = vec![];
    let mut known: HashMap<u128, usize> = HashMap::new();
    for first in (0..left.rows()).step_by(PIECE) {
        let length = PIECE.min(left.rows() - first);
        let nowhere = |at: &usize| !index.has(first + at) && left.has_key(first + at);
        let rows: Vec<usize> = (0..length).filter(nowhere).collect();
        if rows.is_empty() {
            continue;
        }
        each_part(&left.slice(first, length), rows.into_iter(), |_, parts| {
            if keys.len() > KEYS {
                return;
            }
            let at = *known.entry(print(parts)).or_insert(keys.len());
            if at == keys.len() {
                keys.push((owned(parts), 0));
            }
            keys[at].1 += 1;
        });
        if keys.len() > KEYS {
            return None;
        }
    }
    Some(keys)
}

struct Search<'a> {
    words: &'a [(String, String)],
    confirm: Option<&'a Confirm<'a>>,
    /// Which columns of the key are texts.
    texts: Vec<bool>,
    target: Target<'a>,
    /// Keys that lead nowhere, with how many rows have each.
    keys: Vec<(Key, u64)>,
    /// Those of them that nothing has explained so far.
    open: Vec<usize>,
}

impl Search<'_> {
    /// The numbers of the columns that are texts.
    fn text_columns(&self) -> impl Iterator<Item = usize> {
        (0..self.texts.len()).filter(|at| self.texts[*at])
    }

    /// Takes the keys out of the open ones for which there is one in the target: pairs of a key's number and that.
    fn explained(&mut self, to: impl Fn(usize) -> Option<Key>) -> Vec<(usize, Key)> {
        let mut pairs = vec![];
        self.open.retain(|at| match to(*at) {
            Some(key) => {
                pairs.push((*at, key));
                false
            }
            None => true,
        });
        pairs
    }

    /// What is told of pairs. What to write is told only if the whole link is the better for it.
    fn found(&self, kinds: Vec<NearKind>, mend: Option<&Mend>, pairs: &[(usize, Key)]) -> NearMiss {
        let examples = pairs.iter().take(EXAMPLES);
        let examples = examples.map(|(from, to)| (self.keys[*from].0.join("/"), to.join("/")));
        let measured = mend.and_then(|mend| Some((mend, self.measure(mend)?)));
        let seen = Measured {
            rows: pairs.iter().map(|(at, _)| self.keys[*at].1).sum(),
            distinct: pairs.len() as u64,
            merged: 0,
        };
        let keys = measured.as_ref().map(|(mend, _)| mend.words(self.words));
        let Measured { rows, distinct, merged } = measured.map_or(seen, |(_, measured)| measured);
        NearMiss { kinds, rows, distinct, keys, merged, examples: examples.collect() }
    }
}

/// A key with another text in one column.
fn with(key: &Key, at: usize, text: &str) -> Key {
    let mut key = key.clone();
    text.clone_into(&mut key[at]);
    key
}

#[cfg(test)]
mod tests;
