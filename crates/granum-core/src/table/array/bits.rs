//! Bits: a truth for each row.

use std::ops::{BitAnd, BitOr, Not, Range};

use super::Shared;

/// How many bits stand in one word.
const WORD: usize = 64;

/// A truth for each row. A run of them is free.
#[derive(Debug, Clone)]
pub struct Bits {
    words: Shared<u64>,
    /// Where the first bit stands in the first word.
    first: usize,
    len: usize,
}

impl Bits {
    /// `len` times the same.
    pub fn all(len: usize, set: bool) -> Self {
        let word = if set { u64::MAX } else { 0 };
        Self { words: vec![word; len.div_ceil(WORD)].into(), first: 0, len }
    }

    /// What `is` says of each of `len` rows.
    pub fn collect(len: usize, mut is: impl FnMut(usize) -> bool) -> Self {
        let mut words = Vec::with_capacity(len.div_ceil(WORD));
        for start in (0..len).step_by(WORD) {
            let mut word = 0;
            for at in 0..WORD.min(len - start) {
                word |= u64::from(is(start + at)) << at;
            }
            words.push(word);
        }
        Self { words: words.into(), first: 0, len }
    }

    /// Of `len` rows these, in any order, are true.
    pub fn of(len: usize, rows: impl Iterator<Item = u32>) -> Self {
        let mut words = vec![0; len.div_ceil(WORD)];
        rows.for_each(|row| words[row as usize / WORD] |= 1_u64 << (row as usize % WORD));
        Self { words: words.into(), first: 0, len }
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// What is true of a row, which there is.
    #[inline]
    pub fn value(&self, at: usize) -> bool {
        assert!(at < self.len, "bit {at} of {}", self.len);
        let at = self.first + at;
        self.words[at / WORD] >> (at % WORD) & 1 == 1
    }

    /// Asks for rows one by one, in any order.
    pub(super) fn asked(&self) -> impl Fn(usize) -> bool {
        let (words, first, len): (&[u64], _, _) = (&self.words, self.first, self.len);
        move |at| {
            assert!(at < len, "bit {at} of {len}");
            words[(first + at) / WORD] >> ((first + at) % WORD) & 1 == 1
        }
    }

    /// How many rows are true.
    pub fn count(&self) -> usize {
        self.words().map(|word| word.count_ones() as usize).sum()
    }

    /// What is true of each row.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = bool> {
        let mut word = 0;
        (0..self.len).map(move |at| {
            if at % WORD == 0 {
                word = self.word_from(at);
            }
            let is = word & 1 == 1;
            word >>= 1;
            is
        })
    }

    /// The rows that are true, in order.
    pub fn rows(&self) -> impl Iterator<Item = usize> {
        self.words().enumerate().flat_map(|(chunk, word)| {
            let rest = |word: &u64| Some(word & (word - 1)).filter(|rest| *rest != 0);
            std::iter::successors(Some(word).filter(|word| *word != 0), rest)
                .map(move |word| chunk * WORD + word.trailing_zeros() as usize)
        })
    }

    /// The runs of rows that are true: where each begins, and the row behind it.
    pub fn runs(&self) -> impl Iterator<Item = (usize, usize)> {
        let mut at = 0;
        std::iter::from_fn(move || {
            let start = self.next(at, true);
            at = self.next(start, false);
            (start < self.len).then_some((start, at))
        })
    }

    /// All rows in runs, of which each but the last has so many that are true and ends with such a row.
    pub(crate) fn portions(&self, each: usize) -> Vec<Range<usize>> {
        let (mut portions, mut begin, mut found) = (vec![], 0, 0);
        for (chunk, mut word) in self.words().enumerate() {
            let all = word.count_ones() as usize;
            if found + all < each {
                found += all;
                continue;
            }
            while word != 0 {
                found += 1;
                if found == each {
                    let end = chunk * WORD + word.trailing_zeros() as usize + 1;
                    portions.push(begin..end);
                    (begin, found) = (end, 0);
                }
                word &= word - 1;
            }
        }
        if found > 0 {
            portions.push(begin..self.len);
        }
        portions
    }

    /// `len` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, len: usize) -> Self {
        let there = self.len;
        assert!(offset <= there && len <= there - offset, "{len} bits from {offset} on of {there}");
        let first = self.first + offset;
        let words = (first + len).div_ceil(WORD) - first / WORD;
        Self { words: self.words.slice(first / WORD, words), first: first % WORD, len }
    }

    /// The bits of 64 rows from row `at` on; none behind the last.
    #[inline]
    fn word_from(&self, at: usize) -> u64 {
        let (word, shift) = ((self.first + at) / WORD, (self.first + at) % WORD);
        let words: &[u64] = &self.words;
        let low = words.get(word).copied().unwrap_or(0) >> shift;
        let high = match (shift, words.get(word + 1)) {
            (1.., Some(next)) => next << (WORD - shift),
            _ => 0,
        };
        let rows = self.len.saturating_sub(at).min(WORD);
        let mask = if rows == WORD { u64::MAX } else { (1 << rows) - 1 };
        (low | high) & mask
    }

    /// The rows of such words, of which there are as many as `len` needs.
    pub(crate) fn of_words(words: Vec<u64>, len: usize) -> Self {
        assert_eq!(words.len(), len.div_ceil(WORD), "the words of {len} bits");
        Self { words: words.into(), first: 0, len }
    }

    /// Its rows, 64 to a word, the first in the lowest bit.
    pub(crate) fn words(&self) -> impl Iterator<Item = u64> {
        (0..self.len).step_by(WORD).map(|at| self.word_from(at))
    }

    /// The first row from `from` on that is `wanted`, or how many rows there are.
    fn next(&self, from: usize, wanted: bool) -> usize {
        for at in (from..self.len).step_by(WORD) {
            let word = self.word_from(at);
            let found = if wanted { word } else { !word };
            if found != 0 {
                return (at + found.trailing_zeros() as usize).min(self.len);
            }
        }
        self.len
    }

    fn zip(&self, other: &Self, work: impl Fn(u64, u64) -> u64) -> Self {
        assert_eq!(self.len, other.len, "bits of as many rows");
        let words: Vec<u64> = self.words().zip(other.words()).map(|(a, b)| work(a, b)).collect();
        Self { words: words.into(), first: 0, len: self.len }
    }
}

impl BitAnd for &Bits {
    type Output = Bits;

    fn bitand(self, other: Self) -> Bits {
        self.zip(other, |a, b| a & b)
    }
}

impl BitOr for &Bits {
    type Output = Bits;

    fn bitor(self, other: Self) -> Bits {
        self.zip(other, |a, b| a | b)
    }
}

impl Not for &Bits {
    type Output = Bits;

    fn not(self) -> Bits {
        let words: Vec<u64> = self.words().map(|word| !word).collect();
        Bits { words: words.into(), first: 0, len: self.len }
    }
}

impl FromIterator<bool> for Bits {
    fn from_iter<I: IntoIterator<Item = bool>>(bits: I) -> Self {
        let mut builder = BitsBuilder::default();
        bits.into_iter().for_each(|bit| builder.push(bit));
        builder.finish()
    }
}

impl From<Vec<bool>> for Bits {
    fn from(bits: Vec<bool>) -> Self {
        Self::collect(bits.len(), |at| bits[at])
    }
}

/// Bits that grow at their end.
#[derive(Debug, Default)]
pub struct BitsBuilder {
    words: Vec<u64>,
    len: usize,
}

impl BitsBuilder {
    /// How many bits there are.
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// Adds a bit.
    #[inline]
    pub fn push(&mut self, bit: bool) {
        let shift = self.len % WORD;
        if shift == 0 {
            self.words.push(0);
        }
        if let Some(last) = self.words.last_mut() {
            *last |= u64::from(bit) << shift;
        }
        self.len += 1;
    }

    /// Adds the same bit so many times.
    pub fn push_all(&mut self, count: usize, bit: bool) {
        let word = if bit { u64::MAX } else { 0 };
        (0..count).step_by(WORD).for_each(|at| self.push_word(word, WORD.min(count - at)));
    }

    /// Adds bits.
    pub fn append(&mut self, bits: &Bits) {
        let chunks = bits.words().enumerate();
        chunks.for_each(|(at, word)| self.push_word(word, WORD.min(bits.len - at * WORD)));
    }

    /// Adds the lowest `count` bits of a word, 64 at most.
    fn push_word(&mut self, word: u64, count: usize) {
        let word = if count == WORD { word } else { word & ((1 << count) - 1) };
        let shift = self.len % WORD;
        match self.words.last_mut() {
            Some(last) if shift > 0 => {
                *last |= word << shift;
                if shift + count > WORD {
                    self.words.push(word >> (WORD - shift));
                }
            }
            _ if count > 0 => self.words.push(word),
            _ => {}
        }
        self.len += count;
    }

    /// All bits.
    pub fn finish(self) -> Bits {
        Bits { words: self.words.into(), first: 0, len: self.len }
    }
}
