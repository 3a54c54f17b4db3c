//! Which sets of columns tell all rows apart, or nearly: the search for what one row is.
//!
//! Sets are tried level by level, the likelier columns first, and only where they can be unique: a
//! set that holds a unique set is passed over, and so is one whose columns have too few values
//! between them. The rows that a set does not tell apart are kept as groups, on a sample of the
//! file; a longer set only splits the groups of the one before it, so that the work shrinks with
//! every column (stripped partitions, after Huhtala and others, "TANE", 1999). What is unique on
//! the sample is then counted over the whole file.

use rayon::prelude::*;

use super::copies::Copies;
use super::grouping::{Candidate, Grouping, Near};
use super::partition::Partition;
use crate::bug::Sure;
use crate::link::BlankKeys;
use crate::table::Codes;

/// Sets have so many columns at most.
const WIDEST: usize = 4;

/// So many columns are combined; of more, the likelier.
const COMBINED: usize = 16;

/// Rows of the sample, and of each stretch that it is made of: what repeats mostly stands together.
const SAMPLE: usize = 1 << 15;
const STRETCH: usize = 1 << 9;

/// So many sets are kept of each kind.
const KEPT: usize = 3;

/// So many sets are counted over the whole file; the sample has refused the others.
const COUNTED: usize = 12;

/// So many of them at a time.
const TOGETHER: usize = 2;

/// A set is nearly unique if no more rows than one in so many break it.
const NEARLY: u64 = 5;

/// Only columns that are no unlikelier make a set worth telling that is nearly unique.
const LIKELY: u32 = 2;

/// How unlikely a key a column is that tells versions apart: beside others it may be part of one,
/// alone it is none.
pub(crate) const VERSION: u32 = 1;

/// What was found.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Sets {
    pub unique: Vec<Vec<usize>>,
    pub nearly: Vec<Near>,
    pub left_out: usize,
}

/// Finds the sets of columns that tell rows apart. `copies` are the rows that are exact copies of
/// others: they would break every set, and are left out.
pub(crate) fn search(grouping: &Grouping<'_>, copies: &Copies) -> Sets {
    let (columns, rows) = (grouping.columns, grouping.rows);
    let mut order: Vec<usize> = (0..columns.len())
        .filter(|at| {
            columns[*at].distinct > 1 || (rows == copies.count() + 1 && columns[*at].distinct == 1)
        })
        .collect();
    order.sort_by_key(|at| (columns[*at].unlikely, *at));
    let mut search = Search {
        grouping,
        columns,
        all: rows,
        rows: (rows - copies.count()) as u64,
        copies,
        sets: Sets::default(),
        counted: 0,
    };
    search.singles(&order);
    search.sets.left_out = order.len().saturating_sub(COMBINED);
    order.truncate(COMBINED);
    search.combine(&order);
    let Search { mut sets, .. } = search;
    let unlikely = |set: &[usize]| set.iter().map(|at| columns[*at].unlikely).sum::<u32>();
    sets.unique.sort_by_key(|set| (unlikely(set) + 2 * (set.len() as u32 - 1), set.clone()));
    sets.nearly.sort_by_key(|near| (unlikely(&near.columns), near.columns.clone()));
    // Days, amounts and long texts make sets that are unique by chance; they are told where nothing
    // else is.
    let all = |set: &[usize], most: u32| set.iter().all(|at| columns[*at].unlikely <= most);
    let named = sets.unique.iter().any(|set| all(set, 0));
    for most in [LIKELY, 4] {
        if sets.unique.iter().any(|set| all(set, most)) {
            sets.unique.retain(|set| all(set, most));
        }
    }
    if !sets.nearly.is_empty() {
        sets.unique.retain(|set| all(set, 4));
    }
    // Where something is a key by name and in truth, other keys are those of other things.
    if named {
        sets.nearly.retain(|near| !near.columns.iter().any(|at| columns[*at].unlikely == 0));
    }
    sets.unique.truncate(KEPT);
    sets.nearly.truncate(KEPT);
    sets
}

struct Search<'a> {
    grouping: &'a Grouping<'a>,
    columns: &'a [Candidate<'a>],
    /// Rows with the copies, and without.
    all: usize,
    rows: u64,
    copies: &'a Copies,
    sets: Sets,
    counted: usize,
}

impl Search<'_> {
    /// Sets of one column, which need no search: their values are counted.
    fn singles(&mut self, order: &[usize]) {
        for &at in order {
            let column = &self.columns[at];
            let near = if column.codes.are_numbers() {
                let blank = column.blanks - self.grouping.copies_without(&[at], self.copies);
                let repeating = self.rows - blank - column.distinct;
                Near { columns: vec![at], repeating, blank }
            } else {
                let counted = self.grouping.count(&[at], self.copies, u64::MAX);
                counted.sure("a count without a limit")
            };
            if near.repeating + near.blank == 0 {
                self.sets.unique.push(vec![at]);
            } else {
                self.note_nearly(near);
            }
        }
    }

    fn note_nearly(&mut self, near: Near) {
        let few = (near.repeating + near.blank) * NEARLY <= self.rows;
        if few && self.tells_nearly(&near.columns) {
            self.sets.nearly.push(near);
        }
    }

    /// Whether a set is worth telling if it is nearly unique.
    fn tells_nearly(&self, set: &[usize]) -> bool {
        let all = |most: u32| set.iter().all(|at| self.columns[*at].unlikely <= most);
        let alone = set.iter().all(|at| self.columns[*at].unlikely == VERSION);
        // Of several columns much is nearly unique: they must be keys, and nothing less must do.
        let keyed = self.sets.nearly.iter().any(|known| self.is_key(&known.columns));
        let likely = match set.len() {
            1 => all(LIKELY) && !alone,
            _ => all(VERSION) && !alone && !keyed,
        };
        likely && !self.sets.nearly.iter().any(|known| is_part(&known.columns, set))
    }

    /// Sets of several columns, level by level.
    fn combine(&mut self, order: &[usize]) {
        let sample = self.sample();
        let codes: Vec<Codes> = order.iter().map(|at| self.sampled(*at, &sample)).collect();
        let all = Partition::of_all(sample.len());
        // Sets by their places in `order`.
        let mut level: Vec<(Vec<usize>, Partition)> = vec![(vec![], all)];
        for width in 1..=WIDEST {
            let found: Vec<(Vec<usize>, Partition)> = level
                .par_iter()
                .flat_map_iter(|(set, groups)| {
                    let next = set.last().map_or(0, |last| last + 1);
                    let longer = (next..order.len()).map(move |at| {
                        let mut longer = set.clone();
                        longer.push(at);
                        (longer, at)
                    });
                    longer
                        .filter(|(longer, _)| self.may_be_unique(longer, order))
                        .map(|(longer, at)| {
                            (longer, groups.split(&codes[at], BlankKeys::Equal, u64::MAX))
                        })
                        .collect::<Vec<_>>()
                })
                .collect();
            if width > 1 {
                self.judge(&found, order, sample.len() as u64);
            }
            level = found
                .into_iter()
                .filter(|(set, groups)| {
                    let set: Vec<usize> = set.iter().map(|at| order[*at]).collect();
                    !groups.is_empty() && !self.sets.unique.iter().any(|known| is_part(known, &set))
                })
                .collect();
            let key = self.sets.unique.iter().any(|set| self.is_key(set));
            if key || self.sets.unique.len() >= KEPT {
                return;
            }
        }
    }

    /// Counts over the whole file what the sample has let pass, the likelier sets first.
    fn judge(&mut self, found: &[(Vec<usize>, Partition)], order: &[usize], sample: u64) {
        let mut passing: Vec<(u32, Vec<usize>)> = found
            .iter()
            .filter(|(_, groups)| groups.repeating() * NEARLY <= sample)
            .map(|(set, _)| set.iter().map(|at| order[*at]).collect::<Vec<_>>())
            .filter(|set| {
                !self.sets.nearly.iter().any(|near| is_part(&near.columns, set)) || {
                    // What adds to a set that is nearly unique is told only if it makes it unique.
                    let groups = found.iter().find(|(places, _)| {
                        places.len() == set.len()
                            && places.iter().zip(set).all(|(at, c)| order[*at] == *c)
                    });
                    groups.is_some_and(|(_, groups)| groups.is_empty())
                }
            })
            .map(|set| (set.iter().map(|at| self.columns[*at].unlikely).sum(), set))
            .collect();
        passing.sort();
        // Where something is a key but for a few rows, others are told only if they are likely, or
        // add to it.
        let key = self.sets.nearly.iter().find(|near| self.is_key(&near.columns)).cloned();
        if let Some(key) = key {
            passing.retain(|(_, set)| {
                is_part(&key.columns, set)
                    || set.iter().all(|at| self.columns[*at].unlikely <= LIKELY)
            });
        }
        for sets in passing.chunks(TOGETHER) {
            let enough = self.sets.unique.len() >= KEPT || self.counted >= COUNTED;
            if enough || self.sets.unique.iter().any(|known| self.is_key(known)) {
                return;
            }
            self.counted += sets.len();
            // More rows that repeat than these, and nothing is told of a set: its other rows are not looked at.
            let most = |set: &[usize]| if self.tells_nearly(set) { self.rows / NEARLY } else { 0 };
            let count = |set: &[usize]| self.grouping.count(set, self.copies, most(set));
            let counted: Vec<Option<Near>> = sets.par_iter().map(|(_, set)| count(set)).collect();
            for near in counted.into_iter().flatten() {
                if self.sets.unique.iter().any(|known| is_part(known, &near.columns)) {
                    continue;
                }
                if near.repeating + near.blank == 0 {
                    self.sets.unique.push(near.columns);
                } else {
                    self.note_nearly(near);
                }
            }
        }
    }

    /// Whether a set is made of what is named as a key.
    fn is_key(&self, set: &[usize]) -> bool {
        set.iter().all(|at| self.columns[*at].unlikely == 0)
    }

    /// Whether the columns have enough values between them, none holds a unique set, and blanks
    /// leave room for it.
    fn may_be_unique(&self, places: &[usize], order: &[usize]) -> bool {
        let set: Vec<usize> = places.iter().map(|at| order[*at]).collect();
        let values = set
            .iter()
            .fold(1_u64, |values, at| values.saturating_mul(self.columns[*at].distinct + 1));
        let enough = set.len() < WIDEST || values >= self.rows - self.rows / NEARLY;
        let blank = set.iter().any(|at| self.columns[*at].blanks * NEARLY > self.rows);
        enough && !blank && !self.sets.unique.iter().any(|known| is_part(known, &set))
    }

    fn sampled(&self, at: usize, sample: &[u32]) -> Codes {
        let runs = sample.chunk_by(|above, row| above + 1 == *row);
        let codes = self.columns[at].codes;
        Codes::Hashes(runs.flat_map(|run| codes.run(run[0] as usize, run.len())).collect())
    }

    /// Rows in stretches over the whole file, without the copies; all of them where there are few.
    fn sample(&self) -> Vec<u32> {
        let stretches: Vec<std::ops::Range<usize>> = if self.all <= SAMPLE {
            std::iter::once(0..self.all).collect()
        } else {
            let count = SAMPLE / STRETCH;
            let from = |at: usize| (self.all - STRETCH) * at / (count - 1);
            (0..count).map(|at| from(at)..from(at) + STRETCH).collect()
        };
        let rows = stretches.into_iter().flatten().map(|row| row as u32);
        let mut rows: Vec<u32> = rows.filter(|row| !self.copies.has(*row)).collect();
        rows.dedup();
        rows
    }
}

/// Whether a set has all columns of another; both stand in order or not.
fn is_part(part: &[usize], set: &[usize]) -> bool {
    part.iter().all(|at| set.contains(at))
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use proptest::prelude::*;

    use super::*;

    /// Values numbered in the order in which they first appear.
    fn columns(values: &[Vec<Option<i64>>]) -> Vec<Codes> {
        let column = |values: &Vec<Option<i64>>| {
            let mut known = vec![];
            let numbers = values.iter().map(|value| {
                let Some(value) = value else { return Codes::BLANK };
                let at = known.iter().position(|other| other == value);
                at.unwrap_or_else(|| {
                    known.push(*value);
                    known.len() - 1
                }) as u32
            });
            Codes::Numbers(numbers.collect())
        };
        values.iter().map(column).collect()
    }

    fn candidates<'a>(codes: &'a [Codes], unlikely: &[u32]) -> Vec<Candidate<'a>> {
        let rows = |codes: &Codes| (0..codes.len() as u32).map(|row| codes.get(row)).collect();
        codes
            .iter()
            .zip(unlikely)
            .map(|(codes, unlikely)| {
                let rows: Vec<Option<u64>> = rows(codes);
                let distinct = rows.iter().flatten().max().map_or(0, |most| most + 1);
                let blanks = rows.iter().filter(|code| code.is_none()).count() as u64;
                Candidate { codes, blanks, distinct, unlikely: *unlikely }
            })
            .collect()
    }

    /// Whether a set has no blank and no key twice, looked at in the slowest way.
    fn is_unique(columns: &[Vec<Option<i64>>], set: &[usize]) -> bool {
        let rows = columns[0].len();
        let key = |row: usize| set.iter().map(|at| columns[*at][row]).collect::<Option<Vec<_>>>();
        let keys: Vec<_> = (0..rows).filter_map(key).collect();
        keys.len() == rows && keys.iter().collect::<HashSet<_>>().len() == rows
    }

    proptest! {
        #[test]
        fn what_is_told_is_unique_and_smallest_and_nothing_smaller_is_missed(
            rows in prop::collection::vec(
                (0..4_i64, 0..4_i64, prop::option::weighted(0.95, 0..3_i64), 0..30_i64), 1..40),
        ) {
            let values = vec![
                rows.iter().map(|row| Some(row.0)).collect::<Vec<_>>(),
                rows.iter().map(|row| Some(row.1)).collect(),
                rows.iter().map(|row| row.2).collect(),
                rows.iter().map(|row| Some(row.3)).collect(),
            ];
            let codes = columns(&values);
            let candidates = candidates(&codes, &[0, 0, 1, 1]);
            let grouping = Grouping::new(&candidates, rows.len());
            let copies = grouping.copies();
            let sets = search(&grouping, &copies);
            let stays = |row: &usize| !copies.has(*row as u32);
            let apart: HashSet<_> = rows.iter().collect();
            prop_assert_eq!(apart.len(), rows.len() - copies.count());
            let values: Vec<Vec<Option<i64>>> = values
                .iter()
                .map(|column| (0..rows.len()).filter(stays).map(|row| column[row]).collect())
                .collect();
            for set in &sets.unique {
                prop_assert!(is_unique(&values, set), "{set:?} is told to be unique");
                for left_out in set {
                    let less: Vec<usize> = set.iter().copied().filter(|at| at != left_out).collect();
                    prop_assert!(less.is_empty() || !is_unique(&values, &less), "{less:?} is smaller");
                }
            }
            let every: Vec<Vec<usize>> = (1..16_usize)
                .map(|bits| (0..4).filter(|at| bits & (1 << at) != 0).collect())
                .filter(|set: &Vec<usize>| is_unique(&values, set))
                .collect();
            // A column of one value is never looked at; it adds nothing to a set either.
            let fewest = every.iter().map(Vec::len).min();
            if values[0].len() > 1 {
                prop_assert_eq!(sets.unique.iter().map(Vec::len).min(), fewest);
            }
            for near in &sets.nearly {
                prop_assert!(near.repeating + near.blank > 0);
                prop_assert!(!is_unique(&values, &near.columns));
            }
        }
    }

    #[test]
    fn identifiers_come_before_amounts() {
        let rows = 200_i64;
        let column = |value: &dyn Fn(i64) -> i64| (0..rows).map(|row| Some(value(row))).collect();
        let values = [column(&|row| row * 7), column(&|row| row / 2), column(&|row| row % 2)];
        let codes = columns(&values);
        let candidates = candidates(&codes, &[8, 0, 0]);
        let grouping = Grouping::new(&candidates, 200);
        let sets = search(&grouping, &grouping.copies());
        assert_eq!(sets.unique[0], [1, 2]);
        assert!(!sets.unique.contains(&vec![0]));
    }
}
