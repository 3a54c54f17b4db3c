//! Keys that are the same but for spaces, case, zeros or signs.

use std::borrow::Cow;
use std::collections::{BTreeSet, HashMap, HashSet};

use super::measure::Mend;
use super::target::{Parts, Which, owned, print};
use super::{Key, Search};
use crate::link::mend::{Change, changed, needed};
use crate::tally::{NearKind, NearMiss};

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
    fn change(self, text: &str) -> Cow<'_, str> {
        match self {
            Self::Trim => text.trim().into(),
            Self::Upper => Change::Upper.apply(text),
            Self::Zeros => or_all(text.trim_start_matches('0').into(), text),
            Self::Signs => without_signs(text),
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

/// A text without its signs; spaces around are another matter.
fn without_signs(text: &str) -> Cow<'_, str> {
    let inner = text.trim();
    if inner.chars().all(char::is_alphanumeric) {
        return text.into();
    }
    let bare: String = inner.chars().filter(|c| c.is_alphanumeric()).collect();
    text.replacen(inner, &or_all(bare.into(), inner), 1).into()
}

/// A text of nothing but zeros or signs stays: a key of nothing would be blank.
fn or_all<'t>(changed: Cow<'t, str>, text: &'t str) -> Cow<'t, str> {
    if changed.is_empty() { text.into() } else { changed }
}

fn folded<'t>(text: &'t str, folds: &[Fold]) -> Cow<'t, str> {
    folds.iter().fold(Cow::Borrowed(text), |text, fold| match text {
        Cow::Borrowed(text) => fold.change(text),
        Cow::Owned(text) => fold.change(&text).into_owned().into(),
    })
}

/// What is asked of a text.
type Is<'a> = dyn Fn(&str) -> bool + Sync + 'a;

impl Search<'_> {
    /// What is the same but for spaces, case, zeros or signs.
    pub fn folds(&mut self) -> Option<NearMiss> {
        let candidates = self.alike();
        let mut pairs: Vec<(usize, Key)> = vec![];
        let mut used = 0;
        for upto in 1..=FOLDS.len() {
            let mut by: HashMap<u128, &Key> = HashMap::new();
            for key in &candidates {
                by.entry(self.fold(key, &FOLDS[..upto])).or_insert(key);
            }
            let to = |at: &usize| {
                let to = by.get(&self.fold(&self.keys[*at].0, &FOLDS[..upto]))?;
                Some((*at, (*to).clone()))
            };
            let to: HashMap<usize, Key> = self.open.iter().filter_map(to).collect();
            let more = self.explained(|at| to.get(&at).cloned());
            if !more.is_empty() {
                used = upto;
                pairs.extend(more);
            }
        }
        if pairs.is_empty() {
            return None;
        }
        // Only what is needed: a change goes if all pairs match without it.
        let mut folds = FOLDS[..used].to_vec();
        for fold_away in FOLDS.into_iter().rev() {
            let rest: Vec<Fold> = folds.iter().copied().filter(|fold| *fold != fold_away).collect();
            let same = |(from, to): &(usize, Key)| {
                self.fold(&self.keys[*from].0, &rest) == self.fold(to, &rest)
            };
            if pairs.iter().all(same) {
                folds = rest;
            }
        }
        let kinds = folds.iter().map(|fold| fold.kind()).collect();
        let mend = self.fold_mend(&folds, &pairs);
        Some(self.found(kinds, Some(&mend), &pairs))
    }

    /// The fingerprint of a key whose texts are changed.
    fn fold<S: AsRef<str>>(&self, key: &[S], folds: &[Fold]) -> u128 {
        print(key.iter().zip(&self.texts).map(|(part, text)| match text {
            true => folded(part.as_ref(), folds),
            false => Cow::Borrowed(part.as_ref()),
        }))
    }

    /// The keys of the target that are equal to an open one after all changes: what is equal after some of them is equal
    /// after all.
    fn alike(&self) -> Vec<Key> {
        let open = self.open.iter().map(|at| self.fold(&self.keys[*at].0, &FOLDS));
        let wanted: HashSet<u128> = open.collect();
        self.target.collected(|parts| {
            let alike = wanted.contains(&self.fold(parts, &FOLDS));
            alike.then(|| owned(parts))
        })
    }

    /// What to do to the keys: on each side whatever changes something there, for a change on one side
    /// alone would part what matches today.
    fn fold_mend(&self, folds: &[Fold], pairs: &[(usize, Key)]) -> Mend {
        let signs = |at: usize| {
            let texts = pairs.iter().flat_map(|(from, to)| [&self.keys[*from].0[at], &to[at]]);
            let signs = texts.flat_map(|text| text.trim().chars()).filter(|c| !c.is_alphanumeric());
            signs.collect::<BTreeSet<char>>().into_iter().collect::<Vec<char>>()
        };
        let side = |any: &dyn Fn(usize, &Is<'_>) -> bool| {
            let changes = |at: usize| {
                if !self.texts[at] {
                    return vec![];
                }
                let signs = signs(at);
                let all: Vec<Change> = folds.iter().flat_map(|fold| fold.changes(&signs)).collect();
                needed(&all, |before, change| {
                    any(at, &|text| {
                        let text = changed(before, text).unwrap_or_default();
                        change.apply(&text) != text
                    })
                })
            };
            (0..self.texts.len()).map(changes).collect()
        };
        let target = |which, at: usize, is: &Is<'_>| {
            self.target.any(which, |parts: &Parts<'_>| is(&parts[at]))
        };
        Mend {
            left: side(&|at, is| {
                self.keys.iter().any(|(key, _)| is(&key[at])) || target(Which::Met, at, is)
            }),
            right: side(&|at, is| target(Which::All, at, is)),
        }
    }
}
