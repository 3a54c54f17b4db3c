//! Days between periods, and days on which several hold, as ranges.

use super::stretches::Stretches;
use super::{KEYS, Outside, RANGES, RANGES_OF_KEY, Within};
use crate::tally::{PeriodOverlap, PeriodRange};

/// The days on which no period of a key holds, though one did before and one will again.
pub(super) fn gaps(within: &Within) -> (Vec<PeriodRange>, u64) {
    let stretches = &within.stretches;
    let (told, all) = told(within, |at| stretches.outside(at) == Some(Outside::Gap));
    (told.into_iter().map(|(at, rows)| range(within, at, rows)).collect(), all)
}

/// The days on which several periods of a key hold.
pub(super) fn overlaps(
    within: &Within,
    named: &dyn Fn(u32) -> String,
) -> (Vec<PeriodOverlap>, u64) {
    if !within.stretches.any_overlap() {
        return (vec![], 0);
    }
    let (told, all) = told(within, |at| within.stretches.count(at) > 1);
    let told = told.into_iter().map(|(at, rows)| PeriodOverlap {
        range: range(within, at, rows),
        holding: within.stretches.count(at).into(),
        examples: holding(within, at).into_iter().take(super::super::EXAMPLES).map(named).collect(),
    });
    (told.collect(), all)
}

/// The rows of the target that hold in a stretch, in the order of their starts.
fn holding(within: &Within, at: u32) -> Vec<u32> {
    let stretches = &within.stretches;
    let from = stretches.starts()[at as usize];
    let (starts, ends) = (&within.periods.starts, &within.periods.ends);
    let starts_at = |row: u32| starts.get(row as usize).unwrap_or(i64::MIN);
    let holds = |row: &u32| match ends {
        // Only those of the latest start.
        super::Ends::Onward => starts_at(*row) == from,
        ends => starts_at(*row) <= from && from <= ends.last(*row as usize),
    };
    stretches.rows_of(stretches.group_at(at)).iter().copied().filter(holds).collect()
}

fn range(within: &Within, at: u32, rows: u64) -> PeriodRange {
    let stretches = &within.stretches;
    let of_key = stretches.rows_of(stretches.group_at(at));
    let days = within.when.are_days();
    // Times are told as the target has them: behind an end that is part of its period lies the moment
    // after it.
    let bound = |moment: i64| {
        let starts = |row: &u32| within.periods.starts.get(*row as usize) == Some(moment);
        let part = matches!(within.periods.ends, super::Ends::Through(_));
        let behind = !days && part && !of_key.iter().any(starts);
        within.when.words(moment.saturating_sub(i64::from(behind)))
    };
    let from = stretches.starts()[at as usize];
    PeriodRange {
        of: of_key.first().and_then(|row| within.key_words(*row as usize)),
        from: bound(from),
        to: stretches
            .end(at)
            .and_then(|end| if days { within.when.words(end - 1) } else { bound(end) }),
        days,
        rows,
    }
}

/// The stretches of a kind that are told, with how many rows fall into each, in their order; and how
/// many there are.
fn told(within: &Within, is: impl Fn(u32) -> bool) -> (Vec<(u32, u64)>, u64) {
    let stretches = &within.stretches;
    let rows = rows_of_each(within);
    let busy = |at: &u32| (std::cmp::Reverse(rows[*at as usize]), *at);
    let ranges = |group: usize, most: usize| {
        let mut of: Vec<u32> = stretches.of(group).filter(|at| is(*at)).collect();
        of.sort_unstable_by_key(busy);
        of.truncate(most);
        of
    };
    let all = (0..stretches.starts().len() as u32).filter(|at| is(*at)).count() as u64;
    let mut told: Vec<u32> = if within.keys.columns().is_empty() {
        ranges(0, RANGES)
    } else {
        busiest(stretches, &rows, &is)
            .into_iter()
            .flat_map(|of| ranges(of, RANGES_OF_KEY))
            .collect()
    };
    told.sort_unstable();
    (told.into_iter().map(|at| (at, rows[at as usize])).collect(), all)
}

/// The keys that have such a stretch, those with most rows in all their stretches.
fn busiest(stretches: &Stretches, rows: &[u64], is: &impl Fn(u32) -> bool) -> Vec<usize> {
    let mut found: Vec<(u64, usize)> = (0..stretches.groups())
        .filter(|group| stretches.of(*group).any(is))
        .map(|group| (stretches.of(group).map(|at| rows[at as usize]).sum(), group))
        .collect();
    found.sort_unstable_by_key(|(rows, group)| (std::cmp::Reverse(*rows), *group));
    found.truncate(KEYS);
    found.into_iter().map(|(_, group)| group).collect()
}

/// How many rows of the source fall into each stretch.
fn rows_of_each(within: &Within) -> Vec<u64> {
    let mut rows = vec![0; within.stretches.starts().len()];
    within.at.stretches().for_each(|at| rows[at as usize] += 1);
    rows
}
