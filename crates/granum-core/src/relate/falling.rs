//! The days of a column that may fall into periods of another table.
//!
//! Columns of days have few values: each pair of a key and a day is looked up once, with how many rows have it. Where
//! there are too many pairs, or not all values are kept, rows are looked up, each or one of so many.

use std::cell::OnceCell;

use super::Subject;
use crate::link;
use crate::survey::{Space, day_of, time_of};
use crate::table::{Codes, Column, PIECE, Rows};
use crate::value::day;

/// So many pairs are few, whatever the rows.
const FEW: usize = if cfg!(test) { 8 } else { 1 << 12 };

/// A column whose days may fall into periods: as days and as times, once either is asked for.
pub(super) struct Falling<'a> {
    pub from: &'a Subject,
    pub at: usize,
    read: Option<&'a [Option<i64>]>,
    days: OnceCell<Column>,
    times: OnceCell<Column>,
}

/// What is looked up: a key, if there is one, and behind it a day or time, of some rows.
pub(super) struct When {
    columns: Vec<Column>,
    /// How many rows have each; nothing where each is a row of its own.
    rows: Option<Vec<u32>>,
    /// One in so many rows is among them.
    one_in: usize,
}

impl When {
    pub fn keys(&self) -> link::Keys {
        let count = self.columns.first().map_or(0, Column::len);
        link::Keys::new(self.columns.clone(), link::BlankKeys::Apart, count)
    }

    pub fn one_in(&self) -> u64 {
        self.one_in as u64
    }

    /// How many rows have what is so, of those that are looked up.
    pub fn count(&self, is: impl Fn(usize) -> bool) -> u64 {
        let count = self.columns.first().map_or(0, Column::len);
        let rows = |at: usize| self.rows.as_ref().map_or(1, |rows| u64::from(rows[at]));
        (0..count).filter(|at| is(*at)).map(rows).sum()
    }
}

impl<'a> Falling<'a> {
    /// Of a table's column; `read` are its moments where they were read again, since not all values are kept.
    pub fn new(from: &'a Subject, at: usize, read: Option<&'a [Option<i64>]>) -> Self {
        Self { from, at, read, days: OnceCell::new(), times: OnceCell::new() }
    }

    /// What is looked up, with the keys of another column or none; nothing where values are neither kept nor read again.
    pub fn asked(&self, key: Option<usize>, by_day: bool, space: Space<'_>) -> Option<When> {
        let column = &self.from.read.coded.columns[self.at];
        let one_in = one_in(self.from, space);
        if !column.whole() {
            let when = read_again(self.read?, by_day);
            let columns = key.map(|key| keys(self.from, key, one_in)).into_iter().chain([when]);
            return Some(When { columns: columns.collect(), rows: None, one_in });
        }
        let values = if by_day { &self.days } else { &self.times };
        let values = values.get_or_init(|| of_values(self.from, self.at, by_day));
        let Some(key) = key else {
            let count = |number: usize| column.dictionary.rows(number) as u32;
            let rows = Some((0..column.dictionary.len()).map(count).collect());
            return Some(When { columns: vec![values.clone()], rows, one_in: 1 });
        };
        if let Some(Pairs { keys, days, rows }) = self.pairs(key, space) {
            let hashes = self.from.read.coded.columns[key].dictionary.hashes();
            let hash = |key: u32| Some(hashes[key as usize] as i64);
            let keys = Column::Integer(keys.into_iter().map(hash).collect());
            let days = values.take(&days.into_iter().map(Some).collect());
            return Some(When { columns: vec![keys, days], rows: Some(rows), one_in: 1 });
        }
        let keys = keys(self.from, key, one_in);
        Some(When {
            columns: vec![keys, of_rows(self.from, self.at, values, one_in)],
            rows: None,
            one_in,
        })
    }

    /// The pairs of a key and a value that rows have; nothing where there may be more of them than rows, or not all keys
    /// are kept.
    fn pairs(&self, key: usize, space: Space<'_>) -> Option<Pairs> {
        let coded = &self.from.read.coded;
        let (keys, days) = (&coded.columns[key], &coded.columns[self.at]);
        let of_key = days.dictionary.len();
        let most = keys.dictionary.len().saturating_mul(of_key);
        if !keys.whole() || most > coded.rows.max(FEW).min(space.most_keys()) {
            return None;
        }
        let mut counts = vec![0_u32; most];
        for (key, day) in codes(self.from, key, 1).zip(codes(self.from, self.at, 1)) {
            if key != Codes::NO_HASH && day != Codes::NO_HASH {
                counts[key as usize * of_key + day as usize] += 1;
            }
        }
        let mut pairs = Pairs::default();
        for (at, rows) in counts.into_iter().enumerate().filter(|(_, rows)| *rows > 0) {
            pairs.keys.push((at / of_key) as u32);
            pairs.days.push((at % of_key) as u32);
            pairs.rows.push(rows);
        }
        Some(pairs)
    }
}

/// Pairs of a key and a value by their numbers, and how many rows have each.
#[derive(Default)]
struct Pairs {
    keys: Vec<u32>,
    days: Vec<u32>,
    rows: Vec<u32>,
}

/// One in so many rows of a table is looked at.
pub(super) fn one_in(subject: &Subject, space: Space<'_>) -> usize {
    subject.read.coded.rows.div_ceil(space.most_keys()).max(1)
}

/// The codes of a table's rows, one of so many.
fn codes(subject: &Subject, at: usize, one_in: usize) -> impl Iterator<Item = u64> {
    let (codes, rows) = (&subject.read.coded.columns[at].codes, subject.read.coded.rows);
    let runs = (0..rows).step_by(PIECE);
    let run = move |first: usize| {
        let run = codes.run(first, PIECE.min(rows - first));
        let begin = first.next_multiple_of(one_in) - first;
        // Of all rows each is one.
        if one_in == 1 { run } else { run.into_iter().skip(begin).step_by(one_in).collect() }
    };
    runs.flat_map(run)
}

/// A column of moments that were read again, as days or as times.
fn read_again(times: &[Option<i64>], by_day: bool) -> Column {
    let times = times.iter().copied();
    if by_day {
        Column::Date(times.map(|time| time.map(day::day_of)).collect())
    } else {
        Column::DateTime(times.collect())
    }
}

/// The days, or times, of all values of a column.
fn of_values(subject: &Subject, at: usize, by_day: bool) -> Column {
    let (column, survey) = (&subject.read.coded.columns[at], &subject.read.survey.columns[at]);
    let values = column.dictionary.values().map(|(value, ..)| value);
    if by_day {
        Column::Date(values.map(|value| day_of(value, survey)).collect())
    } else {
        Column::DateTime(values.map(|value| time_of(value, survey)).collect())
    }
}

/// What one of so many rows have of what the values of a column are.
fn of_rows(subject: &Subject, at: usize, values: &Column, one_in: usize) -> Column {
    let number = |code: u64| (code != Codes::NO_HASH).then_some(code as u32);
    values.take(&codes(subject, at, one_in).map(number).collect::<Rows>())
}

/// A column of days, or of times, of all rows; nothing where not all of its values are kept.
pub(super) fn moments(subject: &Subject, at: usize, by_day: bool) -> Option<Column> {
    let whole = subject.read.coded.columns[at].whole();
    whole.then(|| of_rows(subject, at, &of_values(subject, at, by_day), 1))
}

/// The keys of a table as hashes of their values, which are the same in every column.
pub(super) fn keys(subject: &Subject, at: usize, one_in: usize) -> Column {
    let column = &subject.read.coded.columns[at];
    let hashes = if column.whole() { column.dictionary.hashes() } else { vec![] };
    let key = |code: u64| {
        let there = code != Codes::NO_HASH;
        let hash = if column.whole() { hashes.get(code as usize).copied() } else { Some(code) };
        hash.filter(|_| there).map(|hash| hash as i64)
    };
    Column::Integer(codes(subject, at, one_in).map(key).collect())
}
