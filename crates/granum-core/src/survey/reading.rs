//! How the cells of a column would have to be read.

use super::coded::CodedColumn;
use crate::lang::quoted;
use crate::value::{NumberExample, Type, Zone, decimal};

/// How the cells of a column would have to be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Reading {
    pub ty: Type,
    pub formats: Vec<String>,
    /// The place whose clock moments are read by.
    pub zone: Option<(&'static str, Zone)>,
    /// Placeholders stand among the cells, and nothing else that cannot be read.
    pub else_blank: bool,
}

impl Reading {
    pub fn words(&self) -> String {
        let formats: Vec<String> = self.formats.iter().map(|format| quoted(format)).collect();
        // The example says how many places there are.
        let ty = match (self.ty, formats.is_empty()) {
            (Type::Decimal(_), false) => "decimal".to_owned(),
            (ty, _) => ty.to_string(),
        };
        let formats = formats.join(" or ");
        let space = if formats.is_empty() { "" } else { " " };
        let zone = self.zone.as_ref();
        let zone = zone.map_or(String::new(), |(name, _)| format!(" zone {}", quoted(name)));
        format!("{ty}{space}{formats}{zone}{}", if self.else_blank { " else blank" } else { "" })
    }
}

/// An amount has so many places at most; what has more is a measure.
const MOST_PLACES: u8 = 6;

/// How the cells would have to be read; where some have no value, what becomes of those.
pub(super) fn reading(column: &CodedColumn) -> Option<Reading> {
    let plain = match column.profile.own {
        Some(own) => reading_of_typed(column, own),
        None => reading_of_values(column),
    };
    if column.without.rows == 0 {
        return plain;
    }
    let ty = match column.profile.ty() {
        Type::Blank => Type::Text,
        ty => ty,
    };
    let plain = plain.unwrap_or(Reading { ty, formats: vec![], zone: None, else_blank: true });
    Some(Reading { else_blank: true, ..plain })
}

/// Whether some cells of a column of numbers or days are neither, as a database allows.
pub(super) fn unlike_own(column: &CodedColumn, own: Type) -> bool {
    (own.is_numeric() || own.is_temporal()) && own != Type::Blank && !column.profile.words.is_none()
}

/// How the cells of a column with a type of its own would have to be read for what they are: days and amounts that are
/// kept as texts, days that are kept as numbers, and amounts that are kept as floating point numbers.
pub(super) fn reading_of_typed(column: &CodedColumn, own: Type) -> Option<Reading> {
    let found = column.profile.found_ty();
    let plainly = |ty| Some(Reading { ty, formats: vec![], zone: None, else_blank: false });
    if unlike_own(column, own) {
        return Some(Reading { ty: own, formats: vec![], zone: None, else_blank: true });
    }
    match own {
        Type::Text => {
            let read = reading_of_values(column);
            let other = |read: &Reading| read.ty != Type::Text || !read.formats.is_empty();
            let days = matches!(found, Type::Date | Type::DateTime);
            let amounts = matches!(found, Type::Decimal(places) if places.0 > 0);
            read.filter(other).or_else(|| if days || amounts { plainly(found) } else { None })
        }
        Type::Integer => reading_of_values(column).filter(|read| read.ty == Type::Date),
        Type::Number => match found {
            Type::Decimal(places) if places.0 <= MOST_PLACES => plainly(found),
            _ => None,
        },
        // Moments of UTC are written as such.
        Type::DateTime => reading_of_values(column).filter(|read| read.zone.is_some()),
        _ => None,
    }
}

fn reading_of_values(column: &CodedColumn) -> Option<Reading> {
    let profile = &column.profile;
    let missing: u64 = profile.placeholders.values().map(|seen| seen.rows).sum();
    let else_blank = missing > 0;
    let written =
        |value: &&str| !profile.placeholders.contains_key(value.trim()) && !value.trim().is_empty();
    let values = || column.dictionary.values().map(|(value, _, _)| value).filter(written);
    let all = column.codes.len() as u64 - column.blanks - missing;
    let some = |ty, formats| Some(Reading { ty, formats, zone: None, else_blank });
    if all == 0 {
        return None;
    }
    let (days, numbers, plain) = (&profile.days, &profile.numbers, &profile.plain_numbers);
    if days.all.rows == all {
        let spaces = profile.outer_spaces.rows > 0;
        if !days.offsets.seen.is_none() {
            let zone = days.offsets.zone().filter(|_| days.read_by_zone() && !spaces);
            let (ty, formats) = (Type::DateTime, vec![]);
            return zone.map(|zone| Reading { ty, formats, zone: Some(zone), else_blank });
        }
        return match days.reading() {
            Some(reading) => {
                let formats = reading.formats.into_iter().map(|format| format.format).collect();
                let ty = if reading.with_time { Type::DateTime } else { Type::Date };
                (!spaces).then_some(Reading { ty, formats, zone: None, else_blank })
            }
            None if !else_blank => None,
            None if days.iso_time.rows > 0 => some(Type::DateTime, vec![]),
            None => some(Type::Date, vec![]),
        };
    }
    if plain.rows == all && profile.compact_days.rows == all && plain.values > 1 {
        return some(Type::Date, vec!["%Y%m%d".into()]);
    }
    if profile.leading_zeros.rows > 0 && profile.words.is_none() && numbers.currency.is_none() {
        let formats = vec![];
        return Some(Reading { ty: Type::Text, formats, zone: None, else_blank: false });
    }
    if plain.rows + numbers.all.rows != all || profile.found_ty() != Type::Text {
        return None;
    }
    if numbers.all.is_none() {
        // Plain numbers, and words for what is missing.
        let scale = values().filter_map(|value| decimal::parse(value.as_bytes()));
        return match scale.map(|(_, scale)| scale).max().unwrap_or_default() {
            scale if scale.0 == 0 => some(Type::Integer, vec![]),
            scale => some(Type::Decimal(scale), vec![]),
        };
    }
    let example = numbers.example(values())?;
    let reads = NumberExample::parse(&example, numbers.places() == 0).ok()?;
    let ty = if reads.places().0 == 0 { Type::Integer } else { Type::Decimal(reads.places()) };
    some(ty, vec![example])
}
