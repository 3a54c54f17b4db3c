//! Rows that sets of columns do not tell apart, over all rows of a file: those that are here, or that are away.

use std::borrow::Cow;
use std::sync::OnceLock;

use rayon::prelude::*;

use super::copies::{Copies, CopiesBuilder, Shared};
use super::partition::Partition;
use super::scattered::Grouped;
use crate::link::BlankKeys;
use crate::table::{Codes, PIECE, Room};

/// A column that may be part of what one row is.
pub(crate) struct Candidate<'a> {
    pub codes: &'a Codes,
    pub blanks: u64,
    /// Different values, blank apart.
    pub distinct: u64,
    /// How unlikely it is that the column identifies anything; 0 for a key.
    pub unlikely: u32,
}

/// A set of columns by their places, and the rows that break it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Near {
    pub columns: Vec<usize>,
    pub repeating: u64,
    pub blank: u64,
}

/// The rows that sets of columns do not tell apart, over all rows. What one column groups is kept:
/// most sets begin with the same.
pub(crate) struct Grouping<'a> {
    pub(super) columns: &'a [Candidate<'a>],
    pub(super) rows: usize,
    /// What each column groups, once that is asked for.
    by: Vec<OnceLock<Partition>>,
    /// What the first two columns group that were looked at for copies, the one with more values first.
    by_two: OnceLock<([usize; 2], Partition)>,
}

/// So many rows are split together, by one column after the other.
const SPLIT: usize = if cfg!(test) { 8 } else { 1 << 16 };

/// So many groups tell which column splits all of them best.
const TRIED: usize = 1 << 10;

impl<'a> Grouping<'a> {
    pub fn new(columns: &'a [Candidate<'a>], rows: usize) -> Self {
        let by = columns.iter().map(|_| OnceLock::new()).collect();
        Self { columns, rows, by, by_two: OnceLock::new() }
    }

    /// The rows of a set where they are away.
    fn away<'g>(
        &'g self,
        set: &[usize],
        blanks: BlankKeys,
        but: Option<&'g Copies>,
    ) -> Option<Grouped<'g>> {
        let codes: Vec<&Codes> = set.iter().map(|at| self.columns[*at].codes).collect();
        let room: &Room = codes.iter().find_map(|codes| codes.file())?.room();
        Some(Grouped { codes, blanks, but, rows: self.rows, room })
    }

    /// Rows with equal values in a set of columns, where a blank equals nothing; not all of them once more than `most`
    /// rows repeat.
    fn groups(&self, set: &[usize], most: u64) -> Partition {
        // The column with most values goes first: it leaves the least to the others.
        let mut set = set.to_vec();
        set.sort_by_key(|at| std::cmp::Reverse(self.columns[*at].distinct));
        let Some((first, rest)) = set.split_first() else { return Partition::of_all(self.rows) };
        let begin = self.by(*first);
        let Some((last, between)) = rest.split_last() else { return begin.clone() };
        if let Some((_, known)) = self.by_two.get().filter(|(two, _)| two[..] == set) {
            return known.clone();
        }
        // Some rows after the others: most sets that are counted fail, and soon.
        let mut found = Partition::default();
        for some in begin.pieces(SPLIT) {
            let split = |groups: Partition, at: &usize| {
                groups.split(self.columns[*at].codes, BlankKeys::Apart, u64::MAX)
            };
            let groups = between.iter().fold(some, split);
            let left = most - found.repeating();
            found.append(&groups.split(self.columns[*last].codes, BlankKeys::Apart, left));
            if found.repeating() > most {
                break;
            }
        }
        found
    }

    fn by(&self, at: usize) -> &Partition {
        let column = &self.columns[at];
        let make = || Partition::of(column.codes, column.distinct, BlankKeys::Apart);
        self.by[at].get_or_init(make)
    }

    /// The rows that are exact copies of an earlier one.
    pub fn copies(&self) -> Copies {
        let mut order: Vec<usize> = (0..self.columns.len()).collect();
        if let Some(away) = self.away(&order, BlankKeys::Equal, None) {
            return away.copies();
        }
        // A column without blanks groups rows whatever a blank means.
        let column = |at: usize| &self.columns[at];
        order.sort_by_key(|at| (column(*at).blanks > 0, std::cmp::Reverse(column(*at).distinct)));
        let Some((first, rest)) = order.split_first() else {
            return CopiesBuilder::new(self.rows).finish();
        };
        let with_blanks =
            || Partition::of(column(*first).codes, column(*first).distinct, BlankKeys::Equal);
        let mut groups = match column(*first).blanks {
            0 => Cow::Borrowed(self.by(*first)),
            _ => Cow::Owned(with_blanks()),
        };
        let mut rest = rest.to_vec();
        while !rest.is_empty() && !groups.is_empty() {
            let next = rest.remove(self.best(&groups, &rest));
            let split = groups.split(column(next).codes, BlankKeys::Equal, u64::MAX);
            if rest.len() + 2 == order.len() && column(*first).blanks + column(next).blanks == 0 {
                self.by_two.get_or_init(|| ([*first, next], split.clone()));
            }
            groups = Cow::Owned(split);
        }
        self.pairs(&groups)
    }

    /// Which of some columns leaves the fewest rows in groups, by a part of them: with it the others have least to do.
    fn best(&self, groups: &Partition, columns: &[usize]) -> usize {
        let some = groups.sample(TRIED);
        let left = |at: &usize| {
            let codes = self.columns[columns[*at]].codes;
            some.split(codes, BlankKeys::Equal, u64::MAX).repeating()
        };
        (0..columns.len()).min_by_key(left).unwrap_or_default()
    }

    /// Each row of a group but the first, with the first.
    fn pairs(&self, groups: &Partition) -> Copies {
        let mut copies = CopiesBuilder::new(self.rows);
        for rows in groups.iter() {
            rows[1..].iter().for_each(|row| copies.take(*row, rows[0]));
        }
        copies.finish()
    }

    /// The rows that break a set, copies apart; nothing where more than `most` rows repeat.
    pub fn count(&self, set: &[usize], copies: &Copies, most: u64) -> Option<Near> {
        if let Some(away) = self.away(set, BlankKeys::Apart, Some(copies)) {
            let (repeating, blank) = away.count();
            return (repeating <= most).then(|| Near { columns: set.to_vec(), repeating, blank });
        }
        // A copy repeats the key of the row that it is a copy of.
        let without = self.copies_without(set, copies);
        let of_copies = copies.count() as u64 - without;
        let groups = self.groups(set, most.saturating_add(of_copies));
        let repeating = groups.repeating() - of_copies;
        if repeating > most {
            return None;
        }
        let blank = if set.iter().all(|at| self.columns[*at].blanks == 0) {
            0
        } else {
            (0..self.rows as u32).filter(|row| self.lacks(set, *row)).count() as u64
        };
        Some(Near { columns: set.to_vec(), repeating, blank: blank - without })
    }

    fn lacks(&self, set: &[usize], row: u32) -> bool {
        set.iter()
            .any(|at| self.columns[*at].blanks > 0 && self.columns[*at].codes.get(row).is_none())
    }

    /// How many copies have no key in some columns.
    pub fn copies_without(&self, set: &[usize], copies: &Copies) -> u64 {
        let with_blanks = set.iter().filter(|at| self.columns[**at].blanks > 0);
        let codes: Vec<&Codes> = with_blanks.map(|at| self.columns[*at].codes).collect();
        if codes.is_empty() {
            return 0;
        }
        let mut runs: Vec<Vec<u64>> = vec![];
        let mut first = usize::MAX;
        let mut without = 0;
        for row in copies.rows().map(|row| row as usize) {
            let begin = row / PIECE * PIECE;
            if begin != first {
                first = begin;
                let rows = PIECE.min(self.rows - first);
                runs = codes.iter().map(|codes| codes.run(first, rows)).collect();
            }
            without += u64::from(runs.iter().any(|run| run[row - first] == Codes::NO_HASH));
        }
        without
    }

    /// The keys of a set that several rows have, copies apart.
    pub fn shared(&self, set: &[usize], copies: &Copies) -> Shared {
        if let Some(away) = self.away(set, BlankKeys::Apart, Some(copies)) {
            return away.shared();
        }
        let mut shared = Shared::default();
        self.groups(set, u64::MAX).without(copies).iter().for_each(|rows| shared.take(rows));
        shared
    }

    /// In which columns the rows of one key of a set differ, copies apart: the column's place, and in how many keys
    /// it has several values; the most first. Blank is a value here like any other.
    pub fn differing(&self, set: &[usize], copies: &Copies) -> Vec<(usize, u64)> {
        let all: Vec<&Codes> = self.columns.iter().map(|column| column.codes).collect();
        let counts = match self.away(set, BlankKeys::Apart, Some(copies)) {
            Some(away) => away.differing(&all),
            None => {
                let groups = self.groups(set, u64::MAX).without(copies);
                let count = |codes: &&Codes| {
                    let differs = |rows: &&Vec<u32>| {
                        rows.iter().any(|row| codes.raw(*row) != codes.raw(rows[0]))
                    };
                    groups.iter().filter(differs).count() as u64
                };
                all.par_iter().map(count).collect()
            }
        };
        let mut found: Vec<(usize, u64)> = counts.into_iter().enumerate().collect();
        found.retain(|(_, groups)| *groups > 0);
        found.sort_by_key(|(at, groups)| (std::cmp::Reverse(*groups), *at));
        found
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::engine::tests::memory::Shelf;
    use crate::table::AwayCodes;

    /// Columns whose values are numbered as they appear, here and away; with how many are different, and blank.
    fn columns(values: &[Vec<Option<u8>>], room: &Room) -> Vec<(Codes, Codes, u64, u64)> {
        let column = |values: &Vec<Option<u8>>| {
            let mut known: Vec<u8> = vec![];
            let number = |value: &Option<u8>| match value {
                None => Codes::BLANK,
                Some(value) => known.iter().position(|other| other == value).unwrap_or_else(|| {
                    known.push(*value);
                    known.len() - 1
                }) as u32,
            };
            let numbers: Vec<u32> = values.iter().map(number).collect();
            let blanks = numbers.iter().filter(|number| **number == Codes::BLANK).count() as u64;
            let mut away = AwayCodes::new(room.file(), false);
            Codes::Numbers(numbers.clone()).put_away(&mut away, true);
            (Codes::Numbers(numbers), Codes::Away(away), known.len() as u64, blanks)
        };
        values.iter().map(column).collect()
    }

    proptest! {
        #[test]
        fn what_is_asked_of_rows_that_are_away_is_told_as_of_those_that_are_here(
            rows in prop::collection::vec(
                (0..4_u8, prop::option::weighted(0.9, 0..3_u8), prop::option::weighted(0.8, 0..9_u8)), 1..80),
            most in 0..40_u64,
        ) {
            let values = [
                rows.iter().map(|row| Some(row.0)).collect::<Vec<_>>(),
                rows.iter().map(|row| row.1).collect(),
                rows.iter().map(|row| row.2).collect(),
            ];
            let room = Shelf::room(0, usize::MAX);
            let columns = columns(&values, &room);
            let candidates = |away: bool| -> Vec<Candidate<'_>> {
                columns.iter().map(|(here, gone, distinct, blanks)| Candidate {
                    codes: if away { gone } else { here },
                    blanks: *blanks,
                    distinct: *distinct,
                    unlikely: 0,
                }).collect()
            };
            let (here, away) = (candidates(false), candidates(true));
            let (here, away) = (Grouping::new(&here, rows.len()), Grouping::new(&away, rows.len()));
            let (copies, copies_away) = (here.copies(), away.copies());
            prop_assert_eq!(copies.rows().collect::<Vec<_>>(), copies_away.rows().collect::<Vec<_>>());
            prop_assert_eq!(&copies.first, &copies_away.first);
            for set in [&[0][..], &[1], &[2], &[0, 1], &[1, 2], &[0, 1, 2]] {
                let near = here.count(set, &copies, u64::MAX).unwrap();
                prop_assert_eq!(Some(near.clone()), away.count(set, &copies, u64::MAX));
                let few = (near.repeating <= most).then(|| near.clone());
                prop_assert_eq!(here.count(set, &copies, most), few.clone());
                prop_assert_eq!(away.count(set, &copies, most), few);
                prop_assert_eq!(here.shared(set, &copies), away.shared(set, &copies));
                prop_assert_eq!(here.differing(set, &copies), away.differing(set, &copies));
                prop_assert_eq!(here.copies_without(set, &copies), away.copies_without(set, &copies));
                // As counted in the slowest way.
                let key = |row: usize| set.iter().map(|at| values[*at][row]).collect::<Option<Vec<u8>>>();
                let stays: Vec<usize> = (0..rows.len()).filter(|row| !copies.has(*row as u32)).collect();
                let keys: Vec<_> = stays.iter().filter_map(|row| key(*row)).collect();
                let different: std::collections::BTreeSet<_> = keys.iter().collect();
                prop_assert_eq!(near.repeating as usize, keys.len() - different.len());
                prop_assert_eq!(near.blank as usize, stays.len() - keys.len());
            }
        }
    }
}
