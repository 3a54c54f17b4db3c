//! The values of a column, each once, in the order in which they first appeared.
use foldhash::fast::FixedState;
use std::hash::{BuildHasher, Hasher};
use std::hint::black_box;

use rayon::prelude::*;

use crate::by_hash::ByHash;
use crate::table::{Codes, View};

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
    by_hash: ByHash,
}

/// The length of a text and its first bytes: of up to twelve bytes all, of a longer one four.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Head(u128);

impl Head {
    /// The head of a text, from a view of it.
    pub fn of_view(view: View) -> Self {
        // Behind the first bytes of a long text stands where the rest of it is.
        if view.is_whole() { Self(view.bits()) } else { Self(view.head().into()) }
    }

    pub fn of_text(text: &str) -> Self {
        Self::of_view(View::of(text))
    }

    pub fn is_whole(self) -> bool {
        View::INSIDE >= self.0 as u32 as usize
    }

    fn hash(self, text: &str) -> u64 {
        let mut hasher = FixedState::with_seed(0).build_hasher();
        if self.is_whole() {
            hasher.write_u128(self.0);
        } else {
            hasher.write(text.as_bytes());
        }
        // No value has the hash of a blank.
        hasher.finish().min(Codes::NO_HASH - 1)
    }
}

/// The numbers of short values that were met before: rows of few values are not looked up. It may forget any.
#[derive(Debug)]
pub(super) struct Recent([(View, u32); 64]);

impl Default for Recent {
    fn default() -> Self {
        // No value is empty.
        Self([(View::EMPTY, 0); 64])
    }
}

impl Recent {
    fn place(view: View) -> usize {
        (view.folded() >> 58) as usize
    }

    /// The number of the value of a view.
    #[inline]
    pub fn find(&self, view: View) -> Option<u32> {
        let (known, number) = self.0[Self::place(view)];
        (known == view).then_some(number)
    }

    pub fn note(&mut self, view: View, number: u32) {
        if view.is_whole() {
            self.0[Self::place(view)] = (view, number);
        }
    }
}

/// What a text is looked up by: its head, and its hash, which is the same in every column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Print {
    head: Head,
    hash: u64,
}

impl Print {
    /// Of no text.
    pub const NONE: Self = Self { head: Head(0), hash: 0 };

    /// The print of a text whose head is known.
    pub fn new(head: Head, text: &str) -> Self {
        Self { head, hash: head.hash(text) }
    }

    pub fn of_text(text: &str) -> Self {
        Self::new(Head::of_text(text), text)
    }

    pub fn hash(self) -> u64 {
        self.hash
    }

    /// Whether this is the print of a text with that head, and of no other.
    pub fn is_of(self, head: Head) -> bool {
        self.head == head && head.is_whole()
    }

    /// Whether both are prints of one text, as far as heads tell.
    pub fn is_equal(self, other: Self) -> bool {
        self.is_of(other.head)
    }

    fn tag(self) -> u32 {
        self.hash as u32
    }
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
        self.text.capacity() + self.ends.capacity() * each + self.by_hash.bytes_held()
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
        let mut kept = Self { halved, ..Self::default() };
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
        (0..self.len()).map(|number| self.print(number).hash).collect()
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
        self.by_hash.reserve(values);
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

    /// The number of a value.
    pub fn find(&self, value: &str) -> Option<u32> {
        self.look_up(Print::of_text(value), value)
    }

    /// For each of `count` values of another dictionary, of which `number` gives the numbers there, its number here.
    pub fn find_all(
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
            asked.zip(prints).map(|(at, print)| self.look_up(print, value(at))).collect::<Vec<_>>()
        });
        found.flatten_iter().collect()
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
        let read =
            |number: &u32| self.heads[*number as usize].0 as u32 ^ self.rows[*number as usize];
        black_box(numbers.iter().flatten().map(read).fold(0, |all, one| all ^ one));
    }

    fn look_up(&self, print: Print, value: &str) -> Option<u32> {
        let Print { head, .. } = print;
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
        if let Some(number) = self.look_up(print, value) {
            self.count(number);
            return Some(number);
        }
        Self::keeps(value, self.halved).then(|| self.add(print, value, 1, row))
    }

    /// Adds a value that is not there.
    fn add(&mut self, print: Print, value: &str, rows: u32, first: u32) -> u32 {
        let number = self.len() as u32;
        self.text.push_str(value);
        self.ends.push(self.text.len());
        self.heads.push(print.head);
        self.rows.push(rows);
        self.firsts.push(first);
        self.by_hash.insert(print.tag(), number);
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
