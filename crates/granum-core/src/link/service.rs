//! What leads where between two tables, and all that is told of it: a run, the commands that look at
//! one link, and the rows that it leaves out see the same numbers.

use std::collections::{BTreeMap, HashMap};

use rayon::prelude::*;

use super::amounts::{AmountsBy, amounts};
use super::away;
use super::counts::{Counts, counts};
use super::index::Repeated;
use super::near::{Missing, near_misses};
use super::order::link_ordered;
use super::period::{Inverted, PeriodLink, PeriodWords, Periods, Within, near_periods};
use super::repeats::{Repeats, key_text};
use super::{BlankKeys, KeyTable, Keys, link_few};
use crate::table::{Bits, Column, Held, PIECE, Rows};
use crate::tally::{MissingKey, NearMiss, Spread};

/// Where one row of a source comes on so many of a target, its keys are looked for one by one if those stand in order.
const FEW: usize = if cfg!(test) { 4 } else { 16 };

/// Missing keys are listed up to this many.
const MISSING: usize = 10;

/// How a row finds the one that it leads to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Method {
    /// Its key is equal. `unique` says that it is known that no key stands on two rows of the target:
    /// then nothing looks for such keys.
    Equal { unique: bool },
}

/// A link's keys as the plan writes them.
#[derive(Debug)]
pub(crate) struct LinkWords {
    /// Both sides of each equal key.
    pub keys: Vec<(String, String)>,
    pub period: Option<PeriodWords>,
}

/// Rows of a source that lead to rows of a target.
pub(crate) struct Linked {
    /// The keys of the source; of a link by a period its moment is the last of them.
    pub left: Keys,
    /// The equal keys of the target.
    pub right: Keys,
    /// For each row of the source the row of the target, the first of those with its key.
    pub index: Rows,
    /// Keys that stand on several rows of the target, where they may not.
    pub repeats: Repeats,
    /// The periods, of a link by a period.
    pub within: Option<Within>,
}

impl Linked {
    /// Leads the rows of `left` to those of `right`.
    pub fn new(left: Keys, right: Keys, method: Method) -> Self {
        let Method::Equal { unique } = method;
        if unique && left.rows() < right.rows() / 4 {
            let from = left.here();
            let in_order = left.rows() < right.rows() / FEW && !right.is_away() && right.increase();
            let index =
                if in_order { link_ordered(&from, &right) } else { link_few(&from, &right) };
            return Self { left, right, index, repeats: Repeats::default(), within: None };
        }
        let (index, repeated) = led(&left, &right);
        Self { left, right, index, repeats: Repeats::of(&repeated), within: None }
    }

    /// Leads the rows of a source to those of a target by periods; `left` are equal keys, which may be none, with the
    /// moments behind them, `right` columns of equal keys.
    ///
    /// # Errors
    /// Rows of the target whose period ends before it starts.
    pub fn by_period(left: Keys, right: Vec<Column>, periods: Periods) -> Result<Self, Inverted> {
        let right = Keys::new(right, BlankKeys::Apart, periods.starts.rows());
        let (within, index) = Within::new(&left, right.clone(), periods)?;
        let repeats = Repeats::default();
        Ok(Self { left, right, index, repeats, within: Some(within) })
    }

    /// For each row of the target the first row of the source that has its key: also from rows that
    /// repeat a key, which nothing leads to. Of a link by a period, the first that leads to it.
    pub fn back(&self) -> Rows {
        if self.within.is_some() {
            let mut back = vec![None; self.right.rows()];
            for (row, to) in (0..).zip(self.index.iter()) {
                if let Some(to) = to {
                    back[to as usize].get_or_insert(row);
                }
            }
            return Rows::from(back);
        }
        let (from, to) = (&self.right, &self.left);
        // Most keys of a source repeat: nobody asks for those.
        if has_parts(to) { away::lead(from, to) } else { led(from, to).0 }
    }

    /// What becomes of the rows of the source.
    pub fn counts(&self) -> Counts {
        counts(&self.left, &self.index)
    }

    /// The same by an amount of the source.
    pub fn amounts(&self, column: &Held) -> AmountsBy {
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

    /// The first rows of the target that nothing leads to, by their keys.
    pub fn unreached(&self, back: &Rows) -> Vec<MissingKey> {
        let Some(within) = &self.within else { return missing_keys(&self.right, back) };
        let rows = (0..back.len()).filter(|row| !back.has(*row) && self.right.has_key(*row));
        let words = |row| MissingKey { key: within.row_words(row), rows: 1 };
        rows.take(MISSING).map(words).collect()
    }

    /// Whether the latest start would decide between all periods that hold for a row.
    pub fn latest_start_decides(&self) -> bool {
        self.within.as_ref().is_some_and(|within| within.latest_start_decides(&self.left))
    }

    /// Why keys that do not match nearly do, and how many rows nothing explains.
    pub fn near(&self, words: &LinkWords) -> (Vec<NearMiss>, u64) {
        self.near_of(&self.left, words)
    }

    /// The same without rows of which another reason is known.
    pub fn near_beside(&self, known: &Bits, words: &LinkWords) -> (Vec<NearMiss>, u64) {
        self.near_of(&self.left.without(known), words)
    }

    fn near_of(&self, left: &Keys, words: &LinkWords) -> (Vec<NearMiss>, u64) {
        let Self { right, index, within, .. } = self;
        let keys = &words.keys;
        if let (Some(within), Some(words)) = (within, &words.period) {
            let equal = &left.but_last();
            let known = within.known(equal);
            return near_periods(&PeriodLink { left, equal, within, index, keys, words, known });
        }
        near_misses(&Missing { left, right, index, words: keys, confirm: None })
    }
}

/// For each row of `from` the first row of `to` with an equal key, and the rows of `to` whose key an earlier one has.
fn led(from: &Keys, to: &Keys) -> (Rows, Repeated) {
    if has_parts(to) {
        return away::link(from, to);
    }
    let to = &to.here();
    let table = KeyTable::build(to);
    (table.link(to, from), table.repeats)
}

/// Whether keys are looked at part by part.
fn has_parts(to: &Keys) -> bool {
    to.is_away() && !to.is_small()
}

fn spread(index: &Rows, target_rows: usize) -> (u64, Option<Spread>) {
    let mut by_count = by_count(index, target_rows);
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

/// How many rows of the target so many rows lead to.
fn by_count(index: &Rows, target_rows: usize) -> BTreeMap<u32, u64> {
    let mut by_count: BTreeMap<u32, u64> = BTreeMap::new();
    if target_rows <= PIECE {
        let mut counts = vec![0_u32; target_rows];
        index.each_number(|to| counts[to as usize] += 1);
        counts.into_iter().for_each(|count| *by_count.entry(count).or_default() += 1);
        return by_count;
    }
    // To most of many rows few lead: the others are counted beside.
    let mut few = vec![0_u8; target_rows];
    let mut many: HashMap<u32, u32> = HashMap::new();
    index.each_number(|to| match few[to as usize].checked_add(1) {
        Some(count) => few[to as usize] = count,
        None => *many.entry(to).or_insert(u8::MAX.into()) += 1,
    });
    let mut rows = [0_u64; 1 << 8];
    few.into_iter().for_each(|count| rows[usize::from(count)] += 1);
    rows[usize::from(u8::MAX)] -= many.len() as u64;
    by_count.extend((0..).zip(rows).filter(|(_, rows)| *rows > 0));
    many.into_values().for_each(|count| *by_count.entry(count).or_default() += 1);
    by_count
}

/// The first keys that the other side does not have, in the order of the rows, with how many rows
/// have each.
pub(crate) fn missing_keys(keys: &Keys, index: &Rows) -> Vec<MissingKey> {
    if counts(keys, index).missing == 0 {
        return vec![];
    }
    // The keys of a run's rows that lead nowhere, with their hashes.
    let run = |first: usize| {
        let length = PIECE.min(keys.rows() - first);
        let nowhere = !&index.present()?.bits().slice(first, length);
        let rows = nowhere.rows().filter(|at| keys.has_key(first + at));
        let rows: Rows = rows.map(|at| at as u32).collect();
        let run = (!rows.is_empty()).then(|| keys.slice(first, length).take(&rows))?;
        Some((run.hashes(), run))
    };
    let same = |(hash, key): &(u64, Keys), (hashes, run): &(Vec<u64>, Keys), row: usize| {
        *hash == hashes[row] && key.equal(0, run, row)
    };
    let mut found: Vec<(u64, Keys)> = vec![];
    for some in (0..keys.rows()).step_by(PIECE).filter_map(run) {
        for row in 0..some.0.len() {
            if found.len() < MISSING && !found.iter().any(|known| same(known, &some, row)) {
                found.push((some.0[row], some.1.slice(row, 1)));
            }
        }
        if found.len() == MISSING {
            break;
        }
    }
    let counted = |first: usize| {
        let mut counts = vec![0; found.len()];
        if let Some(some) = run(first) {
            for row in 0..some.0.len() {
                if let Some(at) = found.iter().position(|known| same(known, &some, row)) {
                    counts[at] += 1;
                }
            }
        }
        counts
    };
    let both = |a: Vec<u64>, b: Vec<u64>| a.iter().zip(b).map(|(a, b)| a + b).collect();
    let runs = (0..keys.rows()).into_par_iter().step_by(PIECE).map(counted);
    let counts = runs.reduce(|| vec![0; found.len()], both);
    let told = found.iter().zip(counts);
    told.map(|((_, key), rows)| MissingKey { key: key_text(key, 0), rows }).collect()
}
