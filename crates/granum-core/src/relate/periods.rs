//! Days of one table that fall into periods of another: each is worked as the link that a plan would
//! have.

use super::Subject;
use super::report::FoundPeriod;
use crate::lang::{Preference, plan_name};
use crate::link::mend::pair_words;
use crate::link::{Ends, Linked, Moments, Order, Periods};
use crate::survey::names::{bare, names_key, names_version, words};
use crate::survey::{day_of, time_of};
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

pub(super) fn periods(subjects: &[Subject]) -> Vec<FoundPeriod> {
    let mut found = vec![];
    for to in subjects {
        let Some(bounds) = bounds(to) else { continue };
        for from in subjects.iter().filter(|from| from.name != to.name) {
            for (at, column) in from.read.survey.columns.iter().enumerate() {
                if is_temporal(column.read_as) && !names_version(&column.name) {
                    let unlike = column.read_as != to.read.survey.columns[bounds.starts].read_as;
                    found.extend(fall(from, at, to, &bounds).map(|found| (found, unlike)));
                }
            }
        }
    }
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

/// A column of days, or of times; nothing where it has more values than are known.
fn moments(subject: &Subject, at: usize, by_day: bool) -> Option<Column> {
    let (column, survey) = (&subject.read.coded.columns[at], &subject.read.survey.columns[at]);
    if !column.whole() {
        return None;
    }
    let rows = 0..subject.read.coded.rows as u32;
    let code = |row: u32| column.codes.get(row).map(|code| code as usize);
    let values = column.dictionary.values();
    Some(if by_day {
        let days: Vec<Option<i32>> = values.map(|(value, ..)| day_of(value, survey)).collect();
        Column::Date(rows.map(|row| days.get(code(row)?).copied().flatten()).collect())
    } else {
        let times: Vec<Option<i64>> = values.map(|(value, ..)| time_of(value, survey)).collect();
        Column::DateTime(rows.map(|row| times.get(code(row)?).copied().flatten()).collect())
    })
}

/// The keys of a table as texts.
fn texts(subject: &Subject, at: usize) -> Column {
    let column = &subject.read.coded.columns[at];
    let rows = 0..subject.read.coded.rows as u32;
    Column::Text(rows.map(|row| column.text(row).map(str::to_owned)).collect())
}

/// The column of the source that has the keys of the periods.
fn key_of(from: &Subject, to: &Subject, key: usize) -> Option<usize> {
    let wanted = &to.read.survey.columns[key];
    let same = |name: &str, ty: Type| bare(name) == bare(&wanted.name) && ty == wanted.read_as;
    from.read.survey.columns.iter().position(|column| same(&column.name, column.read_as))
}

/// How many days of a column fall into the periods.
fn fall(from: &Subject, at: usize, to: &Subject, bounds: &Bounds) -> Option<FoundPeriod> {
    let key = match bounds.key {
        None => None,
        Some(key) => Some((key_of(from, to, key)?, key)),
    };
    let ty = |subject: &Subject, at: usize| subject.read.survey.columns[at].read_as;
    let by_day = [(from, at), (to, bounds.starts)]
        .into_iter()
        .chain(bounds.ends.map(|ends| (to, ends)))
        .any(|(subject, at)| ty(subject, at) == Type::Date);
    let when = moments(from, at, by_day)?;
    let starts = Moments::new(moments(to, bounds.starts, by_day)?);
    let ends = match bounds.ends {
        Some(ends) => Some(Moments::new(moments(to, ends, by_day)?)),
        None => None,
    };
    let (left, right) = match key {
        None => (vec![], vec![]),
        Some((own, key)) => (vec![texts(from, own)], vec![texts(to, key)]),
    };
    let latest = Order { by: vec![(Preference::Latest, starts.column().clone())], grain: vec![] };
    let linked = |ends: Ends| {
        let periods = Periods { starts: starts.clone(), ends, prefer: Some(latest.clone()) };
        Linked::by_period(left.clone(), when.clone(), right.clone(), periods).ok()
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
    let counts = linked.counts();
    let several = linked.within.as_ref().map_or(0, |within| within.chosen().several);
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
    let rows = counts.rows - counts.blank;
    (rows > 0).then(|| FoundPeriod {
        from: from.name.clone(),
        to: to.name.clone(),
        line,
        keys,
        when: name(from, at),
        bounds: std::iter::once(bounds.starts).chain(bounds.ends).map(|at| name(to, at)).collect(),
        rows,
        matched: counts.matched,
        several,
    })
}
