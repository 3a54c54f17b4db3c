//! What one row is: whether a grain holds, which keys break it, and which sets of columns could be
//! one.

mod candidates;
mod groups;
mod versions;

pub(crate) use candidates::{Candidate, Grouping, Near, VERSION, search};
pub(crate) use versions::differing;

use std::collections::BTreeMap;

use crate::link::{BlankKeys, KeyTable, Keys};
use crate::table::Column;

/// Keys are listed up to this many.
pub(crate) const EXAMPLES: usize = 5;

/// What breaks a grain.
#[derive(Debug, Default)]
pub(crate) struct Broken {
    pub repeated: u64,
    pub repeated_rows: u64,
    pub blank: u64,
    /// The first keys that repeat: the key in words, and its rows.
    pub examples: Vec<(String, Vec<u32>)>,
    pub blank_rows: Vec<u32>,
}

/// Looks for repeated and blank keys. Uniqueness need not be looked at where it is known.
pub(crate) fn broken(columns: Vec<Column>, rows: usize, unique: bool) -> Option<Broken> {
    let keys = Keys::new(columns, BlankKeys::Apart, rows);
    let mut broken = Broken { blank: keys.absent() as u64, ..Broken::default() };
    if broken.blank > 0 {
        let blank = (0..rows).filter(|row| !keys.has_key(*row));
        broken.blank_rows = blank.take(EXAMPLES).map(|row| row as u32).collect();
    }
    if !unique && !keys.increase() {
        let table = KeyTable::build(&keys);
        let repeats = repeated(&table);
        broken.repeated = repeats.len() as u64;
        broken.repeated_rows = repeats.values().map(|rows| rows.len() as u64).sum();
        broken.examples = examples(&keys, &repeats);
    }
    (broken.blank > 0 || broken.repeated > 0).then_some(broken)
}

/// All rows of the keys that stand on several, by the first of them.
pub(crate) fn repeated(table: &KeyTable) -> BTreeMap<u32, Vec<u32>> {
    let mut groups: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for (row, first) in &table.repeats {
        groups.entry(*first).or_insert_with(|| vec![*first]).push(*row);
    }
    groups
}

/// The first repeated keys in words, with their rows.
pub(crate) fn examples(keys: &Keys, repeats: &BTreeMap<u32, Vec<u32>>) -> Vec<(String, Vec<u32>)> {
    let first = repeats.iter().take(EXAMPLES);
    first.map(|(row, rows)| (key_text(keys, *row as usize), rows.clone())).collect()
}

/// A row's key in words: its values joined by `/`.
pub(crate) fn key_text(keys: &Keys, row: usize) -> String {
    let words = keys.values(row).into_iter().map(|value| match value.to_string() {
        // Spaces around a key are what is wrong with it more often than not.
        text if text.trim() != text => format!("\"{text}\""),
        text => text,
    });
    words.collect::<Vec<_>>().join("/")
}
