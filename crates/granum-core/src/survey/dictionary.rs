//! The values of a column, each once, in the order in which they first appeared.
use std::cmp::Ordering;
use std::hash::{BuildHasher, Hasher};
use std::hint::black_box;

use foldhash::fast::FixedState;
use rayon::prelude::*;

use super::ascending::{Ascending, Near};
use super::print::{Head, Print};
use crate::by_hash::ByHash;

/// The values of a column: each has a number, how many rows have it, and the first of them.
///
/// Where there is no room for all of them a sample is kept, by hashes of their bare forms: of two columns the same
/// values are kept then, and of values that differ in spaces, case and zeros alone all or none.
#[derive(Debug, Default)]
pub(crate) struct Dictionary {
    /// How often the sample was halved.
    halved: u32,
    /// All values, one behind the other.
    text: String,
    ends: Vec<usize>,
    /// Length and first bytes of each value: all of a value that is short.
    heads: Vec<Head>,
    rows: Vec<u32>,
    firsts: Vec<u32>,
    /// The values that came in order, as long as most do.
    ascending: Ascending,
    /// Where values of those were found the last time.
    near: Near,
    /// All other values.
    by_hash: ByHash,
}

/// A sample is never halved to fewer values.
const FEWEST: usize = if cfg!(test) { 256 } else { 1 << 12 };

/// Where a value's bare form stands among all: values of equal forms stand together.
fn form(value: &str) -> u64 {
    let mut hasher = FixedState::with_seed(1).build_hasher();
    let value = value.trim();
    if value.is_ascii() {
        let bare = value.trim_start_matches('0').bytes();
        bare.for_each(|byte| hasher.write_u8(byte.to_ascii_uppercase()));
    } else {
        hasher.write(value.to_uppercase().trim_start_matches('0').as_bytes());
    }
    hasher.finish()
}

/// So many values are looked up together.
pub(super) const TOGETHER: usize = 64;

/// So many follow each other where both sides are in order.
const FOLLOWING: usize = 1 << 12;

/// Fewer than one in so many are looked for each by itself.
const FEW: usize = 8;

impl Dictionary {
    /// How many values it has.
    pub fn len(&self) -> usize {
        self.ends.len()
    }

    /// How often the sample was halved; 0 where all values are kept.
    pub fn halved(&self) -> u32 {
        self.halved
    }

    /// Whether a value is among those that are kept where the sample was halved so often.
    pub fn keeps(value: &str, halved: u32) -> bool {
        halved == 0 || form(value).leading_zeros() >= halved
    }

    /// The bytes that it takes in memory, about.
    pub fn bytes_held(&self) -> usize {
        let each = size_of::<usize>() + size_of::<Head>() + 2 * size_of::<u32>();
        let found = self.ascending.bytes_held() + self.by_hash.bytes_held();
        self.text.capacity() + self.ends.capacity() * each + found
    }

    /// Whether there are values enough to be halved.
    pub fn may_be_halved(&self) -> bool {
        self.len() >= 2 * FEWEST && self.halved < u64::BITS - 1
    }

    /// Keeps half of the values, about. What goes is told.
    pub fn halve(&mut self, mut goes: impl FnMut(&str, u64, u32)) {
        let halved = self.halved + 1;
        let stays: Vec<bool> =
            self.values().map(|(value, ..)| Self::keeps(value, halved)).collect();
        let count = stays.iter().filter(|stays| **stays).count();
        let mut kept = Self { halved, ascending: Ascending::over(), ..Self::default() };
        kept.ends.reserve_exact(count);
        kept.heads.reserve_exact(count);
        kept.rows.reserve_exact(count);
        kept.firsts.reserve_exact(count);
        kept.by_hash.reserve(count);
        for (number, (value, rows, first)) in self.values().enumerate() {
            if stays[number] {
                kept.add(self.print(number), value, self.rows[number], first);
            } else {
                goes(value, rows, first);
            }
        }
        *self = kept;
    }

    /// The hash of each value, by its number: the same in every column.
    pub fn hashes(&self) -> Vec<u64> {
        (0..self.len()).map(|number| self.print(number).hash()).collect()
    }

    fn print(&self, number: usize) -> Print {
        Print::new(self.heads[number], self.value(number))
    }

    /// Makes room for so many more values.
    pub fn reserve(&mut self, values: usize) {
        let length = self.text.len() / self.len().max(1) + 1;
        self.text.reserve(values * length);
        self.ends.reserve(values);
        self.heads.reserve(values);
        self.rows.reserve(values);
        self.firsts.reserve(values);
        if self.ascends() {
            self.ascending.reserve(values);
        } else {
            self.by_hash.reserve(values);
        }
    }

    /// A value by its number.
    pub fn value(&self, number: usize) -> &str {
        let from = number.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.text[from..self.ends[number]]
    }

    /// All values with how many rows have each, and the first of those.
    pub fn values(&self) -> impl Iterator<Item = (&str, u64, u32)> {
        (0..self.len()).map(|number| (self.value(number), self.rows(number), self.firsts[number]))
    }

    /// How many rows have a value.
    pub fn rows(&self, number: usize) -> u64 {
        self.rows[number].into()
    }

    /// The first row that has a value.
    pub fn first(&self, number: usize) -> u32 {
        self.firsts[number]
    }

    /// Whether most values came in order: each behind the one before.
    pub fn ascends(&self) -> bool {
        self.ascending.goes_on()
    }

    /// How a value stands to another.
    fn order(&self, number: u32, head: Head, value: &str) -> Ordering {
        let own = self.heads[number as usize];
        own.rank().cmp(&head.rank()).then_with(|| {
            if head.is_whole() { Ordering::Equal } else { self.value(number as usize).cmp(value) }
        })
    }

    /// The number of a value.
    pub fn find(&self, value: &str) -> Option<u32> {
        self.find_near(&mut Near::default(), Head::of_text(value), value)
    }

    /// The number of a value, near where others were found.
    fn find_near(&self, near: &mut Near, head: Head, value: &str) -> Option<u32> {
        let found = self.ascending.find(near, |number| self.order(number, head, value));
        found.or_else(|| self.find_stray(head, value))
    }

    /// The number of a value that is not in order.
    fn find_stray(&self, head: Head, value: &str) -> Option<u32> {
        if self.by_hash.is_empty() {
            return None;
        }
        self.look_up(Print::new(head, value), value)
    }

    /// For each of `count` values of another dictionary, of which `number` gives the numbers there, its number here.
    pub fn find_all(
        &self,
        other: &Self,
        count: usize,
        number: impl Fn(usize) -> usize + Sync,
    ) -> Vec<Option<u32>> {
        if self.ascends() {
            // Without a table of these those are found here: of a few each, of others all of these there.
            let few = other.ascends() || count < self.len() / FEW;
            return if few {
                self.follow(other, count, number)
            } else {
                self.lead(other, count, number)
            };
        }
        self.find_by_hashes(other, count, number)
    }

    /// The same where all values are found by their hashes.
    fn find_by_hashes(
        &self,
        other: &Self,
        count: usize,
        number: impl Fn(usize) -> usize + Sync,
    ) -> Vec<Option<u32>> {
        let some = (0..count).into_par_iter().step_by(TOGETHER);
        let found = some.map(|first| {
            let asked = first..count.min(first + TOGETHER);
            let prints: Vec<Print> = asked.clone().map(|at| other.print(number(at))).collect();
            self.read_ahead(&prints);
            let value = |at| other.value(number(at));
            let found = asked.zip(prints).map(|(at, print)| self.look_up(print, value(at)));
            found.collect::<Vec<_>>()
        });
        found.flatten_iter().collect()
    }

    /// The same for values that follow each other here, or that are few.
    fn follow(
        &self,
        other: &Self,
        count: usize,
        number: impl Fn(usize) -> usize + Sync,
    ) -> Vec<Option<u32>> {
        let some = (0..count).into_par_iter().step_by(FOLLOWING);
        let found = some.map(|first| {
            let mut near = Near::default();
            let mut find = |at: usize| {
                let at = number(at);
                self.find_near(&mut near, other.heads[at], other.value(at))
            };
            (first..count.min(first + FOLLOWING)).map(&mut find).collect::<Vec<_>>()
        });
        found.flatten_iter().collect()
    }

    /// The same by looking for all of these values there.
    fn lead(
        &self,
        other: &Self,
        count: usize,
        number: impl Fn(usize) -> usize,
    ) -> Vec<Option<u32>> {
        let there = other.find_by_hashes(self, self.len(), |at| at);
        let mut here = vec![None; other.len()];
        for (own, there) in (0..).zip(there) {
            there.iter().for_each(|there| here[*there as usize] = Some(own));
        }
        (0..count).map(|at| here[number(at)]).collect()
    }

    /// The numbers of the values for which something is so, in order.
    pub fn numbers_where(&self, is: impl Fn(&str) -> bool + Sync) -> Vec<u32> {
        let all = (0..self.len() as u32).into_par_iter().with_min_len(TOGETHER);
        all.filter(|number| is(self.value(*number as usize))).collect()
    }

    /// Reads ahead what look-ups of some values will read, without waiting for one after the other.
    pub fn read_ahead(&self, prints: &[Print]) {
        if !self.by_hash.are_far() {
            return;
        }
        let mut numbers = [None; TOGETHER];
        for (print, number) in prints.iter().zip(&mut numbers) {
            *number = self.by_hash.first(print.tag());
        }
        let read = |number: &u32| self.heads[*number as usize].bits() ^ self.rows[*number as usize];
        black_box(numbers.iter().flatten().map(read).fold(0, |all, one| all ^ one));
    }

    fn look_up(&self, print: Print, value: &str) -> Option<u32> {
        let head = print.head();
        let same = |number: u32| {
            let number = number as usize;
            self.heads[number] == head && (head.is_whole() || self.value(number) == value)
        };
        self.by_hash.find(print.tag(), same)
    }

    /// Counts a row that has a value known by its number.
    pub fn count(&mut self, number: u32) {
        self.rows[number as usize] += 1;
    }

    /// Counts a row that has a value, and gives the value's number. `None` if it is not kept.
    pub fn take(&mut self, print: Print, value: &str, row: u32) -> Option<u32> {
        if self.ascends() {
            return Some(self.take_in_order(print.head(), value, row));
        }
        if let Some(number) = self.look_up(print, value) {
            self.count(number);
            return Some(number);
        }
        Self::keeps(value, self.halved).then(|| self.add(print, value, 1, row))
    }

    /// The same where most values come in order, of which all are kept.
    pub fn take_in_order(&mut self, head: Head, value: &str, row: u32) -> u32 {
        let last = self.ascending.last();
        let behind = match last {
            None => Ordering::Less,
            Some(last) => self.order(last, head, value),
        };
        if let (Ordering::Equal, Some(last)) = (behind, last) {
            self.count(last);
            return last;
        }
        // Behind all values of the only run it is a new one.
        let mut in_order = self.ascends() && behind == Ordering::Less;
        if !(in_order && self.ascending.is_one()) {
            if behind == Ordering::Greater && self.ascending.stray() {
                self.number_by_hashes();
                in_order = false;
            }
            let mut near = self.near;
            let found = self.find_near(&mut near, head, value);
            self.near = near;
            if let Some(number) = found {
                self.count(number);
                return number;
            }
        }
        if in_order {
            let number = self.note(head, value, 1, row);
            self.ascending.push(number);
            return number;
        }
        self.add(Print::new(head, value), value, 1, row)
    }

    /// A new file begins: its values may stand before those of the one above.
    pub fn begin_file(&mut self) {
        self.ascending.begin_run();
    }

    /// From now on values are found by their hashes alone.
    fn number_by_hashes(&mut self) {
        let ascending = std::mem::replace(&mut self.ascending, Ascending::over());
        self.by_hash.reserve(self.len());
        for number in ascending.numbers() {
            self.by_hash.insert(self.print(number as usize).tag(), number);
        }
    }

    /// Adds a value that is not there, and that is found by its hash.
    fn add(&mut self, print: Print, value: &str, rows: u32, first: u32) -> u32 {
        let number = self.note(print.head(), value, rows, first);
        self.by_hash.insert(print.tag(), number);
        number
    }

    /// Notes a value that is not there.
    fn note(&mut self, head: Head, value: &str, rows: u32, first: u32) -> u32 {
        let number = self.len() as u32;
        self.text.push_str(value);
        self.ends.push(self.text.len());
        self.heads.push(head);
        self.rows.push(rows);
        self.firsts.push(first);
        number
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::table::Texts;

    proptest! {
        #[test]
        fn each_value_has_one_number_and_is_found_again(
            values in prop::collection::vec("[a-c]{1,3}|[a-b]{12,15}|é{1,8}", 1..60),
        ) {
            let texts = values.iter().map(Some).collect::<Texts>();
            let mut dictionary = Dictionary::default();
            let numbers: Vec<u32> = values.iter().enumerate().map(|(row, value)| {
                let print = Print::new(Head::of_view(*texts.view(row)), value);
                dictionary.take(print, value, row as u32).unwrap()
            }).collect();
            for (row, value) in values.iter().enumerate() {
                let number = numbers[row] as usize;
                prop_assert_eq!(dictionary.value(number), value);
                prop_assert_eq!(dictionary.find(value), Some(number as u32));
                let first = values.iter().position(|other| other == value).unwrap();
                prop_assert_eq!(dictionary.first(number) as usize, first);
                let rows = values.iter().filter(|other| *other == value).count();
                prop_assert_eq!(dictionary.rows(number) as usize, rows);
            }
            prop_assert_eq!(dictionary.find("never there"), None);
        }
    }

    #[test]
    fn half_of_the_values_stay_with_their_rows_and_those_of_one_bare_form_together() {
        let mut dictionary = Dictionary::default();
        let values: Vec<String> = (0..4_000)
            .flat_map(|at| [format!("K{at:05}"), format!(" k{at:05} "), format!("00K{at:05}")])
            .collect();
        for (row, value) in values.iter().enumerate() {
            // Every third value stands on two rows.
            for _ in 0..=usize::from(row % 9 == 0) {
                dictionary.take(Print::of_text(value), value, row as u32).unwrap();
            }
        }
        let (mut gone, mut gone_rows) = (0, 0);
        dictionary.halve(|_, rows, _| {
            gone += 1;
            gone_rows += rows;
        });
        assert_eq!((dictionary.halved(), dictionary.len() + gone), (1, values.len()));
        assert!(dictionary.len().abs_diff(values.len() / 2) < 400, "{}", dictionary.len());
        let kept: u64 = dictionary.values().map(|(_, rows, _)| rows).sum();
        assert_eq!(kept + gone_rows, values.len() as u64 + values.len().div_ceil(9) as u64);
        for (at, forms) in values.chunks(3).enumerate() {
            let found = [0, 1, 2].map(|form| dictionary.find(&forms[form]));
            let stays = Dictionary::keeps(&forms[0], 1);
            assert!(found.iter().all(|found| found.is_some() == stays), "{forms:?}");
            for (form, number) in
                found.iter().enumerate().filter_map(|(form, it)| Some((form, (*it)?)))
            {
                let row = 3 * at + form;
                assert_eq!(dictionary.first(number as usize) as usize, row);
                assert_eq!(dictionary.rows(number as usize), 1 + u64::from(row % 9 == 0));
            }
        }
        // What is not kept is not added, and what is kept is counted on.
        let (kept, left): (Vec<_>, Vec<_>) =
            values.iter().partition(|value| Dictionary::keeps(value, 1));
        let known = dictionary.len();
        assert_eq!(dictionary.take(Print::of_text(left[0]), left[0], 0), None);
        let again = dictionary.take(Print::of_text(kept[1]), kept[1], 0).unwrap();
        assert_eq!(dictionary.len(), known);
        assert!(dictionary.rows(again as usize) >= 2);
        assert!(dictionary.may_be_halved() && dictionary.bytes_held() > 30 * dictionary.len());
    }
}
