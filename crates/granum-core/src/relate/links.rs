//! Columns of one table that lead to the key of another.

use std::collections::HashSet;

use rayon::prelude::*;

use super::Subject;
use super::report::{Doubt, FoundLink, Multiplicity};
use crate::lang::plan_name;
use crate::survey::CodedColumn;
use crate::survey::names::{bare, names_amount, names_key, subject};
use crate::value::Type;

/// Parts in hundredths: of keys that must be met where names agree, and where they do not.
const NAMED: u64 = 50;
const UNNAMED: u64 = 95;

/// Below this part of its rows a link is doubtful.
const COMPLETE: u64 = 90;

/// Fewer values than these meet by chance.
const FEW: u64 = 5;

/// A part of the values tells whether it is worth to look at all of them.
const PROBED: usize = 200;

/// How two columns' names agree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Alike {
    Not,
    /// One subject: `customer` and `customer_no`.
    Subject,
    Same,
}

fn alike(one: &str, other: &str, target: &str) -> Alike {
    if bare(one) == bare(other) {
        return Alike::Same;
    }
    let (a, b) = (subject(one), subject(other));
    let table = subject(target);
    // `customer_id` leads to `id` of customers, and `seller_staff_no` to `staff_no`.
    let id = a == table && (names_key(other) || b == table);
    let ends = a.len() > 3 && b.len() > 3 && (a.ends_with(&b) || b.ends_with(&a));
    if a == b || id || ends { Alike::Subject } else { Alike::Not }
}

/// Which values of one column another has.
struct Met {
    /// For each value of the one: the number of its equal in the other.
    to: Vec<Option<u32>>,
    matched: u64,
    distinct_matched: u64,
    /// Rows that match once their keys are mended, and how.
    mended: u64,
    mend: Mend,
}

/// What is done to keys so that more of them match.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
struct Mend {
    trim: bool,
    upper: bool,
    lower: bool,
}

impl Mend {
    fn expression(self, name: &str) -> String {
        let inner = if self.trim { format!("trim({name})") } else { name.to_owned() };
        match (self.upper, self.lower) {
            (true, _) => format!("upper({inner})"),
            (_, true) => format!("lower({inner})"),
            _ => inner,
        }
    }

    fn is_none(self) -> bool {
        self == Self::default()
    }
}

/// All links between the tables, the surest first.
pub(super) fn links(subjects: &[Subject]) -> Vec<FoundLink> {
    let pairs: Vec<(usize, usize)> = (0..subjects.len())
        .flat_map(|from| (0..subjects.len()).map(move |to| (from, to)))
        .filter(|(from, to)| from != to)
        .collect();
    let mut found: Vec<FoundLink> = pairs
        .into_par_iter()
        .flat_map_iter(|(from, to)| between(&subjects[from], &subjects[to]))
        .collect();
    // Two tables of one key lead to each other: the one that has less of it leads.
    let both = found.clone();
    found.retain(|link| {
        let back = both.iter().find(|back| {
            back.from == link.to
                && back.to == link.from
                && back.keys.iter().all(|(a, b)| link.keys.contains(&(b.clone(), a.clone())))
        });
        back.is_none_or(|back| {
            let share = |link: &FoundLink| link.matched * 10_000 / link.rows.max(1);
            share(link) > share(back) || (share(link) == share(back) && link.from < back.from)
        })
    });
    // A column leads to one table mostly; what is weaker by far is chance.
    let strongest = found.clone();
    found.retain(|link| {
        link.is_sure()
            || !strongest.iter().any(|other| {
                other.is_sure()
                    && other.from == link.from
                    && other.keys.iter().any(|key| link.keys.iter().any(|own| own.0 == key.0))
                    && (other.to == link.to || other.weight > link.weight)
            })
    });
    found.sort_by(|a, b| {
        (!a.is_sure(), std::cmp::Reverse(a.weight), &a.from, &a.to).cmp(&(
            !b.is_sure(),
            std::cmp::Reverse(b.weight),
            &b.from,
            &b.to,
        ))
    });
    found
}

/// A key as a plan writes it: once where both sides are called the same.
pub(super) fn pair_words(left: &str, right: &str) -> String {
    if left == right { left.to_owned() } else { format!("{left} = {right}") }
}

fn between(from: &Subject, to: &Subject) -> Vec<FoundLink> {
    match to.key.as_slice() {
        [] => vec![],
        [key] => single(from, to, *key),
        key => several(from, to, key).into_iter().collect(),
    }
}

/// Links to a key of one column: at most one for each way in which names agree.
fn single(from: &Subject, to: &Subject, key: usize) -> Vec<FoundLink> {
    let target = &to.read.coded.columns[key];
    let target_type = to.read.survey.columns[key].read_as;
    let mut found: Vec<FoundLink> = vec![];
    for (at, column) in from.read.coded.columns.iter().enumerate() {
        let names = alike(&column.name, &target.name, &to.name);
        let ty = from.read.survey.columns[at].read_as;
        if column.distinct == 0 || target.distinct == 0 || !may_meet(column, ty, target_type, names)
        {
            continue;
        }
        let needed = if names == Alike::Not { UNNAMED } else { NAMED };
        let Some(met) = meet(column, target, needed) else { continue };
        let share = met.distinct_matched * 100 / column.distinct.max(1);
        if share < needed {
            continue;
        }
        let rows = from.read.coded.rows as u64;
        let keyed = rows - column.blanks;
        let mut doubts = vec![];
        if names == Alike::Not {
            doubts.push(Doubt::Names);
        }
        if met.matched * 100 < keyed * COMPLETE {
            doubts.push(Doubt::Incomplete);
        }
        if column.distinct < FEW && names != Alike::Same {
            doubts.push(Doubt::FewValues);
        }
        if ty == Type::Integer && names != Alike::Same {
            doubts.push(Doubt::SmallNumbers);
        }
        if met.distinct_matched * 100 < target.distinct && names != Alike::Same {
            doubts.push(Doubt::BarelyReached);
        }
        // One doubt too many is no link worth telling.
        if doubts.len() > 2 {
            continue;
        }
        let own_key = from.key == [at];
        let left = met.mend.expression(&plan_name(&column.name));
        let right = plan_name(&target.name);
        found.push(FoundLink {
            from: from.name.clone(),
            to: to.name.clone(),
            keys: vec![(column.name.clone(), target.name.clone())],
            on: pair_words(&left, &right),
            as_text: as_text((from, at), (to, key)).into_iter().collect(),
            multiplicity: if own_key || column.distinct == keyed {
                Multiplicity::OneToOne
            } else {
                Multiplicity::ManyToOne
            },
            rows,
            matched: met.matched,
            mended: met.mended,
            blank: column.blanks,
            distinct: column.distinct,
            distinct_matched: met.distinct_matched,
            target_distinct: target.distinct,
            target_dedupe: to.dedupe.clone().filter(|_| repeats(to, key)),
            weight: weight(names, share, met.distinct_matched),
            doubts,
        });
    }
    // Of several columns with the target's values the best named is meant, unless they are sure.
    let sure = found.iter().any(FoundLink::is_sure);
    if sure {
        found.retain(FoundLink::is_sure);
    }
    found
}

/// The column of two that is to be read as text, since the other one is.
fn as_text(one: (&Subject, usize), other: (&Subject, usize)) -> Option<(String, String)> {
    let ty = |(table, at): (&Subject, usize)| table.read.survey.columns[at].read_as;
    let (table, at) = match (ty(one), ty(other)) {
        (a, b) if a == b => return None,
        (Type::Text, _) => other,
        _ => one,
    };
    Some((table.name.clone(), table.read.survey.columns[at].name.clone()))
}

/// Whether a key's values repeat in its table.
fn repeats(table: &Subject, key: usize) -> bool {
    let column = &table.read.coded.columns[key];
    column.distinct < table.read.coded.rows as u64
}

fn weight(names: Alike, share: u64, keys: u64) -> u64 {
    let named = match names {
        Alike::Same => 200,
        Alike::Subject => 100,
        Alike::Not => 0,
    };
    named + share + u64::from(keys.max(1).ilog2())
}

/// Whether values of such columns can be one thing.
fn may_meet(column: &CodedColumn, ty: Type, target: Type, names: Alike) -> bool {
    if names == Alike::Not && names_amount(&column.name) {
        return false;
    }
    match (ty, target) {
        // Whole numbers of other names meet by chance, unless both are keys by name.
        (Type::Integer, Type::Integer) => names != Alike::Not || names_key(&column.name),
        (Type::Date, Type::Date) | (Type::DateTime, Type::DateTime) => names == Alike::Same,
        (Type::Text | Type::Integer, Type::Text | Type::Integer) => true,
        _ => false,
    }
}

/// Looks up the values of one column in another; gives up early where too few are met.
fn meet(column: &CodedColumn, target: &CodedColumn, needed: u64) -> Option<Met> {
    if !column.whole() || !target.whole() {
        return None;
    }
    let values = column.dictionary.len();
    let step = (values / PROBED).max(1);
    let probed = (0..values).step_by(step);
    let met = |number: usize| {
        let value = column.dictionary.value(number);
        target.dictionary.find(value).or_else(|| mended(value, target).map(|(to, _)| to))
    };
    let count = probed.clone().count() as u64;
    let hits = probed.filter(|number| met(*number).is_some()).count() as u64;
    // A sample may miss by a little what the whole has.
    if (hits + 5) * 100 < count * needed.saturating_sub(10) {
        return None;
    }
    let mut met =
        Met { to: vec![], matched: 0, distinct_matched: 0, mended: 0, mend: Mend::default() };
    let mut mend = Mend::default();
    for number in 0..values {
        let value = column.dictionary.value(number);
        let rows = column.dictionary.rows(number);
        let to = target.dictionary.find(value).or_else(|| {
            let (to, how) = mended(value, target)?;
            mend.trim |= how.trim;
            mend.upper |= how.upper;
            mend.lower |= how.lower;
            met.mended += rows;
            Some(to)
        });
        if to.is_some() {
            met.matched += rows;
            met.distinct_matched += 1;
        }
        met.to.push(to);
    }
    // No one expression makes both cases.
    if mend.upper && mend.lower {
        mend.lower = false;
    }
    // What is mended must be so on both sides: a target of small and capital letters is left alone.
    if !mend.is_none() && !stands_mended(target, mend) {
        met.matched -= met.mended;
        met.mended = 0;
        mend = Mend::default();
    }
    met.mend = mend;
    Some(met)
}

/// Whether all values of a column are as a mended key would be.
fn stands_mended(column: &CodedColumn, mend: Mend) -> bool {
    column.dictionary.values().all(|(value, ..)| {
        (!mend.trim || value.trim() == value)
            && (!mend.upper || !value.chars().any(char::is_lowercase))
            && (!mend.lower || !value.chars().any(char::is_uppercase))
    })
}

/// The value that one becomes, once spaces around and letter case are taken from it, if the target
/// has that.
fn mended(value: &str, target: &CodedColumn) -> Option<(u32, Mend)> {
    let trimmed = value.trim();
    let trim = trimmed.len() < value.len();
    if trim && let Some(to) = target.dictionary.find(trimmed) {
        return Some((to, Mend { trim, ..Mend::default() }));
    }
    if trimmed.chars().any(char::is_lowercase)
        && let Some(to) = target.dictionary.find(&trimmed.to_uppercase())
    {
        return Some((to, Mend { trim, upper: true, lower: false }));
    }
    if trimmed.chars().any(char::is_uppercase)
        && let Some(to) = target.dictionary.find(&trimmed.to_lowercase())
    {
        return Some((to, Mend { trim, upper: false, lower: true }));
    }
    None
}

/// Up to four numbers of values as one; `None` where one is missing.
fn together(codes: impl Iterator<Item = Option<u64>>) -> Option<u128> {
    codes.into_iter().try_fold(0, |all, code| Some(all << 32 | u128::from(code? as u32)))
}

/// The link to a key of several columns, each of which the source has under the same name.
fn several(from: &Subject, to: &Subject, key: &[usize]) -> Option<FoundLink> {
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
        .map(|(a, b)| meet(&own.columns[*a], &target.columns[*b], NAMED))
        .collect::<Option<_>>()?;
    let codes = |row: u32| together(key.iter().map(|at| target.columns[*at].codes.get(row)));
    let keys: HashSet<u128> = (0..target.rows as u32).filter_map(codes).collect();
    let (mut matched, mut blank) = (0, 0);
    let mut known: HashSet<u128> = HashSet::new();
    let (mut distinct, mut distinct_matched) = (0, 0);
    let mut repeats = false;
    for row in 0..own.rows as u32 {
        let own_codes = columns.iter().map(|(at, _)| own.columns[*at].codes.get(row));
        let Some(own_key) = together(own_codes.clone()) else {
            blank += 1;
            continue;
        };
        let to = own_codes
            .zip(&maps)
            .map(|(code, met)| met.to.get(code? as usize).copied().flatten().map(u64::from));
        let met = together(to).is_some_and(|to| keys.contains(&to));
        matched += u64::from(met);
        if known.insert(own_key) {
            distinct += 1;
            distinct_matched += u64::from(met);
        } else {
            repeats = true;
        }
    }
    let share = distinct_matched * 100 / distinct.max(1);
    if share < NAMED || distinct == 0 {
        return None;
    }
    let rows = own.rows as u64;
    let pair =
        |(a, b): &(usize, usize)| (own.columns[*a].name.clone(), target.columns[*b].name.clone());
    let keys_named: Vec<(String, String)> = columns.iter().map(pair).collect();
    let on = keys_named.iter().map(|(a, b)| pair_words(&plan_name(a), &plan_name(b)));
    let incomplete = matched * 100 < (rows - blank) * COMPLETE;
    let own_key: HashSet<usize> = from.key.iter().copied().collect();
    let is_key = columns.iter().all(|(at, _)| own_key.contains(at)) && !own_key.is_empty();
    Some(FoundLink {
        from: from.name.clone(),
        to: to.name.clone(),
        on: on.collect::<Vec<_>>().join(", "),
        keys: keys_named,
        as_text: columns.iter().filter_map(|(a, b)| as_text((from, *a), (to, *b))).collect(),
        multiplicity: if is_key || !repeats {
            Multiplicity::OneToOne
        } else {
            Multiplicity::ManyToOne
        },
        rows,
        matched,
        mended: 0,
        blank,
        distinct,
        distinct_matched,
        target_distinct: keys.len() as u64,
        target_dedupe: to.dedupe.clone().filter(|_| keys.len() < target.rows),
        doubts: if incomplete { vec![Doubt::Incomplete] } else { vec![] },
        weight: weight(Alike::Same, share, distinct_matched),
    })
}
