//! Columns of one table that lead to the key of another.

use rayon::prelude::*;

use super::Subject;
use super::alike::{Alike, alike};
use super::likely::{COMPLETE, DECLARED, FEW, NAMED, UNNAMED, may_meet, read_as_text, weight};
use super::meet::meet;
use super::report::{Doubt, FoundLink, Multiplicity};
use super::several::several;
use crate::lang::plan_name;
use crate::link::mend::{expression, pair_words};
use crate::port::Leads;
use crate::survey::names::bare;
use crate::survey::{CodedColumn, Space};
use crate::value::Type;

/// All links between the tables, the surest first.
pub(super) fn links(subjects: &[Subject], space: Space<'_>) -> Vec<FoundLink> {
    let pairs: Vec<(usize, usize)> = (0..subjects.len())
        .flat_map(|from| (0..subjects.len()).map(move |to| (from, to)))
        .filter(|(from, to)| from != to)
        .collect();
    let mut found: Vec<FoundLink> = pairs
        .into_par_iter()
        .flat_map_iter(|(from, to)| between(&subjects[from], &subjects[to], space))
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

fn between(from: &Subject, to: &Subject, space: Space<'_>) -> Vec<FoundLink> {
    match to.key.as_slice() {
        [] => vec![],
        [key] => single(from, to, *key),
        key => several(from, to, key, space).into_iter().collect(),
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
        let share = met.found.distinct_matched * 100 / met.found.distinct.max(1);
        if share < needed {
            continue;
        }
        let rows = from.read.coded.rows as u64;
        let keyed = rows - column.blanks;
        let shares = met.found.of_all(column.distinct, keyed);
        let mut doubts = vec![];
        if names == Alike::Not {
            doubts.push(Doubt::Names);
        }
        if shares.matched * 100 < keyed * COMPLETE {
            doubts.push(Doubt::Incomplete);
        }
        if column.distinct < FEW && names != Alike::Same {
            doubts.push(Doubt::FewValues);
        }
        if ty == Type::Integer && names != Alike::Same {
            doubts.push(Doubt::SmallNumbers);
        }
        if shares.reached * 100 < target.distinct && names != Alike::Same {
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
            multiplicity: Multiplicity::of(
                met.found.lead_apart() && (own_key || is_unique(column, keyed)),
            ),
            rows,
            matched: shares.matched,
            mended: shares.mended,
            blank: column.blanks,
            distinct: column.distinct,
            distinct_matched: shares.distinct_matched,
            target_reached: shares.reached.min(target.distinct),
            one_in: met.one_in,
            target_distinct: target.distinct,
            target_dedupe: to.dedupe.clone().filter(|_| repeats(to, key)),
            weight: weight(names, share, shares.distinct_matched)
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

/// Whether a key's values repeat in its table, or are missing.
fn repeats(table: &Subject, key: usize) -> bool {
    !is_unique(&table.read.coded.columns[key], table.read.coded.rows as u64)
}

/// Whether a column has so many values, each once, as far as they are kept.
fn is_unique(column: &CodedColumn, rows: u64) -> bool {
    if column.whole() {
        return column.distinct == rows;
    }
    !column.repeats() && column.codes.len() as u64 - column.blanks == rows
}
