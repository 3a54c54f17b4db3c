//! The different keys of a link's target, run by run: they are never all held.

use std::borrow::Cow;
use std::collections::HashSet;
use std::hash::Hasher;

use rayon::prelude::*;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::Key;
use crate::link::{Keys, repeated};
use crate::table::{Bits, Column, PIECE, Rows};

/// Fingerprints that are held at once take this part of the memory that there is.
const PART: u64 = 16;

/// The parts of a key as texts.
pub(super) type Parts<'k> = [Cow<'k, str>];

/// Which keys of the target.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Which {
    All,
    /// Those that some row of the source leads to.
    Met,
}

/// The keys of the target of a link, each once.
pub(super) struct Target<'a> {
    keys: &'a Keys,
    /// The first row of each key.
    first: Bits,
    /// Those of them that rows of the source lead to.
    met: Bits,
}

impl<'a> Target<'a> {
    /// The keys that `index` leads to, which it does to the first row of each.
    pub fn new(keys: &'a Keys, index: &Rows) -> Self {
        let rows = keys.rows();
        let later = Bits::of(rows, repeated(keys).into_iter().map(|(row, _)| row));
        let first = &Bits::collect(rows, |row| keys.has_key(row)) & &!&later;
        Self { keys, first, met: index.among(rows) }
    }

    /// How many keys there are.
    pub fn len(&self) -> usize {
        self.first.count()
    }

    /// How many of them some row of the source leads to.
    pub fn met_count(&self) -> usize {
        self.met.count()
    }

    /// Whether some row of the source leads to a row.
    pub fn is_met(&self, row: usize) -> bool {
        self.met.value(row)
    }

    /// The first key that nothing leads to.
    pub fn first_unmet(&self) -> Option<Key> {
        let row = (&self.first & &!&self.met).rows().next()?;
        Some(self.key(row))
    }

    /// Of `step` keys the first, up to a number of them.
    pub fn every(&self, step: usize, most: usize) -> Vec<Key> {
        self.first.rows().step_by(step).take(most).map(|row| self.key(row)).collect()
    }

    fn key(&self, row: usize) -> Key {
        self.keys.values(row).into_iter().map(|value| value.to_string()).collect()
    }

    fn runs(&self) -> impl ParallelIterator<Item = (usize, usize)> {
        let rows = self.keys.rows();
        (0..rows.div_ceil(PIECE)).into_par_iter().map(move |at| {
            let first = at * PIECE;
            (first, PIECE.min(rows - first))
        })
    }

    fn rows(&self, which: Which) -> &Bits {
        match which {
            Which::All => &self.first,
            Which::Met => &self.met,
        }
    }

    /// What `see` makes of the keys of each run, in the order of the runs; `start` is that of none.
    pub fn seen<T: Send>(
        &self,
        start: impl Fn() -> T + Sync,
        see: impl Fn(&mut T, usize, &Parts<'_>) + Sync,
    ) -> Vec<T> {
        let run = |(first, length)| {
            let mut all = start();
            let rows = self.first.slice(first, length);
            each_part(&self.keys.slice(first, length), rows.rows(), |row, parts| {
                see(&mut all, first + row, parts);
            });
            all
        };
        self.runs().map(run).collect()
    }

    /// What `of` makes of keys, in their order.
    pub fn collected<T: Send>(&self, of: impl Fn(&Parts<'_>) -> Option<T> + Sync) -> Vec<T> {
        self.seen(Vec::new, |all, _, parts| all.extend(of(parts))).into_iter().flatten().collect()
    }

    /// Whether any key is so.
    pub fn any(&self, which: Which, is: impl Fn(&Parts<'_>) -> bool + Sync) -> bool {
        self.runs().any(|(first, length)| {
            let rows = self.rows(which).slice(first, length);
            let mut any = false;
            let rows = rows.rows();
            each_part(&self.keys.slice(first, length), rows, |_, parts| any = any || is(parts));
            any
        })
    }

    /// Those of some fingerprints that are one of a key, which `of` makes.
    pub fn known(
        &self,
        wanted: &HashSet<u128>,
        of: impl Fn(&Parts<'_>) -> Option<u128> + Sync,
    ) -> HashSet<u128> {
        if wanted.is_empty() {
            return HashSet::new();
        }
        let known = |parts: &Parts<'_>| of(parts).filter(|print| wanted.contains(print));
        self.collected(known).into_iter().collect()
    }

    /// How many keys have a fingerprint that another has as well. Of more than memory has room for, they are looked at
    /// several times, a part of them at a time.
    pub fn shared(&self, of: impl Fn(&Parts<'_>) -> Option<u128> + Sync) -> u64 {
        let bytes = (self.len() * size_of::<u128>()) as u64;
        let room = self.keys.file().map_or(u64::MAX, |file| file.room().limit() / PART);
        let times = u128::from(bytes.div_ceil(room.max(1)).clamp(1, 256));
        let shared = |time: u128| {
            let mut prints =
                self.collected(|parts| of(parts).filter(|print| print % times == time));
            prints.par_sort_unstable();
            let alike = prints.chunk_by(|a, b| a == b).filter(|alike| alike.len() > 1);
            alike.map(|alike| alike.len() as u64).sum::<u64>()
        };
        (0..times).map(shared).sum()
    }
}

/// Shows each of some rows of keys as its parts.
pub(super) fn each_part<'k>(
    keys: &'k Keys,
    rows: impl Iterator<Item = usize>,
    mut show: impl FnMut(usize, &Parts<'k>),
) {
    let mut parts: Vec<Cow<'k, str>> = vec![];
    for row in rows {
        parts.clear();
        parts.extend(keys.columns().iter().map(|column| match column {
            Column::Text(_) => Cow::Borrowed(column.text(row).unwrap_or_default()),
            other => Cow::Owned(other.scalar(row).to_string()),
        }));
        show(row, &parts);
    }
}

/// A key of its own.
pub(super) fn owned(parts: &Parts<'_>) -> Key {
    parts.iter().map(ToString::to_string).collect()
}

/// The fingerprint of a key: of a billion, two share one with odds below 10⁻²⁰.
pub(super) fn print<S: AsRef<str>>(parts: impl IntoIterator<Item = S>) -> u128 {
    let mut hasher = SipHasher13::new();
    for part in parts {
        let text = part.as_ref();
        hasher.write_usize(text.len());
        hasher.write(text.as_bytes());
    }
    hasher.finish128().as_u128()
}
