//! Which values of one column another has, as they are and once their keys are mended.

use std::borrow::Cow;
use std::collections::HashMap;

use crate::link::mend::{Change, changed, needed};
use crate::survey::{CodedColumn, Dictionary};
use crate::table::Bits;

/// A part of the values tells whether it is worth to look at all of them.
const PROBED: usize = 200;

/// Which values of one column another has. Where of either a sample is kept, of the values that both would keep.
pub(super) struct Met {
    /// For each value of the one: the number of its equal in the other.
    pub to: Vec<Option<u32>>,
    /// One in so many values was looked at; the numbers are those that were found.
    pub one_in: u64,
    pub found: Shares,
    /// How keys are mended so that more match.
    pub mend: Mend,
}

/// Keys and rows, and those that lead somewhere.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Shares {
    /// Different keys, and those of them that the other side has.
    pub distinct: u64,
    pub distinct_matched: u64,
    /// Different keys of the other side that these lead to: fewer where several are spellings of one.
    pub reached: u64,
    /// Rows that have a key, those that lead somewhere, and those that do so once their keys are mended.
    pub rows: u64,
    pub matched: u64,
    pub mended: u64,
}

impl Shares {
    /// Whether no two keys are spellings of one.
    pub fn lead_apart(self) -> bool {
        self.reached == self.distinct_matched
    }

    /// The same shares of all keys and rows.
    pub fn of_all(self, distinct: u64, rows: u64) -> Self {
        let share = |of: u64, all: u64, found: u64| {
            (u128::from(of) * u128::from(all) / u128::from(found.max(1))) as u64
        };
        Self {
            distinct,
            distinct_matched: share(self.distinct_matched, distinct, self.distinct),
            reached: share(self.reached, distinct, self.distinct),
            rows,
            matched: share(self.matched, rows, self.rows),
            mended: share(self.mended, rows, self.rows),
        }
    }
}

/// What is done to the keys of both sides so that more of them match.
#[derive(Debug, Clone, Default)]
pub(super) struct Mend {
    pub left: Vec<Change>,
    pub right: Vec<Change>,
}

/// Looks up the values of one column in another; gives up early where too few are met. Where some are
/// not, it looks for what mends them: what is done to both sides loses no match and makes no two
/// values of the target one. `zeros` says whether zeros in front may be taken away as well.
pub(super) fn meet(
    column: &CodedColumn,
    target: &CodedColumn,
    needed: u64,
    zeros: bool,
) -> Option<Met> {
    let dictionary = &column.dictionary;
    let halved = dictionary.halved().max(target.dictionary.halved());
    let asked = Asked::new(dictionary, halved);
    let near = |number: &usize| {
        let value = dictionary.value(*number);
        let trimmed = value.trim();
        let has = |text: &str| target.dictionary.find(text).is_some();
        has(value) || has(trimmed) || has(&trimmed.to_uppercase()) || has(&trimmed.to_lowercase())
    };
    let step = (asked.len() / PROBED).max(1);
    let (hits, count) =
        (asked.numbers().step_by(step).filter(near).count(), asked.len().div_ceil(step));
    // A sample may miss by a little what the whole has; zeros are seen in the whole only.
    if !zeros && (hits as u64 + 5) * 100 < count as u64 * needed.saturating_sub(10) {
        return None;
    }
    let mut plain = vec![None; dictionary.len()];
    asked
        .numbers()
        .zip(asked.find_in(&target.dictionary))
        .for_each(|(number, to)| plain[number] = to);
    let matched = |met: &[Option<u32>]| -> u64 {
        let met = met.iter().enumerate().filter(|(_, to)| to.is_some());
        met.map(|(number, _)| dictionary.rows(number)).sum()
    };
    let all = plain.iter().flatten().count() == asked.len();
    let wins = if all { None } else { mends(column, target, &plain, zeros) };
    let before = matched(&plain);
    let (mut to, mend) = wins.unwrap_or((plain, Mend::default()));
    if asked.len() < to.len() {
        let mut of_asked = vec![None; to.len()];
        asked.numbers().for_each(|number| of_asked[number] = to[number]);
        to = of_asked;
    }
    let after = matched(&to);
    let found = Shares {
        distinct: asked.len() as u64,
        distinct_matched: to.iter().flatten().count() as u64,
        reached: Bits::of(target.dictionary.len(), to.iter().flatten().copied()).count() as u64,
        rows: asked.numbers().map(|number| dictionary.rows(number)).sum(),
        matched: after,
        mended: after - before,
    };
    Some(Met { one_in: 1 << halved, found, to, mend })
}

/// The values that are looked up, by their numbers: all, or those that would be kept if the sample was halved oftener.
pub(super) struct Asked<'a> {
    dictionary: &'a Dictionary,
    some: Option<Vec<u32>>,
}

impl<'a> Asked<'a> {
    pub fn new(dictionary: &'a Dictionary, halved: u32) -> Self {
        let keeps = |number: &u32| Dictionary::keeps(dictionary.value(*number as usize), halved);
        let all = dictionary.len() as u32;
        let fewer = dictionary.halved() < halved;
        Self { dictionary, some: fewer.then(|| (0..all).filter(keeps).collect()) }
    }

    /// The number of each in another column, if that has it.
    pub fn find_in(&self, target: &Dictionary) -> Vec<Option<u32>> {
        target.find_all(self.dictionary, self.len(), |at| self.number(at))
    }

    pub fn len(&self) -> usize {
        self.some.as_ref().map_or(self.dictionary.len(), Vec::len)
    }

    fn number(&self, at: usize) -> usize {
        self.some.as_ref().map_or(at, |some| some[at] as usize)
    }

    pub fn numbers(&self) -> impl Iterator<Item = usize> {
        (0..self.len()).map(|at| self.number(at))
    }
}

/// The mend that wins most, the simplest of those: for each value its equal then.
fn mends(
    column: &CodedColumn,
    target: &CodedColumn,
    plain: &[Option<u32>],
    zeros: bool,
) -> Option<(Vec<Option<u32>>, Mend)> {
    use Change::{Lower, Trim, Upper, Zeros};
    let small = match target.profile.cases() {
        Some((_, capital)) => !capital,
        None => {
            !target.dictionary.values().any(|(value, ..)| value.chars().any(char::is_uppercase))
        }
    };
    let case = if small { Lower } else { Upper };
    let tried = [
        vec![Trim],
        vec![case.clone()],
        vec![Zeros],
        vec![Trim, case.clone()],
        vec![Trim, Zeros],
        vec![Trim, case, Zeros],
    ];
    // What no value has, need not be taken away.
    let sides = [column, target];
    let spaces = sides.iter().any(|side| !side.profile.outer_spaces.is_none());
    let zeros = zeros && sides.iter().any(|side| side.profile.zeros_before);
    let letters = match sides.map(|side| side.profile.cases()) {
        [Some(one), Some(other)] => (one.0 || other.0) && (one.1 || other.1),
        _ => {
            let any = |is: fn(char) -> bool| {
                let mut values = sides.iter().flat_map(|side| side.dictionary.values());
                values.any(|(value, ..)| value.chars().any(is))
            };
            any(char::is_lowercase) && any(char::is_uppercase)
        }
    };
    let may = |change: &Change| match change {
        Trim => spaces,
        Zeros => zeros,
        _ => letters,
    };
    let tried: Vec<&Vec<Change>> = tried.iter().filter(|changes| changes.iter().all(may)).collect();
    let sides = sides.map(|side| Changing::of(side, &tried));
    let mut best: Option<(u64, Vec<Option<u32>>, Mend)> = None;
    for changes in tried {
        let Some((to, mend)) = mended(&sides, plain, changes) else { continue };
        let won = to.iter().flatten().count() as u64;
        if best.as_ref().map_or(plain.iter().flatten().count() as u64, |best| best.0) < won {
            best = Some((won, to, mend));
        }
    }
    best.map(|(_, to, mend)| (to, mend))
}

/// The values of a column that a mend may change, by their numbers.
struct Changing<'a> {
    dictionary: &'a Dictionary,
    numbers: Vec<u32>,
}

impl<'a> Changing<'a> {
    /// Those that one of some mends may change: what no change by itself changes, several do not either.
    fn of(column: &'a CodedColumn, tried: &[&Vec<Change>]) -> Self {
        let CodedColumn { dictionary, profile, .. } = column;
        let cases = profile.cases();
        let may = |change: &Change| match change {
            Change::Trim => !profile.outer_spaces.is_none(),
            Change::Zeros => profile.zeros_before,
            Change::Upper => cases.is_none_or(|(small, _)| small),
            Change::Lower => cases.is_none_or(|(_, capital)| capital),
            Change::Without(_) | Change::Cut { .. } => true,
        };
        let alone = tried.iter().filter(|changes| changes.len() == 1);
        let changes: Vec<&Change> =
            alone.flat_map(|changes| changes.iter()).filter(|change| may(change)).collect();
        let changed = |value: &str| changes.iter().any(|change| change.apply(value) != *value);
        let numbers = if changes.is_empty() { vec![] } else { dictionary.numbers_where(changed) };
        Self { dictionary, numbers }
    }

    /// Each of them.
    fn values(&self) -> impl Iterator<Item = (u32, &str)> {
        self.numbers.iter().map(|number| (*number, self.dictionary.value(*number as usize)))
    }

    /// Of some changes those that change a value.
    fn needed(&self, changes: &[Change]) -> Vec<Change> {
        needed(changes, |before, change| {
            self.values().any(|(_, value)| {
                let text = changed(before, value).unwrap_or_default();
                change.apply(&text) != *text
            })
        })
    }
}

/// The whole link with a mend on whichever side it changes something; nothing where it would lose or
/// change a match, or make two values of the target one.
fn mended(
    [column, target]: &[Changing<'_>; 2],
    plain: &[Option<u32>],
    changes: &[Change],
) -> Option<(Vec<Option<u32>>, Mend)> {
    let mend = Mend { left: column.needed(changes), right: target.needed(changes) };
    // The target's values that change; the others are found as they are.
    let mut after: HashMap<Cow<'_, str>, u32> = HashMap::new();
    let stays = |number: u32| {
        let value = target.dictionary.value(number as usize);
        changed(&mend.right, value).is_some_and(|text| text == value)
    };
    for (number, value) in target.values() {
        let Some(text) = changed(&mend.right, value).filter(|text| *text != value) else {
            continue;
        };
        let taken = target.dictionary.find(&text).is_some_and(stays);
        if taken || after.insert(text, number).is_some() {
            return None;
        }
    }
    let find = |text: &str| {
        let same = || target.dictionary.find(text).filter(|found| stays(*found));
        after.get(text).copied().or_else(same)
    };
    let now = |number: usize| {
        let value = column.dictionary.value(number);
        match changed(&mend.left, value) {
            // As before, as long as nothing is changed on the other side.
            Some(text) if text == value && mend.right.is_empty() => plain[number],
            text => text.and_then(|text| find(&text)),
        }
    };
    // What leads somewhere and changes on neither side leads there still.
    let may_change = Bits::of(plain.len(), column.numbers.iter().copied());
    let there = Bits::of(target.dictionary.len(), target.numbers.iter().copied());
    let mut found = plain.to_vec();
    for (number, to) in plain.iter().enumerate() {
        if !may_change.value(number) && to.is_some_and(|to| !there.value(to as usize)) {
            continue;
        }
        found[number] = now(number);
        if to.is_some() && found[number] != *to {
            return None;
        }
    }
    Some((found, mend))
}
