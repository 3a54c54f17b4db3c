//! Functions of days.

use jiff::Span;
use jiff::civil::Date;
use std::fmt::Write;

use super::function::Call;
use super::kernel::{FailureKind, RowFailure, texts};
use crate::table::{Column, Fixed, Whole};
use crate::value::day;

const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// A text of each day.
fn text(call: &Call<'_>, write: impl Fn(Date, &mut String)) -> Result<Column, RowFailure> {
    let days = call.days()?;
    // Neighbours are mostly of one day, and a text takes longer than a look.
    let mut last: Option<(i32, String)> = None;
    Ok(Column::Text(texts(call.rows, |row, out| {
        let Some(day) = days.get(row) else { return false };
        match &last {
            Some((known, text)) if *known == day => out.push_str(text),
            _ => {
                let Some(date) = day::to_civil(day) else { return false };
                write(date, out);
                last = Some((day, out.clone()));
            }
        }
        true
    })))
}

/// A whole number of each day.
fn number(call: &Call<'_>, of: impl Fn(Date) -> i64) -> Result<Column, RowFailure> {
    let days = call.days()?;
    let mut last: Option<(i32, i64)> = None;
    let number = |day: Option<i32>| {
        let day = day?;
        if let Some((_, number)) = last.filter(|(known, _)| *known == day) {
            return Some(number);
        }
        let number = of(day::to_civil(day)?);
        last = Some((day, number));
        Some(number)
    };
    let numbers: Whole<i64> = days.iter().map(number).collect();
    Ok(Column::Integer(numbers))
}

pub(super) fn year(call: &Call<'_>) -> Result<Column, RowFailure> {
    number(call, |date| date.year().into())
}

pub(super) fn quarter(call: &Call<'_>) -> Result<Column, RowFailure> {
    text(call, write_quarter)
}

/// `2026-Q1`
pub(crate) fn write_quarter(date: Date, out: &mut String) {
    let _ = write!(out, "{:04}-Q{}", date.year(), (date.month() - 1) / 3 + 1);
}

pub(super) fn month(call: &Call<'_>) -> Result<Column, RowFailure> {
    text(call, write_month)
}

/// `2026-03`
pub(crate) fn write_month(date: Date, out: &mut String) {
    let _ = write!(out, "{:04}-{:02}", date.year(), date.month());
}

pub(super) fn month_name(call: &Call<'_>) -> Result<Column, RowFailure> {
    text(call, |date, out| out.push_str(MONTHS[date.month() as usize - 1]))
}

pub(super) fn month_number(call: &Call<'_>) -> Result<Column, RowFailure> {
    number(call, |date| date.month().into())
}

pub(super) fn week(call: &Call<'_>) -> Result<Column, RowFailure> {
    text(call, write_week)
}

/// `2026-W09`
pub(crate) fn write_week(date: Date, out: &mut String) {
    let week = date.iso_week_date();
    let _ = write!(out, "{:04}-W{:02}", week.year(), week.week());
}

pub(super) fn weekday(call: &Call<'_>) -> Result<Column, RowFailure> {
    number(call, |date| date.weekday().to_monday_one_offset().into())
}

pub(super) fn day(call: &Call<'_>) -> Result<Column, RowFailure> {
    number(call, |date| date.day().into())
}

/// A whole number of the time of each moment, which is given in minutes since midnight.
pub(super) fn of_time(call: &Call<'_>, of: impl Fn(i64) -> i64) -> Column {
    let Column::DateTime(moments) = &call.columns[0] else { return call.blank() };
    let minutes = |micros: i64| (micros - day::start_of(day::day_of(micros))) / 60_000_000;
    let numbers = moments.iter().map(|micros| micros.map(|micros| of(minutes(micros))));
    Column::Integer(numbers.collect())
}

pub(super) fn start_of_month(call: &Call<'_>) -> Result<Column, RowFailure> {
    moved(call, |date, _| Some(day::from_civil(date.first_of_month())), false)
}

/// What is outside [`day::YEARS`].
const DAYS: &str = "a day outside the years 1583 to 9999";

/// The day that comes of each day and of a whole number, where there is one; fails where the
/// calendar has none.
fn moved(
    call: &Call<'_>,
    to: impl Fn(Date, i64) -> Option<i32>,
    by: bool,
) -> Result<Column, RowFailure> {
    let days = call.days()?;
    let none = Whole::from(vec![0; call.rows]);
    let by = match call.columns.get(1) {
        Some(Column::Integer(by)) => by,
        _ if by => return Ok(call.blank()),
        _ => &none,
    };
    let mut out: Vec<Option<i32>> = Vec::with_capacity(call.rows);
    for row in 0..call.rows {
        if !days.has(row) || !by.has(row) {
            out.push(None);
            continue;
        }
        let found = day::to_civil(days.value(row)).and_then(|date| {
            let found = to(date, by.value(row))?;
            // Whoever begins outside the years in use has written so.
            let outside = |date: Date| !day::YEARS.contains(&date.year());
            (outside(date) || !outside(day::to_civil(found)?)).then_some(found)
        });
        if found.is_none() {
            call.counting.fail(row, || FailureKind::Limit(DAYS))?;
        }
        out.push(found);
    }
    Ok(Column::Date(Fixed::from(out)))
}

pub(super) fn add_days(call: &Call<'_>) -> Result<Column, RowFailure> {
    let to = |date: Date, by: i64| {
        let sum = i64::from(day::from_civil(date)).checked_add(by)?;
        i32::try_from(sum).ok().filter(|days| day::to_civil(*days).is_some())
    };
    moved(call, to, true)
}

/// The same day of a later month; its last where that is shorter.
pub(super) fn add_months(call: &Call<'_>) -> Result<Column, RowFailure> {
    let to = |date: Date, by: i64| {
        let span = Span::new().try_months(by).ok()?;
        date.checked_add(span).ok().map(day::from_civil)
    };
    moved(call, to, true)
}
