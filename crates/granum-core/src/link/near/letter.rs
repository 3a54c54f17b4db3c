//! Keys that one letter tells from a key of the target: changed, left out, put in, or two that changed places.
//!
//! Two such texts are equal after at most one letter is left out of each, at some place: what is asked is found by the
//! hashes of all that it is then, so the target passes once, however many letters there are.

use std::collections::HashMap;
use std::hash::{BuildHasher, Hasher};

use foldhash::fast::FixedState;

use super::target::{Parts, owned};
use super::{Key, Search};
use crate::tally::{NearKind, NearMiss};

/// Keys are compared letter by letter up to so many.
const LETTERS: usize = 2_000;

/// A key that one letter tells from another must have so many: of shorter ones all are near.
const SHORTEST: usize = 4;

/// A key that one letter tells from another is this long at most: of longer ones there are too many to try.
const LONGEST: usize = 64;

/// So many keys of the target are looked at to see whether they are near each other.
const SAMPLE: usize = 200;

/// How one text becomes another: the less, the sooner it is tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Way {
    /// Without the letter at a place.
    Without(usize),
    /// The letter at a place changes places with the one before.
    Swapped(usize),
    /// At a place another letter: put in, or changed.
    Other(usize, char, bool),
}

/// The near key of each that is asked: the column where it differs, how, and the key.
type Found = HashMap<usize, (usize, Way, Key)>;

impl Search<'_> {
    /// Keys that one letter tells from a key of the target.
    pub fn one_letter_off(&mut self) -> Option<NearMiss> {
        if self.open.is_empty() || self.open.len() > LETTERS {
            return None;
        }
        // Where the target's own keys are near each other, as running numbers are, that a key is
        // near to one of them says nothing.
        let sample = self.target.every((self.target.len() / SAMPLE).max(1), SAMPLE);
        let sampled = sample.len();
        let open = self.open.iter().map(|at| self.keys[*at].0.clone());
        let mut found = self.nearest(&sample.into_iter().chain(open).collect::<Vec<Key>>());
        if found.keys().filter(|asked| **asked < sampled).count() * 10 > sampled {
            return None;
        }
        let places: HashMap<usize, usize> = self.open.iter().copied().zip(sampled..).collect();
        let near: HashMap<usize, Key> = places
            .into_iter()
            .filter_map(|(at, asked)| Some((at, found.remove(&asked)?.2)))
            .collect();
        let pairs = self.explained(|at| near.get(&at).cloned());
        (!pairs.is_empty()).then(|| self.found(vec![NearKind::OneLetter], None, &pairs))
    }

    /// For each key that is asked the first of the target that one letter tells from it, in the order of columns and
    /// ways.
    fn nearest(&self, asked: &[Key]) -> Found {
        let columns: Vec<usize> = self.text_columns().collect();
        let mut by: HashMap<u64, Vec<(usize, usize)>> = HashMap::new();
        for (number, key) in asked.iter().enumerate() {
            for at in &columns {
                if (SHORTEST..=LONGEST).contains(&letters(&key[*at])) {
                    each_shorter(key, *at, &mut String::new(), |hash| {
                        by.entry(hash).or_default().push((number, *at));
                    });
                }
            }
        }
        let start = || (Found::new(), String::new());
        let runs = self.target.seen(start, |(found, room), _, parts| {
            for at in &columns {
                if (SHORTEST - 1..=LONGEST + 1).contains(&letters(&parts[*at])) {
                    each_shorter(parts, *at, room, |hash| {
                        for (number, column) in by.get(&hash).into_iter().flatten() {
                            if column == at {
                                note(found, *number, &asked[*number], (*at, parts));
                            }
                        }
                    });
                }
            }
        });
        let mut all = Found::new();
        for (number, (at, way, key)) in runs.into_iter().flat_map(|(found, _)| found) {
            let best = all.get(&number).is_none_or(|(other, best, _)| (at, way) < (*other, *best));
            if best {
                all.insert(number, (at, way, key));
            }
        }
        all
    }
}

/// Notes a key of the target that is near to one that is asked, if it is and none is nearer.
fn note(found: &mut Found, number: usize, asked: &Key, (at, parts): (usize, &Parts<'_>)) {
    let mut others = (0..asked.len()).filter(|place| *place != at);
    if !others.all(|place| asked[place] == parts[place]) {
        return;
    }
    let Some(way) = way(&asked[at], &parts[at]) else { return };
    if found.get(&number).is_none_or(|(other, best, _)| (at, way) < (*other, *best)) {
        found.insert(number, (at, way, owned(parts)));
    }
}

fn letters(text: &str) -> usize {
    // Most texts are too short, or have as many letters as bytes.
    if text.is_ascii() { text.len() } else { text.chars().count() }
}

/// The hashes of a key as it is, and with each letter of one column left out. `room` is for texts on the way.
fn each_shorter<S: AsRef<str>>(key: &[S], at: usize, room: &mut String, mut show: impl FnMut(u64)) {
    let text = key[at].as_ref();
    let mut hash = |own: &str| {
        let mut hasher = FixedState::with_seed(0).build_hasher();
        for (place, part) in key.iter().enumerate() {
            let part = if place == at { own } else { part.as_ref() };
            hasher.write_usize(part.len());
            hasher.write(part.as_bytes());
        }
        show(hasher.finish());
    };
    hash(text);
    for (from, letter) in text.char_indices() {
        room.clear();
        room.push_str(&text[..from]);
        room.push_str(&text[from + letter.len_utf8()..]);
        hash(room);
    }
}

/// How one text becomes another that one letter tells from it: of several ways the first.
fn way(from: &str, to: &str) -> Option<Way> {
    let (from, to): (Vec<char>, Vec<char>) = (from.chars().collect(), to.chars().collect());
    let same = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    // Of equal letters beside each other it is the first.
    let first = |letters: &[char], at: usize| {
        let alike = letters[..at].iter().rev().take_while(|letter| **letter == letters[at]);
        at - alike.count()
    };
    if from.len() == to.len() + 1 {
        (from[same + 1..] == to[same..]).then(|| Way::Without(first(&from, same)))
    } else if from.len() + 1 == to.len() {
        let put_in = from[same..] == to[same + 1..];
        put_in.then(|| Way::Other(first(&to, same), to[same], false))
    } else if from.len() != to.len() || same == from.len() {
        None
    } else if from[same + 1..] == to[same + 1..] {
        Some(Way::Other(same, to[same], true))
    } else {
        let swapped = same + 1 < from.len()
            && (from[same], from[same + 1]) == (to[same + 1], to[same])
            && from[same + 2..] == to[same + 2..];
        swapped.then_some(Way::Swapped(same + 1))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Texts that differ by one letter, as they are tried.
    fn neighbours(text: &str, letters: &[char]) -> Vec<String> {
        let word: Vec<char> = text.chars().collect();
        let build = |parts: &[&[char]]| parts.concat().into_iter().collect::<String>();
        let mut all: Vec<String> = vec![];
        all.extend((0..word.len()).map(|at| build(&[&word[..at], &word[at + 1..]])));
        all.extend(
            (1..word.len())
                .map(|at| build(&[&word[..at - 1], &[word[at], word[at - 1]], &word[at + 1..]])),
        );
        for at in 0..=word.len() {
            for letter in letters {
                all.push(build(&[&word[..at], &[*letter], &word[at..]]));
                if at < word.len() {
                    all.push(build(&[&word[..at], &[*letter], &word[at + 1..]]));
                }
            }
        }
        all
    }

    proptest! {
        #[test]
        fn the_first_way_comes_first_and_is_found(
            text in "[abä]{1,5}",
            others in prop::collection::vec("[abä]{1,6}", 1..8),
        ) {
            let all = neighbours(&text, &['a', 'b', 'ä']);
            let hashes = |text: &str| {
                let mut all = vec![];
                each_shorter(&[text], 0, &mut String::new(), |hash| all.push(hash));
                all
            };
            let mut ways = vec![];
            for other in others.iter().filter(|other| **other != text) {
                let place = all.iter().position(|near| near == other);
                let way = way(&text, other);
                prop_assert_eq!(way.is_some(), place.is_some(), "{} to {}", text, other);
                ways.extend(way.zip(place));
                if way.is_some() {
                    let own = hashes(&text);
                    prop_assert!(hashes(other).iter().any(|hash| own.contains(hash)));
                }
            }
            ways.sort_unstable();
            prop_assert!(ways.is_sorted_by_key(|(_, place)| *place), "{:?}", ways);
        }
    }
}
