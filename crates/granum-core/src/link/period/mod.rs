//! Links by a period: which row of the target holds on the day of a row.
//!
//! Periods of equal keys are resolved once into stretches that lie end to end, each with the row that
//! holds in it (`stretches.rs`): a day is then looked up among their starts. What is told of days
//! outside of all periods, and of periods that overlap, is told from the same stretches (`ranges.rs`).

mod moments;
mod near;
mod order;
mod ranges;
mod search;
mod stretches;

pub(crate) use moments::{Ends, Moments};
pub(crate) use near::{PeriodLink, PeriodWords, near_periods};
pub(crate) use order::Order;
pub(crate) use stretches::Inverted;

use rayon::prelude::*;

use super::amounts::{Both, sums_by};
use super::{KeyTable, Keys, key_text};
use crate::lang::Preference;
use crate::table::{Column, Held, Present, Rows};
use crate::tally::{PeriodOverlap, PeriodRange};
use search::search;
use stretches::Stretches;

/// The periods of a target's rows.
#[derive(Debug, Clone)]
pub(crate) struct Periods {
    pub starts: Moments,
    pub ends: Ends,
    /// Which row is led to where several hold; without it, none may.
    pub prefer: Option<Order>,
}

/// What becomes of a row that leads by a period: the number of its stretch, in which nothing may hold;
/// or one of these, for rows with a blank key or moment, rows with a key that the target has not, and
/// rows before the first start of theirs.
const BLANK: u32 = u32::MAX;
const NO_KEY: u32 = u32::MAX - 1;
const BEFORE: u32 = u32::MAX - 2;

/// Why a row leads nowhere, by its place in the sums.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outside {
    /// Nothing of the target has its key.
    Key,
    /// Its day lies before the first start.
    Before,
    /// Between two periods.
    Gap,
    /// After the last end.
    After,
}

/// Rows of a source that lead to rows of a target by periods.
pub(crate) struct Within {
    periods: Periods,
    stretches: Stretches,
    when: Moments,
    /// The equal keys of the target.
    keys: Keys,
    /// The stretch of each row of the source, or why there is none.
    at: Vec<u32>,
}

/// How `prefer` decided.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Chosen {
    /// Rows of the source for which several rows held.
    pub several: u64,
    /// Pairs that a join would have made of them.
    pub pairs: u64,
    /// Of those rows, the ones where what is preferred ties, so that the grain settled it.
    pub tied: u64,
}

/// Ranges are told up to so many where there are no equal keys, else so many of each key told.
const RANGES: usize = 50;
const RANGES_OF_KEY: usize = 5;

/// Keys whose ranges are told: those with most rows.
const KEYS: usize = 10;

impl Within {
    /// Leads the rows of a source to those of a target: `left` and `right` are their equal keys,
    /// which may be none. Gives where they lead as well.
    ///
    /// # Errors
    /// The rows of the target whose period ends before it starts.
    pub fn new(
        left: &Keys,
        when: Moments,
        right: Keys,
        periods: Periods,
    ) -> Result<(Self, Rows), Inverted> {
        let table = (!right.columns().is_empty()).then(|| KeyTable::build(&right));
        let stretches = Stretches::new(&right, table.as_ref(), &periods)?;
        let groups = table.map(|table| table.link(&right, left));
        let at = search(&when, groups.as_ref().map(|groups| (groups, left)), &stretches);
        let index = index(&at, &stretches);
        Ok((Self { periods, stretches, when, keys: right, at }, index))
    }

    /// Why a row leads nowhere; nothing if it leads somewhere, or has no key or no day.
    pub fn outside(&self, row: usize) -> Option<Outside> {
        match self.at[row] {
            BLANK => None,
            NO_KEY => Some(Outside::Key),
            BEFORE => Some(Outside::Before),
            at => self.stretches.outside(at),
        }
    }

    /// How many rows lead nowhere, by why.
    pub fn counts(&self) -> [u64; 4] {
        let mut counts = [0; 4];
        (0..self.at.len())
            .filter_map(|row| self.outside(row))
            .for_each(|why| counts[why as usize] += 1);
        counts
    }

    /// An amount of the rows that lead nowhere, by why.
    pub fn amounts(&self, column: &Held) -> [Both; 4] {
        let [sums @ .., _] =
            sums_by::<5>(column, |row| self.outside(row).map_or(4, |why| why as usize));
        sums
    }

    /// For how many rows several held, and how it was decided.
    pub fn chosen(&self) -> Chosen {
        let mut chosen = Chosen::default();
        if !self.stretches.any_overlap() {
            return chosen;
        }
        for at in self.at.iter().filter(|at| **at < BEFORE) {
            let count = self.stretches.count(*at);
            if count > 1 {
                chosen.several += 1;
                chosen.pairs += u64::from(count);
                chosen.tied += u64::from(self.stretches.is_tied(*at));
            }
        }
        chosen
    }

    /// Whether the latest start would decide between all that hold for the rows of `left`.
    pub fn latest_start_decides(&self, left: &Keys) -> bool {
        let by = vec![(Preference::Latest, self.periods.starts.column().clone())];
        let prefer = Some(Order { by, grain: vec![] });
        let periods = Periods { prefer, ..self.periods.clone() };
        let new = Self::new(left, self.when.clone(), self.keys.clone(), periods);
        new.is_ok_and(|(within, _)| within.chosen().tied == 0)
    }

    /// Whether a row is settled by the order of what is preferred.
    pub fn prefers(&self) -> bool {
        self.periods.prefer.is_some()
    }

    /// How many rows of the target hold for each row of the source.
    pub fn choices(&self) -> Column {
        let count = |at: &u32| if *at < BEFORE { i64::from(self.stretches.count(*at)) } else { 0 };
        Column::Integer(self.at.par_iter().map(count).collect::<Vec<i64>>().into())
    }

    /// The rows of the target that hold for one of the source, in the order of their starts.
    pub fn held(&self, row: usize) -> Vec<u32> {
        let at = self.at[row];
        if at >= BEFORE {
            return vec![];
        }
        let Periods { starts, ends, .. } = &self.periods;
        let start = |row: u32| starts.get(row as usize).unwrap_or(i64::MIN);
        let moment = self.stretches.starts()[at as usize];
        let rows = self.stretches.rows_of(self.stretches.group_at(at)).iter().copied();
        let begun: Vec<u32> = rows.filter(|row| start(*row) <= moment).collect();
        let latest = begun.iter().map(|row| start(*row)).max();
        let holds = |row: &u32| match ends {
            Ends::Onward => Some(start(*row)) == latest,
            ends => ends.last(*row as usize) >= moment,
        };
        begun.into_iter().filter(holds).collect()
    }

    /// Periods of the target that hold on no day, since they end where they start.
    pub fn never(&self) -> u64 {
        self.stretches.never
    }

    /// The first start and the last end, where there are no equal keys; nothing where they are open.
    pub fn span(&self) -> (Option<String>, Option<String>) {
        if !self.keys.columns().is_empty() {
            return (None, None);
        }
        let (first, behind) = self.stretches.span();
        // The end as it stands: what is part of a period, or the first that is not.
        let part = i64::from(matches!(self.periods.ends, Ends::Through(_)));
        let last = behind.map(|behind| behind - part);
        let words = |moment: i64| self.when.words(moment);
        (first.and_then(words), last.and_then(words))
    }

    /// For each row of the source the first of the target with its equal keys, if there are any.
    pub fn known(&self, left: &Keys) -> Option<Rows> {
        let keys = (!self.keys.columns().is_empty()).then_some(&self.keys)?;
        Some(KeyTable::build(keys).link(keys, left))
    }

    /// A row of the target in words: its equal keys and its period.
    pub fn row_words(&self, row: usize) -> String {
        let period = self.period_words(row);
        self.key_words(row).into_iter().chain([period]).collect::<Vec<_>>().join(" ")
    }

    /// The period of a row of the target in words.
    pub fn period_words(&self, row: usize) -> String {
        let Periods { starts, ends, .. } = &self.periods;
        let words = |moment: Option<i64>| {
            moment.and_then(|moment| self.when.words(moment)).unwrap_or_else(|| "(open)".into())
        };
        let from = words(starts.get(row));
        match ends {
            Ends::Through(_) => format!("{from} through {}", words(ends.get(row))),
            Ends::Until(_) => format!("{from} until {}", words(ends.get(row))),
            Ends::Onward => format!("{from} onward"),
        }
    }

    /// A row's equal keys in words, if there are any.
    fn key_words(&self, row: usize) -> Option<String> {
        (!self.keys.columns().is_empty()).then(|| key_text(&self.keys, row))
    }

    /// The days between periods, and how many ranges of them there are in all. Of the keys with
    /// most rows, where there are equal keys; in the order of the days.
    pub fn gaps(&self) -> (Vec<PeriodRange>, u64) {
        ranges::gaps(self)
    }

    /// How many ranges of days on which several hold have a row of the source.
    pub fn overlaps_met(&self) -> u64 {
        let mut met: Vec<u32> = self.at.iter().copied().filter(|at| *at < BEFORE).collect();
        met.retain(|at| self.stretches.count(*at) > 1);
        met.sort_unstable();
        met.dedup();
        met.len() as u64
    }

    /// The days on which several hold, each with the rows of the target, and how many ranges there
    /// are. `named` says what a row of the target is called.
    pub fn overlaps(&self, named: &dyn Fn(u32) -> String) -> (Vec<PeriodOverlap>, u64) {
        ranges::overlaps(self, named)
    }
}

/// Where the rows lead.
fn index(at: &[u32], stretches: &Stretches) -> Rows {
    let parts: Vec<(Vec<u32>, Vec<bool>)> = at
        .par_chunks(1 << 14)
        .map(|at| {
            let rows = at.iter().map(|at| if *at < BEFORE { stretches.row(*at) } else { None });
            rows.map(|row| (row.unwrap_or(0), row.is_some())).unzip()
        })
        .collect();
    let (mut rows, mut found) = (Vec::with_capacity(at.len()), Vec::with_capacity(at.len()));
    for (part, there) in parts {
        rows.extend_from_slice(&part);
        found.extend_from_slice(&there);
    }
    Rows::new(rows, Some(Present::from(found)))
}

#[cfg(test)]
mod tests;
