//! Which rows of a stack came from one row: where tables of common rows are stacked, money is
//! counted twice.

use crate::aggregate::Sum;
use crate::bug::Sure;
use crate::resolve::{Lay, Plan, SeveralPlan, Source};
use crate::step::Around;
use crate::table::{Amount, Batch, Rows, SlotId, TableId};
use crate::tally::{PartTwice, StackedTwice};

/// A table and those that it is made from, as long as each row comes from one row: up to an input, a
/// calendar, groups, or what is laid from several.
fn chain(plan: &Plan, table: TableId) -> Vec<TableId> {
    let mut chain = vec![table];
    let mut at = table;
    while let Source::Base(base) = plan.tables[at.0].source
        && !plan.tables[at.0].steps.iter().any(|step| step.step.work().groups().is_some())
    {
        chain.push(base);
        at = base;
    }
    chain
}

/// The parts of a stack; nothing of any other table.
fn parts_of(plan: &Plan, table: TableId) -> Option<&[TableId]> {
    match &plan.tables[table.0].source {
        Source::Several(SeveralPlan { lay: Lay::Stacked { .. }, tables, .. }) => Some(tables),
        _ => None,
    }
}

/// The stack that a table's rows began in, if they began in one.
fn stack_of(plan: &Plan, table: TableId) -> Option<TableId> {
    chain(plan, table).last().copied().filter(|root| parts_of(plan, *root).is_some())
}

/// The tables that a part of a stack is made of, stacks within it taken apart.
fn leaves(plan: &Plan, part: TableId) -> Vec<TableId> {
    match stack_of(plan, part).and_then(|stack| parts_of(plan, stack)) {
        Some(parts) => parts.iter().flat_map(|part| leaves(plan, *part)).collect(),
        None => vec![part],
    }
}

/// The last table that two are both made from row by row, if there is one: only rows of that can be
/// the same. Two units of a line are not.
fn common(plan: &Plan, one: TableId, other: TableId) -> Option<TableId> {
    let others = chain(plan, other);
    chain(plan, one).into_iter().find(|table| others.contains(table))
}

/// What the rows of which tables must know of where they came from, so that [`stacked_twice`] can tell.
pub(super) fn needed(plan: &Plan, several: &SeveralPlan) -> Vec<(TableId, TableId)> {
    let mut needed = vec![];
    // Beside each other, rows of one table count once each, under their own names.
    if matches!(several.lay, Lay::Meeting { .. }) {
        return needed;
    }
    for (at, part) in several.tables.iter().enumerate() {
        for other in &several.tables[..at] {
            for one in leaves(plan, *part) {
                for other in leaves(plan, *other) {
                    if let Some(common) = common(plan, one, other) {
                        needed.extend([(one, common), (other, common)]);
                    }
                }
            }
        }
    }
    if !needed.is_empty() {
        for part in &several.tables {
            through_stacks(plan, *part, &mut needed);
        }
    }
    needed
}

fn through_stacks(plan: &Plan, part: TableId, needed: &mut Vec<(TableId, TableId)>) {
    let Some(stack) = stack_of(plan, part) else { return };
    needed.push((part, stack));
    for inner in parts_of(plan, stack).unwrap_or_default() {
        through_stacks(plan, *inner, needed);
    }
}

/// The numbers of a table's rows in one that they came from.
fn numbers(around: &Around<'_>, table: TableId, from: TableId) -> Rows {
    let built = around.world.tables[table.0].as_ref().sure("a table that is stacked");
    if table == from {
        return Rows::same(built.rows);
    }
    built.origin(from).sure("where rows of a stack began").clone()
}

/// For each row of a part of a stack the leaf that it came from, and its number there.
fn lineage(around: &Around<'_>, part: TableId) -> Vec<(TableId, u32)> {
    let Some(stack) = stack_of(around.plan, part) else {
        return numbers(around, part, part).numbers().map(|row| (part, row)).collect();
    };
    let parts = parts_of(around.plan, stack).unwrap_or_default();
    let all: Vec<_> = parts.iter().flat_map(|part| lineage(around, *part)).collect();
    let rows = numbers(around, part, stack);
    rows.numbers().map(|row| all[row as usize]).collect()
}

/// The rows of a stack that a part before had brought already, with their tracked amounts; `slots` are
/// the columns of all parts. Nothing if there are none.
pub(super) fn stacked_twice(
    around: &Around<'_>,
    id: TableId,
    several: &SeveralPlan,
    laid: &Batch,
) -> Option<StackedTwice> {
    let plan = around.plan;
    if needed(plan, several).is_empty() {
        return None;
    }
    let rows: Vec<Vec<(TableId, u32)>> =
        several.tables.iter().map(|part| lineage(around, *part)).collect();
    let mut again: Vec<Vec<u32>> = vec![];
    let mut first: Option<(TableId, TableId)> = None;
    let mut start = 0;
    for (at, own) in rows.iter().enumerate() {
        let mut found = vec![false; own.len()];
        for earlier in &rows[..at] {
            for (common, of_own, of_earlier) in pairs(plan, own, earlier) {
                // The rows of what both are made from that the earlier part has.
                let (leaf, other) = (of_own, of_earlier);
                let mut brought: Vec<bool> = vec![];
                let there = numbers(around, other, common);
                for (_, row) in earlier.iter().filter(|(of, _)| *of == other) {
                    let row = there.row(*row as usize);
                    brought.resize(brought.len().max(row + 1), false);
                    brought[row] = true;
                }
                let here = numbers(around, leaf, common);
                for (row, (of, number)) in own.iter().enumerate() {
                    let root = (*of == leaf).then(|| here.row(*number as usize));
                    if root.is_some_and(|root| brought.get(root) == Some(&true)) {
                        found[row] = true;
                        first.get_or_insert((common, several.tables[at]));
                    }
                }
            }
        }
        let rows = (start..).zip(&found).filter(|(_, found)| **found).map(|(row, _)| row);
        again.push(rows.collect());
        start += own.len() as u32;
    }
    let (root, part) = first?;
    let own = &plan.tables[id.0];
    let of = |rows: &[u32]| -> Vec<(String, Amount)> {
        let rows = Rows::from(rows.to_vec());
        let taken = |slot: SlotId| laid.has(slot.0).then(|| laid.held(slot).take(&rows));
        let tracked = own.tracked.iter().filter_map(|tracked| {
            let (_, slot) = tracked.versions.first()?;
            let apart = match tracked.apart.first() {
                Some((_, slot)) => Some(taken(*slot)?),
                None => None,
            };
            Some(Sum::of(&taken(*slot)?, apart.as_ref()).named(&tracked.name))
        });
        tracked.flatten().collect()
    };
    let parts = again.iter().map(|rows| PartTwice { rows: rows.len() as u64, amounts: of(rows) });
    let all = again.concat();
    Some(StackedTwice {
        of: plan.tables[root.0].name.clone(),
        part: plan.tables[part.0].name.clone(),
        rows: all.len() as u64,
        amounts: of(&all),
        parts: parts.collect(),
    })
}

/// The leaves of two parts that are made from one table, with that table.
fn pairs(
    plan: &Plan,
    own: &[(TableId, u32)],
    earlier: &[(TableId, u32)],
) -> Vec<(TableId, TableId, TableId)> {
    let leaves = |rows: &[(TableId, u32)]| {
        let mut leaves: Vec<TableId> = rows.iter().map(|(leaf, _)| *leaf).collect();
        leaves.sort_unstable();
        leaves.dedup();
        leaves
    };
    let (own, earlier) = (leaves(own), leaves(earlier));
    let mut pairs = vec![];
    for one in own {
        for other in &earlier {
            pairs.extend(common(plan, one, *other).map(|common| (common, one, *other)));
        }
    }
    pairs
}
