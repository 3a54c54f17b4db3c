//! Links to a key of several columns.
//!
//! A key is the hash of the hashes of its values, which are the same in every column. Where there are more keys than
//! memory has room for, those whose hashes are least are looked at: of both sides the same.

use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasher, Hasher};

use foldhash::fast::FixedState;

use super::alike::Alike;
use super::likely::{COMPLETE, DECLARED, NAMED, may_meet, read_as_text, weight};
use super::meet::{Met, Shares, meet};
use super::report::{Doubt, FoundLink, Multiplicity};
use super::{KeyCount, Subject};
use crate::lang::plan_name;
use crate::link::mend::{Change, expression, pair_words};
use crate::survey::names::bare;
use crate::survey::{CodedColumn, Space};
use crate::table::{Bits, Codes, PIECE};

/// The link to a key of several columns, each of which the source has under the same name.
pub(super) fn several(
    from: &Subject,
    to: &Subject,
    key: &[usize],
    space: Space<'_>,
) -> Option<FoundLink> {
    let columns: Vec<(usize, usize)> = key
        .iter()
        .map(|target| {
            let name = bare(&to.read.survey.columns[*target].name);
            let mut own = from.read.survey.columns.iter();
            let own = own.position(|column| bare(&column.name) == name)?;
            let (a, b) = (&from.read, &to.read);
            let types = (a.survey.columns[own].read_as, b.survey.columns[*target].read_as);
            may_meet(&a.coded.columns[own], types.0, types.1, Alike::Same).then_some((own, *target))
        })
        .collect::<Option<_>>()?;
    let (own, target) = (&from.read.coded, &to.read.coded);
    let maps: Vec<Met> = columns
        .iter()
        .map(|(a, b)| meet(&own.columns[*a], &target.columns[*b], NAMED, true))
        .collect::<Option<_>>()?;
    let most = space.most_keys();
    let sides: Vec<Side<'_>> = columns
        .iter()
        .zip(&maps)
        .map(|((a, b), met)| Side::new(&own.columns[*a], &target.columns[*b], met))
        .collect();
    let keys = keys_of(&sides, target.rows, to.keys, most);
    let led = led(&sides, own.rows, &keys, most);
    let (rows, blank) = (own.rows as u64, led.blank);
    let found = led.found;
    let shares = found.of_all(found.distinct * led.one_in, rows - blank);
    let share = found.distinct_matched * 100 / found.distinct.max(1);
    if share < NAMED || found.distinct == 0 {
        return None;
    }
    let pair =
        |(a, b): &(usize, usize)| (own.columns[*a].name.clone(), target.columns[*b].name.clone());
    let keys_named: Vec<(String, String)> = columns.iter().map(pair).collect();
    let on = keys_named.iter().zip(&maps).map(|((a, b), met)| {
        let side = |changes: &[Change], name: &str| expression(changes, &plan_name(name));
        pair_words(&side(&met.mend.left, a), &side(&met.mend.right, b))
    });
    let declared = from.declared.leads.iter().any(|leads| {
        to.read.survey.files.contains(&leads.to)
            && leads.keys.len() == keys_named.len()
            && leads.keys.iter().all(|pair| keys_named.contains(pair))
    });
    let incomplete = shares.matched * 100 < (rows - blank) * COMPLETE;
    let own_key: HashSet<usize> = from.key.iter().copied().collect();
    let is_key = columns.iter().all(|(at, _)| own_key.contains(at)) && !own_key.is_empty();
    Some(FoundLink {
        from: from.name.clone(),
        to: to.name.clone(),
        on: on.collect::<Vec<_>>().join(", "),
        keys: keys_named,
        as_text: columns
            .iter()
            .zip(&maps)
            .flat_map(|((a, b), met)| read_as_text((from, *a), (to, *b), &met.mend))
            .collect(),
        multiplicity: Multiplicity::of(found.lead_apart() && (is_key || !led.repeats)),
        rows,
        matched: shares.matched,
        mended: shares.mended,
        blank,
        distinct: shares.distinct,
        distinct_matched: shares.distinct_matched,
        target_reached: shares.reached.min(keys.distinct),
        target_distinct: keys.distinct,
        target_dedupe: to.dedupe.clone().filter(|_| keys.repeat),
        one_in: led.one_in,
        doubts: if incomplete { vec![Doubt::Incomplete] } else { vec![] },
        weight: weight(Alike::Same, share, shares.distinct_matched)
            + if declared { DECLARED } else { 0 },
        declared,
    })
}

/// A column of the key on both sides.
struct Side<'a> {
    own: &'a Codes,
    target: &'a Codes,
    /// The hash of each value by its number, where codes are numbers.
    own_hashes: Vec<u64>,
    target_hashes: Vec<u64>,
    /// For each value of the one the number of its equal in the other; nothing where values lead to their equals.
    to: Option<&'a [Option<u32>]>,
}

impl<'a> Side<'a> {
    fn new(own: &'a CodedColumn, target: &'a CodedColumn, met: &'a Met) -> Self {
        let hashes = |column: &CodedColumn| {
            if column.whole() { column.dictionary.hashes() } else { vec![] }
        };
        Self {
            own: &own.codes,
            target: &target.codes,
            own_hashes: hashes(own),
            target_hashes: hashes(target),
            to: (own.whole() && target.whole()).then_some(met.to.as_slice()),
        }
    }

    /// The hash of what a code stands for; nothing for a blank.
    fn hash(code: u64, hashes: &[u64]) -> Option<u64> {
        if code == Codes::NO_HASH || hashes.is_empty() {
            return (code != Codes::NO_HASH).then_some(code);
        }
        hashes.get(code as usize).copied()
    }

    /// The numbers of the target's values that some value leads to; nothing where that is not known of all.
    fn reached(&self) -> Option<Bits> {
        Some(Bits::of(self.target_hashes.len(), self.to?.iter().flatten().copied()))
    }

    /// The hash of what a code of the own side leads to.
    fn led(&self, code: u64) -> Option<u64> {
        match self.to {
            None => Self::hash(code, &self.own_hashes),
            Some(to) => {
                let to = to.get(code as usize).copied().flatten()?;
                Self::hash(to.into(), &self.target_hashes)
            }
        }
    }
}

/// The hash of a key; nothing where a part is missing.
fn together(parts: impl Iterator<Item = Option<u64>>) -> Option<u64> {
    let mut hasher = FixedState::with_seed(2).build_hasher();
    for part in parts {
        hasher.write_u64(part?);
    }
    Some(hasher.finish())
}

/// Keys of the target: those that are looked at, and that some value of each column leads to.
struct TargetKeys {
    keys: HashSet<u64, FixedState>,
    halved: u32,
    /// How many there are of all, about where they were not counted before and some were left out.
    distinct: u64,
    /// Whether some stand on several rows, or rows have none.
    repeat: bool,
}

/// Whether a key is looked at where those that are were halved so often.
fn is_looked_at(key: u64, halved: u32) -> bool {
    key.leading_zeros() >= halved
}

/// The rows of some codes, run by run: for each row the codes of all.
fn each_row(codes: &[&Codes], rows: usize, mut take: impl FnMut(&[Vec<u64>], usize)) {
    for first in (0..rows).step_by(PIECE) {
        let count = PIECE.min(rows - first);
        let runs: Vec<Vec<u64>> = codes.iter().map(|codes| codes.run(first, count)).collect();
        (0..count).for_each(|at| take(&runs, at));
    }
}

/// The keys of the target. What is `known` of them needs no count: then rows that nothing leads to are passed by.
fn keys_of(sides: &[Side<'_>], rows: usize, known: Option<KeyCount>, most: usize) -> TargetKeys {
    let mut keys: HashSet<u64, FixedState> = HashSet::default();
    let (mut halved, mut repeat) = (0, false);
    let codes: Vec<&Codes> = sides.iter().map(|side| side.target).collect();
    let reached: Vec<Option<Bits>> = match known {
        Some(_) => sides.iter().map(Side::reached).collect(),
        None => sides.iter().map(|_| None).collect(),
    };
    each_row(&codes, rows, |runs, at| {
        let passed = |(reached, run): (&Option<Bits>, &Vec<u64>)| {
            let code = run[at];
            reached
                .as_ref()
                .is_some_and(|reached| code == Codes::NO_HASH || !reached.value(code as usize))
        };
        if reached.iter().zip(runs).any(passed) {
            return;
        }
        let parts = sides.iter().zip(runs);
        let key = together(parts.map(|(side, run)| Side::hash(run[at], &side.target_hashes)));
        let Some(key) = key else {
            repeat = true;
            return;
        };
        if !is_looked_at(key, halved) {
            return;
        }
        repeat |= !keys.insert(key);
        while keys.len() > most {
            halved += 1;
            keys.retain(|key| is_looked_at(*key, halved));
        }
    });
    let counted = KeyCount { distinct: (keys.len() as u64) << halved, repeat };
    let KeyCount { distinct, repeat } = known.unwrap_or(counted);
    TargetKeys { keys, halved, distinct, repeat }
}

/// What becomes of the rows that lead.
struct Led {
    blank: u64,
    /// One in so many keys was looked at; the numbers are those that were found.
    one_in: u64,
    found: Shares,
    /// Whether a key stands on several rows.
    repeats: bool,
}

/// Rows of a key.
struct KeyRows {
    /// By what it is looked at: where it leads, or itself where it leads nowhere.
    by: u64,
    rows: u64,
    met: bool,
    mended: bool,
}

fn led(sides: &[Side<'_>], rows: usize, keys: &TargetKeys, most: usize) -> Led {
    let codes: Vec<&Codes> = sides.iter().map(|side| side.own).collect();
    let mut known: HashMap<u64, KeyRows, FixedState> = HashMap::default();
    let (mut halved, mut blank) = (keys.halved, 0);
    each_row(&codes, rows, |runs, at| {
        let parts = sides.iter().zip(runs);
        let own = together(parts.clone().map(|(side, run)| Side::hash(run[at], &side.own_hashes)));
        let Some(own) = own else {
            blank += 1;
            return;
        };
        let to = together(parts.map(|(side, run)| side.led(run[at])));
        let by = to.unwrap_or(own);
        if !is_looked_at(by, halved) {
            return;
        }
        let of_key = known.entry(own).or_insert_with(|| {
            let met = to.is_some_and(|to| keys.keys.contains(&to));
            // Without a mend a key leads to its equal.
            KeyRows { by, rows: 0, met, mended: met && !keys.keys.contains(&own) }
        });
        of_key.rows += 1;
        while known.len() > most {
            halved += 1;
            known.retain(|_, of_key| is_looked_at(of_key.by, halved));
        }
    });
    let sum = |of: &dyn Fn(&KeyRows) -> u64| known.values().map(of).sum::<u64>();
    let reached: HashSet<u64, FixedState> =
        known.values().filter(|of| of.met).map(|of| of.by).collect();
    let found = Shares {
        distinct: known.len() as u64,
        distinct_matched: sum(&|of| of.met.into()),
        reached: reached.len() as u64,
        rows: sum(&|of| of.rows),
        matched: sum(&|of| if of.met { of.rows } else { 0 }),
        mended: sum(&|of| if of.mended { of.rows } else { 0 }),
    };
    let repeats = known.values().any(|of| of.rows > 1);
    Led { blank, one_in: 1 << halved, found, repeats }
}
