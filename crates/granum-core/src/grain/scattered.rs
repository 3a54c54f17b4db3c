//! The same of rows whose codes are away: they are scattered over parts on a disk by fingerprints of what they are
//! grouped by, so that each part is looked at by itself.
//!
//! Two different keys of a billion share a fingerprint of 128 bits with odds below 10⁻²⁰: they are not compared again.

use std::hash::Hasher;

use rayon::prelude::*;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::copies::{Copies, CopiesBuilder, Shared};
use crate::link::BlankKeys;
use crate::table::{Codes, Column, PIECE, Room, Rows, Scattered, parts};

/// Bytes of a row while its part is looked at, about; and of each column that goes with it.
const ROW: usize = 48;
const BESIDE: usize = 8;

/// The columns that a row's fingerprint and number go in.
const OWN: usize = 3;

/// What rows are grouped by, and which rows.
pub(super) struct Grouped<'a> {
    pub codes: Vec<&'a Codes>,
    /// Whether blanks are equal, or rows with one are left out.
    pub blanks: BlankKeys,
    /// Rows that are left out.
    pub but: Option<&'a Copies>,
    pub rows: usize,
    pub room: &'a Room,
}

/// Groups of a part: rows by their places in it, in order.
type Groups = Vec<Vec<usize>>;

impl Grouped<'_> {
    /// Sends all rows, with some codes beside; says how many have a blank.
    fn scattered(&self, beside: &[&Codes]) -> (Scattered, u64) {
        let each = ROW + BESIDE * beside.len();
        let mut scattered = Scattered::new(self.room, parts(self.rows, each, self.room));
        let mut blank = 0;
        let runs: Vec<usize> = (0..self.rows).step_by(PIECE).collect();
        for some in runs.chunks(rayon::current_num_threads()) {
            let made = some.into_par_iter().map(|first| self.run(*first, beside));
            for (hashes, columns, lacking) in made.collect::<Vec<_>>() {
                scattered.send_by(&hashes, &columns);
                blank += lacking;
            }
        }
        (scattered, blank)
    }

    /// Rows of a run: what sends them, the columns that are sent, and how many more have a blank.
    fn run(&self, first: usize, beside: &[&Codes]) -> (Vec<u64>, Vec<Column>, u64) {
        let rows = PIECE.min(self.rows - first);
        let codes: Vec<Vec<u64>> = self.codes.iter().map(|codes| codes.run(first, rows)).collect();
        let mut blank = 0;
        let mut sent: Vec<u32> = Vec::with_capacity(rows);
        let mut prints: Vec<u128> = Vec::with_capacity(rows);
        for at in 0..rows {
            let row = (first + at) as u32;
            if self.but.is_some_and(|copies| copies.has(row)) {
                continue;
            }
            if self.blanks == BlankKeys::Apart && codes.iter().any(|of| of[at] == Codes::NO_HASH) {
                blank += 1;
                continue;
            }
            let mut hasher = SipHasher13::new();
            codes.iter().for_each(|of| hasher.write_u64(of[at]));
            prints.push(hasher.finish128().as_u128());
            sent.push(row);
        }
        let whole = |value: &dyn Fn(usize) -> u64| {
            Column::Integer((0..sent.len()).map(|at| Some(value(at) as i64)).collect())
        };
        let mut columns =
            vec![whole(&|at| (prints[at] >> 64) as u64), whole(&|at| prints[at] as u64)];
        let others = beside.iter().map(|codes| {
            let run = codes.run(first, rows);
            whole(&|at| run[sent[at] as usize - first])
        });
        let others: Vec<Column> = others.collect();
        let hashes = prints.iter().map(|print| *print as u64).collect();
        columns.push(Rows::from(sent).column());
        columns.extend(others);
        (hashes, columns, blank)
    }

    /// How many rows repeat a key, and how many have none.
    pub fn count(&self) -> (u64, u64) {
        let (scattered, blank) = self.scattered(&[]);
        let mut repeating = 0;
        let work = |_, part: Vec<Column>| {
            Some(groups(&part).iter().map(|group| group.len() as u64 - 1).sum::<u64>())
        };
        scattered.each(work, |more| repeating += more);
        (repeating, blank)
    }

    /// The rows that are equal to an earlier one.
    pub fn copies(&self) -> Copies {
        let (scattered, _) = self.scattered(&[]);
        let mut copies = CopiesBuilder::new(self.rows);
        let work = |_, part: Vec<Column>| {
            let row = |at: usize| part[2].units(at) as u32;
            let pairs = groups(&part).into_iter().flat_map(|group| {
                let first = row(group[0]);
                group[1..].iter().map(|at| (row(*at), first)).collect::<Vec<_>>()
            });
            Some(pairs.collect::<Vec<_>>())
        };
        scattered.each(work, |more| more.into_iter().for_each(|(row, of)| copies.take(row, of)));
        copies.finish()
    }

    /// The keys that several rows have.
    pub fn shared(&self) -> Shared {
        let (scattered, _) = self.scattered(&[]);
        let mut shared = Shared::default();
        let work = |_, part: Vec<Column>| {
            let mut shared = Shared::default();
            for group in groups(&part) {
                let rows: Vec<u32> = group.into_iter().map(|at| part[2].units(at) as u32).collect();
                shared.take(&rows);
            }
            Some(shared)
        };
        scattered.each(work, |more| shared.add(more));
        shared
    }

    /// In how many keys that several rows have each of some columns has several values.
    pub fn differing(&self, columns: &[&Codes]) -> Vec<u64> {
        let (scattered, _) = self.scattered(columns);
        let mut all = vec![0; columns.len()];
        let work = |_, part: Vec<Column>| {
            let groups = groups(&part);
            let differs = |column: &Column, group: &[usize]| {
                group.iter().any(|at| column.units(*at) != column.units(group[0]))
            };
            let count = |column| groups.iter().filter(|group| differs(column, group)).count();
            // Where all rows lack a part of the key, no part has columns.
            let beside = part.get(OWN..).unwrap_or_default();
            Some(beside.iter().map(|column| count(column) as u64).collect::<Vec<_>>())
        };
        scattered.each(work, |more| all.iter_mut().zip(more).for_each(|(all, more)| *all += more));
        all
    }
}

/// The rows of a part that are not alone.
fn groups(part: &[Column]) -> Groups {
    let [high, low, row, ..] = part else { return vec![] };
    let mut order: Vec<(i64, i64, u32, u32)> = (0..row.len())
        .map(|at| (high.units(at) as i64, low.units(at) as i64, row.units(at) as u32, at as u32))
        .collect();
    order.sort_unstable();
    let same = order.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)).filter(|same| same.len() > 1);
    same.map(|same| same.iter().map(|entry| entry.3 as usize).collect()).collect()
}
