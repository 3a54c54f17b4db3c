//! The functions: name, signature, what it says in the reference, an example, and the work, side
//! by side. A function that is added here is documented, offered and tested by that.

// Every function has one shape, also those that cannot fail.
#![allow(clippy::unnecessary_wraps)]

use super::calendar;
use super::convert::{convert, parse_with};
use super::kernel::{Counting, FailureKind, RowFailure, map, texts, truths};
use super::search;
use super::typed::Typed;
use crate::table::{Column, Fixed, Rows, Texts, Whole};
use crate::value::{Scalar, Scale, Type, day, decimal};

/// What a function takes in one place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Takes {
    /// A text.
    Text,
    /// A whole number.
    Integer,
    /// An integer, decimal or number.
    Numeric,
    /// A date or datetime.
    Temporal,
    /// Anything that can be ordered and is not text: all such arguments become one type.
    Ordered,
    /// Anything.
    Any,
    /// A text that is written in the place of another: it may be written out as none, `""`.
    Replacement,
    /// What a number is made of: another, or a text.
    Number,
    /// What a day is made of: a date, a datetime or a text.
    Day,
    /// A whole number from 0 to 20 that is written out.
    Places,
    /// A format that is written out.
    Format,
    /// A datetime.
    Moment,
    /// A pattern that is written out.
    Pattern,
    /// What each match of the pattern before becomes, written out; it may be none, `""`.
    Template,
}

/// What a function gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Gives {
    /// Always this.
    Type(Type),
    /// The type of its arguments.
    Same,
    /// A whole number; a number stays one.
    Whole,
    /// A decimal with the places that its last argument says; a number stays one.
    Rounded,
    /// A decimal with the places that its last argument says.
    Decimal,
}

/// A function of the plan language.
#[derive(Debug)]
pub struct Function {
    /// Its name.
    pub name: &'static str,
    /// How it is called.
    pub signature: &'static str,
    /// What it gives, in one sentence.
    pub doc: &'static str,
    /// An expression, and what it gives.
    pub example: (&'static str, &'static str),
    /// What it takes; the last `optional` may be left out.
    pub takes: &'static [Takes],
    /// How many of the last may be left out.
    pub optional: usize,
    /// Whether the last may be repeated.
    pub repeats: bool,
    /// What it gives.
    pub gives: Gives,
    /// Whether there are values that it cannot work on.
    pub fails: bool,
    pub(super) work: fn(&Call<'_>) -> Result<Column, RowFailure>,
}

/// A function's arguments for a batch of rows.
pub(crate) struct Call<'a> {
    pub args: &'a [Typed],
    pub columns: &'a [Column],
    pub rows: usize,
    pub ty: Type,
    pub counting: Counting<'a>,
}

/// Texts are padded up to so many letters.
const MOST_PADDED: i64 = 10_000;

/// The function of a name.
pub(crate) fn find(name: &str) -> Option<&'static Function> {
    FUNCTIONS.iter().find(|function| function.name == name)
}

macro_rules! function {
    ($name:literal, $signature:literal, [$($takes:ident),*] optional $optional:literal
        repeats $repeats:literal gives Gives::$gives:ident $(($ty:expr))? fails $fails:literal, $doc:literal,
        $example:literal => $result:literal, $work:expr) => {
        Function {
            name: $name,
            signature: $signature,
            doc: $doc,
            example: ($example, $result),
            takes: &[$(Takes::$takes),*],
            optional: $optional,
            repeats: $repeats,
            gives: Gives::$gives$(($ty))?,
            fails: $fails,
            work: $work,
        }
    };
}

/// All functions, in the order of the reference.
pub static FUNCTIONS: &[Function] = &[
    function!("lower", "lower(text)", [Text] optional 0 repeats false gives Gives::Type(Type::Text) fails false,
        "The text in lower case.", "lower(\"Moss\")" => "moss",
        |call| Ok(call.text(lower))),
    function!("upper", "upper(text)", [Text] optional 0 repeats false gives Gives::Type(Type::Text) fails false,
        "The text in upper case.", "upper(\"Moss\")" => "MOSS",
        |call| Ok(call.text(upper))),
    function!("trim", "trim(text)", [Text] optional 0 repeats false gives Gives::Type(Type::Text) fails false,
        "The text without the white space around it.", "trim(\" fern \")" => "fern",
        |call| Ok(call.text(|text, out| out.push_str(text.trim())))),
    function!("length", "length(text)", [Text] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "How many letters the text has.", "length(\"fern\")" => "4", length),
    function!("left", "left(text, n)", [Text, Integer] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The first n letters.", "left(\"seedling\", 4)" => "seed",
        |call| Ok(call.text_by(|text, n, out| out.extend(text.chars().take(n))))),
    function!("right", "right(text, n)", [Text, Integer] optional 0 repeats false
    gives Gives::Type(Type::Text) fails false,
    "The last n letters.", "right(\"seedling\", 4)" => "ling",
    |call| Ok(call.text_by(|text, n, out| {
        out.extend(text.chars().skip(text.chars().count().saturating_sub(n)));
    }))),
    function!("part", "part(text, separator, n)", [Text, Text, Integer] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The n-th part between separators, counted from 1; blank beyond the last.",
        "part(\"ada@farm.example\", \"@\", 2)" => "farm.example", part),
    function!("replace", "replace(text, what, by)", [Text, Text, Replacement] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The text with every `what` replaced; `by` may be \"\".",
        "replace(\"A-17-3\", \"-\", \"\")" => "A173", replace),
    function!("contains", "contains(text, what)", [Text, Text] optional 0 repeats false
        gives Gives::Type(Type::Boolean) fails false,
        "Whether `what` stands in the text.", "contains(\"fern\", \"er\")" => "true",
        |call| Ok(call.test(|text, what| text.contains(what)))),
    function!("starts_with", "starts_with(text, what)", [Text, Text] optional 0 repeats false
        gives Gives::Type(Type::Boolean) fails false,
        "Whether the text begins with `what`.", "starts_with(\"fern\", \"er\")" => "false",
        |call| Ok(call.test(|text, what| text.starts_with(what)))),
    function!("ends_with", "ends_with(text, what)", [Text, Text] optional 0 repeats false
        gives Gives::Type(Type::Boolean) fails false,
        "Whether the text ends with `what`.", "ends_with(\"fern\", \"rn\")" => "true",
        |call| Ok(call.test(|text, what| text.ends_with(what)))),
    function!("pad_left", "pad_left(text, n, what)", [Text, Integer, Text] optional 0
        repeats false gives Gives::Type(Type::Text) fails true,
        "The text with `what` before it until it has n letters; a longer one is left as it is.",
        "pad_left(\"750\", 5, \"0\")" => "00750", pad_left),
    function!("trim_left", "trim_left(text, what)", [Text, Text] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The text without every `what` that it begins with.",
        "trim_left(\"00750\", \"0\")" => "750", trim_left),
    function!("matches", "matches(text, \"PATTERN\")", [Text, Pattern] optional 0 repeats false
        gives Gives::Type(Type::Boolean) fails false,
        "Whether the pattern is found in the text; `^` and `$` are its ends.",
        "matches(\"M0000178\", \"^M[0-9]{7}$\")" => "true", |call| Ok(search::matches(call))),
    function!("extract", "extract(text, \"PATTERN\")", [Text, Pattern] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "What the pattern's first group finds first in the text, or the whole where it has none; blank where nothing is found.",
        "extract(\"refund for M0000178, late\", \"M[0-9]+\")" => "M0000178", |call| Ok(search::extract(call))),
    function!("replace_pattern", "replace_pattern(text, \"PATTERN\", \"BY\")", [Text, Pattern, Template] optional 0
        repeats false gives Gives::Type(Type::Text) fails false,
        "The text with all that the pattern finds replaced; `$1` to `$9` are its groups, `$$` is a dollar sign, and BY may be \"\".",
        "replace_pattern(\"03/2026\", \"([0-9]+)/([0-9]+)\", \"$2-$1\")" => "2026-03", |call| Ok(search::replace(call))),
    function!("round", "round(x, places)", [Numeric, Places] optional 0 repeats false
        gives Gives::Rounded fails true,
        "The number with so many places, rounded half away from zero.",
        "round(2.345, 2)" => "2.35", round),
    function!("floor", "floor(x)", [Numeric] optional 0 repeats false gives Gives::Whole fails true,
        "The greatest whole number that is not above it.", "floor(-2.5)" => "-3",
        |call| whole(call, i128::div_euclid, f64::floor)),
    function!("ceil", "ceil(x)", [Numeric] optional 0 repeats false gives Gives::Whole fails true,
        "The least whole number that is not below it.", "ceil(-2.5)" => "-2",
        |call| whole(call, |units, by| -(-units).div_euclid(by), f64::ceil)),
    function!("abs", "abs(x)", [Numeric] optional 0 repeats false gives Gives::Same fails true,
        "The number without its sign.", "abs(-2.50)" => "2.50", abs),
    function!("lowest", "lowest(a, b, …)", [Ordered, Ordered] optional 0 repeats true
        gives Gives::Same fails false,
        "The lowest of the values; blank if one is.", "lowest(3, 2.5)" => "2.5",
        |call| Ok(call.extreme(std::cmp::Ordering::Less))),
    function!("highest", "highest(a, b, …)", [Ordered, Ordered] optional 0 repeats true
        gives Gives::Same fails false,
        "The highest of the values; blank if one is.", "highest(-4, 0)" => "0",
        |call| Ok(call.extreme(std::cmp::Ordering::Greater))),
    function!("date", "date(x) or date(text, \"FORMAT\")", [Day, Format] optional 1 repeats false
        gives Gives::Type(Type::Date) fails true,
        "The day that a text says (ISO 8601 unless a format is given), or a datetime's day.",
        "date(\"24/11/2026\", \"%d/%m/%Y\")" => "2026-11-24", date),
    function!("datetime", "datetime(x) or datetime(text, \"FORMAT\")", [Day, Format] optional 1 repeats false
        gives Gives::Type(Type::DateTime) fails true,
        "The moment that a text says (ISO 8601 unless a format is given), or the first of a day.",
        "datetime(\"1.3.2026 14:05\", \"%d.%m.%Y %H:%M\")" => "2026-03-01T14:05:00", date),
    function!("year", "year(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The year.", "year(date(\"2026-03-01\"))" => "2026", calendar::year),
    function!("quarter", "quarter(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The quarter with its year.", "quarter(date(\"2026-03-01\"))" => "2026-Q1",
        calendar::quarter),
    function!("month", "month(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The month with its year, as text: years never mix.",
        "month(date(\"2026-03-01\"))" => "2026-03", calendar::month),
    function!("month_name", "month_name(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The month's name, of whichever year.", "month_name(date(\"2026-03-01\"))" => "March",
        calendar::month_name),
    function!("month_number", "month_number(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The month from 1 to 12, of whichever year.",
        "month_number(date(\"2026-03-01\"))" => "3", calendar::month_number),
    function!("week", "week(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Text) fails false,
        "The week of ISO 8601, with the year that it belongs to.",
        "week(date(\"2027-01-01\"))" => "2026-W53", calendar::week),
    function!("weekday", "weekday(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The day of the week: 1 is Monday.", "weekday(date(\"2026-03-01\"))" => "7",
        calendar::weekday),
    function!("day", "day(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The day of the month.", "day(date(\"2026-03-01\"))" => "1", calendar::day),
    function!("hour", "hour(time)", [Moment] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The hour of a datetime, from 0 to 23.", "hour(datetime(\"2026-03-01 14:05\"))" => "14",
        |call| Ok(calendar::of_time(call, |minutes| minutes / 60))),
    function!("minute", "minute(time)", [Moment] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails false,
        "The minute of a datetime, from 0 to 59.",
        "minute(datetime(\"2026-03-01 14:05\"))" => "5", |call| Ok(calendar::of_time(call, |minutes| minutes % 60))),
    function!("start_of_month", "start_of_month(day)", [Temporal] optional 0 repeats false
        gives Gives::Type(Type::Date) fails false,
        "The first day of the month.",
        "start_of_month(date(\"2026-03-17\"))" => "2026-03-01", calendar::start_of_month),
    function!("add_days", "add_days(day, n)", [Temporal, Integer] optional 0 repeats false
        gives Gives::Type(Type::Date) fails true,
        "The day n days later.", "add_days(date(\"2026-02-27\"), 2)" => "2026-03-01",
        calendar::add_days),
    function!("add_months", "add_months(day, n)", [Temporal, Integer] optional 0 repeats false
        gives Gives::Type(Type::Date) fails true,
        "The same day n months later, or the last of a shorter month.",
        "add_months(date(\"2026-01-31\"), 1)" => "2026-02-28", calendar::add_months),
    function!("text", "text(x)", [Any] optional 0 repeats false gives Gives::Type(Type::Text) fails false,
        "The value as it would be written.", "text(2.50)" => "2.50",
        |call| convert(&call.columns[0], Type::Text, call.counting)),
    function!("integer", "integer(x)", [Number] optional 0 repeats false
        gives Gives::Type(Type::Integer) fails true,
        "The whole number; what has none stops the run.", "integer(\"007\")" => "7",
        |call| convert(&call.columns[0], Type::Integer, call.counting)),
    function!("decimal", "decimal(x, places)", [Number, Places] optional 0 repeats false
        gives Gives::Decimal fails true,
        "The exact number with so many places; what has more stops the run.",
        "decimal(\"2.5\", 2)" => "2.50",
        |call| convert(&call.columns[0], call.ty, call.counting)),
    function!("number", "number(x)", [Number] optional 0 repeats false
        gives Gives::Type(Type::Number) fails true,
        "The floating-point number; what is none stops the run.", "number(\"2.5\")" => "2.5",
        |call| convert(&call.columns[0], Type::Number, call.counting)),
];

impl Call<'_> {
    pub(super) fn texts(&self, at: usize) -> Texts {
        match &self.columns[at] {
            Column::Text(array) => array.clone(),
            other => Texts::blank(other.len()),
        }
    }

    fn text(&self, work: impl Fn(&str, &mut String)) -> Column {
        let array = self.texts(0);
        Column::Text(texts(self.rows, |row, out| {
            let present = array.has(row);
            if present {
                work(array.value(row), out);
            }
            present
        }))
    }

    /// From a text and a whole number, which counts as 0 below that.
    fn text_by(&self, work: impl Fn(&str, usize, &mut String)) -> Column {
        let Column::Integer(count) = &self.columns[1] else { return self.blank() };
        let array = self.texts(0);
        Column::Text(texts(self.rows, |row, out| {
            let present = array.has(row) && count.has(row);
            if present {
                work(array.value(row), usize::try_from(count.value(row)).unwrap_or(0), out);
            }
            present
        }))
    }

    fn test(&self, work: impl Fn(&str, &str) -> bool) -> Column {
        let (array, what) = (self.texts(0), self.texts(1));
        Column::Boolean(truths(self.rows, |row| {
            (array.has(row) && what.has(row)).then(|| work(array.value(row), what.value(row)))
        }))
    }

    fn extreme(&self, wanted: std::cmp::Ordering) -> Column {
        let op = match wanted {
            std::cmp::Ordering::Less => crate::lang::Operator::LessEqual,
            _ => crate::lang::Operator::GreaterEqual,
        };
        let mut best = self.columns[0].clone();
        for column in &self.columns[1..] {
            let first = super::compare::compare(op, &best, column);
            let rows = self.rows;
            let both = Column::concat(&[best, column.clone()]);
            let pick: Rows = (0..rows)
                .map(|row| {
                    let of_first = super::compare::at(&first, row)?;
                    Some(if of_first { row } else { rows + row } as u32)
                })
                .collect();
            best = both.take(&pick);
        }
        best
    }

    pub(super) fn days(&self) -> Result<Fixed<i32>, RowFailure> {
        Ok(match convert(&self.columns[0], Type::Date, self.counting)? {
            Column::Date(days) => days,
            other => Fixed::blank(other.len()),
        })
    }

    fn places(&self) -> Scale {
        match self.args.last().and_then(Typed::constant) {
            Some(Scalar::Integer(places)) => Scale(*places as u8),
            _ => Scale(0),
        }
    }

    pub(super) fn blank(&self) -> Column {
        Column::all_blank(self.ty, self.rows)
    }
}

fn length(call: &Call<'_>) -> Result<Column, RowFailure> {
    let array = call.texts(0);
    let lengths = array.iter().map(|text| Some(text?.chars().count() as i64));
    Ok(Column::Integer(lengths.collect()))
}

fn part(call: &Call<'_>) -> Result<Column, RowFailure> {
    let (array, separator) = (call.texts(0), call.texts(1));
    let Column::Integer(number) = &call.columns[2] else { return Ok(call.blank()) };
    Ok(Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) || !separator.has(row) || !number.has(row) {
            return false;
        }
        let at = usize::try_from(number.value(row)).ok().and_then(|n| n.checked_sub(1));
        let mut parts = array.value(row).split(separator.value(row));
        let found = at.and_then(|at| parts.nth(at));
        out.push_str(found.unwrap_or(""));
        found.is_some()
    })))
}

fn replace(call: &Call<'_>) -> Result<Column, RowFailure> {
    let (array, what, by) = (call.texts(0), call.texts(1), call.texts(2));
    // The literal "" is the one text that may be empty.
    Ok(Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) || !what.has(row) || !by.has(row) {
            return false;
        }
        out.push_str(&array.value(row).replace(what.value(row), by.value(row)));
        true
    })))
}

fn trim_left(call: &Call<'_>) -> Result<Column, RowFailure> {
    let (array, what) = (call.texts(0), call.texts(1));
    Ok(Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) || !what.has(row) {
            return false;
        }
        out.push_str(array.value(row).trim_start_matches(what.value(row)));
        true
    })))
}

/// The text in lower case.
fn lower(text: &str, out: &mut String) {
    if text.is_ascii() {
        out.push_str(text);
        out.make_ascii_lowercase();
    } else {
        out.push_str(&text.to_lowercase());
    }
}

/// The text in upper case.
fn upper(text: &str, out: &mut String) {
    if text.is_ascii() {
        out.push_str(text);
        out.make_ascii_uppercase();
    } else {
        out.push_str(&text.to_uppercase());
    }
}

/// The text with letters before it, the first of them first.
fn pad_left(call: &Call<'_>) -> Result<Column, RowFailure> {
    let (array, what) = (call.texts(0), call.texts(2));
    let Column::Integer(width) = &call.columns[1] else { return Ok(call.blank()) };
    for row in 0..call.rows {
        let there = !(!array.has(row) || !what.has(row) || !width.has(row));
        if there && width.value(row) > MOST_PADDED {
            call.counting.fail(row, || FailureKind::Limit("a text of more than 10,000 letters"))?;
        }
    }
    Ok(Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) || !what.has(row) || !width.has(row) {
            return false;
        }
        let text = array.value(row);
        let width = usize::try_from(width.value(row).min(MOST_PADDED)).unwrap_or(0);
        let missing = width.saturating_sub(text.chars().count());
        out.extend(what.value(row).chars().cycle().take(missing));
        out.push_str(text);
        true
    })))
}

/// A whole number: `exact` gives it from units and the units of one.
fn whole(
    call: &Call<'_>,
    exact: impl Fn(i128, i128) -> i128,
    float: impl Fn(f64) -> f64,
) -> Result<Column, RowFailure> {
    Ok(match &call.columns[0] {
        Column::Decimal(a, scale) => {
            let by = decimal::power(scale.0);
            let (values, present) = map::<i128, i64>(
                a,
                call.counting,
                |_| FailureKind::Overflow,
                |units| i64::try_from(exact(units, by)).ok(),
            )?;
            Column::Integer(Whole::new(values, present))
        }
        Column::Number(a) => Column::Number(a.map(float)),
        column => column.clone(),
    })
}

fn round(call: &Call<'_>) -> Result<Column, RowFailure> {
    let to = call.places();
    let overflow = |_| FailureKind::Overflow;
    Ok(match &call.columns[0] {
        Column::Decimal(a, from) => {
            let from = *from;
            let (values, present) = map::<i128, i128>(a, call.counting, overflow, |units| {
                decimal::rescale(units, from, to)
            })?;
            Column::decimal(values, present, to)
        }
        column @ Column::Integer(_) => convert(column, Type::Decimal(to), call.counting)?,
        Column::Number(a) => {
            let by = 10_f64.powi(i32::from(to.0));
            Column::Number(a.map(|value| {
                let rounded = (value * by).round() / by;
                if rounded.is_finite() { rounded } else { value }
            }))
        }
        _ => call.blank(),
    })
}

fn abs(call: &Call<'_>) -> Result<Column, RowFailure> {
    Ok(match &call.columns[0] {
        Column::Integer(a) => {
            let (values, present) =
                map::<i64, i64>(a, call.counting, |_| FailureKind::Overflow, i64::checked_abs)?;
            Column::Integer(Whole::new(values, present))
        }
        Column::Decimal(a, scale) => {
            let values = a.all().map(i128::abs).collect();
            Column::decimal(values, a.present().cloned(), *scale)
        }
        Column::Number(a) => Column::Number(a.map(f64::abs)),
        _ => call.blank(),
    })
}

/// A day or a moment.
fn date(call: &Call<'_>) -> Result<Column, RowFailure> {
    match call.args.get(1).and_then(Typed::constant) {
        Some(Scalar::Text(format)) => {
            parse_with(&call.columns[0], call.ty, call.counting, |text| match call.ty {
                Type::DateTime => {
                    day::parse_time_format(format, text.as_bytes()).map(Scalar::DateTime)
                }
                _ => day::parse_format(format, text.as_bytes()).map(Scalar::Date),
            })
        }
        _ => convert(&call.columns[0], call.ty, call.counting),
    }
}
