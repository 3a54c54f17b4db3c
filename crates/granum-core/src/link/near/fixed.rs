//! Something fixed before or behind the keys of one side.

use std::borrow::Cow;
use std::collections::HashSet;

use super::measure::Mend;
use super::target::{Parts, Which, print};
use super::{Key, Search, with};
use crate::link::mend::{Change, End};
use crate::tally::{NearKind, NearMiss};

/// Something fixed around a key is this long at most.
const FIXED: usize = 6;

/// Of so many keys of the other side less than one has it.
const HARDLY: u64 = 20;

/// A side of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Left,
    Right,
}

/// A text that all keys of one side that lead nowhere have at one end.
struct Around {
    side: Side,
    /// The column of the key.
    at: usize,
    end: End,
    text: String,
}

/// How often something fixed is right.
#[derive(Debug, Clone, Copy, Default)]
struct Hits {
    /// Keys of its side that are a key of the other without it.
    keys: u64,
    /// Keys of the other side that have it.
    others: u64,
}

impl Search<'_> {
    /// The same text before or behind all keys of one side that lead nowhere, and hardly any of the
    /// other side's.
    pub fn fixed(&mut self) -> Option<NearMiss> {
        // One key alone shows no rule.
        if self.open.len() < 2 {
            return None;
        }
        let arounds = self.arounds();
        if arounds.is_empty() {
            return None;
        }
        let hits = self.hits(&arounds);
        let (lefts, rights) = (self.left_count(), self.target.len() as u64);
        let mut best: Option<(u64, Around)> = None;
        for (around, hits) in arounds.into_iter().zip(hits) {
            let all = if around.side == Side::Left { rights } else { lefts };
            // Of equal ones the shortest says most.
            let better = best.as_ref().is_none_or(|(most, _)| hits.keys > *most);
            if hits.keys > 1 && better && hits.others * HARDLY < all {
                best = Some((hits.keys, around));
            }
        }
        let (_, Around { side, at, end, text }) = best?;
        let to = |key: &Key| match (side, end) {
            (Side::Left, _) => end.without(&key[at], &text).map(|rest| with(key, at, rest)),
            (Side::Right, End::Before) => Some(with(key, at, &format!("{text}{}", key[at]))),
            (Side::Right, End::Behind) => Some(with(key, at, &format!("{}{text}", key[at]))),
        };
        let to: Vec<Option<Key>> = self.keys.iter().map(|(key, _)| to(key)).collect();
        let wanted = self.open.iter().filter_map(|at| to[*at].as_ref()).map(print).collect();
        let known = self.target.known(&wanted, |parts| Some(print(parts)));
        let pairs = self.explained(|at| to[at].clone().filter(|to| known.contains(&print(to))));
        let lacks = |parts: &Parts<'_>| end.without(&parts[at], &text).is_none();
        let all = match side {
            Side::Left => {
                self.keys.iter().all(|(key, _)| end.without(&key[at], &text).is_some())
                    && !self.target.any(Which::Met, lacks)
            }
            Side::Right => !self.target.any(Which::All, lacks),
        };
        let mut mend = Mend::none(self.texts.len());
        let changes = match side {
            Side::Left => &mut mend.left[at],
            Side::Right => &mut mend.right[at],
        };
        changes.push(Change::Cut { end, text, all });
        let kind = match end {
            End::Before => NearKind::Prefix,
            End::Behind => NearKind::Suffix,
        };
        Some(self.found(vec![kind], Some(&mend), &pairs))
    }

    /// How many different keys the source has: those that lead nowhere, and those that match.
    fn left_count(&self) -> u64 {
        (self.keys.len() + self.target.met_count()) as u64
    }

    /// What all keys that lead nowhere begin or end with, and what all begin or end with that nothing leads to.
    fn arounds(&self) -> Vec<Around> {
        let ends = || self.text_columns().flat_map(|at| [(at, End::Before), (at, End::Behind)]);
        let open: Vec<&Key> = self.open.iter().map(|at| &self.keys[*at].0).collect();
        let left = ends().map(|(at, end)| {
            let texts = texts(open[0], at, end);
            let mut count = texts.len();
            open.iter().for_each(|key| count = kept(&texts, count, &key[at], end));
            (Side::Left, at, end, texts, count)
        });
        let mut all: Vec<_> = left.collect();
        if let Some(first) = self.target.first_unmet() {
            let of: Vec<_> = ends().map(|(at, end)| (at, end, texts(&first, at, end))).collect();
            let counts = || of.iter().map(|(_, _, texts)| texts.len()).collect::<Vec<usize>>();
            let runs = self.target.seen(counts, |counts, row, parts| {
                if !self.target.is_met(row) {
                    for (count, (at, end, texts)) in counts.iter_mut().zip(&of) {
                        *count = kept(texts, *count, &parts[*at], *end);
                    }
                }
            });
            let least = |place: usize| runs.iter().map(|counts| counts[place]).min().unwrap_or(0);
            let counts: Vec<usize> = (0..of.len()).map(least).collect();
            let right = of.into_iter().zip(counts);
            all.extend(right.map(|((at, end, texts), count)| (Side::Right, at, end, texts, count)));
        }
        // By columns, then by sides, then by ends.
        all.sort_by_key(|(side, at, ..)| (*at, *side == Side::Right));
        let arounds = all.into_iter().flat_map(|(side, at, end, texts, count)| {
            let texts = texts.into_iter().take(count);
            texts.map(move |text| Around { side, at, end, text })
        });
        arounds.collect()
    }

    /// How often each is right, in one look at the target.
    fn hits(&self, arounds: &[Around]) -> Vec<Hits> {
        let open: Vec<&Key> = self.open.iter().map(|at| &self.keys[*at].0).collect();
        let prints: HashSet<u128> = open.iter().map(|key| print(*key)).collect();
        // What the open keys are without it.
        let without = |around: &Around| -> Vec<u128> {
            let Around { side, at, end, text } = around;
            if *side == Side::Right {
                return vec![];
            }
            let rest = |key: &&Key| Some(put(key, *at, end.without(&key[*at], text)?));
            open.iter().filter_map(rest).collect()
        };
        let bare: Vec<Vec<u128>> = arounds.iter().map(without).collect();
        let wanted: HashSet<u128> = bare.iter().flatten().copied().collect();
        let start = || (HashSet::new(), vec![Hits::default(); arounds.len()]);
        let runs = self.target.seen(start, |(known, hits), row, parts| {
            let own = print(parts);
            if wanted.contains(&own) {
                known.insert(own);
            }
            for (hits, Around { side, at, end, text }) in hits.iter_mut().zip(arounds) {
                let Some(rest) = end.without(&parts[*at], text) else { continue };
                if *side == Side::Left || self.target.is_met(row) {
                    hits.others += 1;
                } else if prints.contains(&put(parts, *at, rest)) {
                    hits.keys += 1;
                }
            }
        });
        let mut all = vec![Hits::default(); arounds.len()];
        let mut known = HashSet::new();
        for (more, hits) in runs {
            known.extend(more);
            for (all, hits) in all.iter_mut().zip(hits) {
                all.keys += hits.keys;
                all.others += hits.others;
            }
        }
        for ((hits, bare), Around { side, at, end, text }) in all.iter_mut().zip(bare).zip(arounds)
        {
            match side {
                Side::Left => {
                    hits.keys = bare.iter().filter(|print| known.contains(*print)).count() as u64;
                }
                Side::Right => {
                    let has = |(key, _): &&(Key, u64)| end.without(&key[*at], text).is_some();
                    hits.others += self.keys.iter().filter(has).count() as u64;
                }
            }
        }
        all
    }
}

/// What a key begins (ends) with in one column, up to a few letters, and leaves something of it: the shortest first.
fn texts(key: &Key, at: usize, end: End) -> Vec<String> {
    let letters: Vec<char> = key[at].chars().collect();
    let length = letters.len();
    let text = |count: usize| match end {
        End::Before => letters[..count].iter().collect(),
        End::Behind => letters[length - count..].iter().collect(),
    };
    (1..length.min(FIXED + 1)).map(text).collect()
}

/// How many of the first `count` texts another key has as well: each is part of the next.
fn kept(texts: &[String], count: usize, key: &str, end: End) -> usize {
    (0..count).rev().find(|at| end.without(key, &texts[*at]).is_some()).map_or(0, |at| at + 1)
}

/// The fingerprint of a key with another text in one column.
fn put<S: AsRef<str>>(key: &[S], at: usize, text: &str) -> u128 {
    let part = |(place, part): (usize, _)| {
        if place == at { Cow::Borrowed(text) } else { Cow::Borrowed(S::as_ref(part)) }
    };
    print(key.iter().enumerate().map(part))
}
