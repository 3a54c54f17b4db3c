//! Builds links between finished tables, and their tallies.

use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::atomic::AtomicU64;

use super::context::Context;
use crate::expr::{Kind, Typed, evaluate_all};
use crate::grain::{EXAMPLES, examples, key_text, repeated};
use crate::link::{BlankKeys, KeyTable, Keys, LinkIndex, Missing, link_few, near_misses};
use crate::resolve::{LinkPlan, Required};
use crate::step::{Naming, finished_problem, finished_rows};
use crate::table::{Amount, Batch, Column, LinkId, Rows, Table, TableId};
use crate::tally::{LinkAmount, LinkTally, MissingKey, Problem, RepeatedKey, Spread};

/// Missing keys are listed up to this many.
const MISSING: usize = 10;

/// Builds a link. A target that repeats a key stops it.
pub(super) fn build(
    context: &Context<'_>,
    id: LinkId,
) -> Result<Option<(LinkIndex, LinkTally)>, Problem> {
    let link = &context.plan.links[id.0];
    let (Some(from), Some(to)) =
        (&context.world.tables[link.from.0], &context.world.tables[link.to.0])
    else {
        return Ok(None);
    };
    let from_rows = finished_rows(from, link.from);
    let to_rows = finished_rows(to, link.to);
    let step = format!("link on {}", link.keys_text);
    let left = keys(context, link.from, &from_rows, link.keys.iter().map(|(l, _)| l), &step)?;
    let right = keys(context, link.to, &to_rows, link.keys.iter().map(|(_, r)| r), &step)?;
    if keys_are_grain(context, link) && left.rows() < right.rows() / 4 {
        let index = link_few(&left, &right);
        let tally = tally(context, link, (&left, &right), &index, from, to);
        return Ok(Some((index, tally)));
    }
    let table = KeyTable::build(&right);
    let index = table.link(&right, &left);
    let repeats = repeated(&table);
    if !repeats.is_empty() {
        // A join would have made one row for each pair; most rows meet no repeated key.
        let (mut source_rows, mut would_be) = (0, 0);
        for to in index.iter().flatten() {
            if let Some(rows) = repeats.get(&to) {
                source_rows += 1;
                would_be += rows.len() as u64;
            }
        }
        let naming = Naming::finished(context.plan, link.to);
        let first = examples(&right, &repeats).into_iter().map(|(key, rows)| RepeatedKey {
            key,
            rows: rows.len() as u64,
            places: rows
                .iter()
                .take(EXAMPLES)
                .filter_map(|row| naming.place(context, &to_rows, *row as usize))
                .collect(),
        });
        let target = &context.plan.tables[link.to.0];
        let target_keys: Vec<&str> =
            link.key_words.iter().map(|(_, right)| right.as_str()).collect();
        return Err(Problem::RepeatedKeys {
            from: context.plan.tables[link.from.0].name.clone(),
            to: context.plan.tables[link.to.0].name.clone(),
            keys: link.keys_text.clone(),
            target_keys: target_keys.join(", "),
            grain: target.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()),
            repeated: repeats.len() as u64,
            source_rows,
            would_be,
            examples: first.collect(),
        });
    }
    let tally = tally(context, link, (&left, &right), &index, from, to);
    Ok(Some((index, tally)))
}

/// Whether the keys on the target's side are its grain, which has been checked: then none repeats.
fn keys_are_grain(context: &Context<'_>, link: &LinkPlan) -> bool {
    let target = &context.plan.tables[link.to.0];
    let Some(grain) = &target.grain else { return false };
    grain.columns.iter().all(|name| {
        link.keys.iter().any(|(_, right)| {
            matches!(right.kind, Kind::Slot(slot) if target.columns[slot.0].0 == *name)
        })
    })
}

pub(super) fn keys<'t>(
    context: &Context<'_>,
    table: TableId,
    rows: &Batch,
    keys: impl Iterator<Item = &'t Typed>,
    step: &str,
) -> Result<Keys, Problem> {
    let zeros = AtomicU64::new(0);
    let columns: Result<Vec<Column>, _> =
        keys.map(|key| evaluate_all(key, rows, context.world, &zeros)).collect();
    let columns = columns.map_err(|failure| {
        let naming = Naming::finished(context.plan, table);
        finished_problem(context, table, step.to_owned(), rows, naming, failure)
    })?;
    Ok(Keys::new(columns, BlankKeys::Apart, rows.rows))
}

fn tally(
    context: &Context<'_>,
    link: &LinkPlan,
    (left, right): (&Keys, &Keys),
    index: &LinkIndex,
    from: &Table,
    to: &Table,
) -> LinkTally {
    let plan = &context.plan.tables[link.from.0];
    let matched = (index.len() - index.blanks()) as u64;
    let blank = left.absent() as u64;
    let tracked = plan.tracked.iter().filter(|tracked| tracked.ends_at.is_none());
    let amounts = || -> Vec<LinkAmount> {
        tracked
            .filter_map(|tracked| {
                let at = plan.columns.iter().position(|(_, slot)| *slot == tracked.last_slot())?;
                let column = from.columns[at].as_ref()?;
                Some(link_amount(&tracked.name, column, left, index, link.blank_allowed))
            })
            .collect()
    };
    let (amounts, ((unreached, spread), examples)) =
        rayon::join(amounts, || (spread(index, to.rows), missing_keys(left, index)));
    let mut tally = LinkTally {
        from: plan.name.clone(),
        to: context.plan.tables[link.to.0].name.clone(),
        name: link.name.clone(),
        keys: link.keys_text.clone(),
        rows: from.rows as u64,
        matched,
        missing: from.rows as u64 - matched - blank,
        blank,
        blank_allowed: link.blank_allowed,
        amounts,
        unreached,
        target_rows: to.rows as u64,
        spread,
        examples,
        near: vec![],
        unlike: 0,
        required: String::new(),
        held: true,
    };
    if let Some(required) = &link.required {
        (tally.required, tally.held) = reached(required, &tally);
    }
    if !tally.held {
        let missing = Missing { left, right, index, words: &link.key_words };
        (tally.near, tally.unlike) = near_misses(&missing);
    }
    tally
}

/// What part of an amount is led somewhere. Runs of rows are added up on all cores.
fn link_amount(
    name: &str,
    column: &Column,
    left: &Keys,
    index: &LinkIndex,
    blank_allowed: bool,
) -> LinkAmount {
    const RUN: usize = 1 << 16;
    let counts = |row: usize| !blank_allowed || left.has_key(row);
    if let Column::Number(array) = column {
        let mut sums = LinkSums::<f64>::default();
        for row in (0..array.len()).filter(|row| array.has(*row)) {
            let value = array.value(row);
            if index.has(row) {
                sums.matched += value.abs();
                sums.matched_net += value;
            } else if counts(row) {
                sums.missing += value.abs();
                sums.missing_net += value;
            }
        }
        return sums.tally(name, |sum| Amount::Float { sum, blanks: 0 });
    }
    let present = column.present();
    let sums = |values: &(dyn Fn(usize) -> i128 + Sync)| {
        let runs = (0..column.len()).into_par_iter().step_by(RUN);
        runs.map(|start| {
            let mut sums = LinkSums::<i128>::default();
            for row in start..(start + RUN).min(column.len()) {
                if present.as_ref().is_some_and(|present| !present.has(row)) {
                    continue;
                }
                // A run of decimals, each below 10^38, may not fit; nothing else can overflow.
                let value = values(row);
                if index.has(row) {
                    sums.matched = sums.matched.checked_add(value.abs())?;
                    sums.matched_net = sums.matched_net.checked_add(value)?;
                } else if counts(row) {
                    sums.missing = sums.missing.checked_add(value.abs())?;
                    sums.missing_net = sums.missing_net.checked_add(value)?;
                }
            }
            Some(sums)
        })
        .reduce(|| Some(LinkSums::default()), |a, b| a?.plus(b?))
    };
    let sums = match column {
        Column::Integer(array) => sums(&|row| array.value(row).into()),
        Column::Decimal(array, _) => sums(&|row| array.value(row)),
        _ => Some(LinkSums::default()),
    };
    let scale = column.ty().scale().unwrap_or_default();
    match sums {
        Some(sums) => sums.tally(name, |units| Amount::exact(Some(units), scale, 0)),
        None => LinkSums::<i128>::default().tally(name, |_| Amount::exact(None, scale, 0)),
    }
}

#[derive(Default)]
struct LinkSums<T> {
    matched: T,
    missing: T,
    matched_net: T,
    missing_net: T,
}

impl<T> LinkSums<T> {
    fn tally(self, name: &str, amount: impl Fn(T) -> Amount) -> LinkAmount {
        LinkAmount {
            name: name.to_owned(),
            matched: amount(self.matched),
            missing: amount(self.missing),
            matched_net: amount(self.matched_net),
            missing_net: amount(self.missing_net),
        }
    }
}

impl LinkSums<i128> {
    fn plus(self, other: Self) -> Option<Self> {
        Some(Self {
            matched: self.matched.checked_add(other.matched)?,
            missing: self.missing.checked_add(other.missing)?,
            matched_net: self.matched_net.checked_add(other.matched_net)?,
            missing_net: self.missing_net.checked_add(other.missing_net)?,
        })
    }
}

/// How many rows of the target nothing leads to, and how many rows lead to one of the others.
pub(super) fn spread(index: &LinkIndex, target_rows: usize) -> (u64, Option<Spread>) {
    let mut counts = vec![0_u32; target_rows];
    index.numbers().for_each(|to| counts[to as usize] += 1);
    let mut by_count: BTreeMap<u32, u64> = BTreeMap::new();
    for count in counts {
        *by_count.entry(count).or_default() += 1;
    }
    let unreached = by_count.remove(&0).unwrap_or(0);
    let reached: u64 = by_count.values().sum();
    let (Some((least, _)), Some((most, _))) =
        (by_count.first_key_value(), by_count.last_key_value())
    else {
        return (unreached, None);
    };
    let mut seen = 0;
    let median = by_count
        .iter()
        .find(|(_, rows)| {
            seen += **rows;
            seen * 2 >= reached
        })
        .map_or(0, |(count, _)| *count);
    let spread = Spread { least: (*least).into(), median: median.into(), most: (*most).into() };
    (unreached, Some(spread))
}

/// The first keys that the target does not have, in the order of the rows, with how many rows
/// have each.
pub(super) fn missing_keys(left: &Keys, index: &LinkIndex) -> Vec<MissingKey> {
    if index.blanks() == 0 {
        return vec![];
    }
    let missing: Vec<u32> = (0..index.len())
        .filter(|row| !index.has(*row) && left.has_key(*row))
        .map(|row| row as u32)
        .collect();
    let rows = missing.len();
    let keys = left.take(&Rows::from(missing));
    let table = KeyTable::build(&keys);
    let mut counts: BTreeMap<u32, u64> = BTreeMap::new();
    for (_, first) in &table.repeats {
        *counts.entry(*first).or_insert(1) += 1;
    }
    let mut repeats = table.repeats.iter().map(|(row, _)| *row).peekable();
    let mut out = vec![];
    for row in 0..rows as u32 {
        if repeats.peek() == Some(&row) {
            repeats.next();
            continue;
        }
        out.push(MissingKey {
            key: key_text(&keys, row as usize),
            rows: counts.get(&row).copied().unwrap_or(1),
        });
        if out.len() == MISSING {
            break;
        }
    }
    out
}

/// What a link asks in words, and whether it is reached. Exact: no share is rounded first.
fn reached(required: &Required, tally: &LinkTally) -> (String, bool) {
    match required {
        Required::Complete => ("complete".into(), tally.matched == tally.counted()),
        Required::Share { percent, of } => {
            let (part, whole) = match of {
                None => (u128::from(tally.matched), u128::from(tally.counted())),
                Some((name, _)) => {
                    let amount = tally.amounts.iter().find(|amount| amount.name == *name);
                    amount.map_or((0, 1), |amount| {
                        let part = magnitude(amount.matched);
                        (part, part.saturating_add(magnitude(amount.missing)))
                    })
                }
            };
            let scale = 10_u128.pow(percent.scale.into());
            let held =
                match (part.checked_mul(100 * scale), whole.checked_mul(u128::from(percent.units)))
                {
                    (Some(part), Some(whole)) => part >= whole,
                    _ => part / 100 >= whole / 10_000 * u128::from(percent.units) / scale,
                };
            let of = of.as_ref().map_or(String::new(), |(name, _)| format!(" of {name}"));
            (format!("at least {percent}{of}"), held)
        }
    }
}

/// An absolute amount as a whole number of its smallest units.
pub(crate) fn magnitude(amount: Amount) -> u128 {
    match amount {
        Amount::Exact { units, .. } => units.unwrap_or(i128::MAX).unsigned_abs(),
        Amount::Float { sum, .. } => (sum.abs() * 1e6) as u128,
    }
}
