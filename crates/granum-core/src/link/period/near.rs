//! Rows that lie a day beside a period, and what mends it.

use std::collections::BTreeMap;

use super::super::mend::{Change, changed, pair_words};
use super::super::near::{Mend, Missing, near_misses};
use super::{Ends, Moments, Outside, Periods, Within};
use crate::link::Keys;
use crate::table::{Column, Rows};
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
    /// The equal keys of the source.
    pub left: &'a Keys,
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
    for kind in [NearKind::EndDay, NearKind::DayAfter, NearKind::DayBefore] {
        found.extend(link.beside(kind));
    }
    let outside = (0..link.index.len())
        .filter(|row| link.within.outside(*row).is_some_and(|why| why != Outside::Key));
    left += outside.filter(|row| link.kind(*row).is_none()).count() as u64;
    (found, left)
}

impl PeriodLink<'_> {
    /// Equal keys that nearly match. A mend is told if rows find a period by it, and none loses its own.
    fn near_keys(&self) -> (Vec<NearMiss>, u64) {
        let Some(known) = &self.known else { return (vec![], 0) };
        let confirm = |mend: &Mend| {
            let left = mended(self.left, &mend.left);
            let right = mended(&self.within.keys, &mend.right);
            let when = self.within.when.clone();
            let periods = self.within.periods.clone();
            let (within, index) = Within::new(&left, when, right, periods).ok()?;
            self.won(&within, &index)
        };
        let missing = Missing {
            left: self.left,
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
        let kept = (0..index.len())
            .all(|row| self.index.get(row).is_none() || self.index.get(row) == index.get(row));
        let clear = within.prefers() || within.chosen().several == 0;
        let won = index.len() - index.blanks();
        let had = self.index.len() - self.index.blanks();
        (kept && clear && won > had).then_some((won - had) as u64)
    }

    /// How a row lies beside a period, if it does.
    fn kind(&self, row: usize) -> Option<NearKind> {
        let within = self.within;
        let moment = within.when.get(row)?;
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
                let at = within.at[row];
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

    fn beside(&self, kind: NearKind) -> Option<NearMiss> {
        let mut days: BTreeMap<i64, u64> = BTreeMap::new();
        for row in (0..self.index.len()).filter(|row| self.kind(*row) == Some(kind)) {
            *days.entry(self.within.when.get(row)?).or_default() += 1;
        }
        let rows: u64 = days.values().sum();
        if rows == 0 {
            return None;
        }
        let mut miss = NearMiss {
            kinds: vec![kind],
            rows,
            distinct: days.len() as u64,
            keys: None,
            merged: 0,
            examples: vec![],
        };
        let words = |moment: &i64| self.within.when.words(*moment).unwrap_or_default();
        miss.examples =
            days.iter().take(EXAMPLES).map(|(at, rows)| (words(at), rows.to_string())).collect();
        if kind == NearKind::EndDay
            && let Some((keys, won)) = self.whole_ends()
        {
            miss.keys = Some(keys);
            miss.rows = won;
        }
        Some(miss)
    }

    /// The keys with periods of which the last day is part, and how many rows that wins.
    fn whole_ends(&self) -> Option<(String, u64)> {
        let ends = self.words.ends.as_ref()?;
        let within = self.within;
        let (Ends::Through(own) | Ends::Until(own)) = &within.periods.ends else { return None };
        let (when, periods, words) = if within.when.are_days() {
            (within.when.clone(), within.periods.through(own.clone()), self.words.through(ends))
        } else {
            let by_day = Periods {
                starts: within.periods.starts.by_day(),
                ..within.periods.through(own.by_day())
            };
            (within.when.by_day(), by_day, self.words.through(&format!("date({ends})")))
        };
        let (new, index) = Within::new(self.left, when, within.keys.clone(), periods).ok()?;
        let keys = self.keys.iter().map(|(left, right)| pair_words(left, right));
        let all = keys.chain([words]).collect::<Vec<_>>().join(", ");
        Some((all, self.won(&new, &index)?))
    }
}

/// Keys after the changes of their side.
fn mended(keys: &Keys, changes: &[Vec<Change>]) -> Keys {
    let columns = keys.columns().iter().zip(changes).map(|(column, changes)| match column {
        Column::Text(texts) if !changes.is_empty() => {
            let text = |row: usize| changed(changes, column.text(row)?);
            Column::Text((0..texts.len()).map(text).collect())
        }
        _ => column.clone(),
    });
    Keys::new(columns.collect(), crate::link::BlankKeys::Apart, keys.rows())
}

impl Periods {
    /// The same where the ends are part of the periods.
    fn through(&self, ends: Moments) -> Self {
        Self { ends: Ends::Through(ends), ..self.clone() }
    }
}
