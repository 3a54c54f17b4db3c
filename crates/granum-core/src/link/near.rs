//! Why keys that do not match nearly do: what would have to be done to them, how many rows that
//! would win, and how many keys of the target it would make one.
//!
//! Tried in this order, each on what those before do not explain: outer spaces, letter case, leading
//! zeros, other signs, something fixed before or behind, one letter off.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

use rayon::prelude::*;

use super::Keys;
use super::mend::{Change, End, changed, expression, needed, pair_words};
use crate::table::{Column, Rows};
use crate::tally::{NearKind, NearMiss};

/// So many different keys are looked at.
const KEYS: usize = 50_000;

/// Keys are compared letter by letter up to so many.
const LETTERS: usize = 2_000;

/// A key that one letter tells from another must have so many: of shorter ones all are near.
const SHORTEST: usize = 4;

/// A key that one letter tells from another is this long at most: of longer ones the neighbours are too many.
const LONGEST: usize = 64;

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

    /// The changes that it becomes. `signs` are those to take out.
    fn changes(self, signs: &[char]) -> Vec<Change> {
        match self {
            Self::Trim => vec![Change::Trim],
            Self::Upper => vec![Change::Upper],
            Self::Zeros => vec![Change::Zeros],
            Self::Signs => signs.iter().map(|sign| Change::Without(*sign)).collect(),
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

/// How many rows a mend wins, or nothing.
type Confirm<'a> = dyn Fn(&Mend) -> Option<u64> + 'a;

/// Both sides of a link that leaves rows without a target.
pub(super) struct Missing<'a> {
    pub left: &'a Keys,
    pub right: &'a Keys,
    pub index: &'a Rows,
    /// Both sides of each key as the plan writes them.
    pub words: &'a [(String, String)],
    /// How many rows a mend wins in the end, where an equal key is not all that a row needs; nothing
    /// where it does harm.
    pub confirm: Option<&'a Confirm<'a>>,
}

/// What nearly matches, and how many rows are left that nothing explains.
pub(super) fn near_misses(missing: &Missing<'_>) -> (Vec<NearMiss>, u64) {
    let texts: Vec<bool> =
        missing.left.columns().iter().map(|column| matches!(column, Column::Text(_))).collect();
    let mut rows: HashMap<Key, u64> = HashMap::new();
    // In the order of their first rows.
    let mut open: Vec<Key> = vec![];
    for row in (0..missing.left.rows())
        .filter(|row| !missing.index.has(*row) && missing.left.has_key(*row))
    {
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
    // The texts of keys that match are the same on both sides.
    let met: HashSet<u32> = missing.index.iter().flatten().collect();
    let met: HashSet<Key> = met.into_iter().map(|row| key(missing.right, row as usize)).collect();
    let (words, confirm) = (missing.words, missing.confirm);
    let mut search = Search { words, confirm, texts, right: &right, met, rows, open };
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
    confirm: Option<&'a Confirm<'a>>,
    texts: Vec<bool>,
    right: &'a [Key],
    /// Keys of the target that some rows lead to.
    met: HashSet<Key>,
    /// Keys that lead nowhere, with how many rows have each.
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
        let kinds = folds.iter().map(|fold| fold.kind()).collect();
        let mend = self.fold_mend(&folds, &pairs);
        Some(self.found(kinds, Some(&mend), &pairs))
    }

    /// What to do to the keys: on each side whatever changes something there, for a change on one side
    /// alone would part what matches today.
    fn fold_mend(&self, folds: &[Fold], pairs: &[(Key, Key)]) -> Mend {
        let signs = |at: usize| {
            let texts = pairs.iter().flat_map(|(from, to)| [&from[at], &to[at]]);
            let signs = texts.flat_map(|text| text.trim().chars()).filter(|c| !c.is_alphanumeric());
            signs.collect::<std::collections::BTreeSet<char>>().into_iter().collect::<Vec<char>>()
        };
        let side = |keys: AnyKey<'_>| -> Vec<Vec<Change>> {
            (0..self.texts.len())
                .map(|at| {
                    if !self.texts[at] {
                        return vec![];
                    }
                    let signs = signs(at);
                    let all: Vec<Change> =
                        folds.iter().flat_map(|fold| fold.changes(&signs)).collect();
                    needed(&all, |before, change| {
                        keys(&|key| {
                            let text = changed(before, &key[at]).unwrap_or_default();
                            change.apply(&text) != *text
                        })
                    })
                })
                .collect()
        };
        Mend {
            left: side(&|test| self.left_keys().any(test)),
            right: side(&|test| self.right.iter().any(test)),
        }
    }

    /// All different keys of the source.
    fn left_keys(&self) -> impl Iterator<Item = &Key> {
        self.rows.keys().chain(&self.met)
    }

    /// What a mend does to the whole link: how many rows it wins, how many of their keys, and how many
    /// keys of the target it would make one. Nothing where it would lose or change a match.
    fn measure(&self, mend: &Mend) -> Option<Measured> {
        let mut mended: HashMap<Key, Vec<&Key>> = HashMap::with_capacity(self.right.len());
        for key in self.right {
            if let Some(after) = mend.key(&mend.right, key) {
                mended.entry(after).or_default().push(key);
            }
        }
        let to = |key: &Key| mended.get(&mend.key(&mend.left, key)?);
        if !self.met.iter().all(|key| to(key).is_some_and(|group| group.contains(&key))) {
            return None;
        }
        let won: Vec<u64> =
            self.rows.iter().filter(|(key, _)| to(key).is_some()).map(|(_, rows)| *rows).collect();
        let merged =
            mended.values().filter(|group| group.len() > 1).map(|group| group.len() as u64).sum();
        let (mut rows, distinct) = (won.iter().sum(), won.len() as u64);
        if let Some(confirm) = self.confirm {
            rows = confirm(mend)?;
        }
        (rows > 0).then_some(Measured { rows, distinct, merged })
    }

    /// The same text before or behind all keys of one side that lead nowhere, and hardly any of the
    /// other side's.
    fn fixed(&mut self, known: &HashSet<&Key>) -> Option<NearMiss> {
        let open: HashSet<&Key> = self.open.iter().collect();
        let unmet: Vec<&Key> = self.right.iter().filter(|key| !self.met.contains(*key)).collect();
        let left: Vec<&Key> = self.open.iter().collect();
        let mut best: Option<(u64, Side, usize, End, String)> = None;
        for at in (0..self.texts.len()).filter(|at| self.texts[*at]) {
            for (side, keys, others) in [(Side::Left, &left, known), (Side::Right, &unmet, &open)] {
                for end in [End::Before, End::Behind] {
                    for text in shared(keys, at, end) {
                        let without = |key: &&&Key| {
                            let rest = end.without(&key[at], &text);
                            rest.is_some_and(|rest| others.contains(&with(key, at, rest)))
                        };
                        let count = keys.iter().filter(without).count() as u64;
                        // One key alone shows no rule; of equal ones the shortest says most.
                        let better = best.as_ref().is_none_or(|best| count > best.0);
                        if count > 1 && better && self.hardly_any(side, at, end, &text) {
                            best = Some((count, side, at, end, text));
                        }
                    }
                }
            }
        }
        let (_, side, at, end, text) = best?;
        let (mut pairs, mut left_open) = (vec![], vec![]);
        for key in std::mem::take(&mut self.open) {
            let to = match side {
                Side::Left => end.without(&key[at], &text).map(|rest| with(&key, at, rest)),
                Side::Right => Some(match end {
                    End::Before => with(&key, at, &format!("{text}{}", key[at])),
                    End::Behind => with(&key, at, &format!("{}{text}", key[at])),
                }),
            };
            match to.filter(|to| known.contains(to)) {
                Some(to) => pairs.push((key, to)),
                None => left_open.push(key),
            }
        }
        self.open = left_open;
        let has = |key: &Key| end.without(&key[at], &text).is_some();
        let all = match side {
            Side::Left => self.left_keys().all(has),
            Side::Right => self.right.iter().all(has),
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

    /// Whether hardly any key of the other side begins (ends) so.
    fn hardly_any(&self, side: Side, at: usize, end: End, text: &str) -> bool {
        const HARDLY: usize = 20;
        let has = |key: &&Key| end.without(&key[at], text).is_some();
        let (count, all) = match side {
            Side::Left => (self.right.iter().filter(has).count(), self.right.len()),
            Side::Right => (self.left_keys().filter(has).count(), self.left_keys().count()),
        };
        count * HARDLY < all
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
            let fits = |at: &&usize| {
                let letters = key[**at].chars().take(LONGEST + 1).count();
                (SHORTEST..=LONGEST).contains(&letters)
            };
            let long = columns.iter().filter(fits);
            long.copied().find_map(|at| {
                neighbours(&key[at], &letters)
                    .map(|text| with(key, at, &text))
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
        (!pairs.is_empty()).then(|| self.found(vec![NearKind::OneLetter], None, &pairs))
    }

    /// What is told of pairs. What to write is told only if the whole link is the better for it.
    fn found(&self, kinds: Vec<NearKind>, mend: Option<&Mend>, pairs: &[(Key, Key)]) -> NearMiss {
        let words = |key: &Key| key.join("/");
        let examples = pairs.iter().take(EXAMPLES).map(|(from, to)| (words(from), words(to)));
        let measured = mend.and_then(|mend| Some((mend, self.measure(mend)?)));
        let seen = Measured {
            rows: pairs.iter().map(|(key, _)| self.rows[key]).sum(),
            distinct: pairs.len() as u64,
            merged: 0,
        };
        let keys = measured.as_ref().map(|(mend, _)| mend.words(self.words));
        let Measured { rows, distinct, merged } = measured.map_or(seen, |(_, measured)| measured);
        NearMiss { kinds, rows, distinct, keys, merged, examples: examples.collect() }
    }
}

/// Whether any key of a side is so.
type AnyKey<'k> = &'k dyn Fn(&dyn Fn(&Key) -> bool) -> bool;

/// What a mend does to the whole link.
struct Measured {
    rows: u64,
    distinct: u64,
    merged: u64,
}

/// Changes of both sides of a link, for each column of the key.
pub(super) struct Mend {
    pub left: Vec<Vec<Change>>,
    pub right: Vec<Vec<Change>>,
}

impl Mend {
    fn none(columns: usize) -> Self {
        Self { left: vec![vec![]; columns], right: vec![vec![]; columns] }
    }

    /// A key after the changes of its side; nothing where a part of it is blank then.
    #[allow(clippy::unused_self)]
    fn key(&self, changes: &[Vec<Change>], key: &Key) -> Option<Key> {
        key.iter()
            .zip(changes)
            .map(|(part, changes)| changed(changes, part).map(Cow::into_owned))
            .collect()
    }

    /// The keys to write.
    fn words(&self, words: &[(String, String)]) -> String {
        let keys = words.iter().enumerate().map(|(at, (left, right))| {
            pair_words(&expression(&self.left[at], left), &expression(&self.right[at], right))
        });
        keys.collect::<Vec<_>>().join(", ")
    }
}

/// A side of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Left,
    Right,
}

/// What all keys begin (end) with in one column, up to a few letters, and leaves something of each.
fn shared(keys: &[&Key], at: usize, end: End) -> Vec<String> {
    let Some(first) = keys.first() else { return vec![] };
    let letters: Vec<char> = first[at].chars().collect();
    let length = letters.len();
    let text = |count: usize| -> String {
        match end {
            End::Before => letters[..count].iter().collect(),
            End::Behind => letters[length - count..].iter().collect(),
        }
    };
    let whole = (1..length.min(FIXED + 1)).map(text);
    whole.take_while(|text| keys.iter().all(|key| end.without(&key[at], text).is_some())).collect()
}

fn with(key: &Key, at: usize, text: &str) -> Key {
    let mut key = key.clone();
    text.clone_into(&mut key[at]);
    key
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
