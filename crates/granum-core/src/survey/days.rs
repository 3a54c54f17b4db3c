//! Days and moments that are not written by ISO 8601: which formats, and which days could be read
//! two ways.

use std::collections::BTreeMap;
use std::fmt::Write;

use super::offsets::Offsets;
use super::seen::{Cells, Seen};
use crate::value::day;

/// What comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Order {
    Year,
    Day,
    Month,
}

/// How a day is written, but for what comes first.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Shape {
    /// What stands between the parts.
    between: [String; 2],
    long_year: bool,
    month: Month,
    /// What stands before the time, and how the time is written.
    time: Option<(String, &'static str)>,
    /// A `Z` behind the time.
    zulu: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Month {
    Number,
    Short,
    Long,
}

/// The ways in which a column's days are written.
#[derive(Debug, Default)]
pub(crate) struct Days {
    pub all: Seen,
    /// ISO 8601: days, and moments.
    pub iso: Seen,
    pub iso_time: Seen,
    /// Moments with an offset from UTC.
    pub offsets: Offsets,
    shapes: BTreeMap<Shape, Orders>,
}

/// Days of one shape, by how they can be read.
#[derive(Debug, Default)]
struct Orders {
    year_first: Seen,
    day_first: Seen,
    month_first: Seen,
    /// Both the day and the month could be first.
    either: Seen,
}

/// A format, the days that are written in it, and whether it is certain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct DayFormat {
    pub format: String,
    pub seen: Seen,
}

/// How a column's days are to be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct DayReading {
    pub formats: Vec<DayFormat>,
    pub with_time: bool,
    /// Days that could be read two ways, although another day of the column tells how, and days of
    /// which nothing tells it.
    pub told: Seen,
    pub untold: Seen,
}

impl Days {
    /// Takes in a value, if it is a day. Says whether it is.
    pub fn take(&mut self, value: &str, of: Cells, row: u32) -> bool {
        if day::parse_iso(value.as_bytes()).is_some() {
            self.iso.note(value, of, row);
        } else if day::parse_iso_time(value.as_bytes()).is_some() {
            self.iso_time.note(value, of, row);
        } else if !self.offsets.take(value, of, row) {
            let Some((shape, orders)) = shape(value) else { return false };
            let seen = self.shapes.entry(shape).or_default();
            let seen = match orders.as_slice() {
                [Order::Year] => &mut seen.year_first,
                [Order::Day] => &mut seen.day_first,
                [Order::Month] => &mut seen.month_first,
                _ => &mut seen.either,
            };
            seen.note(value, of, row);
        }
        self.all.note(value, of, row);
        true
    }

    /// Whether all that have no offset are moments by ISO 8601.
    pub fn read_by_zone(&self) -> bool {
        !self.offsets.seen.is_none() && self.shapes.is_empty() && self.iso.is_none()
    }

    /// How to read them all; `None` where they are days by ISO 8601 alone.
    pub fn reading(&self) -> Option<DayReading> {
        if self.shapes.is_empty() && (self.iso.is_none() || self.iso_time.is_none()) {
            return None;
        }
        let mut reading = DayReading {
            formats: vec![],
            with_time: !self.iso_time.is_none() || self.shapes.keys().any(|s| s.time.is_some()),
            told: Seen::default(),
            untold: Seen::default(),
        };
        let mut format = |format: &str, seen: &Seen| {
            if !seen.is_none() {
                reading.formats.push(DayFormat { format: format.to_owned(), seen: seen.clone() });
            }
        };
        format("%Y-%m-%d", &self.iso);
        format(&self.iso_time_format(), &self.iso_time);
        let sum = |mut a: Seen, b: &Seen| {
            if let Some((row, value)) = &b.first {
                a.note(value, Cells::of_value(0), *row);
            }
            a.rows += b.rows;
            a
        };
        // One day that has only one reading tells how the others of the column are meant.
        let day_first = self.shapes.values().any(|orders| !orders.day_first.is_none());
        let month_first = self.shapes.values().any(|orders| !orders.month_first.is_none());
        let (mut told, mut untold) = (Seen::default(), Seen::default());
        for (shape, orders) in &self.shapes {
            format(&shape.format(Order::Year), &orders.year_first);
            let first = if month_first && !day_first { Order::Month } else { Order::Day };
            let (with, other) = match first {
                Order::Month => (&orders.month_first, &orders.day_first),
                _ => (&orders.day_first, &orders.month_first),
            };
            format(&shape.format(first), &sum(with.clone(), &orders.either));
            if *other != Seen::default() {
                format(&shape.format(Order::Month), other);
            }
            if day_first == month_first {
                untold = sum(untold, &orders.either);
            } else {
                told = sum(told, &orders.either);
            }
        }
        (reading.told, reading.untold) = (told, untold);
        Some(reading)
    }

    /// ISO moments beside others need a format that is written out: as the first of them is.
    fn iso_time_format(&self) -> String {
        let first = self.iso_time.first.as_ref().map_or("", |(_, value)| value.as_str());
        let between = first.chars().nth(10).unwrap_or('T');
        let time = match first.len() {
            ..=16 => "%H:%M",
            17..=19 => "%H:%M:%S",
            _ => "%H:%M:%S%.f",
        };
        format!("%Y-%m-%d{between}{time}")
    }
}

impl Shape {
    fn format(&self, order: Order) -> String {
        let year = if self.long_year { "%Y" } else { "%y" };
        let month = match self.month {
            Month::Number => "%m",
            Month::Short => "%b",
            Month::Long => "%B",
        };
        let parts = match order {
            Order::Year => [year, month, "%d"],
            Order::Day => ["%d", month, year],
            Order::Month => [month, "%d", year],
        };
        let [first, second] = &self.between;
        let mut format = format!("{}{first}{}{second}{}", parts[0], parts[1], parts[2]);
        if let Some((before, time)) = &self.time {
            let _ = write!(format, "{before}{time}");
        }
        if self.zulu {
            format.push('Z');
        }
        format
    }
}

const MONTHS: [&str; 12] = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
];

/// A month's number by its name, and how it is written.
fn month_of(word: &str) -> Option<(u32, Month)> {
    let word = word.to_ascii_lowercase();
    let long = MONTHS.iter().position(|month| *month == word);
    let short = MONTHS.iter().position(|month| month[..3] == *word);
    // May is as long as short.
    match (short, long) {
        (Some(at), _) => Some((at as u32 + 1, Month::Short)),
        (None, Some(at)) => Some((at as u32 + 1, Month::Long)),
        _ => None,
    }
}

/// The first digits or letters of a text, and what follows.
fn part(text: &str) -> Option<(&str, &str)> {
    let digits = text.starts_with(|letter: char| letter.is_ascii_digit());
    let ends = |letter: char| {
        if digits { !letter.is_ascii_digit() } else { !letter.is_ascii_alphabetic() }
    };
    let end = text.find(ends).unwrap_or(text.len());
    (end > 0).then(|| text.split_at(end))
}

/// What stands between two parts, up to two signs.
fn between(text: &str) -> Option<(&str, &str)> {
    let end = text.find(|letter: char| letter.is_ascii_alphanumeric())?;
    let sign = &text[..end];
    matches!(sign, "-" | "/" | "." | " " | ", " | ". " | "-  ").then_some((sign, &text[end..]))
}

/// The shape of a day, and in which orders it can be read.
fn shape(text: &str) -> Option<(Shape, Vec<Order>)> {
    if !(6..=40).contains(&text.len()) || !text.is_ascii() {
        return None;
    }
    let (first, rest) = part(text)?;
    let (between_first, rest) = between(rest)?;
    let (second, rest) = part(rest)?;
    let (between_second, rest) = between(rest)?;
    let (third, rest) = part(rest)?;
    let number = |part: &str| part.parse::<u32>().ok();
    let (time, zulu) = time(rest)?;
    let shape = |month, long_year| Shape {
        between: [between_first.to_owned(), between_second.to_owned()],
        long_year,
        month,
        time,
        zulu,
    };
    if let Some((month, written)) = month_of(first) {
        let ok = real(number(third)?, month, number(second)?) && third.len() == 4;
        return ok.then(|| (shape(written, true), vec![Order::Month]));
    }
    if let Some((month, written)) = month_of(second) {
        let long = third.len() == 4;
        let ok = real(year(third)?, month, number(first)?) && first.len() <= 2;
        return ok.then(|| (shape(written, long), vec![Order::Day]));
    }
    let short = |part: &str| (1..=2).contains(&part.len());
    let (a, b) = (number(first)?, number(second)?);
    if first.len() == 4 && short(second) && short(third) {
        return real(a, b, number(third)?).then(|| (shape(Month::Number, true), vec![Order::Year]));
    }
    if !(short(first) && short(second) && (third.len() == 4 || third.len() == 2)) {
        return None;
    }
    let year = year(third)?;
    let mut orders = vec![];
    if real(year, b, a) {
        orders.push(Order::Day);
    }
    if real(year, a, b) {
        orders.push(Order::Month);
    }
    (!orders.is_empty()).then(|| (shape(Month::Number, third.len() == 4), orders))
}

fn year(part: &str) -> Option<u32> {
    let year: u32 = part.parse().ok()?;
    match part.len() {
        4 => Some(year),
        2 => Some(2000 + year),
        _ => None,
    }
}

/// Whether the calendar has such a day, in years in which people sell.
fn real(year: u32, month: u32, day: u32) -> bool {
    (1900..=2200).contains(&year)
        && jiff::civil::Date::new(year as i16, month as i8, day as i8).is_ok()
}

type Time = Option<(String, &'static str)>;

/// What stands behind the day: nothing, or a time of day.
fn time(rest: &str) -> Option<(Time, bool)> {
    if rest.is_empty() {
        return Some((None, false));
    }
    let start = rest.find(|letter: char| letter.is_ascii_digit())?;
    let (before, rest) = rest.split_at(start);
    let (rest, zulu) = rest.strip_suffix('Z').map_or((rest, false), |rest| (rest, true));
    if !matches!(before, " " | "T" | ", ") {
        return None;
    }
    let digits = |text: &str| text.len() == 2 && text.bytes().all(|byte| byte.is_ascii_digit());
    let parts: Vec<&str> = rest.split(':').collect();
    let format = match parts.as_slice() {
        [hour, minute] if digits(hour) && digits(minute) => "%H:%M",
        [hour, minute, second] if digits(hour) && digits(minute) && digits(second) => "%H:%M:%S",
        [hour, minute, second] if digits(hour) && digits(minute) => {
            let (second, places) = second.split_once('.')?;
            let whole = digits(second) && places.bytes().all(|byte| byte.is_ascii_digit());
            (whole && !places.is_empty()).then_some("%H:%M:%S%.f")?
        }
        _ => return None,
    };
    let fits = |at: usize, below: u32| {
        parts.get(at).is_none_or(|part| {
            part.get(..2).and_then(|part| part.parse().ok()).is_some_and(|part: u32| part < below)
        })
    };
    (fits(0, 24) && fits(1, 60) && fits(2, 60)).then(|| (Some((before.to_owned(), format)), zulu))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn reading(values: &[&str]) -> Option<DayReading> {
        let mut days = Days::default();
        for (row, value) in values.iter().enumerate() {
            assert!(days.take(value, Cells::ONE, row as u32), "{value} is a day");
        }
        days.reading()
    }

    fn formats(values: &[&str]) -> Vec<String> {
        let reading = reading(values);
        let formats = reading.map_or(vec![], |reading| reading.formats);
        formats.into_iter().map(|format| format.format).collect()
    }

    #[test]
    fn formats_are_told_from_the_days_and_read_them() {
        let cases: [(&[&str], &[&str]); 11] = [
            (&["2026-03-01"], &[]),
            (&["2026-03-01", "31/12/2026"], &["%Y-%m-%d", "%d/%m/%Y"]),
            (&["05.07.2025", "13.7.2025"], &["%d.%m.%Y"]),
            (&["7/5/2025", "7/25/2025"], &["%m/%d/%Y"]),
            (&["2/8/2025", "15/8/2025"], &["%d/%m/%Y"]),
            (&["31.12.26"], &["%d.%m.%y"]),
            (&["5 Jul 2025", "17 Dec 2025"], &["%d %b %Y"]),
            (&["5-July-2025"], &["%d-%B-%Y"]),
            (&["Jul 5, 2025"], &["%b %d, %Y"]),
            (&["31/12/2026 09:15", "01/12/2026 23:59"], &["%d/%m/%Y %H:%M"]),
            (&["1.3.2026 09:15:00Z"], &["%d.%m.%Y %H:%M:%SZ"]),
        ];
        for (values, expected) in cases {
            let found = formats(values);
            assert_eq!(found, expected, "{values:?}");
            for value in values.iter().filter(|_| !found.is_empty()) {
                let read = |format: &String| {
                    day::parse_format(format, value.as_bytes()).is_some()
                        || day::parse_time_format(format, value.as_bytes()).is_some()
                };
                assert!(found.iter().any(read), "{value} is read by {found:?}");
            }
        }
    }

    #[test]
    fn days_that_could_be_read_two_ways_are_counted() {
        let told = reading(&["01/02/2026", "31/01/2026"]).unwrap();
        assert_eq!((told.told.rows, told.untold.rows), (1, 0));
        let untold = reading(&["01/02/2026", "03/02/2026"]).unwrap();
        assert_eq!((untold.told.rows, untold.untold.rows), (0, 2));
        let mixed = reading(&["31/01/2026", "01/31/2026", "01/02/2026"]).unwrap();
        assert_eq!((mixed.told.rows, mixed.untold.rows), (0, 1));
        assert_eq!(mixed.formats.len(), 2);
    }

    #[test]
    fn what_is_no_day_is_left_alone() {
        for text in
            ["31/02/2026", "13/13/2026", "M0000001", "1.2.3", "192.168.0.1", "12:30", "2026-3"]
        {
            assert_eq!(shape(text), None, "{text}");
        }
    }
}
