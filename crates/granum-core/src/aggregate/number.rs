//! Numbers groups of equal keys.

use hashbrown::HashTable;
use rayon::prelude::*;

use super::Groups;
use crate::link::{BlankKeys, KeyTable, Keys};
use crate::table::{Column, PIECE, Rows};

/// Numbers groups of equal keys in the order in which they first appear. A blank is equal to a
/// blank. Gives the first row of each group, too.
pub(crate) fn number(keys: Vec<Column>, rows: usize) -> (Groups, Vec<u32>) {
    if keys.is_empty() {
        let mut groups = Groups::one(rows);
        groups.count = rows.min(1);
        return (groups, if rows > 0 { vec![0] } else { vec![] });
    }
    let keys = Keys::new(keys, BlankKeys::Equal, rows);
    // Of few different texts each is looked at once, whatever stands next to what.
    let few = keys.slice(0, PIECE.min(rows)).different().is_some();
    let heads = if few { vec![] } else { keys.heads() };
    let numbered = if heads.is_empty() || heads.len() * 2 > rows {
        Numbered::of(&keys)
    } else {
        // Rows of one group mostly stand together: only the first of such a run is looked up.
        let of_heads = Numbered::of(&keys.take(&Rows::from(heads.clone())));
        let mut of = Vec::with_capacity(rows);
        let ends = heads.iter().skip(1).copied().chain([rows as u32]);
        for (group, (start, end)) in of_heads.of.iter().zip(heads.iter().zip(ends)) {
            of.extend(std::iter::repeat_n(*group, (end - start) as usize));
        }
        Numbered { of, ..of_heads.placed(|head| heads[head as usize]) }
    };
    let count = numbered.firsts.len();
    (Groups::of_rows(numbered.of, count), numbered.firsts)
}

/// Rows and their groups.
struct Numbered {
    /// For each row the number of its group.
    of: Vec<u32>,
    /// For each group its first row.
    firsts: Vec<u32>,
}

impl Numbered {
    /// Numbers the groups of rows: run by run on all cores, and then those of the runs.
    fn of(keys: &Keys) -> Self {
        let rows = keys.rows();
        let run = |first: usize| {
            let run = Self::of_run(&keys.slice(first, PIECE.min(rows - first)));
            run.placed(|row| first as u32 + row)
        };
        let first = run(0);
        if rows <= PIECE {
            return first;
        }
        // Where most rows are a group of their own, one table for all of them is quicker.
        if first.firsts.len() * 2 > PIECE {
            return Self::by_table(keys);
        }
        let later: Vec<usize> = (PIECE..rows).step_by(PIECE).collect();
        let later: Vec<Self> = later.into_par_iter().map(run).collect();
        let runs = || [&first].into_iter().chain(&later);
        let heads: Vec<u32> = runs().flat_map(|run| run.firsts.iter().copied()).collect();
        let of_heads = keys.take(&Rows::from(heads.clone()));
        let of_heads =
            if heads.len() * 2 > rows { Self::by_table(&of_heads) } else { Self::of(&of_heads) };
        let mut of = Vec::with_capacity(rows);
        let mut before = 0;
        for run in runs() {
            let own = &of_heads.of[before..before + run.firsts.len()];
            of.extend(run.of.iter().map(|group| own[*group as usize]));
            before += own.len();
        }
        Self { of, ..of_heads.placed(|head| heads[head as usize]) }
    }

    /// The same with other numbers for rows, in the same order.
    fn placed(mut self, row: impl Fn(u32) -> u32) -> Self {
        self.firsts.iter_mut().for_each(|first| *first = row(*first));
        self
    }

    /// Numbers the groups of a run, one row after the other.
    fn of_run(keys: &Keys) -> Self {
        let few = keys.different().filter(|(different, _)| different.rows() <= keys.rows());
        let Some((different, code)) = few else { return Self::by_hash(keys) };
        // Who made the dictionary may have put a text into it twice.
        let same = Self::by_hash(&different);
        let mut numbers = vec![None; same.firsts.len()];
        let mut numbered = Self { of: Vec::with_capacity(keys.rows()), firsts: vec![] };
        for row in 0..keys.rows() {
            let text = same.of[code(row)] as usize;
            let group = *numbers[text].get_or_insert_with(|| numbered.begin(row));
            numbered.of.push(group);
        }
        numbered
    }

    /// A row begins a group; gives its number.
    fn begin(&mut self, row: usize) -> u32 {
        self.firsts.push(row as u32);
        self.firsts.len() as u32 - 1
    }

    fn by_hash(keys: &Keys) -> Self {
        let rows = keys.rows();
        let hashes = keys.hashes();
        let mut numbered = Self { of: Vec::with_capacity(rows), firsts: vec![] };
        let mut known: HashTable<u32> = HashTable::new();
        for row in 0..rows {
            let same = |group: &u32| {
                let first = numbered.firsts[*group as usize] as usize;
                hashes[first] == hashes[row] && keys.equal(row, keys, first)
            };
            let group = if let Some(group) = known.find(hashes[row], same) {
                *group
            } else {
                let group = numbered.begin(row);
                let hash = |group: &u32| hashes[numbered.firsts[*group as usize] as usize];
                known.insert_unique(hashes[row], group, hash);
                group
            };
            numbered.of.push(group);
        }
        numbered
    }

    fn by_table(keys: &Keys) -> Self {
        let rows = keys.rows();
        let mut repeats = KeyTable::build(keys).repeats.into_iter().peekable();
        let mut numbered = Self { of: Vec::with_capacity(rows), firsts: vec![] };
        for row in 0..rows {
            let group = match repeats.next_if(|(repeat, _)| *repeat as usize == row) {
                Some((_, first)) => numbered.of[first as usize],
                None => numbered.begin(row),
            };
            numbered.of.push(group);
        }
        numbered
    }
}
