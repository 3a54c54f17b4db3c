//! Keys that are away: rows are sent by fingerprints of their keys into parts on a disk, and each part is looked at by
//! itself.
//!
//! Equal keys have equal fingerprints, so they come into one part. Two different keys of a billion share one of 128 bits
//! with odds below 10⁻²⁰, as those of `dedupe`: what is found is not compared again.

use std::hash::Hasher;
use std::sync::Arc;

use rayon::prelude::*;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::Keys;
use super::index::{Repeated, in_order};
use crate::bug::bug;
use crate::table::{Column, PIECE, Room, RoomFile, Rows, Scattered};

/// Rows of one part, about, and how many parts there are at most.
const PART: usize = if cfg!(test) { 1 << 3 } else { 1 << 15 };
const PARTS: usize = 1 << 10;

/// Entries that wait in memory until they go to their part: of one, and of all together.
const WAITING: usize = if cfg!(test) { 3 } else { 1 << 9 };
const WAITING_IN_ALL: usize = 1 << 17;

/// What is found goes back into the order of rows by so many runs of them at most: of each part some go into each.
const RUNS: usize = if cfg!(test) { 3 } else { 1 << 6 };

/// Bytes of an entry: a fingerprint and a row.
const ENTRY: usize = 20;

/// A row, with the fingerprint of its key before it.
type Entry = (u128, u32);

/// The rows whose key an earlier row has, with the first that has it, in row order.
pub(super) fn repeated(keys: &Keys) -> Repeated {
    let Some(file) = keys.file() else { bug("keys that are here are sent into parts") };
    let parts = Parts::of(keys, count(keys.rows()), file.room());
    let repeats = |part: usize| repeats(&parts.sorted(part).all);
    in_order((0..parts.len()).into_par_iter().map(repeats).collect())
}

/// For each row of `from` the first row of `keys` with an equal key; and the rows of `keys` whose key an earlier one
/// has, as [`repeated`] gives them.
pub(super) fn link(from: &Keys, keys: &Keys) -> (Rows, Repeated) {
    link_and(from, keys, repeats)
}

/// Only where they lead.
pub(super) fn lead(from: &Keys, keys: &Keys) -> Rows {
    link_and(from, keys, |_| vec![]).0
}

/// Where they lead, and what `beside` makes of the entries of `keys` in each part.
fn link_and(
    from: &Keys,
    keys: &Keys,
    beside: impl Fn(&[Entry]) -> Repeated + Sync,
) -> (Rows, Repeated) {
    let Some(file) = keys.file() else { bug("keys that are here are sent into parts") };
    let count = count(from.rows().max(keys.rows()));
    let parts_of = |keys| Parts::of(keys, count, file.room());
    let (from_parts, parts) = rayon::join(|| parts_of(from), || parts_of(keys));
    // Where rows lead, by the runs that they stand in.
    let span = PIECE * from.rows().div_ceil(PIECE).div_ceil(RUNS).max(1);
    let mut windows = Scattered::new(file.room(), from.rows().div_ceil(span));
    let mut repeated = vec![];
    let at_a_time = rayon::current_num_threads();
    for first in (0..count).step_by(at_a_time) {
        let linked = (first..count.min(first + at_a_time)).into_par_iter().map(|part| {
            let entries = parts.sorted(part);
            (led(&from_parts.entries(part), &entries), beside(&entries.all))
        });
        for (led, repeats) in linked.collect::<Vec<_>>() {
            let to: Vec<u32> = led.iter().map(|(row, _)| row / span as u32).collect();
            let (rows, led_to): (Vec<u32>, Vec<u32>) = led.into_iter().unzip();
            windows.send(&[Rows::from(rows).column(), Rows::from(led_to).column()], &to);
            repeated.push(repeats);
        }
    }
    let away = keys.file_for_led(from.rows());
    let window = |at: usize| {
        let first = at * span;
        let mut rows = vec![None; span.min(from.rows() - first)];
        for lot in windows.lots(at) {
            for (row, to) in (0..lot[0].len()).map(|at| (lot[0].units(at), lot[1].units(at))) {
                // What could not be got is somewhere else.
                if let Some(place) = rows.get_mut((row as usize).wrapping_sub(first)) {
                    *place = Some(to as u32);
                }
            }
        }
        let rows = Rows::from(rows).packed();
        away.as_ref().map_or(rows.clone(), |file| rows.away(file))
    };
    let rows = Rows::joined((0..windows.parts()).into_par_iter().map(window).collect());
    (rows, in_order(repeated))
}

fn count(rows: usize) -> usize {
    rows.div_ceil(PART).next_power_of_two().min(PARTS)
}

/// Of entries in order, those behind the first of each fingerprint: their rows, each with the row of the first.
fn repeats(entries: &[Entry]) -> Repeated {
    let runs = entries.chunk_by(|a, b| a.0 == b.0);
    runs.flat_map(|run| run[1..].iter().map(|(_, row)| (*row, run[0].1))).collect()
}

/// The rows of entries, each with the first row of the others that has its fingerprint.
fn led(from: &[Entry], to: &Sorted) -> Vec<(u32, u32)> {
    from.iter().filter_map(|(key, row)| Some((*row, to.first(*key)?))).collect()
}

/// The entries of a part by their fingerprints, those of one fingerprint by their rows.
struct Sorted {
    all: Vec<Entry>,
    /// Where those begin that have equal bits behind those of the part; in the end how many there are.
    starts: Vec<u32>,
    /// How many bits say which part it is.
    part_bits: u32,
}

impl Sorted {
    /// Fingerprints are spread evenly, so that a few bits of them say nearly where they come.
    fn of(entries: &[Entry], part_bits: u32) -> Self {
        let runs = entries.len().max(1).next_power_of_two();
        let mut sorted = Self { all: vec![], starts: vec![0; runs + 1], part_bits };
        entries.iter().for_each(|(key, _)| {
            let run = sorted.run(*key);
            sorted.starts[run + 1] += 1;
        });
        (0..runs).for_each(|run| sorted.starts[run + 1] += sorted.starts[run]);
        let mut next = sorted.starts.clone();
        let mut all = vec![(0, 0); entries.len()];
        for entry in entries {
            let next = &mut next[sorted.run(entry.0)];
            all[*next as usize] = *entry;
            *next += 1;
        }
        for run in sorted.starts.windows(2) {
            let own = &mut all[run[0] as usize..run[1] as usize];
            if own.len() > 1 {
                own.sort_unstable();
            }
        }
        Self { all, ..sorted }
    }

    /// Which of its runs a fingerprint is in.
    fn run(&self, key: u128) -> usize {
        let runs = self.starts.len() - 1;
        let own = (key << self.part_bits >> 64) as u64;
        own.checked_shr(64 - runs.trailing_zeros()).unwrap_or(0) as usize
    }

    /// The first row that has a fingerprint.
    fn first(&self, key: u128) -> Option<u32> {
        let run = self.run(key);
        let own = &self.all[self.starts[run] as usize..self.starts[run + 1] as usize];
        let (found, row) = own.get(own.partition_point(|(other, _)| *other < key))?;
        (*found == key).then_some(*row)
    }
}

/// The rows of keys in parts by the highest bits of their fingerprints, on a disk. Rows without a key are left out.
struct Parts {
    file: Arc<RoomFile>,
    /// By part: where its entries are, and how many bytes, one lot behind the other.
    lots: Vec<Vec<(u64, usize)>>,
}

impl Parts {
    fn of(keys: &Keys, count: usize, room: &Room) -> Self {
        let mut parts = Self { file: room.file(), lots: vec![vec![]; count] };
        let mut waiting: Vec<Vec<u8>> = vec![vec![]; count];
        let most = WAITING.min(WAITING_IN_ALL / count) * ENTRY;
        let shift = 128 - count.trailing_zeros();
        let runs: Vec<usize> = (0..keys.rows()).step_by(PIECE).collect();
        for some in runs.chunks(rayon::current_num_threads()) {
            let printed = some.into_par_iter().map(|first| {
                let run = keys.slice(*first, PIECE.min(keys.rows() - first));
                (run.has_keys(), fingerprints(&run))
            });
            let printed: Vec<_> = printed.collect();
            for (first, (has, prints)) in some.iter().zip(printed) {
                for (offset, print) in prints.into_iter().enumerate() {
                    if has.as_ref().is_some_and(|has| !has.has(offset)) {
                        continue;
                    }
                    let part = print.checked_shr(shift).unwrap_or(0) as usize;
                    waiting[part].extend(print.to_le_bytes());
                    waiting[part].extend(((first + offset) as u32).to_le_bytes());
                    if waiting[part].len() >= most {
                        parts.put(part, &mut waiting[part]);
                    }
                }
            }
        }
        for (part, mut waiting) in waiting.into_iter().enumerate() {
            parts.put(part, &mut waiting);
        }
        parts
    }

    fn put(&mut self, part: usize, entries: &mut Vec<u8>) {
        if !entries.is_empty() {
            self.lots[part].push((self.file.put(entries), entries.len()));
            entries.clear();
        }
    }

    fn len(&self) -> usize {
        self.lots.len()
    }

    /// The entries of a part in order.
    fn sorted(&self, part: usize) -> Sorted {
        Sorted::of(&self.entries(part), self.len().trailing_zeros())
    }

    /// The entries of a part by their rows; none that cannot be got, which the room notes.
    fn entries(&self, part: usize) -> Vec<Entry> {
        let bytes: usize = self.lots[part].iter().map(|(_, length)| length).sum();
        let mut entries = Vec::with_capacity(bytes / ENTRY);
        for (at, length) in &self.lots[part] {
            let bytes = self.file.get(*at, *length).unwrap_or_default();
            let (lot, _) = bytes.as_chunks::<ENTRY>();
            entries.extend(lot.iter().map(|entry| {
                let number = u32::from_le_bytes([entry[16], entry[17], entry[18], entry[19]]);
                (entry[..16].try_into().map_or(0, u128::from_le_bytes), number)
            }));
        }
        entries
    }
}

/// The fingerprints of keys that are here: of a billion different ones, two share one with odds below 10⁻²⁰.
pub(crate) fn fingerprints(keys: &Keys) -> Vec<u128> {
    let mut prints = vec![0; keys.rows()];
    keys.columns().iter().for_each(|column| stir(column, &mut prints));
    prints
}

/// Stirs each row's value into its fingerprint: the type, then the value; of a blank nothing.
fn stir(column: &Column, prints: &mut [u128]) {
    for (row, print) in prints.iter_mut().enumerate() {
        let mut hasher = SipHasher13::new();
        hasher.write_u128(*print);
        if !column.is_blank(row) {
            match column {
                Column::Blank(_) => {}
                Column::Text(array) => {
                    hasher.write_u8(1);
                    hasher.write(array.value(row).as_bytes());
                }
                Column::Integer(array) => {
                    hasher.write_u8(2);
                    hasher.write_i64(array.value(row));
                }
                Column::Decimal(array, _) => {
                    hasher.write_u8(3);
                    hasher.write_i128(array.value(row));
                }
                Column::Number(array) => {
                    hasher.write_u8(4);
                    // Adding zero makes -0.0 the same as 0.0.
                    hasher.write_u64((array.value(row) + 0.0).to_bits());
                }
                Column::Date(array) => {
                    hasher.write_u8(5);
                    hasher.write_i32(array.value(row));
                }
                Column::DateTime(array) => {
                    hasher.write_u8(6);
                    hasher.write_i64(array.value(row));
                }
                Column::Boolean(array) => {
                    hasher.write_u8(7);
                    hasher.write_u8(array.value(row).into());
                }
            }
        }
        *print = hasher.finish128().as_u128();
    }
}
