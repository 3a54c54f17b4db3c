//! What a mend does to the whole link.

use std::collections::HashSet;

use super::Search;
use super::target::{Parts, Which, print};
use crate::link::mend::{Change, changed, expression, pair_words};

/// How many rows a mend wins, how many of their keys, and how many keys of the target it would make one.
pub(super) struct Measured {
    pub rows: u64,
    pub distinct: u64,
    pub merged: u64,
}

/// Changes of both sides of a link, for each column of the key.
pub(in crate::link) struct Mend {
    pub left: Vec<Vec<Change>>,
    pub right: Vec<Vec<Change>>,
}

impl Mend {
    pub fn none(columns: usize) -> Self {
        Self { left: vec![vec![]; columns], right: vec![vec![]; columns] }
    }

    /// The keys to write.
    pub fn words(&self, words: &[(String, String)]) -> String {
        let keys = words.iter().enumerate().map(|(at, (left, right))| {
            pair_words(&expression(&self.left[at], left), &expression(&self.right[at], right))
        });
        keys.collect::<Vec<_>>().join(", ")
    }
}

/// The fingerprint of a key after the changes of its side; nothing where a part of it is blank then.
fn after<S: AsRef<str>>(changes: &[Vec<Change>], key: &[S]) -> Option<u128> {
    let mut blank = false;
    let parts = key.iter().zip(changes).map(|(part, changes)| {
        let part = changed(changes, part.as_ref());
        blank |= part.is_none();
        part.unwrap_or_default()
    });
    let print = print(parts);
    (!blank).then_some(print)
}

impl Search<'_> {
    /// What a mend does; nothing where it would lose or change a match.
    pub fn measure(&self, mend: &Mend) -> Option<Measured> {
        let right = |parts: &Parts<'_>| after(&mend.right, parts);
        // A key that matches is the same text on both sides, and has to be after the changes of each.
        let parted = |parts: &Parts<'_>| {
            let left = after(&mend.left, parts);
            left.is_none() || left != right(parts)
        };
        if self.target.any(Which::Met, parted) {
            return None;
        }
        let left: Vec<(Option<u128>, u64)> =
            self.keys.iter().map(|(key, rows)| (after(&mend.left, key), *rows)).collect();
        let wanted: HashSet<u128> = left.iter().filter_map(|(print, _)| *print).collect();
        let known = self.target.known(&wanted, right);
        let won =
            left.iter().filter(|(print, _)| print.is_some_and(|print| known.contains(&print)));
        let (mut rows, mut distinct) = (0, 0);
        won.for_each(|(_, more)| (rows, distinct) = (rows + more, distinct + 1));
        // Keys that stay as they are stay different.
        let changes = mend.right.iter().any(|changes| !changes.is_empty());
        let merged = if changes { self.target.shared(right) } else { 0 };
        if let Some(confirm) = self.confirm {
            rows = confirm(mend)?;
        }
        (rows > 0).then_some(Measured { rows, distinct, merged })
    }
}
