//! Rows that some columns do not tell apart, in groups; rows that stand alone are left out.

use super::copies::Copies;
use crate::link::BlankKeys;
use crate::table::Codes;

/// Groups of two rows and more, in the order of their rows.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Partition {
    rows: Vec<u32>,
    ends: Vec<u32>,
}

/// So many rows are quickly compared, each with each.
const FEW: usize = 6;

/// Of a group so many rows are taken into a sample.
const SAMPLED: usize = 64;

/// Adds those of a few rows that have equal codes, in groups.
fn gather_few(rows: &[u32], codes: &[u64], blanks: BlankKeys, split: &mut Partition) {
    let mut taken = [false; FEW];
    for (at, code) in codes.iter().enumerate() {
        if taken[at] || (*code == Codes::NO_HASH && blanks == BlankKeys::Apart) {
            continue;
        }
        let begin = split.rows.len();
        for other in at + 1..codes.len() {
            if codes[other] == *code {
                if split.rows.len() == begin {
                    split.rows.push(rows[at]);
                }
                split.rows.push(rows[other]);
                taken[other] = true;
            }
        }
        if split.rows.len() > begin {
            split.ends.push(split.rows.len() as u32);
        }
    }
}

/// Where rows of each code go, for one group after the other.
#[derive(Default)]
struct Places {
    /// For each code the group that it was last met in, and how many rows of that have it; then where the next goes.
    of_codes: Vec<(u32, u32)>,
    group: u32,
    rows: Vec<(u64, u32)>,
}

impl Places {
    /// Codes below this are counted, and rows of others sorted: what is counted is to stay in the processor's cache.
    const MOST: u64 = if cfg!(test) { 3 } else { 1 << 14 };

    /// Puts rows of one code beside each other, those of one in the order in which they come.
    fn gather(&mut self, rows: &mut Vec<(u64, u32)>) {
        let most = rows.iter().fold(0, |most, (code, _)| code.max(&most).to_owned());
        if most >= Self::MOST {
            rows.sort_unstable();
            return;
        }
        self.of_codes.resize(self.of_codes.len().max(most as usize + 1), (0, 0));
        self.group += 1;
        for (code, _) in &*rows {
            let (group, count) = &mut self.of_codes[*code as usize];
            *count = if *group == self.group { *count + 1 } else { 1 };
            *group = self.group;
        }
        let mut begin = 0;
        self.group += 1;
        self.rows.resize(rows.len(), (0, 0));
        for row in &*rows {
            let (group, place) = &mut self.of_codes[row.0 as usize];
            if *group != self.group {
                // The first row of this code: its rows stand behind those of the codes before.
                (begin, *place) = (begin + *place, begin);
                *group = self.group;
            }
            self.rows[*place as usize] = *row;
            *place += 1;
        }
        std::mem::swap(&mut self.rows, rows);
    }
}

impl Partition {
    /// All of so many rows in one group: nothing tells them apart.
    pub fn of_all(rows: usize) -> Self {
        if rows < 2 {
            return Self::default();
        }
        Self { rows: (0..rows as u32).collect(), ends: vec![rows as u32] }
    }

    /// The rows that one column does not tell apart. `distinct` is how many values it has: numbers
    /// are sorted by counting.
    pub fn of(codes: &Codes, distinct: u64, blanks: BlankKeys) -> Self {
        let Codes::Numbers(numbers) = codes else {
            return Self::of_all(codes.len()).split(codes, blanks, u64::MAX);
        };
        // The blanks stand behind all values.
        let values = distinct as usize;
        let place = |number: u32| if number == Codes::BLANK { values } else { number as usize };
        let mut next = vec![0_u32; values + 2];
        numbers.iter().for_each(|number| next[place(*number) + 1] += 1);
        let alone = |next: &[u32], at: usize| next[at + 1] < 2;
        let out = |at: usize| at == values && blanks == BlankKeys::Apart;
        // Where each value's rows begin, those of values that stand alone left out.
        let counts = next.clone();
        let (mut begin, mut ends) = (0, vec![]);
        for at in 0..=values {
            next[at] = begin;
            if !alone(&counts, at) && !out(at) {
                begin += counts[at + 1];
                ends.push(begin);
            }
        }
        let mut rows = vec![0; begin as usize];
        for (row, number) in numbers.iter().enumerate() {
            let at = place(*number);
            if !alone(&counts, at) && !out(at) {
                rows[next[at] as usize] = row as u32;
                next[at] += 1;
            }
        }
        Self { rows, ends }
    }

    /// The groups of these, split by one column more. Once more than `most` rows repeat, the groups behind are left out.
    pub fn split(&self, codes: &Codes, blanks: BlankKeys, most: u64) -> Self {
        match codes {
            Codes::Numbers(numbers) => {
                self.split_by(|row| Codes::of_number(numbers[row as usize]), blanks, most)
            }
            codes => self.split_by(|row| codes.raw(row), blanks, most),
        }
    }

    /// The same by what each row has.
    fn split_by(&self, raw: impl Fn(u32) -> u64, blanks: BlankKeys, most: u64) -> Self {
        let mut split = Self::default();
        let mut group: Vec<(u64, u32)> = vec![];
        let mut places = Places::default();
        for rows in self.iter() {
            if split.repeating() > most {
                break;
            }
            if let [one, other] = rows {
                // Most groups are pairs once a few columns have been at them.
                let code = raw(*one);
                let blank = code == Codes::NO_HASH && blanks == BlankKeys::Apart;
                if code == raw(*other) && !blank {
                    split.rows.extend(rows);
                    split.ends.push(split.rows.len() as u32);
                }
                continue;
            }
            if rows.len() <= FEW {
                let mut codes = [0; FEW];
                codes.iter_mut().zip(rows).for_each(|(code, row)| *code = raw(*row));
                gather_few(rows, &codes[..rows.len()], blanks, &mut split);
                continue;
            }
            group.clear();
            group.extend(rows.iter().map(|row| (raw(*row), *row)));
            if blanks == BlankKeys::Apart {
                group.retain(|(code, _)| *code != Codes::NO_HASH);
            }
            places.gather(&mut group);
            for same in group.chunk_by(|a, b| a.0 == b.0).filter(|same| same.len() > 1) {
                split.rows.extend(same.iter().map(|(_, row)| *row));
                split.ends.push(split.rows.len() as u32);
            }
        }
        split
    }

    /// The rows of each group, in order.
    pub fn iter(&self) -> impl Iterator<Item = &[u32]> {
        let mut start = 0;
        self.ends.iter().map(move |end| {
            let rows = &self.rows[start..*end as usize];
            start = *end as usize;
            rows
        })
    }

    /// Parts of them, each of whole groups, and of about so many rows.
    pub fn pieces(&self, rows: usize) -> impl Iterator<Item = Self> {
        let mut first = 0;
        std::iter::from_fn(move || {
            let begin = if first == 0 { 0 } else { *self.ends.get(first - 1)? };
            let end = begin as usize + rows;
            let behind = self.ends.partition_point(|to| (*to as usize) < end);
            let last = behind.min(self.ends.len().checked_sub(1)?);
            let ends = self.ends.get(first..=last).filter(|ends| !ends.is_empty())?;
            first = last + 1;
            Some(Self {
                rows: self.rows[begin as usize..self.ends[last] as usize].to_vec(),
                ends: ends.iter().map(|end| end - begin).collect(),
            })
        })
    }

    /// Adds groups behind these.
    pub fn append(&mut self, other: &Self) {
        let before = self.rows.len() as u32;
        self.rows.extend(&other.rows);
        self.ends.extend(other.ends.iter().map(|end| before + end));
    }

    /// So many of the groups, about, from all over; of large ones a part.
    pub fn sample(&self, groups: usize) -> Self {
        let mut some = Self::default();
        for rows in self.iter().step_by(self.ends.len().div_ceil(groups).max(1)) {
            some.rows.extend(&rows[..rows.len().min(SAMPLED)]);
            some.ends.push(some.rows.len() as u32);
        }
        some
    }

    pub fn is_empty(&self) -> bool {
        self.ends.is_empty()
    }

    /// Rows whose key an earlier row has.
    pub fn repeating(&self) -> u64 {
        (self.rows.len() - self.ends.len()) as u64
    }

    /// The groups without copies, the groups in the order of their first rows.
    pub fn without(&self, copies: &Copies) -> Vec<Vec<u32>> {
        let stays = |row: &&u32| !copies.has(**row);
        let mut groups: Vec<Vec<u32>> =
            self.iter().map(|group| group.iter().filter(stays).copied().collect()).collect();
        groups.retain(|group: &Vec<u32>| group.len() > 1);
        groups.sort_unstable_by_key(|group| group[0]);
        groups
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;
    use crate::grain::copies::CopiesBuilder;

    proptest! {
        #[test]
        fn groups_hold_the_rows_that_are_equal_and_no_others(
            rows in prop::collection::vec((prop::option::weighted(0.8, 0..5_u32), 0..4_u64), 0..40),
            equal in any::<bool>(),
            most in 0..9_u64,
        ) {
            let blanks = if equal { BlankKeys::Equal } else { BlankKeys::Apart };
            let numbers: Vec<u32> = rows.iter().map(|row| row.0.unwrap_or(Codes::BLANK)).collect();
            let hashes: Vec<u64> = rows.iter().map(|row| row.1).collect();
            let codes = Codes::Hashes(hashes);
            let groups = Partition::of(&Codes::Numbers(numbers), 5, blanks)
                .split(&codes, blanks, u64::MAX);
            let mut slow: BTreeMap<(Option<u32>, u64), Vec<u32>> = BTreeMap::new();
            for (at, row) in rows.iter().enumerate() {
                if row.0.is_some() || blanks == BlankKeys::Equal {
                    slow.entry(*row).or_default().push(at as u32);
                }
            }
            let mut slow: Vec<Vec<u32>> =
                slow.into_values().filter(|rows| rows.len() > 1).collect();
            slow.sort();
            let none = CopiesBuilder::new(rows.len()).finish();
            prop_assert_eq!(groups.without(&none), slow.clone());
            let repeating: usize = slow.iter().map(|rows| rows.len() - 1).sum();
            prop_assert_eq!(groups.repeating(), repeating as u64);
            // Where it stops early, too many repeat.
            // Whichever of the two goes first, and whether its codes are numbers or hashes.
            let numbers = Codes::Numbers(rows.iter().map(|row| row.0.unwrap_or(Codes::BLANK)).collect());
            let other_way = Partition::of_all(rows.len()).split(&codes, blanks, u64::MAX);
            prop_assert_eq!(other_way.split(&numbers, blanks, u64::MAX).without(&none), slow.clone());
            let stopped = Partition::of_all(rows.len()).split(&codes, blanks, most);
            let whole = Partition::of_all(rows.len()).split(&codes, blanks, u64::MAX);
            prop_assert!(stopped == whole || stopped.repeating() > most);
            prop_assert_eq!(stopped.repeating() > most, whole.repeating() > most);
        }

        #[test]
        fn pieces_are_whole_groups_one_behind_the_other_and_a_sample_is_some_of_them(
            values in prop::collection::vec(0..12_u32, 0..80),
            rows in 1..30_usize,
            groups in 1..9_usize,
        ) {
            let all = Partition::of(&Codes::Numbers(values), 12, BlankKeys::Equal);
            let mut together = Partition::default();
            for piece in all.pieces(rows) {
                // No more than asked for, but for a group that is larger by itself.
                let lengths: Vec<usize> = piece.iter().map(<[u32]>::len).collect();
                let but_last: usize = lengths.iter().rev().skip(1).sum();
                prop_assert!(!piece.is_empty() && but_last < rows, "{but_last} of {rows}");
                together.append(&piece);
            }
            prop_assert_eq!(&together, &all);
            let sample = all.sample(groups);
            prop_assert!(sample.ends.len() <= groups && sample.is_empty() == all.is_empty());
            prop_assert!(sample.iter().all(|some| all.iter().any(|whole| whole.starts_with(some))));
        }
    }
}
