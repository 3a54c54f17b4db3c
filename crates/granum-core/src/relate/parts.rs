//! Tables that are parts of one: two systems' orders, of nearly the same columns, and keys that another
//! table needs both of.

use std::collections::HashSet;

use serde::Serialize;

use super::Subject;
use super::meet::Asked;
use crate::survey::CodedColumn;
use crate::survey::names::bare;

/// Of their columns so many in a hundred are common to both.
const COMMON: usize = 60;

/// Of their keys at most so many in a hundred are in both.
const OVERLAP: u64 = 10;

/// Of a third table's keys so many in a hundred are met by both together, and not by one alone.
const COVERED: u64 = 90;

/// Values whose form is looked at.
const FORMS: usize = 200;

/// Two tables that are parts of one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundParts {
    /// The tables.
    pub tables: (String, String),
    /// Their key.
    pub key: String,
    /// The table whose keys are met by both together, and its column.
    pub met_from: (String, String),
}

/// All pairs of such tables.
pub(super) fn parts(subjects: &[Subject]) -> Vec<FoundParts> {
    let mut found = vec![];
    for (at, one) in subjects.iter().enumerate() {
        for other in &subjects[at + 1..] {
            found.extend(pair(subjects, one, other));
        }
    }
    found
}

fn key_of(subject: &Subject) -> Option<&CodedColumn> {
    match subject.key.as_slice() {
        [key] => Some(&subject.read.coded.columns[*key]),
        _ => None,
    }
}

/// The forms of a column's values: digits and letters as such, with how they follow each other.
fn forms(column: &CodedColumn) -> HashSet<String> {
    let form = |value: &str| {
        let mut form = String::new();
        for letter in value.chars() {
            let kind = match letter {
                '0'..='9' => '9',
                letter if letter.is_alphabetic() => 'a',
                other => other,
            };
            if !form.ends_with(kind) {
                form.push(kind);
            }
        }
        form
    };
    column.dictionary.values().take(FORMS).map(|(value, ..)| form(value)).collect()
}

fn pair(subjects: &[Subject], one: &Subject, other: &Subject) -> Option<FoundParts> {
    let (a, b) = (key_of(one)?, key_of(other)?);
    if bare(&a.name) != bare(&b.name) {
        return None;
    }
    let names = |subject: &Subject| -> HashSet<String> {
        subject.read.coded.columns.iter().map(|column| bare(&column.name)).collect()
    };
    let (own, others) = (names(one), names(other));
    let common = own.intersection(&others).count();
    if common < 2 || common * 100 < own.len().max(others.len()) * COMMON {
        return None;
    }
    let halved = a.dictionary.halved().max(b.dictionary.halved());
    let asked = [a, b].map(|column| Asked::new(&column.dictionary, halved));
    let both = asked[0].find_in(&b.dictionary).iter().flatten().count();
    let least = asked[0].len().min(asked[1].len()) as u64;
    if both as u64 * 100 > least * OVERLAP || forms(a).is_disjoint(&forms(b)) {
        return None;
    }
    let met_from = subjects.iter().find_map(|third| {
        let own = [&one.name, &other.name];
        let mut columns = third.read.coded.columns.iter().filter(|_| !own.contains(&&third.name));
        let column = columns.find(|column| needs_both(column, a, b))?;
        Some((third.name.clone(), column.name.clone()))
    })?;
    let tables = (one.name.clone(), other.name.clone());
    Some(FoundParts { tables, key: a.name.clone(), met_from })
}

/// Whether a column's values are met by both together, and by none of them alone.
fn needs_both(column: &CodedColumn, a: &CodedColumn, b: &CodedColumn) -> bool {
    let halved = [column, a, b].map(|column| column.dictionary.halved()).into_iter().max();
    let asked = Asked::new(&column.dictionary, halved.unwrap_or_default());
    let all = asked.len() as u64;
    let met = [a, b].map(|target| asked.find_in(&target.dictionary));
    let (mut by_a, mut by_b, mut by_any) = (0, 0, 0);
    for (in_a, in_b) in met[0].iter().zip(&met[1]) {
        let (in_a, in_b) = (in_a.is_some(), in_b.is_some());
        by_a += u64::from(in_a);
        by_b += u64::from(in_b);
        by_any += u64::from(in_a || in_b);
    }
    let covers = |count: u64| all > 0 && count * 100 >= all * COVERED;
    covers(by_any) && !covers(by_a) && !covers(by_b)
}
