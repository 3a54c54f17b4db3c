//! Days of one table that fall into periods of another.

use std::collections::HashMap;

use super::Subject;
use super::report::FoundPeriod;
use crate::lang::plan_name;
use crate::link::mend::pair_words;
use crate::survey::names::{bare, names_key, names_version, words};
use crate::survey::{CodedColumn, ColumnSurvey, day_of};
use crate::value::Type;

/// Words of the names of columns in which a period starts, and ends.
const STARTS: [&str; 6] = ["start", "starts", "from", "begin", "begins", "since"];
const ENDS: [&str; 7] = ["end", "ends", "until", "through", "to", "till", "expires"];

/// So many are told.
const TOLD: usize = 6;

/// At least this part of the days falls into periods, in hundredths.
const PART: u64 = 30;

/// A period, with its start and end; either may be open.
type Period = (Option<i32>, Option<i32>);

/// The periods of a table.
struct Periods {
    starts: usize,
    ends: usize,
    /// The columns beside them that tell whose periods they are, if their own name repeats.
    key: Option<usize>,
    /// Whether one's end is the next one's start: the end is left out then.
    until: bool,
}

pub(super) fn periods(subjects: &[Subject]) -> Vec<FoundPeriod> {
    let mut found = vec![];
    for to in subjects {
        let Some(periods) = periods_of(to) else { continue };
        for from in subjects.iter().filter(|from| from.name != to.name) {
            for (at, column) in from.read.survey.columns.iter().enumerate() {
                if matches!(column.read_as, Type::Date | Type::DateTime)
                    && !names_version(&column.name)
                {
                    found.extend(fall(from, at, to, &periods));
                }
            }
        }
    }
    let share = |period: &FoundPeriod| period.matched * 10_000 / period.rows.max(1);
    found.retain(|period| share(period) >= PART * 100);
    found.sort_by_key(|period| (std::cmp::Reverse(share(period)), period.line.clone()));
    found.truncate(TOLD);
    found
}

/// The days of a column's values, by their numbers.
fn days(column: &CodedColumn, survey: &ColumnSurvey) -> Option<Vec<Option<i32>>> {
    let values = column.dictionary.values();
    column.whole().then(|| values.map(|(value, ..)| day_of(value, survey)).collect())
}

fn day_at(column: &CodedColumn, days: &[Option<i32>], row: u32) -> Option<i32> {
    days.get(column.codes.get(row)? as usize).copied().flatten()
}

fn periods_of(table: &Subject) -> Option<Periods> {
    let columns = &table.read.survey.columns;
    let named = |wanted: &[&str]| {
        columns.iter().position(|column| {
            matches!(column.read_as, Type::Date | Type::DateTime)
                && words(&column.name).iter().any(|word| wanted.contains(&word.as_str()))
        })
    };
    let (starts, ends) = (named(&STARTS)?, named(&ENDS)?);
    let coded = &table.read.coded;
    let start_days = days(&coded.columns[starts], &columns[starts])?;
    let end_days = days(&coded.columns[ends], &columns[ends])?;
    let mut known_starts = vec![];
    let mut known_ends = vec![];
    for row in 0..coded.rows as u32 {
        let start = day_at(&coded.columns[starts], &start_days, row);
        let end = day_at(&coded.columns[ends], &end_days, row);
        if start.zip(end).is_some_and(|(start, end)| start > end) {
            return None;
        }
        known_starts.extend(start);
        known_ends.extend(end);
    }
    let until = known_ends.iter().any(|end| known_starts.contains(end));
    let key = (0..columns.len()).find(|at| {
        let column = &coded.columns[*at];
        ![starts, ends].contains(at)
            && names_key(&column.name)
            && column.distinct < coded.rows as u64 - column.blanks
    });
    Some(Periods { starts, ends, key, until })
}

/// How many days of a column fall into the periods.
fn fall(from: &Subject, at: usize, to: &Subject, periods: &Periods) -> Option<FoundPeriod> {
    let (own, target) = (&from.read.coded, &to.read.coded);
    let key = match periods.key {
        None => None,
        Some(key) => {
            let name = bare(&target.columns[key].name);
            let own_key = own.columns.iter().position(|column| bare(&column.name) == name)?;
            Some((own_key, key))
        }
    };
    let starts = days(&target.columns[periods.starts], &to.read.survey.columns[periods.starts])?;
    let ends = days(&target.columns[periods.ends], &to.read.survey.columns[periods.ends])?;
    let mut known: HashMap<Option<&str>, Vec<Period>> = HashMap::new();
    for row in 0..target.rows as u32 {
        let period = (
            day_at(&target.columns[periods.starts], &starts, row),
            day_at(&target.columns[periods.ends], &ends, row),
        );
        let of = key.map(|(_, key)| target.columns[key].text(row));
        known.entry(of.flatten()).or_default().push(period);
    }
    let own_days = days(&own.columns[at], &from.read.survey.columns[at])?;
    let (mut rows, mut matched, mut several) = (0, 0, 0);
    for row in 0..own.rows as u32 {
        let Some(day) = day_at(&own.columns[at], &own_days, row) else { continue };
        let of = match key {
            None => None,
            Some((own_key, _)) => match own.columns[own_key].text(row) {
                None => continue,
                value => value,
            },
        };
        rows += 1;
        let holds = |(start, end): &&Period| {
            start.is_none_or(|start| start <= day)
                && end.is_none_or(|end| if periods.until { day < end } else { day <= end })
        };
        let holding = known.get(&of).map_or(0, |periods| periods.iter().filter(holds).count());
        matched += u64::from(holding > 0);
        several += u64::from(holding > 1);
    }
    let name = |subject: &Subject, at: usize| plan_name(&subject.read.survey.columns[at].name);
    let of = key
        .map_or(String::new(), |(a, b)| format!("{}, ", pair_words(&name(from, a), &name(to, b))));
    let line = format!(
        "link {} to {} on {of}{} within {} {} {}",
        plan_name(&from.name),
        plan_name(&to.name),
        name(from, at),
        name(to, periods.starts),
        if periods.until { "until" } else { "through" },
        name(to, periods.ends),
    );
    (rows > 0).then(|| FoundPeriod {
        from: from.name.clone(),
        to: to.name.clone(),
        line,
        rows,
        matched,
        several,
    })
}
