//! The table of a column's keys, and the link index that is made from it.
use std::hint::black_box;
use std::ops::Range;

use crate::by_hash::ByHash;
use crate::table::{PIECE, Present, Rows};
use rayon::prelude::*;

use super::key::Keys;

/// The first row of each key.
///
/// Keys are split by their hash into parts that fit a core's cache; each part is one small hash
/// table of row numbers, filled in row order. Which row is the first does not depend on threads.
#[derive(Debug)]
pub(crate) struct KeyTable {
    parts: Vec<ByHash>,
    shift: u32,
    /// Rows whose key an earlier row has, with that earlier row; in row order.
    pub repeats: Repeated,
}

/// A row number, and enough of its hash to look at the key only when it is nearly surely equal. Parts are told apart
/// by the highest bits of a hash, entries by the lowest 32.
#[derive(Debug, Clone, Copy)]
struct Entry {
    tag: u32,
    row: u32,
}

/// Rows whose key an earlier row has, with that earlier row.
pub(crate) type Repeated = Vec<(u32, u32)>;

/// Rows that are hashed and looked up together.
const PROBED: usize = 1 << 13;

/// Rows whose look-ups are read ahead together.
const TOGETHER: usize = if cfg!(test) { 3 } else { 64 };

/// Above so many pieces each of them is work enough for a core.
const MANY: usize = 16;

/// Keys in one part, about.
const PART: usize = 1 << 15;

impl KeyTable {
    /// Finds the first row of each key of `keys`. Rows without a key are left out.
    pub fn build(keys: &Keys) -> Self {
        let (shift, parts) = parts(keys);
        let built: Vec<(ByHash, Repeated)> =
            parts.into_par_iter().with_max_len(1).map(|part| first_rows(keys, &part)).collect();
        let (parts, repeats): (Vec<_>, Vec<_>) = built.into_iter().unzip();
        Self { parts, shift, repeats: in_order(repeats) }
    }

    /// The first row of the table's keys whose key equals that of `row` in `other`.
    fn find(&self, keys: &Keys, hash: u64, other: &Keys, row: usize) -> Option<u32> {
        self.part(hash).find(hash as u32, |first| other.equal(row, keys, first as usize))
    }

    fn part(&self, hash: u64) -> &ByHash {
        &self.parts[hash.checked_shr(self.shift).unwrap_or(0) as usize]
    }

    /// The link index from the rows of `from` to the rows of `keys`, which this table was built
    /// from: for each row the first row with an equal key.
    pub fn link(&self, keys: &Keys, from: &Keys) -> Rows {
        let led = |at: usize, run: usize| {
            let length = run.min(from.rows() - at * run);
            self.link_run(keys, &from.slice(at * run, length))
        };
        let pieces = from.rows().div_ceil(PIECE);
        if from.in_pieces() || from.is_away() || pieces > MANY {
            let file = from.file_for_led(from.rows());
            let run = |at: usize| {
                let rows = led(at, PIECE).rows().packed();
                file.as_ref().map_or(rows.clone(), |file| rows.away(file))
            };
            return Rows::joined((0..pieces).into_par_iter().with_max_len(1).map(run).collect());
        }
        let runs = (0..from.rows().div_ceil(PROBED)).into_par_iter();
        let runs: Vec<Led> = runs.map(|at| led(at, PROBED)).collect();
        let mut all = Led::new(from.rows());
        for run in runs {
            all.rows.extend_from_slice(&run.rows);
            all.found.extend_from_slice(&run.found);
        }
        all.rows()
    }

    /// The same of a run of rows: where they have few keys, those are looked up once each.
    fn link_run(&self, keys: &Keys, from: &Keys) -> Led {
        let Some((different, of)) = from.different() else { return self.link_rows(keys, from) };
        let led = self.link_rows(keys, &different);
        let mut all = Led::new(from.rows());
        if from.absent() == 0 {
            all.rows.extend((0..from.rows()).map(|row| led.rows[of(row)]));
            all.found.extend((0..from.rows()).map(|row| led.found[of(row)]));
            return all;
        }
        for row in 0..from.rows() {
            let to = from.has_key(row).then(|| led.to(of(row))).flatten();
            all.push(to);
        }
        all
    }

    fn link_rows(&self, keys: &Keys, from: &Keys) -> Led {
        let mut led = Led::new(from.rows());
        let mut guess = Guess::new(self, keys);
        let mut asked = 0;
        for first in (0..from.rows()).step_by(PROBED) {
            let length = PROBED.min(from.rows() - first);
            let mut hashes = RunHashes::new(from, first, length);
            let changes = from.changes(first, length);
            for begin in (first..first + length).step_by(TOGETHER) {
                let rows = begin..(begin + TOGETHER).min(first + length);
                // Where rows before these were looked for in the table, these are as well.
                let ahead = (asked > TOGETHER / 2)
                    .then(|| self.ahead(keys, from, rows.clone(), |row| hashes.get(row - first)));
                asked = 0;
                for row in rows {
                    let to = if !from.has_key(row) {
                        None
                    } else if changes[row - first] == 0 && from.has_key(row - 1) {
                        // Lines of one order mostly stand together.
                        led.to(row - 1)
                    } else {
                        guess.next(from, row).or_else(|| {
                            asked += 1;
                            let known = ahead.and_then(|ahead| ahead[row - begin]);
                            let find = || self.find(keys, hashes.get(row - first), from, row);
                            known.or_else(find).inspect(|to| guess.correct(*to))
                        })
                    };
                    led.push(to);
                }
            }
        }
        led
    }

    /// For each of some rows the row that the first look at the table finds, if its key is equal: what that reads is
    /// read for one without waiting for another.
    fn ahead(
        &self,
        keys: &Keys,
        from: &Keys,
        rows: Range<usize>,
        mut hash: impl FnMut(usize) -> u64,
    ) -> [Option<u32>; TOGETHER] {
        let mut hashes = [None; TOGETHER];
        for (row, own) in rows.clone().zip(&mut hashes).filter(|(row, _)| from.has_key(*row)) {
            *own = Some(hash(row));
        }
        let slots = hashes
            .iter()
            .flatten()
            .fold(0, |slots, hash| slots ^ self.part(*hash).touch(*hash as u32));
        black_box(slots);
        let mut found = hashes.map(|hash| hash.and_then(|hash| self.part(hash).first(hash as u32)));
        let touched = found.iter().flatten().fold(0, |all, row| all ^ keys.touch(*row as usize));
        black_box(touched);
        for (row, found) in rows.zip(&mut found) {
            *found = found.filter(|to| from.equal(row, keys, *to as usize));
        }
        found
    }
}

/// Where rows lead.
struct Led {
    rows: Vec<u32>,
    found: Vec<bool>,
}

impl Led {
    fn new(room: usize) -> Self {
        Self { rows: Vec::with_capacity(room), found: Vec::with_capacity(room) }
    }

    fn push(&mut self, to: Option<u32>) {
        self.rows.push(to.unwrap_or(0));
        self.found.push(to.is_some());
    }

    fn to(&self, row: usize) -> Option<u32> {
        self.found[row].then(|| self.rows[row])
    }

    fn rows(self) -> Rows {
        Rows::new(self.rows, Some(Present::from(self.found)))
    }
}

/// Guesses where rows lead from where those before them led. Files mostly stand in the order of
/// their keys, so the next key is that of the next row of the target, or of the next in another
/// file that was stacked with it. A right guess costs one look at a row that is in the cache anyway.
struct Guess<'a> {
    keys: &'a Keys,
    /// A guess counts only where a key stands on one row of the target.
    unique: bool,
    /// The rows that would come next, the likelier first.
    next: [usize; 2],
    /// The row behind the last that was found elsewhere: a target may have rows that are not where others are.
    elsewhere: usize,
}

/// No row.
const NOWHERE: usize = usize::MAX;

/// So many rows behind a guess are rows of the same file.
const NEAR: usize = 4;

impl<'a> Guess<'a> {
    fn new(table: &KeyTable, keys: &'a Keys) -> Self {
        Self { keys, unique: table.repeats.is_empty(), next: [NOWHERE; 2], elsewhere: NOWHERE }
    }

    /// The target of `row`, if one of the guesses is right.
    fn next(&mut self, from: &Keys, row: usize) -> Option<u32> {
        let right = |guess: usize| {
            guess < self.keys.rows()
                && self.keys.has_key(guess)
                && from.equal(row, self.keys, guess)
        };
        let at = self.next.iter().position(|guess| self.unique && right(*guess))?;
        let to = self.next[at];
        self.next[at] += 1;
        self.next[..=at].rotate_right(1);
        Some(to as u32)
    }

    /// No guess was right; `row` would have been.
    fn correct(&mut self, row: u32) {
        let row = row as usize;
        let near = |guess: &usize| *guess <= row && row - guess < NEAR;
        if let Some(at) = self.next.iter().position(near) {
            self.next[at] = row + 1;
        } else if self.next[1] == NOWHERE || self.elsewhere == row {
            self.next = [row + 1, self.next[0]];
        }
        self.elsewhere = row + 1;
    }
}

/// The hashes of a run's rows: one at a time as long as few are asked for, then all.
struct RunHashes<'a> {
    keys: &'a Keys,
    first: usize,
    length: usize,
    asked: usize,
    all: Vec<u64>,
}

impl<'a> RunHashes<'a> {
    fn new(keys: &'a Keys, first: usize, length: usize) -> Self {
        Self { keys, first, length, asked: 0, all: vec![] }
    }

    fn get(&mut self, offset: usize) -> u64 {
        const FEW: usize = 256;
        self.asked += 1;
        if self.asked <= FEW {
            let mut one = [0];
            self.keys.hash_run(self.first + offset, &mut one);
            return one[0];
        }
        if self.all.is_empty() {
            self.all.resize(self.length, 0);
            self.keys.hash_run(self.first, &mut self.all);
        }
        self.all[offset]
    }
}

/// The rows of `keys` whose key an earlier row has, with the first that has it, in row order: what is found on
/// the way to that is let go part by part.
pub(super) fn repeated(keys: &Keys) -> Repeated {
    let (_, parts) = parts(keys);
    let repeated = parts.into_par_iter().with_max_len(1).map(|part| first_rows(keys, &part).1);
    in_order(repeated.collect())
}

pub(super) fn in_order(repeats: Vec<Repeated>) -> Repeated {
    let mut repeats: Repeated = repeats.into_iter().flatten().collect();
    repeats.par_sort_unstable();
    repeats
}

/// The first row of each key of a part, and the rows behind it that have the same.
fn first_rows(keys: &Keys, part: &[Vec<Entry>]) -> (ByHash, Repeated) {
    let mut table = ByHash::default();
    table.reserve(part.iter().map(Vec::len).sum());
    let mut repeats = vec![];
    for Entry { tag, row } in part.iter().flatten().copied() {
        match table.find(tag, |first| keys.equal(row as usize, keys, first as usize)) {
            Some(first) => repeats.push((row, first)),
            None => table.insert(tag, row),
        }
    }
    (table, repeats)
}

/// The rows that have a key, in parts by the highest bits of their hashes, and how far a hash is shifted for
/// the number of its part. Each part comes in runs, one behind the other.
fn parts(keys: &Keys) -> (u32, Vec<Vec<Vec<Entry>>>) {
    let count = (keys.rows() / PART).next_power_of_two().min(1 << 10);
    let shift = 64 - count.trailing_zeros();
    let mut parts: Vec<Vec<Vec<Entry>>> = (0..count).map(|_| vec![]).collect();
    for run in scatter(keys, count, shift) {
        parts.iter_mut().zip(run).for_each(|(part, entries)| part.push(entries));
    }
    (shift, parts)
}

/// The rows that have a key, each with its tag, in `count` parts by the highest bits of their
/// hashes; run after run, so that a part's rows stand in row order.
fn scatter(keys: &Keys, count: usize, shift: u32) -> Vec<Vec<Vec<Entry>>> {
    let run = keys.rows().div_ceil(rayon::current_num_threads() * 4).max(PART);
    let runs: Vec<usize> = (0..keys.rows()).step_by(run).collect();
    runs.into_par_iter()
        .map(|start| {
            let end = (start + run).min(keys.rows());
            let room = (end - start) / count * 5 / 4 + 8;
            let mut parts: Vec<Vec<Entry>> = (0..count).map(|_| Vec::with_capacity(room)).collect();
            let mut hashes = vec![];
            for first in (start..end).step_by(PROBED) {
                hashes.resize(PROBED.min(end - first), 0);
                keys.hash_run(first, &mut hashes);
                for (offset, hash) in hashes.iter().enumerate() {
                    let row = first + offset;
                    if keys.has_key(row) {
                        let part = hash.checked_shr(shift).unwrap_or(0) as usize;
                        parts[part].push(Entry { tag: *hash as u32, row: row as u32 });
                    }
                }
            }
            parts
        })
        .collect()
}

/// The link index from few rows to many whose keys are known to be unique: the table is built of
/// the few, and the many are looked up in it.
pub(crate) fn link_few(from: &Keys, keys: &Keys) -> Rows {
    let table = KeyTable::build(from);
    let hits: Vec<Vec<(u32, u32)>> = (0..keys.rows().div_ceil(PROBED))
        .into_par_iter()
        .map(|run| {
            let first = run * PROBED;
            let keys = keys.slice(first, PROBED.min(keys.rows() - first));
            let hashes = keys.hashes();
            let mut hits = vec![];
            for (offset, hash) in hashes.iter().enumerate() {
                if keys.has_key(offset)
                    && let Some(row) = table.find(from, *hash, &keys, offset)
                {
                    hits.push((row, (first + offset) as u32));
                }
            }
            hits
        })
        .collect();
    let mut rows = vec![0; from.rows()];
    let mut found = vec![false; from.rows()];
    for (row, to) in hits.into_iter().flatten() {
        rows[row as usize] = to;
        found[row as usize] = true;
    }
    // A key that stands on several of the few leads to the same row from each.
    for (row, first) in &table.repeats {
        rows[*row as usize] = rows[*first as usize];
        found[*row as usize] = found[*first as usize];
    }
    Rows::new(rows, Some(Present::from(found)))
}
