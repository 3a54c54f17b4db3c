//! How a column is declared → the type of its values.

use granum_core::value::{Scale, Type, decimal};

/// A number with places is kept with so many digits.
const DIGITS: u8 = 15;

/// The type that a declaration means; nothing where it leaves that to the cells.
pub(super) fn declared(words: &str) -> Option<Type> {
    let words = words.to_uppercase();
    let has = |part: &str| words.contains(part);
    let begins = |part: &str| words.starts_with(part);
    if has("BOOL") {
        Some(Type::Boolean)
    } else if begins("DATETIME") || begins("TIMESTAMP") {
        Some(Type::DateTime)
    } else if words.trim() == "DATE" {
        Some(Type::Date)
    } else if begins("DECIMAL") || begins("NUMERIC") || begins("NUMBER") {
        places(&words).map(Type::Decimal)
    } else if has("INT") {
        Some(Type::Integer)
    } else if has("CHAR") || has("CLOB") || has("TEXT") {
        Some(Type::Text)
    } else if has("REAL") || has("FLOA") || has("DOUB") {
        Some(Type::Number)
    } else {
        None
    }
}

/// The places of `DECIMAL(12, 2)`; of `DECIMAL(12)` none.
fn places(words: &str) -> Option<Scale> {
    let (_, inner) = words.split_once('(')?;
    let (inner, _) = inner.split_once(')')?;
    let places = inner.split_once(',').map_or("0", |(_, places)| places);
    let places = places.trim().parse().ok().map(Scale);
    places.filter(|places| *places <= decimal::MOST_SCALE)
}

/// How a column of a type is declared. A decimal has fifteen digits, which are kept exactly.
pub(super) fn declaration(ty: Type) -> String {
    match ty {
        Type::Blank => String::new(),
        Type::Text => "TEXT".into(),
        Type::Integer => "INTEGER".into(),
        Type::Decimal(places) => format!("DECIMAL({}, {})", places.0.max(DIGITS), places.0),
        Type::Number => "REAL".into(),
        Type::Date => "DATE".into(),
        Type::DateTime => "DATETIME".into(),
        Type::Boolean => "BOOLEAN".into(),
    }
}
