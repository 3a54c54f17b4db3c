//! The tables that are related: each is surveyed once.

use rayon::prelude::*;

use super::{KeyCount, Related, Subject};
use crate::port::{Declared, Observer, SourceError};
use crate::survey::{Space, Survey, Surveyed, surveyed};
use crate::table::Room;

/// Where there is so many times as much memory as files have bytes, several are read at once.
const SEVERAL: u64 = 16;

/// The tables, each surveyed within its share of the memory.
///
/// # Errors
/// Why a file cannot be read, or what has no room in memory cannot be put away: of the first of several tables.
pub(super) fn subjects(
    tables: Vec<Related<'_>>,
    room: &Room,
    observer: &dyn Observer,
) -> Result<Vec<Subject>, SourceError> {
    let mut bytes: u64 = tables.iter().map(own_bytes).sum();
    let share = |left: u64, own: u64, bytes: u64| {
        (u128::from(left) * u128::from(own) / u128::from(bytes.max(own))) as u64
    };
    if bytes.saturating_mul(SEVERAL) <= room.limit() {
        // Of what comes through a pipe nobody knows how much there will be.
        let known = tables.iter().all(|table| table.source.bytes() > 0);
        observer.stage(&reading(&tables), if known { bytes } else { 0 });
        let read = tables.into_par_iter().map(|table| {
            let limit = share(room.limit(), own_bytes(&table), bytes);
            subject(table, Space { room, limit }, &Beside(observer))
        });
        // All of them, so that it is the first that fails, whichever was read first.
        let read: Vec<Result<Subject, SourceError>> = read.collect();
        return read.into_iter().collect();
    }
    let mut subjects: Vec<Subject> = vec![];
    for table in tables {
        // What those before have left, by the bytes of those that are to come.
        let held: u64 = subjects.iter().map(|subject| subject.read.coded.bytes_held()).sum();
        let own = own_bytes(&table);
        let limit = share(room.limit().saturating_sub(held), own, bytes);
        bytes = bytes.saturating_sub(own);
        subjects.push(subject(table, Space { room, limit }, observer)?);
    }
    Ok(subjects)
}

fn own_bytes(table: &Related<'_>) -> u64 {
    table.source.bytes().max(1)
}

fn reading(tables: &[Related<'_>]) -> String {
    match tables {
        [one] => format!("reading {}", one.files.join(", ")),
        several => {
            let files: usize = several.iter().map(|table| table.files.len()).sum();
            format!("reading {files} files")
        }
    }
}

/// One of several that are read at once: they have a stage together.
struct Beside<'a>(&'a dyn Observer);

impl Observer for Beside<'_> {
    fn stage(&self, _: &str, _: u64) {}

    fn advance(&self, done: u64) {
        self.0.advance(done);
    }
}

/// A table and what one row of it is, once versions of one thing are made one.
fn subject(
    table: Related<'_>,
    space: Space<'_>,
    observer: &dyn Observer,
) -> Result<Subject, SourceError> {
    let read = surveyed(table.source, table.files, space, observer)?;
    Ok(keyed(table.name, read, table.source.declared()))
}

fn keyed(name: String, read: Surveyed, declared: Declared) -> Subject {
    let survey = &read.survey;
    let versions = survey.duplicates.versions.as_ref().filter(|versions| !versions.unlike);
    let unique = survey.grain.unique.first();
    let named = versions.map(|versions| &versions.key).or(unique).cloned().unwrap_or_default();
    // A database may declare a key that is blank on some rows.
    let keys = if declared.key.is_empty() { key_count(survey, &named) } else { None };
    let at = |name: &String| survey.columns.iter().position(|column| column.name == *name);
    let key = named.iter().filter_map(at).collect();
    let dedupe = survey.duplicates.dedupe.clone();
    Subject { name, read, key, keys, dedupe, declared }
}

/// What a survey has counted of a key; nothing where it found it neither unique nor nearly so.
fn key_count(survey: &Survey, key: &[String]) -> Option<KeyCount> {
    let breaks = if survey.grain.unique.iter().any(|unique| unique == key) {
        0
    } else {
        let near = survey.grain.nearly.iter().find(|near| near.columns == key)?;
        near.repeating + near.blank
    };
    let twice = breaks + survey.duplicates.copies;
    Some(KeyCount { distinct: survey.rows - twice, repeat: twice > 0 })
}
