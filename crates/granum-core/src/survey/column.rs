//! What is told of one column: its type, its values, and what is odd about them.

use std::hash::BuildHasher;

use foldhash::fast::FixedState;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;

use super::coded::CodedColumn;
use super::range::Range;
use super::reading::{Reading, reading, reading_of_typed, unlike_own};
use super::report::{ColumnSurvey, Oddity, OddityKind, Typical};
use super::seen::{Cells, Seen};
use crate::table::Places;
use crate::value::{Type, day};

/// So many typical values are told.
const TYPICAL: usize = 3;

/// Values that differ only in case, or in zeros before them, are listed up to so many.
const SPLITS: usize = 3;

/// What is told of a column.
pub(super) fn survey(column: &CodedColumn, rows: u64, places: &Places) -> ColumnSurvey {
    let reading = reading(column);
    let range = match &reading {
        Some(reading) => {
            let mut range = Range::new(reading);
            column.dictionary.values().for_each(|(value, ..)| range.take(value));
            range.ends().or_else(|| column.profile.range())
        }
        None => column.profile.range(),
    };
    let (least, greatest) = range.unzip();
    ColumnSurvey {
        name: column.name.clone(),
        ty: column.profile.ty(),
        rows,
        blank: column.blanks,
        distinct: column.distinct,
        exact: column.whole(),
        one_in: column.one_in(),
        least,
        greatest,
        typical: typical(column),
        oddities: oddities(column, places),
        read: reading.as_ref().map(Reading::words),
        read_as: reading.as_ref().map_or(column.profile.ty(), |reading| reading.ty),
        zone: reading.as_ref().and_then(|reading| Some(reading.zone.as_ref()?.1.clone())),
        formats: reading.map_or(vec![], |reading| reading.formats),
        mean_length: column.profile.mean_length(),
    }
}

/// The most frequent values; where all stand once, the first, the one in the middle, and the last.
fn typical(column: &CodedColumn) -> Vec<Typical> {
    let dictionary = &column.dictionary;
    let told = |number: usize| Typical {
        value: dictionary.value(number).to_owned(),
        rows: dictionary.rows(number),
    };
    let mut best: Vec<usize> = vec![];
    for number in 0..dictionary.len() {
        let rows = dictionary.rows(number);
        let beaten = |other: &usize| dictionary.rows(*other) < rows;
        if best.len() < TYPICAL || best.last().is_some_and(beaten) {
            let at = best.iter().position(beaten).unwrap_or(best.len());
            best.insert(at, number);
            best.truncate(TYPICAL);
        }
    }
    if best.first().is_some_and(|first| dictionary.rows(*first) == 1) {
        let last = dictionary.len() - 1;
        best = vec![0, last / 2, last];
        best.dedup();
    }
    best.into_iter().map(told).collect()
}

/// The day that a cell of a column of days or moments holds, by what the column was found to be.
pub(crate) fn day_of(value: &str, column: &ColumnSurvey) -> Option<i32> {
    let bytes = value.as_bytes();
    let time = || by_clock(bytes, column).or_else(|| day::parse_iso_time(bytes));
    let iso = day::parse_iso(bytes).or_else(|| time().map(day::day_of));
    iso.or_else(|| {
        column.formats.iter().find_map(|format| {
            let time = || day::parse_time_format(format, bytes).map(day::day_of);
            day::parse_format(format, bytes).or_else(time)
        })
    })
}

/// What the clock showed that a column's moments are read by.
fn by_clock(bytes: &[u8], column: &ColumnSurvey) -> Option<i64> {
    column.zone.as_ref()?.read_iso(bytes).map(|clock| clock.micros)
}

/// The same as a time: a day is its first moment.
pub(crate) fn time_of(value: &str, column: &ColumnSurvey) -> Option<i64> {
    let bytes = value.as_bytes();
    let format = |format: &String| day::parse_time_format(format, bytes);
    let iso = by_clock(bytes, column).or_else(|| day::parse_iso_time(bytes));
    let time = iso.or_else(|| column.formats.iter().find_map(format));
    time.or_else(|| day_of(value, column).map(day::start_of))
}

fn oddities(column: &CodedColumn, places: &Places) -> Vec<Oddity> {
    let profile = &column.profile;
    let mut out = vec![];
    if let Some((example, place)) = &column.without.first {
        out.push(Oddity {
            kind: OddityKind::NoValue,
            rows: column.without.rows,
            values: 1,
            example: example.clone(),
            place: Some(place.clone()),
            words: vec![],
        });
    }
    let mut tell = |kind, seen: &Seen, words: Vec<String>| {
        if let Some((row, example)) = &seen.first {
            out.push(Oddity {
                kind,
                rows: seen.rows,
                values: (seen.values * column.one_in()).clamp(1, seen.rows.max(1)),
                example: example.clone(),
                place: places.place(*row),
                words,
            });
        }
    };
    let all = column.codes.len() as u64 - column.blanks;
    let offsets = &profile.days.offsets;
    if offsets.seen.rows * 2 > all {
        tell(OddityKind::Offset, &offsets.seen, offsets.moved());
    }
    let text = profile.ty() == Type::Text;
    if let Some(reading) = profile.days.reading()
        && reading.formats.iter().any(|format| format.seen.rows * 2 > profile.days.all.rows / 2)
        && profile.days.all.rows * 2 > all
    {
        for format in &reading.formats {
            tell(OddityKind::DateFormat, &format.seen, vec![format.format.clone()]);
        }
        tell(OddityKind::TwoWayDays, &reading.untold, vec![]);
    }
    if profile.compact_days.rows == all && profile.compact_days.values > 1 {
        tell(OddityKind::DateFormat, &profile.compact_days, vec!["%Y%m%d".into()]);
    }
    let numbers = &profile.numbers;
    if (numbers.all.rows + profile.plain_numbers.rows) * 2 > all {
        let mixed = numbers.mixed_currencies();
        let kind = if mixed.is_empty() { OddityKind::Currency } else { OddityKind::Currencies };
        tell(kind, &numbers.currency, mixed);
        tell(OddityKind::Thousands, &numbers.thousands, vec![]);
        tell(OddityKind::DecimalComma, &numbers.comma, vec![]);
        tell(OddityKind::Brackets, &numbers.brackets, vec![]);
        tell(OddityKind::TrailingMinus, &numbers.trailing_minus, vec![]);
        // A column of decimals with three places has them on purpose, unless all have three.
        if text || numbers.two_ways.rows == all {
            tell(OddityKind::TwoWayNumbers, &numbers.two_ways, vec![]);
        }
    }
    let fitting = (profile.plain_numbers.rows + numbers.all.rows).max(profile.days.all.rows);
    let unlike = profile.own.is_some_and(|own| unlike_own(column, own));
    if unlike || text && fitting * 10 >= all * 9 && fitting < all {
        tell(OddityKind::Unlike, &profile.words, vec![]);
    }
    if profile.own.is_none() {
        tell(OddityKind::LeadingZeros, &profile.leading_zeros, vec![]);
    }
    if profile.own == Some(Type::Number) && reading_of_typed(column, Type::Number).is_some() {
        tell(OddityKind::Floating, &profile.plain_numbers, vec![]);
    }
    tell(OddityKind::Exponent, &profile.exponent, vec![]);
    // Where one long number has other digits at its end, none was rounded.
    if profile.rounded.rows == profile.long_numbers {
        tell(OddityKind::Rounded, &profile.rounded, vec![]);
    }
    tell(OddityKind::OuterSpaces, &profile.outer_spaces, vec![]);
    let fold_case = |value: &str| value.trim().to_lowercase();
    if profile.may_split_by_case() {
        let (seen, words) = split(column, fold_case);
        tell(OddityKind::LetterCase, &seen, words);
    }
    if profile.leading_zeros.rows > 0 && profile.leading_zeros.rows < all {
        let (seen, words) = split(column, |value| value.trim().trim_start_matches('0').to_owned());
        tell(OddityKind::SplitByZeros, &seen, words);
    }
    let letters = profile.unseen.iter().take(SPLITS);
    let letters = letters.map(|letter| format!("U+{:04X}", u32::from(*letter)));
    tell(OddityKind::Control, &profile.control, letters.collect());
    for (word, seen) in &profile.placeholders {
        tell(OddityKind::Placeholder, seen, vec![word.clone()]);
    }
    out
}

/// Values that are one once something is taken from them: those that are not the most frequent
/// of their kind, and pairs of them to show.
fn split(column: &CodedColumn, fold: impl Fn(&str) -> String) -> (Seen, Vec<String>) {
    let dictionary = &column.dictionary;
    let hash = |folded: &str| FixedState::with_seed(0).hash_one(folded);
    let mut kinds: HashTable<(u64, u32)> = HashTable::with_capacity(dictionary.len());
    let mut pairs: Vec<(usize, usize)> = vec![];
    for number in 0..dictionary.len() {
        // Outer spaces are told apart from this; what differs only there is one value here.
        let folded = fold(dictionary.value(number));
        let own = hash(&folded);
        let same = |(hash, other): &(u64, u32)| {
            *hash == own && fold(dictionary.value(*other as usize)) == folded
        };
        match kinds.entry(own, same, |(hash, _)| *hash) {
            Entry::Vacant(empty) => {
                empty.insert((own, number as u32));
            }
            Entry::Occupied(mut known) => {
                let other = known.get().1 as usize;
                if dictionary.value(other).trim() == dictionary.value(number).trim() {
                    continue;
                }
                let (most, least) = if dictionary.rows(number) > dictionary.rows(other) {
                    known.get_mut().1 = number as u32;
                    (number, other)
                } else {
                    (other, number)
                };
                pairs.push((least, most));
            }
        }
    }
    let mut seen = Seen::default();
    for (number, _) in &pairs {
        let rows = Cells::of_value(dictionary.rows(*number));
        seen.note(dictionary.value(*number), rows, dictionary.first(*number));
    }
    // What is told of a sample is told of all.
    seen.rows *= column.one_in();
    let words = pairs.iter().take(SPLITS).map(|(least, most)| {
        format!("{} and {}", dictionary.value(*least).trim(), dictionary.value(*most).trim())
    });
    (seen, words.collect())
}
