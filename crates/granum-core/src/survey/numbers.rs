//! Numbers that are not written plainly: which signs set off thousands and places, what stands
//! around the digits, and which example would read them all.

use std::collections::BTreeMap;

use super::seen::{Cells, Seen};
use crate::value::{NumberExample, Scale};

/// Signs that are written before or behind amounts by many.
const CURRENCIES: [&str; 22] = [
    "$", "\u{20ac}", "\u{a3}", "\u{a5}", "\u{20b9}", "\u{20a9}", "\u{20ba}", "\u{20bd}", "EUR",
    "USD", "GBP", "CHF", "JPY", "SEK", "NOK", "DKK", "PLN", "CZK", "AUD", "CAD", "kr", "%",
];

/// Whether one of them begins with a byte, and whether one ends with it: of most texts one byte tells.
const BEGIN: [bool; 256] = ends(false);
const END: [bool; 256] = ends(true);

const fn ends(last: bool) -> [bool; 256] {
    let (mut ends, mut at) = ([false; 256], 0);
    while at < CURRENCIES.len() {
        let sign = CURRENCIES[at].as_bytes();
        ends[sign[if last { sign.len() - 1 } else { 0 }] as usize] = true;
        at += 1;
    }
    ends
}

const SPACES: [char; 3] = [' ', '\u{a0}', '\u{202f}'];

const MINUS: [char; 2] = ['-', '\u{2212}'];

/// How one number is written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
struct Written {
    before: String,
    after: String,
    group: Option<char>,
    point: Option<char>,
    places: usize,
    /// One sign before three digits: it could be either.
    two_ways: Option<char>,
    brackets: bool,
    trailing_minus: bool,
}

/// The ways in which a column's numbers are written.
#[derive(Debug, Default)]
pub(crate) struct Numbers {
    pub all: Seen,
    pub currency: Seen,
    pub thousands: Seen,
    pub comma: Seen,
    pub brackets: Seen,
    pub trailing_minus: Seen,
    pub two_ways: Seen,
    currencies: BTreeMap<(String, String), u64>,
    groups: BTreeMap<char, u64>,
    points: BTreeMap<char, u64>,
    either: BTreeMap<char, u64>,
    places: usize,
}

impl Numbers {
    /// Takes in a value, if it is a number. Says whether it is.
    pub fn take(&mut self, value: &str, of: Cells, row: u32) -> bool {
        let Some(written) = written(value) else { return false };
        self.all.note(value, of, row);
        if !(written.before.is_empty() && written.after.is_empty()) {
            self.currency.note(value, of, row);
        }
        *self.currencies.entry((written.before, written.after)).or_default() += of.rows;
        if let Some(group) = written.group {
            self.thousands.note(value, of, row);
            *self.groups.entry(group).or_default() += of.rows;
        }
        if let Some(point) = written.point {
            if point == ',' {
                self.comma.note(value, of, row);
            }
            *self.points.entry(point).or_default() += of.rows;
            self.places = self.places.max(written.places);
        }
        if let Some(sign) = written.two_ways {
            self.two_ways.note(value, of, row);
            *self.either.entry(sign).or_default() += of.rows;
        }
        if written.brackets {
            self.brackets.note(value, of, row);
        }
        if written.trailing_minus {
            self.trailing_minus.note(value, of, row);
        }
        true
    }

    /// Takes in a plain decimal, which counts as a number anyway.
    pub fn take_plain(&mut self, value: &str, scale: Scale, of: Cells, row: u32) {
        let whole = value.trim_start_matches('-').len() - 1 - usize::from(scale.0);
        if scale.0 == 3 && whole <= 3 && !value.starts_with(['0', '-']) {
            self.two_ways.note(value, of, row);
            *self.either.entry('.').or_default() += of.rows;
        } else {
            *self.points.entry('.').or_default() += of.rows;
            self.places = self.places.max(scale.0.into());
        }
    }

    /// Several currencies: no example can read them, and nothing may add them up.
    pub fn mixed_currencies(&self) -> Vec<String> {
        let named = self.currencies.keys().map(|(before, after)| format!("{before}{after}"));
        let mut named: Vec<String> = named.filter(|sign| !sign.is_empty()).collect();
        named.sort();
        named.dedup();
        if named.len() > 1 { named } else { vec![] }
    }

    /// The example that reads all of `values`, if there is one and no other reads them otherwise.
    pub fn example<'v>(&self, mut values: impl Iterator<Item = &'v str>) -> Option<String> {
        if self.brackets.rows > 0 && self.trailing_minus.rows > 0 {
            return None;
        }
        let signs = [
            (Some('.'), ','),
            (Some(','), '.'),
            (Some(' '), ','),
            (Some(' '), '.'),
            (Some('\u{a0}'), ','),
            (Some('\u{202f}'), ','),
            (Some('\''), '.'),
            (Some('\u{2019}'), '.'),
            (None, ','),
        ];
        let fits = |(group, point): &(Option<char>, char)| {
            let mut groups = self.groups.keys();
            groups.all(|seen| Some(*seen) == *group)
                && self.points.keys().all(|seen| seen == point)
                && self.either.keys().all(|seen| Some(*seen) == *group || seen == point)
        };
        let mut fitting = signs.into_iter().filter(fits);
        let chosen = fitting.next()?;
        // A lone sign before three digits says nothing; unless something else tells which it is,
        // a reading would be a guess.
        let told = !self.groups.is_empty() || !self.points.is_empty();
        if !self.either.is_empty() && !told {
            return None;
        }
        let ((before, after), _) = self.currencies.iter().max_by_key(|(_, rows)| **rows)?;
        let (before, after) = match (before.as_str(), after.as_str()) {
            // What most leave out stands in the example all the same: a cell may lack it.
            ("", "") => self.currencies.keys().max().cloned().unwrap_or_default(),
            _ => (before.clone(), after.clone()),
        };
        let places = if self.places > 0 || self.points.contains_key(&chosen.1) {
            "5678901234567890123".get(..self.places.max(1)).unwrap_or("56")
        } else {
            ""
        };
        let group = chosen.0.map_or(String::new(), String::from);
        let point = if places.is_empty() { String::new() } else { chosen.1.to_string() };
        let number = format!("1{group}234{point}{places}");
        let space = |side: &str| if side.is_empty() { "" } else { " " };
        let number = format!("{before}{}{number}{}{after}", space(&before), space(&after));
        let example = match (self.brackets.rows > 0, self.trailing_minus.rows > 0) {
            (true, _) => format!("({number})"),
            (_, true) => format!("{number}-"),
            _ => number,
        };
        let reads = NumberExample::parse(&example, places.is_empty()).ok()?;
        let mut digits = vec![];
        let all = values.all(|value| reads.read(value, &mut digits).is_some());
        all.then_some(example)
    }

    /// The places that the example shows; 0 for whole numbers.
    pub fn places(&self) -> usize {
        self.places
    }
}

/// How a text writes a number, if it does.
fn written(text: &str) -> Option<Written> {
    let mut it = Written::default();
    let mut rest = text.trim();
    if let Some(inner) = rest.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')) {
        it.brackets = true;
        rest = inner.trim();
    } else if let Some(number) = rest.strip_suffix(MINUS) {
        it.trailing_minus = true;
        rest = number.trim_end();
    }
    let unsigned = |rest: &mut &str| {
        if let Some(number) = rest.strip_prefix(MINUS) {
            *rest = number.trim_start();
        }
    };
    unsigned(&mut rest);
    if rest.bytes().next().is_some_and(|first| BEGIN[usize::from(first)]) {
        let mut before = CURRENCIES.iter().filter(|sign| **sign != "%");
        let found = before.find_map(|sign| Some((*sign, rest.strip_prefix(*sign)?)));
        if let Some((sign, number)) = found {
            sign.clone_into(&mut it.before);
            rest = number.trim_start();
            unsigned(&mut rest);
        }
    }
    if rest.bytes().next_back().is_some_and(|last| END[usize::from(last)]) {
        let mut after = CURRENCIES.iter();
        let found = after.find_map(|sign| Some((*sign, rest.strip_suffix(*sign)?)));
        if let Some((sign, number)) = found {
            sign.clone_into(&mut it.after);
            rest = number.trim_end();
        }
    }
    let digit = |letter: Option<char>| letter.is_some_and(|letter| letter.is_ascii_digit());
    if !digit(rest.chars().next()) || !digit(rest.chars().next_back()) {
        return None;
    }
    signs(rest, &mut it)?;
    Some(it)
}

/// What the signs between digits are.
fn signs(body: &str, it: &mut Written) -> Option<()> {
    let mut kinds: Vec<(char, usize)> = vec![];
    for sign in body.chars().filter(|letter| !letter.is_ascii_digit()) {
        if !(matches!(sign, '.' | ',' | '\'' | '\u{2019}') || SPACES.contains(&sign)) {
            return None;
        }
        match kinds.iter_mut().find(|(known, _)| *known == sign) {
            Some((_, count)) => *count += 1,
            None => kinds.push((sign, 1)),
        }
    }
    let is_point = |sign: char| matches!(sign, '.' | ',');
    let behind = |sign: char| body.rsplit(sign).next().map_or(0, str::len);
    let zero_first = body.len() > 1 && body.starts_with('0');
    match kinds.as_slice() {
        [] => (!zero_first).then_some(()),
        [(sign, 1)] if is_point(*sign) => {
            let before = body.len() - behind(*sign) - 1;
            if behind(*sign) == 3 && before <= 3 && !zero_first {
                it.two_ways = Some(*sign);
            } else {
                (it.point, it.places) = (Some(*sign), behind(*sign));
            }
            Some(())
        }
        [(sign, _)] => {
            it.group = Some(*sign);
            (thousands(body, *sign) && !zero_first).then_some(())
        }
        [(group, _), (point, 1)] if is_point(*point) => {
            (it.group, it.point, it.places) = (Some(*group), Some(*point), behind(*point));
            let whole = body.rsplit_once(*point).map_or(body, |(whole, _)| whole);
            (thousands(whole, *group) && !zero_first).then_some(())
        }
        _ => None,
    }
}

/// Whether a sign sets off groups of three digits.
fn thousands(whole: &str, sign: char) -> bool {
    let mut runs = whole.split(sign).map(str::len);
    runs.next().is_some_and(|first| (1..=3).contains(&first)) && runs.all(|run| run == 3)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn example(values: &[&str]) -> Option<String> {
        let mut numbers = Numbers::default();
        for (row, value) in values.iter().enumerate() {
            assert!(numbers.take(value, Cells::ONE, row as u32), "{value} is a number");
        }
        numbers.example(values.iter().copied())
    }

    #[test]
    fn the_example_shows_how_all_are_written() {
        let cases: [(&[&str], &str); 8] = [
            (&["72,88", "1.204,00", "3"], "1.234,56"),
            (&["72,88"], "1.234,56"),
            (&["1,204.00", "7.5"], "1,234.56"),
            (&["\u{20ac} 12.50", "\u{20ac}3.10"], "\u{20ac} 1,234.56"),
            (&["12,00 kr", "1 400,00 kr"], "1 234,56 kr"),
            (&["(12.50)", "3.00", "1,000"], "(1,234.56)"),
            (&["12.50-", "3.00"], "1,234.56-"),
            (&["1,000,000", "2,000"], "1,234"),
        ];
        for (values, expected) in cases {
            assert_eq!(example(values).as_deref(), Some(expected), "{values:?}");
        }
    }

    #[test]
    fn what_could_be_read_two_ways_has_no_example() {
        assert_eq!(example(&["1,000", "2,500"]), None);
        assert_eq!(example(&["1.000,00", "1,000.00"]), None);
        assert_eq!(example(&["(1.00)", "1.00-"]), None);
    }

    #[test]
    fn what_is_no_number_is_left_alone() {
        for text in [
            "M0000001",
            "05.07.2025",
            "007",
            "0171 234 567",
            "1,23,4",
            "",
            "-",
            "EUR",
            "1.2.3",
            "%",
        ] {
            assert_eq!(written(text), None, "{text}");
        }
    }
}
