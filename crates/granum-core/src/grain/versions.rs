//! Rows that share a key and differ otherwise: versions of one thing, or different things.

use rayon::prelude::*;

use crate::table::Codes;

/// In which columns the rows of some groups differ: the column's place, and in how many groups it has
/// several values; the most first. Blank is a value here like any other.
pub(crate) fn differing(columns: &[&Codes], groups: &[Vec<u32>]) -> Vec<(usize, u64)> {
    let count = |codes: &Codes| {
        let differs =
            |rows: &&Vec<u32>| rows.iter().any(|row| codes.raw(*row) != codes.raw(rows[0]));
        groups.iter().filter(differs).count() as u64
    };
    let mut found: Vec<(usize, u64)> =
        columns.par_iter().map(|codes| count(codes)).enumerate().collect();
    found.retain(|(_, groups)| *groups > 0);
    found.sort_by_key(|(at, groups)| (std::cmp::Reverse(*groups), *at));
    found
}
