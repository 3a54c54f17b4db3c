//! Keys that stand on several rows, and keys in words.

use std::collections::BTreeMap;

use super::index::{self, Repeated};
use super::{Keys, away};
use crate::table::Rows;

/// Keys are listed up to this many.
pub(crate) const EXAMPLES: usize = 5;

/// The rows of `keys` whose key an earlier row has, with the first that has it, in row order.
pub(crate) fn repeated(keys: &Keys) -> Repeated {
    if keys.is_away() { away::repeated(keys) } else { index::repeated(keys) }
}

/// Keys that stand on several rows.
#[derive(Debug, Default)]
pub(crate) struct Repeats {
    /// All rows of each, by the first of them.
    rows: BTreeMap<u32, Vec<u32>>,
}

impl Repeats {
    /// Those of the rows whose key an earlier row has.
    pub fn of(repeated: &[(u32, u32)]) -> Self {
        let mut rows: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for (row, first) in repeated {
            rows.entry(*first).or_insert_with(|| vec![*first]).push(*row);
        }
        Self { rows }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// How many keys.
    pub fn keys(&self) -> u64 {
        self.rows.len() as u64
    }

    /// How many rows have one of them.
    pub fn rows(&self) -> u64 {
        self.rows.values().map(|rows| rows.len() as u64).sum()
    }

    /// How many rows lead to one of them by `index`, and how many pairs with its rows they make.
    pub fn pairs(&self, index: &Rows) -> (u64, u64) {
        let (mut rows, mut pairs) = (0, 0);
        for to in index.numbers() {
            if let Some(same) = self.rows.get(&to) {
                rows += 1;
                pairs += same.len() as u64;
            }
        }
        (rows, pairs)
    }

    /// The first of them in words, with their rows.
    pub fn examples(&self, keys: &Keys) -> Vec<(String, Vec<u32>)> {
        let first = self.rows.iter().take(EXAMPLES);
        first.map(|(row, rows)| (key_text(keys, *row as usize), rows.clone())).collect()
    }
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
