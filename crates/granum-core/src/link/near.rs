//! Why keys that do not match nearly do: what would have to be done to them, how many rows that
//! would win, and how many keys of the target it would make one.
//!
//! Tried in this order, each on what those before do not explain: outer spaces, letter case, leading
//! zeros, other signs, something fixed before or behind, one letter off.

use std::collections::{BTreeMap, HashMap, HashSet};

use rayon::prelude::*;

use super::{Keys, LinkIndex};
use crate::lang::quoted;
use crate::table::Column;
use crate::tally::{NearKind, NearMiss};

/// So many different keys are looked at.
const KEYS: usize = 50_000;

/// Keys are compared letter by letter up to so many.
const LETTERS: usize = 2_000;

/// A key that one letter tells from another must have so many: of shorter ones all are near.
const SHORTEST: usize = 4;

/// So many keys of the target are looked at to see whether they are near each other.
const SAMPLE: usize = 200;

/// Pairs of keys are listed up to so many.
const EXAMPLES: usize = 3;

/// Something fixed around a key is this long at most.
const FIXED: usize = 6;

/// The values of a key as texts, as they are printed.
type Key = Vec<String>;

/// A change that is made to both sides alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fold {
    Trim,
    Upper,
    Zeros,
    Signs,
}

const FOLDS: [Fold; 4] = [Fold::Trim, Fold::Upper, Fold::Zeros, Fold::Signs];

impl Fold {
    fn change(self, text: &str) -> String {
        match self {
            Self::Trim => text.trim().to_owned(),
            Self::Upper => text.to_uppercase(),
            Self::Zeros => or_all(text.trim_start_matches('0').to_owned(), text),
            Self::Signs => {
                // Spaces around are another matter.
                let inner = text.trim();
                let bare: String = inner.chars().filter(|c| c.is_alphanumeric()).collect();
                text.replacen(inner, &or_all(bare, inner), 1)
            }
        }
    }

    fn kind(self) -> NearKind {
        match self {
            Self::Trim => NearKind::OuterSpaces,
            Self::Upper => NearKind::LetterCase,
            Self::Zeros => NearKind::LeadingZeros,
            Self::Signs => NearKind::Signs,
        }
    }

    /// The expression that makes the change, as it would be written. `signs` are those to take out.
    fn expression(self, inner: String, signs: &[char]) -> String {
        match self {
            Self::Trim => format!("trim({inner})"),
            Self::Upper => format!("upper({inner})"),
            Self::Zeros => format!("trim_left({inner}, \"0\")"),
            Self::Signs => signs.iter().fold(inner, |inner, sign| {
                format!("replace({inner}, {}, \"\")", quoted(&sign.to_string()))
            }),
        }
    }
}

/// A text of nothing but zeros or signs stays: a key of nothing would be blank.
fn or_all(changed: String, text: &str) -> String {
    if changed.is_empty() { text.to_owned() } else { changed }
}

fn fold(key: &Key, folds: &[Fold], texts: &[bool]) -> Key {
    key.iter()
        .zip(texts)
        .map(|(part, text)| match text {
            true => folds.iter().fold(part.clone(), |part, fold| fold.change(&part)),
            false => part.clone(),
        })
        .collect()
}

/// Both sides of a link that leaves rows without a target.
pub(crate) struct Missing<'a> {
    pub left: &'a Keys,
    pub right: &'a Keys,
    pub index: &'a LinkIndex,
    /// Both sides of each key as the plan writes them.
    pub words: &'a [(String, String)],
}

/// What nearly matches, and how many rows are left that nothing explains.
pub(crate) fn near_misses(missing: &Missing<'_>) -> (Vec<NearMiss>, u64) {
    let texts: Vec<bool> =
        missing.left.columns().iter().map(|column| matches!(column, Column::Text(_))).collect();
    let mut rows: HashMap<Key, u64> = HashMap::new();
    // In the order of their first rows.
    let mut open: Vec<Key> = vec![];
    for row in (0..missing.left.rows()).filter(|row| {
        arrow_array::Array::is_null(missing.index, *row) && missing.left.has_key(*row)
    }) {
        let key = key(missing.left, row);
        let count = rows.entry(key.clone()).or_default();
        if *count == 0 {
            open.push(key);
        }
        *count += 1;
    }
    let all: u64 = rows.values().sum();
    if !texts.contains(&true) || open.len() > KEYS {
        return (vec![], all);
    }
    let right: Vec<Key> = (0..missing.right.rows())
        .into_par_iter()
        .filter(|row| missing.right.has_key(*row))
        .map(|row| key(missing.right, row))
        .collect();
    // A key that stands on several rows is one key.
    let mut once = HashSet::with_capacity(right.len());
    let right: Vec<Key> = right.into_iter().filter(|key| once.insert(key.clone())).collect();
    drop(once);
    let mut search = Search { words: missing.words, texts, right: &right, rows, open };
    let mut found = vec![];
    found.extend(search.folds());
    let known: HashSet<&Key> = right.iter().collect();
    found.extend(search.fixed(&known));
    found.extend(search.one_letter_off(&known));
    let left = search.open.iter().map(|key| search.rows[key]).sum();
    (found, left)
}

fn key(keys: &Keys, row: usize) -> Key {
    keys.values(row).into_iter().map(|value| value.to_string()).collect()
}

struct Search<'a> {
    words: &'a [(String, String)],
    texts: Vec<bool>,
    right: &'a [Key],
    rows: HashMap<Key, u64>,
    /// Keys that nothing has explained so far.
    open: Vec<Key>,
}

impl Search<'_> {
    /// What is the same but for spaces, case, zeros or signs.
    fn folds(&mut self) -> Option<NearMiss> {
        // What is equal after some of the changes is equal after all of them.
        let wanted: HashSet<Key> =
            self.open.iter().map(|key| fold(key, &FOLDS, &self.texts)).collect();
        let candidates: Vec<&Key> = self
            .right
            .par_iter()
            .filter(|key| wanted.contains(&fold(key, &FOLDS, &self.texts)))
            .collect();
        let mut pairs: Vec<(Key, Key)> = vec![];
        let mut used = 0;
        for upto in 1..=FOLDS.len() {
            let by = |key: &Key| fold(key, &FOLDS[..upto], &self.texts);
            let mut folded: HashMap<Key, &Key> = HashMap::new();
            for key in &candidates {
                folded.entry(by(key)).or_insert(key);
            }
            let mut open = vec![];
            for key in std::mem::take(&mut self.open) {
                match folded.get(&by(&key)) {
                    Some(to) => {
                        pairs.push((key, (*to).clone()));
                        used = upto;
                    }
                    None => open.push(key),
                }
            }
            self.open = open;
        }
        if pairs.is_empty() {
            return None;
        }
        // Only what is needed: a change goes if all pairs match without it.
        let mut folds = FOLDS[..used].to_vec();
        for fold_away in FOLDS.into_iter().rev() {
            let rest: Vec<Fold> = folds.iter().copied().filter(|fold| *fold != fold_away).collect();
            let all = |(from, to): &(Key, Key)| {
                fold(from, &rest, &self.texts) == fold(to, &rest, &self.texts)
            };
            if pairs.iter().all(all) {
                folds = rest;
            }
        }
        let mut same: HashMap<Key, u64> = HashMap::with_capacity(self.right.len());
        let folded: Vec<Key> =
            self.right.par_iter().map(|key| fold(key, &folds, &self.texts)).collect();
        folded.into_iter().for_each(|key| *same.entry(key).or_default() += 1);
        let merged = same.values().filter(|count| **count > 1).sum();
        let keys = self.fold_words(&folds, &pairs);
        let kinds = folds.iter().map(|fold| fold.kind()).collect();
        Some(self.found(kinds, Some(keys), merged, &pairs))
    }

    /// The keys to write: on each side only the changes that change something there.
    fn fold_words(&self, folds: &[Fold], pairs: &[(Key, Key)]) -> String {
        let side = |at: usize, words: &str, keys: &dyn Fn(&(Key, Key)) -> String| {
            let mut texts: Vec<String> = pairs.iter().map(keys).collect();
            let mut words = words.to_owned();
            for fold in folds.iter().filter(|_| self.texts[at]) {
                let changed: Vec<String> = texts.iter().map(|text| fold.change(text)).collect();
                if changed != texts {
                    words = fold.expression(words, &signs_in(&texts));
                    texts = changed;
                }
            }
            words
        };
        let keys = self.words.iter().enumerate().map(|(at, (left, right))| {
            pair_words(
                side(at, left, &|pair: &(Key, Key)| pair.0[at].clone()),
                side(at, right, &|pair: &(Key, Key)| pair.1[at].clone()),
            )
        });
        keys.collect::<Vec<_>>().join(", ")
    }

    /// The same text before or behind one key of each row, on either side of the link.
    fn fixed(&mut self, known: &HashSet<&Key>) -> Option<NearMiss> {
        let mut candidates: BTreeMap<(usize, Fixed, String), u64> = BTreeMap::new();
        let columns: Vec<usize> = (0..self.texts.len()).filter(|at| self.texts[*at]).collect();
        for key in self.open.iter().take(LETTERS) {
            for &at in &columns {
                for (fixed, text, rest) in cuts(&key[at]) {
                    if known.contains(&with(key, at, rest)) {
                        *candidates.entry((at, fixed, text)).or_default() += 1;
                    }
                }
            }
        }
        let best = candidates.iter().max_by_key(|(_, count)| **count)?;
        let ((at, fixed, text), count) = (best.0.clone(), *best.1);
        // One key alone shows no rule.
        if count < 2 {
            return None;
        }
        let (mut pairs, mut open) = (vec![], vec![]);
        for key in std::mem::take(&mut self.open) {
            let rest = fixed.without(&key[at], &text).map(|rest| with(&key, at, rest));
            match rest.filter(|rest| known.contains(rest)) {
                Some(to) => pairs.push((key, to)),
                None => open.push(key),
            }
        }
        self.open = open;
        let length = text.chars().count();
        let keys = self.words.iter().enumerate().map(|(column, (left, right))| {
            let cut = match fixed {
                _ if column != at => left.clone(),
                Fixed::Before => format!("right({left}, length({left}) - {length})"),
                Fixed::Behind => format!("left({left}, length({left}) - {length})"),
            };
            pair_words(cut, right.clone())
        });
        let keys = keys.collect::<Vec<_>>().join(", ");
        Some(self.found(vec![fixed.kind()], Some(keys), 0, &pairs))
    }

    /// Keys that one letter tells from a key of the target.
    fn one_letter_off(&mut self, known: &HashSet<&Key>) -> Option<NearMiss> {
        if self.open.len() > LETTERS {
            return None;
        }
        let columns: Vec<usize> = (0..self.texts.len()).filter(|at| self.texts[*at]).collect();
        let letters: Vec<char> = {
            let texts = self.right.iter().flat_map(|key| columns.iter().map(|at| &key[*at]));
            let letters: HashSet<char> = texts.flat_map(|text| text.chars()).collect();
            let mut letters: Vec<char> = letters.into_iter().collect();
            letters.sort_unstable();
            letters
        };
        let near = |key: &Key| {
            let long = columns.iter().filter(|at| key[**at].chars().count() >= SHORTEST);
            long.copied().find_map(|at| {
                neighbours(&key[at], &letters)
                    .map(|text| with(key, at, text))
                    .find(|to| to != key && known.contains(to))
            })
        };
        // Where the target's own keys are near each other, as running numbers are, that a key is
        // near to one of them says nothing.
        let step = (self.right.len() / SAMPLE).max(1);
        let sample: Vec<&Key> = self.right.iter().step_by(step).take(SAMPLE).collect();
        let alike = sample.par_iter().filter(|key| near(key).is_some()).count();
        if alike * 10 > sample.len() {
            return None;
        }
        let found: Vec<Option<Key>> = self.open.par_iter().map(near).collect();
        let (mut pairs, mut open) = (vec![], vec![]);
        for (key, to) in std::mem::take(&mut self.open).into_iter().zip(found) {
            match to {
                Some(to) => pairs.push((key, to)),
                None => open.push(key),
            }
        }
        self.open = open;
        (!pairs.is_empty()).then(|| self.found(vec![NearKind::OneLetter], None, 0, &pairs))
    }

    fn found(
        &self,
        kinds: Vec<NearKind>,
        keys: Option<String>,
        merged: u64,
        pairs: &[(Key, Key)],
    ) -> NearMiss {
        let words = |key: &Key| key.join("/");
        let examples = pairs.iter().take(EXAMPLES).map(|(from, to)| (words(from), words(to)));
        NearMiss {
            kinds,
            rows: pairs.iter().map(|(key, _)| self.rows[key]).sum(),
            distinct: pairs.len() as u64,
            keys,
            merged,
            examples: examples.collect(),
        }
    }
}

/// The signs of some texts that are neither letters nor digits, each once.
fn signs_in(texts: &[String]) -> Vec<char> {
    let signs = texts.iter().flat_map(|text| text.chars()).filter(|c| !c.is_alphanumeric());
    signs.collect::<std::collections::BTreeSet<char>>().into_iter().collect()
}

fn pair_words(left: String, right: String) -> String {
    if left == right { left } else { format!("{left} = {right}") }
}

fn with(key: &Key, at: usize, text: String) -> Key {
    let mut key = key.clone();
    key[at] = text;
    key
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Fixed {
    Before,
    Behind,
}

impl Fixed {
    fn kind(self) -> NearKind {
        match self {
            Self::Before => NearKind::Prefix,
            Self::Behind => NearKind::Suffix,
        }
    }

    fn without(self, text: &str, fixed: &str) -> Option<String> {
        let rest = match self {
            Self::Before => text.strip_prefix(fixed),
            Self::Behind => text.strip_suffix(fixed),
        };
        rest.filter(|rest| !rest.is_empty()).map(str::to_owned)
    }
}

/// All ways to cut a few letters off a text: where, what, and what is left.
fn cuts(text: &str) -> impl Iterator<Item = (Fixed, String, String)> {
    let places: Vec<usize> = text.char_indices().map(|(at, _)| at).skip(1).collect();
    let before = places.iter().take(FIXED).map(|at| {
        let (fixed, rest) = text.split_at(*at);
        (Fixed::Before, fixed.to_owned(), rest.to_owned())
    });
    let behind = places.iter().rev().take(FIXED).map(|at| {
        let (rest, fixed) = text.split_at(*at);
        (Fixed::Behind, fixed.to_owned(), rest.to_owned())
    });
    before.chain(behind).collect::<Vec<_>>().into_iter()
}

/// Texts that differ by one letter: changed, left out, put in, or two that changed places.
fn neighbours<'t>(text: &'t str, letters: &'t [char]) -> impl Iterator<Item = String> + 't {
    let word: Vec<char> = text.chars().collect();
    let build =
        |letters: &[&[char]]| letters.iter().flat_map(|part| part.iter()).collect::<String>();
    let length = word.len();
    let shorter: Vec<String> = (0..length)
        .filter(|_| length > 1)
        .map(|at| build(&[&word[..at], &word[at + 1..]]))
        .chain(
            (1..length)
                .map(|at| build(&[&word[..at - 1], &[word[at], word[at - 1]], &word[at + 1..]])),
        )
        .collect();
    let other = (0..=length).flat_map(move |at| {
        let word = word.clone();
        letters.iter().flat_map(move |letter| {
            let put_in = build(&[&word[..at], &[*letter], &word[at..]]);
            let changed = (at < word.len() && word[at] != *letter)
                .then(|| build(&[&word[..at], &[*letter], &word[at + 1..]]));
            [Some(put_in), changed].into_iter().flatten()
        })
    });
    shorter.into_iter().chain(other)
}
