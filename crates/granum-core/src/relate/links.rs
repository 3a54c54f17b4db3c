//! Columns of one table that lead to the key of another.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

use rayon::prelude::*;

use super::Subject;
use super::report::{Doubt, FoundLink, Multiplicity};
use crate::lang::plan_name;
use crate::link::mend::{Change, changed, expression, needed, pair_words};
use crate::port::Leads;
use crate::survey::CodedColumn;
use crate::survey::names::{bare, names_amount, names_key, subject};
use crate::value::Type;

/// Parts in hundredths: of keys that must be met where names agree, and where they do not.
const NAMED: u64 = 50;
const UNNAMED: u64 = 95;

/// Below this part of its rows a link is doubtful.
const COMPLETE: u64 = 90;

/// What a database declares weighs more than all that names and values say.
const DECLARED: u64 = 10_000;

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

/// What is done to the keys of both sides so that more of them match.
#[derive(Debug, Clone, Default)]
struct Mend {
    left: Vec<Change>,
    right: Vec<Change>,
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
        let declared = match declared(from, &column.name, to, &target.name) {
            Declares::Other => continue,
            Declares::This => true,
            Declares::Nothing => false,
        };
        let names =
            if declared { Alike::Same } else { alike(&column.name, &target.name, &to.name) };
        let ty = from.read.survey.columns[at].read_as;
        if column.distinct == 0 || target.distinct == 0 || !may_meet(column, ty, target_type, names)
        {
            continue;
        }
        let needed = if names == Alike::Not { UNNAMED } else { NAMED };
        // Zeros that a spreadsheet lost are looked for only where names say that it is one key.
        let zeros = names != Alike::Not;
        let Some(met) = meet(column, target, needed, zeros) else { continue };
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
        if declared {
            doubts.retain(|doubt| *doubt == Doubt::Incomplete);
        }
        // One doubt too many is no link worth telling.
        if doubts.len() > 2 {
            continue;
        }
        let own_key = from.key == [at];
        let left = expression(&met.mend.left, &plan_name(&column.name));
        let right = expression(&met.mend.right, &plan_name(&target.name));
        found.push(FoundLink {
            from: from.name.clone(),
            to: to.name.clone(),
            keys: vec![(column.name.clone(), target.name.clone())],
            on: pair_words(&left, &right),
            as_text: read_as_text((from, at), (to, key), &met.mend),
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
            weight: weight(names, share, met.distinct_matched)
                + if declared { DECLARED } else { 0 },
            declared,
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

/// What a database says of where a column leads.
enum Declares {
    /// To another column's key, and not to this one's.
    Other,
    This,
    Nothing,
}

fn declared(from: &Subject, column: &str, to: &Subject, target: &str) -> Declares {
    let leads = from.declared.leads.iter();
    let mut alone =
        leads.filter(|leads| matches!(leads.keys.as_slice(), [(own, _)] if own == column));
    let is_this = |leads: &&Leads| {
        to.read.survey.files.contains(&leads.to) && leads.keys.iter().all(|(_, to)| to == target)
    };
    // Of two tables that number their own rows, equal numbers are chance.
    let numbers = |table: &Subject, name: &str| table.declared.key == [name] && bare(name) == "id";
    let mut any = false;
    if alone.any(|leads| {
        any = true;
        is_this(&leads)
    }) {
        Declares::This
    } else if any || numbers(from, column) && numbers(to, target) {
        Declares::Other
    } else {
        Declares::Nothing
    }
}

/// The columns of two that are to be read as text, since the other one is, or since their zeros are
/// taken away.
fn read_as_text(
    one: (&Subject, usize),
    other: (&Subject, usize),
    mend: &Mend,
) -> Vec<(String, String)> {
    let ty = |(table, at): (&Subject, usize)| table.read.survey.columns[at].read_as;
    let text = ty(one) == Type::Text
        || ty(other) == Type::Text
        || !mend.left.is_empty()
        || !mend.right.is_empty();
    let reads = [one, other].into_iter().filter(|side| text && ty(*side) != Type::Text);
    let named =
        reads.map(|(table, at)| (table.name.clone(), table.read.survey.columns[at].name.clone()));
    named.collect()
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

/// Looks up the values of one column in another; gives up early where too few are met. Where some are
/// not, it looks for what mends them: what is done to both sides loses no match and makes no two
/// values of the target one. `zeros` says whether zeros in front may be taken away as well.
fn meet(column: &CodedColumn, target: &CodedColumn, needed: u64, zeros: bool) -> Option<Met> {
    if !column.whole() || !target.whole() {
        return None;
    }
    let values = column.dictionary.len();
    let step = (values / PROBED).max(1);
    let probed = (0..values).step_by(step);
    let count = probed.len() as u64;
    let near = |number: &usize| {
        let value = column.dictionary.value(*number);
        let trimmed = value.trim();
        let has = |text: &str| target.dictionary.find(text).is_some();
        has(value) || has(trimmed) || has(&trimmed.to_uppercase()) || has(&trimmed.to_lowercase())
    };
    let hits = probed.filter(near).count() as u64;
    // A sample may miss by a little what the whole has; zeros are seen in the whole only.
    if !zeros && (hits + 5) * 100 < count * needed.saturating_sub(10) {
        return None;
    }
    let plain = looked_up(column, target);
    let matched = |met: &[Option<u32>]| -> u64 {
        let met = met.iter().enumerate().filter(|(_, to)| to.is_some());
        met.map(|(number, _)| column.dictionary.rows(number)).sum()
    };
    let all = plain.iter().all(Option::is_some);
    let wins = if all { None } else { mends(column, target, &plain, zeros) };
    let before = matched(&plain);
    let (to, mend) = wins.unwrap_or((plain, Mend::default()));
    let after = matched(&to);
    Some(Met {
        distinct_matched: to.iter().flatten().count() as u64,
        matched: after,
        mended: after - before,
        to,
        mend,
    })
}

/// For each value of a column its equal in another.
fn looked_up(column: &CodedColumn, target: &CodedColumn) -> Vec<Option<u32>> {
    let values = column.dictionary.values();
    values.map(|(value, ..)| target.dictionary.find(value)).collect()
}

/// The mend that wins most, the simplest of those: for each value its equal then.
fn mends(
    column: &CodedColumn,
    target: &CodedColumn,
    plain: &[Option<u32>],
    zeros: bool,
) -> Option<(Vec<Option<u32>>, Mend)> {
    use Change::{Lower, Trim, Upper, Zeros};
    let small =
        target.dictionary.values().all(|(value, ..)| !value.chars().any(char::is_uppercase));
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
    let any = |has: &dyn Fn(&str) -> bool| {
        [column, target]
            .iter()
            .any(|column| column.dictionary.values().any(|(value, ..)| has(value)))
    };
    let spaces = any(&|value| value.trim() != value);
    let zeros = zeros && any(&|value| value.trim_start().starts_with('0'));
    let letters = any(&|value| value.chars().any(char::is_lowercase))
        && any(&|value| value.chars().any(char::is_uppercase));
    let may = |change: &Change| match change {
        Trim => spaces,
        Zeros => zeros,
        _ => letters,
    };
    let mut best: Option<(u64, Vec<Option<u32>>, Mend)> = None;
    for changes in tried.iter().filter(|changes| changes.iter().all(may)) {
        let Some((to, mend)) = mended(column, target, plain, changes) else { continue };
        let won = to.iter().flatten().count() as u64;
        if best.as_ref().map_or(plain.iter().flatten().count() as u64, |best| best.0) < won {
            best = Some((won, to, mend));
        }
    }
    best.map(|(_, to, mend)| (to, mend))
}

/// The whole link with a mend on whichever side it changes something; nothing where it would lose or
/// change a match, or make two values of the target one.
fn mended(
    column: &CodedColumn,
    target: &CodedColumn,
    plain: &[Option<u32>],
    changes: &[Change],
) -> Option<(Vec<Option<u32>>, Mend)> {
    let side = |column: &CodedColumn| {
        needed(changes, |before, change| {
            column.dictionary.values().any(|(value, ..)| {
                let text = changed(before, value).unwrap_or_default();
                change.apply(&text) != *text
            })
        })
    };
    let mend = Mend { left: side(column), right: side(target) };
    // The target's values that change; the others are found as they are.
    let mut after: HashMap<Cow<'_, str>, u32> = HashMap::new();
    let stays = |number: u32| {
        let value = target.dictionary.value(number as usize);
        changed(&mend.right, value).is_some_and(|text| text == value)
    };
    for (number, (value, ..)) in (0..).zip(target.dictionary.values()) {
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
    let mut found = Vec::with_capacity(plain.len());
    for (value, to) in column.dictionary.values().map(|(value, ..)| value).zip(plain) {
        let now = match changed(&mend.left, value) {
            // As before, as long as nothing is changed on the other side.
            Some(text) if text == value && mend.right.is_empty() => *to,
            text => text.and_then(|text| find(&text)),
        };
        if to.is_some() && now != *to {
            return None;
        }
        found.push(now);
    }
    Some((found, mend))
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
        .map(|(a, b)| meet(&own.columns[*a], &target.columns[*b], NAMED, true))
        .collect::<Option<_>>()?;
    let codes = |row: u32| together(key.iter().map(|at| target.columns[*at].codes.get(row)));
    let keys: HashSet<u128> = (0..target.rows as u32).filter_map(codes).collect();
    let plain: Vec<Vec<Option<u32>>> =
        columns.iter().map(|(a, b)| looked_up(&own.columns[*a], &target.columns[*b])).collect();
    let (mut matched, mut mended, mut blank) = (0, 0, 0);
    let mut known: HashSet<u128> = HashSet::new();
    let (mut distinct, mut distinct_matched) = (0, 0);
    let mut repeats = false;
    for row in 0..own.rows as u32 {
        let own_codes = columns.iter().map(|(at, _)| own.columns[*at].codes.get(row));
        let Some(own_key) = together(own_codes.clone()) else {
            blank += 1;
            continue;
        };
        let leads = |maps: &mut dyn Iterator<Item = &Vec<Option<u32>>>| {
            let to = own_codes.clone().zip(maps);
            let to = to.map(|(code, to)| to.get(code? as usize).copied().flatten().map(u64::from));
            together(to).is_some_and(|to| keys.contains(&to))
        };
        let met = leads(&mut maps.iter().map(|met| &met.to));
        matched += u64::from(met);
        mended += u64::from(met && !leads(&mut plain.iter()));
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
    let on = keys_named.iter().zip(&maps).map(|((a, b), met)| {
        let side = |changes: &[Change], name: &str| expression(changes, &plan_name(name));
        pair_words(&side(&met.mend.left, a), &side(&met.mend.right, b))
    });
    let declared = from.declared.leads.iter().any(|leads| {
        to.read.survey.files.contains(&leads.to)
            && leads.keys.len() == keys_named.len()
            && leads.keys.iter().all(|pair| keys_named.contains(pair))
    });
    let incomplete = matched * 100 < (rows - blank) * COMPLETE;
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
        multiplicity: if is_key || !repeats {
            Multiplicity::OneToOne
        } else {
            Multiplicity::ManyToOne
        },
        rows,
        matched,
        mended,
        blank,
        distinct,
        distinct_matched,
        target_distinct: keys.len() as u64,
        target_dedupe: to.dedupe.clone().filter(|_| keys.len() < target.rows),
        doubts: if incomplete { vec![Doubt::Incomplete] } else { vec![] },
        weight: weight(Alike::Same, share, distinct_matched) + if declared { DECLARED } else { 0 },
        declared,
    })
}
