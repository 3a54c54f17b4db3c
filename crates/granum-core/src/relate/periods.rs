//! Days of one table that fall into periods of another: each is worked as the link that a plan would
//! have.

use std::collections::HashMap;

use rayon::prelude::*;

use super::Subject;
use super::falling::{Falling, keys, moments, one_in};
use super::report::FoundPeriod;
use crate::bug::Sure;
use crate::lang::{Preference, plan_name};
use crate::link::mend::pair_words;
use crate::link::{self, Ends, Linked, Order, Periods};
use crate::port::{InputSource, Observer, SourceError};
use crate::survey::names::{bare, names_key, names_version, words};
use crate::survey::{Space, read_again, time_of};
use crate::table::Column;
use crate::value::Type;

/// Words of the names of columns in which a period starts, and ends, in several languages.
const STARTS: [&str; 17] = [
    "start",
    "starts",
    "from",
    "begin",
    "begins",
    "since",
    "valid",
    "effective",
    "ab",
    "seit",
    "von",
    "beginn",
    "debut",
    "d\u{e9}but",
    "depuis",
    "desde",
    "inicio",
];
const ENDS: [&str; 13] = [
    "end", "ends", "until", "through", "to", "till", "expires", "bis", "ende", "fin", "jusqu",
    "hasta", "al",
];

/// So many are told.
const TOLD: usize = 6;

/// At least this part of the days falls into periods, in hundredths.
const PART: u64 = 30;

/// The columns of a table that are periods, by their places.
struct Bounds {
    starts: usize,
    /// Without it, each lasts until the next starts.
    ends: Option<usize>,
    /// The column beside them that tells whose periods they are, if it repeats.
    key: Option<usize>,
}

/// Moments of one of so many rows, by table and column, of columns of which a sample of the values was kept.
type Moments = HashMap<(usize, usize), Vec<Option<i64>>>;

/// Reads those again that may fall into periods.
///
/// # Errors
/// Why a file cannot be read.
pub(super) fn read_moments(
    subjects: &[Subject],
    sources: &[&dyn InputSource],
    space: Space<'_>,
    observer: &dyn Observer,
) -> Result<Moments, SourceError> {
    let mut moments = Moments::new();
    if subjects.iter().all(|subject| bounds(subject).is_none()) {
        return Ok(moments);
    }
    for (table, (subject, source)) in subjects.iter().zip(sources).enumerate() {
        let sampled = |at: &usize| !subject.read.coded.columns[*at].whole();
        let columns: Vec<usize> = that_may_fall(subject).filter(sampled).collect();
        if columns.is_empty() {
            continue;
        }
        observer.stage(&format!("reading moments of {} again", subject.name), source.bytes());
        let one_in = one_in(subject, space);
        // The rows before, and what was found.
        let asked = columns.iter().map(|at| (*at, (*at, 0_usize, vec![])));
        let read = read_again(*source, asked.collect(), observer, |(at, rows, found), cells| {
            let column = &subject.read.survey.columns[*at];
            let begin = rows.next_multiple_of(one_in) - *rows;
            let moment = |row: usize| match cells {
                Column::Text(texts) if texts.has(row) => time_of(texts.value(row), column),
                _ => None,
            };
            found.extend((begin..cells.len()).step_by(one_in).map(moment));
            *rows += cells.len();
        })?;
        moments.extend(read.into_iter().map(|(at, _, found)| ((table, at), found)));
    }
    Ok(moments)
}

/// The columns of a table whose days may fall into periods.
fn that_may_fall(subject: &Subject) -> impl Iterator<Item = usize> {
    let columns = subject.read.survey.columns.iter().enumerate();
    columns
        .filter(|(_, column)| is_temporal(column.read_as) && !names_version(&column.name))
        .map(|(at, _)| at)
}

pub(super) fn periods(
    subjects: &[Subject],
    moments: &Moments,
    space: Space<'_>,
) -> Vec<FoundPeriod> {
    let bounded: Vec<(&Subject, Bounds)> =
        subjects.iter().filter_map(|to| Some((to, bounds(to)?))).collect();
    let falling = subjects.iter().enumerate().flat_map(|(table, from)| {
        let read = move |at: usize| moments.get(&(table, at)).map(Vec::as_slice);
        that_may_fall(from).map(move |at| Falling::new(from, at, read(at)))
    });
    let falling: Vec<Falling<'_>> = falling.collect();
    let found = falling.into_par_iter().flat_map_iter(|days| {
        let (from, at) = (days.from, days.at);
        let others = bounded.iter().filter(|(to, _)| from.name != to.name);
        let found = others.filter_map(|(to, bounds)| {
            let starts = &to.read.survey.columns[bounds.starts];
            let unlike = from.read.survey.columns[at].read_as != starts.read_as;
            Some((fall(&days, to, bounds, space)?, unlike))
        });
        found.collect::<Vec<_>>()
    });
    let mut found: Vec<(FoundPeriod, bool)> = found.collect();
    let share = |period: &FoundPeriod| period.matched * 10_000 / period.rows.max(1);
    found.retain(|(period, _)| share(period) >= PART * 100);
    found.sort_by_key(|(period, unlike)| {
        (std::cmp::Reverse(share(period)), *unlike, period.line.clone())
    });
    found.truncate(TOLD);
    found.into_iter().map(|(period, _)| period).collect()
}

fn is_temporal(ty: Type) -> bool {
    matches!(ty, Type::Date | Type::DateTime)
}

fn bounds(table: &Subject) -> Option<Bounds> {
    let columns = &table.read.survey.columns;
    let named = |wanted: &[&str], but: Option<usize>| {
        columns.iter().enumerate().position(|(at, column)| {
            is_temporal(column.read_as)
                && Some(at) != but
                && words(&column.name).iter().any(|word| wanted.contains(&word.as_str()))
        })
    };
    let ends = named(&ENDS, None);
    let starts = named(&STARTS, ends)?;
    let coded = &table.read.coded;
    // What one row is says whose periods they are; else a key that repeats.
    let of_grain = match table.key.as_slice() {
        [one, other] if *one == starts => Some(*other),
        [other, one] if *one == starts => Some(*other),
        _ => None,
    };
    let repeats = |at: &usize| {
        let column = &coded.columns[*at];
        *at != starts
            && Some(*at) != ends
            && names_key(&column.name)
            && column.distinct < coded.rows as u64 - column.blanks
    };
    let key = of_grain.or_else(|| (0..columns.len()).find(repeats));
    // One start after another says something where each is the start of one thing's.
    (ends.is_some() || key.is_some()).then_some(Bounds { starts, ends, key })
}

/// The column of the source that has the keys of the periods.
fn key_of(from: &Subject, to: &Subject, key: usize) -> Option<usize> {
    let wanted = &to.read.survey.columns[key];
    let same = |name: &str, ty: Type| bare(name) == bare(&wanted.name) && ty == wanted.read_as;
    from.read.survey.columns.iter().position(|column| same(&column.name, column.read_as))
}

/// How many days of a column fall into the periods.
fn fall(
    falling: &Falling<'_>,
    to: &Subject,
    bounds: &Bounds,
    space: Space<'_>,
) -> Option<FoundPeriod> {
    let (from, at) = (falling.from, falling.at);
    let key = match bounds.key {
        None => None,
        Some(key) => Some((key_of(from, to, key)?, key)),
    };
    let ty = |subject: &Subject, at: usize| subject.read.survey.columns[at].read_as;
    let by_day = [(from, at), (to, bounds.starts)]
        .into_iter()
        .chain(bounds.ends.map(|ends| (to, ends)))
        .any(|(subject, at)| ty(subject, at) == Type::Date);
    if to.read.coded.rows > space.most_keys() {
        return None;
    }
    let asked = falling.asked(key.map(|(own, _)| own), by_day, space)?;
    let starts = link::Moments::new(moments(to, bounds.starts, by_day)?);
    let ends = match bounds.ends {
        Some(ends) => Some(link::Moments::new(moments(to, ends, by_day)?)),
        None => None,
    };
    let right: Vec<Column> = key.iter().map(|(_, key)| keys(to, *key, 1)).collect();
    let left = asked.keys();
    let latest = Order { by: vec![(Preference::Latest, starts.column().clone())], grain: vec![] };
    let linked = |ends: Ends| {
        let periods = Periods { starts: starts.clone(), ends, prefer: Some(latest.clone()) };
        Linked::by_period(left.clone(), right.clone(), periods).ok()
    };
    let overlap = |linked: &Linked| {
        linked.within.as_ref().is_some_and(|within| within.overlaps(&|_| String::new()).1 > 0)
    };
    // Where one's end is the next one's start, the end is left out.
    let (linked, word) = match ends {
        None => (linked(Ends::Onward)?, None),
        Some(ends) => {
            let through = linked(Ends::Through(ends.clone()))?;
            let until = overlap(&through).then(|| linked(Ends::Until(ends))).flatten();
            match until.filter(|until| !overlap(until)) {
                Some(until) => (until, Some("until")),
                None => (through, Some("through")),
            }
        }
    };
    let within = linked.within.as_ref().sure("periods of a link by a period");
    let several = asked.count(|at| within.has_several(at));
    if word.is_none() && several > 0 {
        // Those of one start are not told apart by it.
        return None;
    }
    let name = |subject: &Subject, at: usize| subject.read.survey.columns[at].name.clone();
    let written = |subject: &Subject, at: usize| plan_name(&name(subject, at));
    let keys: Vec<(String, String)> =
        key.map(|(own, key)| (name(from, own), name(to, key))).into_iter().collect();
    let of = key.map_or(String::new(), |(a, b)| {
        format!("{}, ", pair_words(&written(from, a), &written(to, b)))
    });
    let end = match (word, bounds.ends) {
        (Some(word), Some(ends)) => format!("{word} {}", written(to, ends)),
        _ => "onward".to_owned(),
    };
    let starts = written(to, bounds.starts);
    let prefer = if several > 0 { format!(" prefer latest {starts}") } else { String::new() };
    let line = format!(
        "link {} to {} on {of}{} within {starts} {end}{prefer}",
        plan_name(&from.name),
        plan_name(&to.name),
        written(from, at),
    );
    let rows = asked.count(|at| left.has_key(at));
    let matched = asked.count(|at| linked.index.has(at));
    let all = |count: u64| (count * asked.one_in()).min(from.read.coded.rows as u64);
    (rows > 0).then(|| FoundPeriod {
        from: from.name.clone(),
        to: to.name.clone(),
        line,
        keys,
        when: name(from, at),
        bounds: std::iter::once(bounds.starts).chain(bounds.ends).map(|at| name(to, at)).collect(),
        rows: all(rows),
        matched: all(matched),
        several: several * asked.one_in(),
        one_in: asked.one_in(),
    })
}
