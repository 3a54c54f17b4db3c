//! What is seen of a column's values, one value at a time.

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};

use super::days::Days;
use super::numbers::Numbers;
use super::seen::{Cells, Seen};
use crate::value::{Found, Scale, Type, day, decimal, found_type, is_unseen, parse_integer};

/// Words that stand where a value is missing; compared without case.
const PLACEHOLDERS: [&str; 25] = [
    "n/a",
    "n.a.",
    "na",
    "#n/a",
    "#na",
    "null",
    "(null)",
    "\\n",
    "none",
    "nil",
    "nan",
    "-",
    "--",
    "---",
    "?",
    "??",
    ".",
    "unknown",
    "missing",
    "(blank)",
    "tbd",
    "#ref!",
    "#value!",
    "0000-00-00",
    "00/00/0000",
];

/// What letters a value has.
mod mark {
    pub const DIGIT: u8 = 1;
    pub const LOWER: u8 = 2;
    pub const UPPER: u8 = 4;
    pub const SPACE: u8 = 8;
    pub const CONTROL: u8 = 16;
    /// Bytes of letters that ASCII lacks.
    pub const OTHER: u8 = 32;
}

const MARKS: [u8; 256] = {
    let mut marks = [0; 256];
    let mut byte = 0;
    while byte < 256 {
        marks[byte] = match byte as u8 {
            b'0'..=b'9' => mark::DIGIT,
            b'a'..=b'z' => mark::LOWER,
            b'A'..=b'Z' => mark::UPPER,
            b' ' => mark::SPACE,
            0..=0x1F | 0x7F => mark::CONTROL,
            0x80.. => mark::OTHER,
            _ => 0,
        };
        byte += 1;
    }
    marks
};

/// What has been seen of a column's values.
#[derive(Debug, Default)]
pub(crate) struct Profile {
    /// The type that its files say.
    pub own: Option<Type>,
    found: Found,
    pub numbers: Numbers,
    pub days: Days,
    /// Numbers that are written plainly, or days in the form `20260301`.
    pub plain_numbers: Seen,
    pub compact_days: Seen,
    /// Values that are neither numbers nor days, nor stand for a missing one.
    pub words: Seen,
    pub leading_zeros: Seen,
    pub exponent: Seen,
    /// Whole numbers of more digits than a spreadsheet keeps: how many rows, and those that end in zeros from there.
    pub long_numbers: u64,
    pub rounded: Seen,
    pub outer_spaces: Seen,
    pub control: Seen,
    /// Which letters those are that nobody sees.
    pub unseen: BTreeSet<char>,
    pub placeholders: BTreeMap<String, Seen>,
    marks: u8,
    /// Whether a value begins with a zero, spaces before it apart.
    pub zeros_before: bool,
    letters: u64,
    values: u64,
    number_range: Option<(Number, Number)>,
    text_range: Option<TextRange>,
}

type Number = (i128, Scale);

/// The least and the greatest text, each with its [`begin`].
#[derive(Debug)]
struct TextRange {
    least: (String, u128),
    greatest: (String, u128),
}

/// The first bytes of a text as a number, which stands among others as the text does, as far as they go.
fn begin(text: &str) -> u128 {
    let mut bytes = [0; 16];
    let length = text.len().min(bytes.len());
    bytes[..length].copy_from_slice(&text.as_bytes()[..length]);
    u128::from_be_bytes(bytes)
}

impl Profile {
    /// Takes in some rows of one value, the first of which is `row`.
    pub fn take(&mut self, value: &str, of: Cells, row: u32) {
        let bytes = value.as_bytes();
        let marks = bytes.iter().fold(0, |marks, byte| marks | MARKS[usize::from(*byte)]);
        self.marks |= marks;
        let spaced = marks & (mark::SPACE | mark::OTHER | mark::CONTROL) != 0;
        let bare = if spaced { value.trim_start() } else { value };
        self.zeros_before |= bare.starts_with('0');
        self.letters += bytes.len() as u64 * of.values;
        self.values += of.values;
        let found = found_type(bytes);
        self.found.take(found);
        self.widen(value);
        if spaced {
            if value.trim() != value {
                self.outer_spaces.note(value, of, row);
            }
            if marks & mark::CONTROL != 0 || value.chars().any(is_unseen) {
                self.control.note(value, of, row);
                self.unseen.extend(value.chars().filter(|letter| is_unseen(*letter)));
            }
        }
        // Only days of nothing have digits among the words for what is missing.
        if value.len() <= 10 && (marks & mark::DIGIT == 0 || value.starts_with("00")) {
            let lower = value.trim().to_ascii_lowercase();
            if PLACEHOLDERS.contains(&lower.as_str()) {
                self.placeholders.entry(value.trim().to_owned()).or_default().note(value, of, row);
                return;
            }
        }
        if bytes.len() > KEPT && bytes.iter().all(u8::is_ascii_digit) {
            self.long_numbers += of.rows;
            if bytes[KEPT..].iter().all(|digit| *digit == b'0') {
                self.rounded.note(value, of, row);
            }
        }
        self.kind(value, (found, marks), of, row);
    }

    /// Whether the value is a number, a day or a word.
    fn kind(&mut self, value: &str, (found, marks): (Type, u8), of: Cells, row: u32) {
        let bytes = value.as_bytes();
        match found {
            Type::Integer => {
                self.plain_numbers.note(value, of, row);
                let number = parse_integer(bytes).map(|number| (number.into(), Scale(0)));
                self.widen_numbers(number);
                if bytes.len() == 8 && day::parse_format("%Y%m%d", bytes).is_some_and(is_recent) {
                    self.compact_days.note(value, of, row);
                }
            }
            Type::Decimal(scale) => {
                self.plain_numbers.note(value, of, row);
                self.numbers.take_plain(value, scale, of, row);
                self.widen_numbers(decimal::parse(bytes));
            }
            Type::Date => {
                self.days.all.note(value, of, row);
                self.days.iso.note(value, of, row);
            }
            Type::DateTime => {
                self.days.all.note(value, of, row);
                self.days.iso_time.note(value, of, row);
            }
            _ if marks & mark::DIGIT == 0 || begins_as_word(bytes) => {
                self.words.note(value, of, row);
            }
            _ => {
                let digits = value.trim();
                if digits.len() > 1
                    && digits.starts_with('0')
                    && digits.bytes().all(|byte| byte.is_ascii_digit())
                {
                    self.leading_zeros.note(value, of, row);
                } else if digits.bytes().all(|byte| byte.is_ascii_digit()) {
                    // A key of so many digits is no number that a column could hold.
                    self.words.note(value, of, row);
                } else if is_exponent(digits) {
                    self.exponent.note(value, of, row);
                } else if !(self.days.take(value, of, row) || self.numbers.take(value, of, row)) {
                    self.words.note(value, of, row);
                }
            }
        }
    }

    /// The type that the column gets when nothing is said: its own, else what its cells are found to be.
    pub fn ty(&self) -> Type {
        self.own.filter(|own| *own != Type::Blank).unwrap_or_else(|| self.found.ty())
    }

    /// What its cells are found to be.
    pub fn found_ty(&self) -> Type {
        self.found.ty()
    }

    /// How long a value is on the mean, in bytes.
    pub fn mean_length(&self) -> u64 {
        self.letters / self.values.max(1)
    }

    /// Whether some values have small letters, and some capital ones; nothing where letters that ASCII lacks are among
    /// them, which only the values tell.
    pub fn cases(&self) -> Option<(bool, bool)> {
        let has = |mark: u8| self.marks & mark != 0;
        (!has(mark::OTHER)).then(|| (has(mark::LOWER), has(mark::UPPER)))
    }

    /// Whether a value has letters of both cases, or one a small and one a capital letter.
    pub fn may_split_by_case(&self) -> bool {
        let both = mark::LOWER | mark::UPPER;
        self.marks & both == both || self.marks & mark::OTHER != 0
    }

    /// The least and the greatest value, by the type that the column gets.
    pub fn range(&self) -> Option<(String, String)> {
        match self.ty() {
            Type::Integer | Type::Decimal(_) => {
                let scale = self.ty().scale().unwrap_or_default();
                let text = |(units, from): Number| {
                    decimal::to_text(decimal::rescale(units, from, scale).unwrap_or(units), scale)
                };
                self.number_range.map(|(least, greatest)| (text(least), text(greatest)))
            }
            _ => self
                .text_range
                .as_ref()
                .map(|range| (range.least.0.clone(), range.greatest.0.clone())),
        }
    }

    fn widen(&mut self, value: &str) {
        let begin = begin(value);
        match &mut self.text_range {
            None => {
                let end = || (value.to_owned(), begin);
                self.text_range = Some(TextRange { least: end(), greatest: end() });
            }
            Some(TextRange { least, greatest }) => {
                if begin < least.1 || begin == least.1 && value < least.0.as_str() {
                    value.clone_into(&mut least.0);
                    least.1 = begin;
                } else if begin > greatest.1 || begin == greatest.1 && value > greatest.0.as_str() {
                    value.clone_into(&mut greatest.0);
                    greatest.1 = begin;
                }
            }
        }
    }

    fn widen_numbers(&mut self, number: Option<Number>) {
        let Some(number) = number else { return };
        let order = |a: Number, b: Number| decimal::compare(a.0, a.1, b.0, b.1);
        match &mut self.number_range {
            None => self.number_range = Some((number, number)),
            Some((least, greatest)) => {
                if order(number, *least) == Ordering::Less {
                    *least = number;
                } else if order(number, *greatest) == Ordering::Greater {
                    *greatest = number;
                }
            }
        }
    }
}

/// Whether a value is seen to be a word by its first two bytes, as most keys are: a digit right behind one letter. No
/// currency has one letter, and no day has nothing behind its month.
fn begins_as_word(bytes: &[u8]) -> bool {
    matches!(bytes, [letter, digit, ..] if letter.is_ascii_alphabetic() && digit.is_ascii_digit())
}

/// A spreadsheet keeps so many digits of a number, and puts zeros in place of the others.
const KEPT: usize = 15;

/// Days that files of sales have, from 1970 to 2100: other numbers of eight digits are keys.
fn is_recent(day: i32) -> bool {
    (0..=47_847).contains(&day)
}

/// A number as spreadsheets shorten long ones: `8.71E+12`. What it was is lost.
fn is_exponent(text: &str) -> bool {
    let Some((number, power)) = text.split_once(['E', 'e']) else { return false };
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let point = number.strip_prefix('-').unwrap_or(number).split_once(['.', ',']);
    let written = point.map_or(digits(number), |(whole, places)| digits(whole) && digits(places));
    let power = power.strip_prefix(['+', '-']);
    written && power.is_some_and(|power| power.len() >= 2 && digits(power))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn what_begins_as_a_word_is_no_number_and_no_day(
            value in "[a-zA-Z][0-9]([ -~]{0,12}|[0-9]{1,8}|[-/. ][0-9]{1,2}[-/. ][0-9]{4})"
        ) {
            prop_assert!(begins_as_word(value.as_bytes()));
            prop_assert!(!Numbers::default().take(&value, Cells::ONE, 0), "{value}");
            prop_assert!(!Days::default().take(&value, Cells::ONE, 0), "{value}");
            prop_assert!(!is_exponent(&value), "{value}");
        }
    }
}
