//! The table of a column's keys, and the link index that is made from it.

use arrow_array::{Array, UInt32Array};
use arrow_buffer::NullBuffer;
use hashbrown::HashTable;
use rayon::prelude::*;

use super::key::Keys;

/// For each row the row it leads to; blank where it leads nowhere.
pub(crate) type LinkIndex = UInt32Array;

/// The first row of each key.
///
/// Keys are split by their hash into parts that fit a core's cache; each part is one small hash
/// table of row numbers, filled in row order. Which row is the first does not depend on threads.
#[derive(Debug)]
pub(crate) struct KeyTable {
    parts: Vec<HashTable<Entry>>,
    shift: u32,
    /// Rows whose key an earlier row has, with that earlier row; in row order.
    pub repeats: Repeats,
}

/// A row number, and enough of its hash to look at the key only when it is nearly surely equal.
#[derive(Debug, Clone, Copy)]
struct Entry {
    tag: u32,
    row: u32,
}

/// Rows whose key an earlier row has, with that earlier row.
type Repeats = Vec<(u32, u32)>;

/// Keys in one part, about.
const PART: usize = 1 << 15;

impl KeyTable {
    /// Finds the first row of each key of `keys`. Rows without a key are left out.
    pub fn build(keys: &Keys) -> Self {
        let hashes = keys.hashes();
        let count = (keys.rows() / PART).next_power_of_two().min(1 << 10);
        let shift = 64 - count.trailing_zeros();
        let part_of = |hash: u64| hash.checked_shr(shift).unwrap_or(0) as usize;
        let run = keys.rows().div_ceil(rayon::current_num_threads() * 4).max(PART);
        let runs: Vec<Vec<Vec<u32>>> = hashes
            .par_chunks(run)
            .enumerate()
            .map(|(at, hashes)| {
                let mut parts = vec![Vec::with_capacity(hashes.len() / count * 5 / 4 + 8); count];
                for (offset, hash) in hashes.iter().enumerate() {
                    let row = at * run + offset;
                    if keys.has_key(row) {
                        parts[part_of(*hash)].push(row as u32);
                    }
                }
                parts
            })
            .collect();
        let built: Vec<(HashTable<Entry>, Repeats)> = (0..count)
            .into_par_iter()
            .map(|part| {
                let size = runs.iter().map(|parts| parts[part].len()).sum();
                let mut table = HashTable::with_capacity(size);
                let mut repeats = vec![];
                for row in runs.iter().flat_map(|parts| &parts[part]) {
                    let hash = hashes[*row as usize];
                    let tag = hash as u32;
                    let same = |entry: &Entry| {
                        entry.tag == tag && keys.equal(*row as usize, keys, entry.row as usize)
                    };
                    match table.find(bucket(hash), same) {
                        Some(first) => repeats.push((*row, first.row)),
                        None => {
                            table.insert_unique(bucket(hash), Entry { tag, row: *row }, |entry| {
                                bucket(hashes[entry.row as usize])
                            });
                        }
                    }
                }
                (table, repeats)
            })
            .collect();
        let (parts, repeats): (Vec<_>, Vec<_>) = built.into_iter().unzip();
        let mut repeats: Repeats = repeats.into_iter().flatten().collect();
        repeats.par_sort_unstable();
        Self { parts, shift, repeats }
    }

    /// The first row of the table's keys whose key equals that of `row` in `other`.
    fn find(&self, keys: &Keys, hash: u64, other: &Keys, row: usize) -> Option<u32> {
        let part = &self.parts[hash.checked_shr(self.shift).unwrap_or(0) as usize];
        let tag = hash as u32;
        let same = |entry: &Entry| entry.tag == tag && other.equal(row, keys, entry.row as usize);
        part.find(bucket(hash), same).map(|entry| entry.row)
    }

    /// The link index from the rows of `from` to the rows of `keys`, which this table was built
    /// from: for each row the first row with an equal key.
    pub fn link(&self, keys: &Keys, from: &Keys) -> LinkIndex {
        const RUN: usize = 1 << 14;
        let runs: Vec<(Vec<u32>, Vec<bool>)> = (0..from.rows().div_ceil(RUN))
            .into_par_iter()
            .map(|run| {
                let first = run * RUN;
                let length = RUN.min(from.rows() - first);
                let mut hashes = vec![0; length];
                from.hash_run(first, &mut hashes);
                let mut rows: Vec<u32> = Vec::with_capacity(length);
                let mut found: Vec<bool> = Vec::with_capacity(length);
                for offset in 0..length {
                    let row = first + offset;
                    let to = if !from.has_key(row) {
                        None
                    } else if offset > 0
                        && hashes[offset] == hashes[offset - 1]
                        && from.has_key(row - 1)
                        && from.equal(row, from, row - 1)
                    {
                        // Lines of one order mostly stand together.
                        found[offset - 1].then(|| rows[offset - 1])
                    } else {
                        self.find(keys, hashes[offset], from, row)
                    };
                    rows.push(to.unwrap_or(0));
                    found.push(to.is_some());
                }
                (rows, found)
            })
            .collect();
        let mut rows = Vec::with_capacity(from.rows());
        let mut found = Vec::with_capacity(from.rows());
        for (run_rows, run_found) in runs {
            rows.extend_from_slice(&run_rows);
            found.extend_from_slice(&run_found);
        }
        UInt32Array::new(rows.into(), Some(NullBuffer::from(found)))
    }
}

/// Parts are told apart by the highest bits and entries by the lowest; the place in a part's table
/// comes from all of them, stirred.
fn bucket(hash: u64) -> u64 {
    hash.wrapping_mul(0x9E37_79B9_7F4A_7C15).rotate_left(29)
}

/// Where a path of links leads: the rows that `link` gives for `rows`, blank where either is.
pub(crate) fn follow(rows: &UInt32Array, link: &LinkIndex) -> UInt32Array {
    let targets = link.values();
    let (from, from_nulls) = (rows.values(), rows.nulls());
    let mut to = Vec::with_capacity(rows.len());
    let mut found = Vec::with_capacity(rows.len());
    for (at, row) in from.iter().enumerate() {
        let there = from_nulls.is_none_or(|nulls| nulls.is_valid(at));
        let row = if there { *row as usize } else { 0 };
        let leads = there && link.is_valid(row);
        to.push(if leads { targets[row] } else { 0 });
        found.push(leads);
    }
    UInt32Array::new(to.into(), Some(NullBuffer::from(found)))
}
