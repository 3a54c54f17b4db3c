//! Rows that lie a day beside a period, and what mends it.

use std::collections::BTreeMap;

use super::super::mend::{Change, changed, pair_words};
use super::super::near::{Mend, Missing, near_misses};
use super::{Ends, Moments, Outside, Periods, Within, moments_of};
use crate::bug::Sure;
use crate::link::Keys;
use crate::table::{Column, PIECE, Rows};
use crate::tally::{NearKind, NearMiss};
use crate::value::day;

/// Days are listed up to so many.
const EXAMPLES: usize = 3;

/// A link by a period as the plan writes it.
#[derive(Debug, Clone)]
pub(crate) struct PeriodWords {
    /// All of it.
    pub text: String,
    pub when: String,
    pub starts: String,
    /// Where it ends; nothing where the next start ends it.
    pub ends: Option<String>,
}

impl PeriodWords {
    /// The period with an end that is part of it.
    fn through(&self, ends: &str) -> String {
        format!("{} within {} through {ends}", self.when, self.starts)
    }
}

/// Both sides of a link by a period.
pub(crate) struct PeriodLink<'a> {
    /// The equal keys of the source, and behind them its moments.
    pub left: &'a Keys,
    /// Its equal keys.
    pub equal: &'a Keys,
    pub within: &'a Within,
    pub index: &'a Rows,
    /// Both sides of each equal key as the plan writes them.
    pub keys: &'a [(String, String)],
    pub words: &'a PeriodWords,
    /// For each row of the source the first of the target with its equal keys; not there where there
    /// are none.
    pub known: Option<Rows>,
}

/// What nearly matches, and how many rows are left that nothing explains.
pub(crate) fn near_periods(link: &PeriodLink<'_>) -> (Vec<NearMiss>, u64) {
    let (mut found, mut left) = link.near_keys();
    let (beside, unlike) = link.beside();
    let beside = beside.into_iter().filter(|(_, days)| !days.is_empty());
    found.extend(beside.map(|(kind, days)| link.miss(kind, &days)));
    left += unlike;
    (found, left)
}

/// How many rows lie at each moment.
type Days = BTreeMap<i64, u64>;

impl PeriodLink<'_> {
    /// Equal keys that nearly match. A mend is told if rows find a period by it, and none loses its own.
    fn near_keys(&self) -> (Vec<NearMiss>, u64) {
        let Some(known) = &self.known else { return (vec![], 0) };
        let confirm = |mend: &Mend| {
            let left = mended(self.left, &mend.left);
            let right = mended(&self.within.keys, &mend.right);
            let (within, index) = Within::new(&left, right, self.within.periods.clone()).ok()?;
            self.won(&within, &index)
        };
        let missing = Missing {
            left: self.equal,
            right: &self.within.keys,
            index: known,
            words: self.keys,
            confirm: Some(&confirm),
        };
        let (mut near, unlike) = near_misses(&missing);
        for near in &mut near {
            if let Some(keys) = &mut near.keys {
                keys.push_str(&format!(", {}", self.words.text));
            }
        }
        (near, unlike)
    }

    /// How many rows another way to link wins; nothing where it wins none, or a row would lose what it
    /// leads to, or lead to another, or several would hold for one without a choice.
    fn won(&self, within: &Within, index: &Rows) -> Option<u64> {
        let kept =
            self.index.iter().zip(index.iter()).all(|(own, new)| own.is_none() || own == new);
        let clear = within.prefers() || within.chosen().several == 0;
        let won = index.len() - index.blanks();
        let had = self.index.len() - self.index.blanks();
        (kept && clear && won > had).then_some((won - had) as u64)
    }

    /// How a row with a moment lies beside a period, if it does.
    fn kind(&self, row: usize, moment: i64) -> Option<NearKind> {
        let within = self.within;
        let days = within.when.are_days();
        match within.outside(row)? {
            Outside::Key => None,
            Outside::Before => {
                let key = match &self.known {
                    Some(known) => within.stretches.group_of(known.get(row)?),
                    None => 0,
                };
                let first = within.stretches.starts()[within.stretches.of(key).start as usize];
                (days && first - moment == 1).then_some(NearKind::DayBefore)
            }
            Outside::Gap | Outside::After => {
                let at = within.at.get(row);
                let behind = within.stretches.starts()[at as usize];
                let next = within.stretches.end(at);
                let until = matches!(within.periods.ends, Ends::Until(_));
                if days {
                    match (moment - behind, next.map(|next| next - moment)) {
                        (0, _) if until => Some(NearKind::EndDay),
                        (0, _) => Some(NearKind::DayAfter),
                        (_, Some(1)) => Some(NearKind::DayBefore),
                        _ => None,
                    }
                } else {
                    // The time at which the period ended, or the last before.
                    let end = if until { behind } else { behind - 1 };
                    (day::day_of(end) == day::day_of(moment)).then_some(NearKind::EndDay)
                }
            }
        }
    }

    /// The moments of rows that lie beside a period, by how they do; and how many rows that have its key lie outside and
    /// beside none.
    fn beside(&self) -> ([(NearKind, Days); 3], u64) {
        let kinds = [NearKind::EndDay, NearKind::DayAfter, NearKind::DayBefore];
        let mut beside = kinds.map(|kind| (kind, Days::new()));
        let mut unlike = 0;
        for first in (0..self.index.len()).step_by(PIECE) {
            let outside =
                |row: &usize| self.within.outside(*row).is_some_and(|why| why != Outside::Key);
            let rows = first..self.index.len().min(first + PIECE);
            let outside: Vec<usize> = rows.filter(outside).collect();
            if outside.is_empty() {
                continue;
            }
            let run: Rows = outside.iter().map(|row| *row as u32).collect();
            let moments = moments_of(&self.left.take(&run));
            for (at, row) in outside.into_iter().enumerate() {
                let moment = moments.get(at).sure("the moment of a row outside of periods");
                let kind = self.kind(row, moment);
                match beside.iter_mut().find(|(known, _)| Some(*known) == kind) {
                    Some((_, days)) => *days.entry(moment).or_default() += 1,
                    None => unlike += 1,
                }
            }
        }
        (beside, unlike)
    }

    fn miss(&self, kind: NearKind, days: &Days) -> NearMiss {
        let words = |moment: &i64| self.within.when.words(*moment).unwrap_or_default();
        let examples = days.iter().take(EXAMPLES);
        let mut miss = NearMiss {
            kinds: vec![kind],
            rows: days.values().sum(),
            distinct: days.len() as u64,
            keys: None,
            merged: 0,
            examples: examples.map(|(at, rows)| (words(at), rows.to_string())).collect(),
        };
        if kind == NearKind::EndDay
            && let Some((keys, won)) = self.whole_ends()
        {
            miss.keys = Some(keys);
            miss.rows = won;
        }
        miss
    }

    /// The keys with periods of which the last day is part, and how many rows that wins.
    fn whole_ends(&self) -> Option<(String, u64)> {
        let ends = self.words.ends.as_ref()?;
        let within = self.within;
        let (Ends::Through(own) | Ends::Until(own)) = &within.periods.ends else { return None };
        let (left, periods, words) = if within.when.are_days() {
            (self.left.clone(), within.periods.through(own.clone()), self.words.through(ends))
        } else {
            let by_day = Periods {
                starts: within.periods.starts.by_day(),
                ..within.periods.through(own.by_day())
            };
            (days_of(self.left), by_day, self.words.through(&format!("date({ends})")))
        };
        let (new, index) = Within::new(&left, within.keys.clone(), periods).ok()?;
        let keys = self.keys.iter().map(|(left, right)| pair_words(left, right));
        let all = keys.chain([words]).collect::<Vec<_>>().join(", ");
        Some((all, self.won(&new, &index)?))
    }
}

/// Keys after the changes of their side; columns behind those that are told of stay.
fn mended(keys: &Keys, changes: &[Vec<Change>]) -> Keys {
    let mended = |(at, column): (usize, &Column)| match (column, changes.get(at)) {
        (Column::Text(texts), Some(changes)) if !changes.is_empty() => {
            let text = |row: usize| changed(changes, column.text(row)?);
            Column::Text((0..texts.len()).map(text).collect())
        }
        _ => column.clone(),
    };
    keys.mapped(|columns| columns.iter().enumerate().map(mended).collect())
}

/// Keys whose moments, behind them, are days.
fn days_of(left: &Keys) -> Keys {
    left.mapped(|columns| {
        let mut columns = columns.to_vec();
        let days = columns.pop().map(|when| Moments::new(when).by_day().column().clone());
        columns.into_iter().chain(days).collect()
    })
}

impl Periods {
    /// The same where the ends are part of the periods.
    fn through(&self, ends: Moments) -> Self {
        Self { ends: Ends::Through(ends), ..self.clone() }
    }
}
