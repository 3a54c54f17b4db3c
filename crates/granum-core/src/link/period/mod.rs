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

use std::sync::Arc;

use rayon::prelude::*;

use super::amounts::{Both, sums_by};
use super::{KeyTable, Keys, key_text};
use crate::bug::Sure;
use crate::lang::Preference;
use crate::table::{AwayBuilder, Column, GrowingColumn, Held, PIECE, RoomFile, Rows};
use crate::tally::{PeriodOverlap, PeriodRange};
use crate::value::Type;
use search::Search;
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
    /// None of the moments of the source: what they are, and how they are told.
    when: Moments,
    /// The equal keys of the target.
    keys: Keys,
    at: Found,
}

/// The stretch of each row of the source, or why there is none.
struct Found {
    /// What they are called, packed: behind the stretches stand those without a key, and those before the first start.
    rows: Rows,
    stretches: u32,
}

impl Found {
    fn packed(at: Vec<u32>, stretches: u32) -> Rows {
        let name = |at: u32| match at {
            BLANK => None,
            NO_KEY => Some(stretches),
            BEFORE => Some(stretches + 1),
            at => Some(at),
        };
        Rows::from(at.into_iter().map(name).collect::<Vec<_>>()).packed()
    }

    fn named(&self, at: Option<u32>) -> u32 {
        match at {
            None => BLANK,
            Some(at) if at < self.stretches => at,
            Some(at) if at == self.stretches => NO_KEY,
            Some(_) => BEFORE,
        }
    }

    fn get(&self, row: usize) -> u32 {
        self.named(self.rows.get(row))
    }

    fn iter(&self) -> impl Iterator<Item = u32> {
        self.rows.iter().map(|at| self.named(at))
    }

    /// Each that is a stretch.
    fn stretches(&self) -> impl Iterator<Item = u32> {
        self.iter().filter(|at| *at < BEFORE)
    }
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
    /// Leads the rows of a source to those of a target: `left` are its equal keys, which may be none, and behind them
    /// its moments; `right` are the equal keys of the target. Gives where they lead as well. Rows that are away are
    /// looked at run by run, and where they lead goes away with them.
    ///
    /// # Errors
    /// The rows of the target whose period ends before it starts.
    pub fn new(left: &Keys, right: Keys, periods: Periods) -> Result<(Self, Rows), Inverted> {
        let table = (!right.columns().is_empty()).then(|| KeyTable::build(&right));
        let stretches = Stretches::new(&right, table.as_ref(), &periods)?;
        let search = Search::new(&stretches, table.is_none());
        let count = stretches.starts().len() as u32;
        let file = left.file_for_led(left.rows());
        let kept = |rows: Rows| file.as_ref().map_or(rows.clone(), |file| rows.away(file));
        let run = |first: usize| {
            let run = left.slice(first, PIECE.min(left.rows() - first));
            let equal = run.but_last();
            let groups = table.as_ref().map(|table| table.link(&right, &equal));
            let at = search.find(&moments_of(&run), groups.as_ref().map(|groups| (groups, &equal)));
            (kept(index(&at, &stretches)), kept(Found::packed(at, count)))
        };
        let runs = (0..left.rows()).into_par_iter().step_by(PIECE).map(run);
        let (index, at): (Vec<Rows>, Vec<Rows>) = runs.unzip();
        let when = moments_of(&left.slice(0, 0));
        let at = Found { rows: Rows::joined(at), stretches: count };
        Ok((Self { periods, stretches, when, keys: right, at }, Rows::joined(index)))
    }

    /// Why a row leads nowhere; nothing if it leads somewhere, or has no key or no day.
    pub fn outside(&self, row: usize) -> Option<Outside> {
        self.why(self.at.get(row))
    }

    fn why(&self, at: u32) -> Option<Outside> {
        match at {
            BLANK => None,
            NO_KEY => Some(Outside::Key),
            BEFORE => Some(Outside::Before),
            at => self.stretches.outside(at),
        }
    }

    /// How many rows lead nowhere, by why.
    pub fn counts(&self) -> [u64; 4] {
        let mut counts = [0; 4];
        self.at.iter().filter_map(|at| self.why(at)).for_each(|why| counts[why as usize] += 1);
        counts
    }

    /// An amount of the rows that lead nowhere, by why.
    pub fn amounts(&self, column: &Held) -> [Both; 4] {
        let [_, sums @ ..] =
            sums_by::<5>(column, None, |row| self.outside(row).map_or(0, |why| 1 + why as usize));
        sums
    }

    /// For how many rows several held, and how it was decided.
    pub fn chosen(&self) -> Chosen {
        let mut chosen = Chosen::default();
        if !self.stretches.any_overlap() {
            return chosen;
        }
        for at in self.at.stretches() {
            let count = self.stretches.count(at);
            if count > 1 {
                chosen.several += 1;
                chosen.pairs += u64::from(count);
                chosen.tied += u64::from(self.stretches.is_tied(at));
            }
        }
        chosen
    }

    /// Whether several rows of the target held for a row.
    pub fn has_several(&self, row: usize) -> bool {
        let at = self.at.get(row);
        at < BEFORE && self.stretches.count(at) > 1
    }

    /// Whether the latest start would decide between all that hold for the rows of `left`, which have moments as well.
    pub fn latest_start_decides(&self, left: &Keys) -> bool {
        let by = vec![(Preference::Latest, self.periods.starts.column().clone())];
        let prefer = Some(Order { by, grain: vec![] });
        let periods = Periods { prefer, ..self.periods.clone() };
        let new = Self::new(left, self.keys.clone(), periods);
        new.is_ok_and(|(within, _)| within.chosen().tied == 0)
    }

    /// Whether a row is settled by the order of what is preferred.
    pub fn prefers(&self) -> bool {
        self.periods.prefer.is_some()
    }

    /// How many rows of the target hold for each row of the source, which is away where that is.
    pub fn choices(&self, file: Option<&Arc<RoomFile>>) -> Held {
        let count = |at| if at < BEFORE { i64::from(self.stretches.count(at)) } else { 0 };
        let run = |first: usize| {
            let rows = self.at.rows.slice(first, PIECE.min(self.at.rows.len() - first));
            let counts: Vec<i64> = rows.iter().map(|at| count(self.at.named(at))).collect();
            Column::Integer(counts.into()).narrowed()
        };
        let runs = (0..self.at.rows.len()).step_by(PIECE).map(run);
        let Some(file) = file else {
            let mut whole = GrowingColumn::new(Type::Integer, self.at.rows.len());
            runs.for_each(|run| whole.append(&run));
            return Held::Own(whole.finish());
        };
        let mut away = AwayBuilder::new(file);
        runs.for_each(|run| away.push(&run));
        Held::away(away.finish())
    }

    /// The rows of the target that hold for one of the source, in the order of their starts.
    pub fn held(&self, row: usize) -> Vec<u32> {
        let at = self.at.get(row);
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

    /// For each row of the source, of which these are the equal keys, the first of the target with equal ones, if there
    /// are any.
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
        let mut met = vec![false; self.stretches.starts().len()];
        self.at.stretches().for_each(|at| met[at as usize] = true);
        let several = |at: &usize| met[*at] && self.stretches.count(*at as u32) > 1;
        (0..met.len()).filter(several).count() as u64
    }

    /// The days on which several hold, each with the rows of the target, and how many ranges there
    /// are. `named` says what a row of the target is called.
    pub fn overlaps(&self, named: &dyn Fn(u32) -> String) -> (Vec<PeriodOverlap>, u64) {
        ranges::overlaps(self, named)
    }
}

/// The moments of keys that are here, which are their last column.
fn moments_of(left: &Keys) -> Moments {
    Moments::new(left.columns().last().sure("the moments of a link by a period").clone())
}

/// Where some rows lead.
fn index(at: &[u32], stretches: &Stretches) -> Rows {
    let row = |at: &u32| if *at < BEFORE { stretches.row(*at) } else { None };
    Rows::from(at.iter().map(row).collect::<Vec<_>>()).packed()
}

#[cfg(test)]
mod tests;
