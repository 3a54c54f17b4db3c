//! Which rows of a stack came from one row: where tables of common rows are stacked, money is
//! counted twice.

use arrow_array::UInt32Array;

use super::chain::Context;
use crate::bug::Sure;
use crate::resolve::{Lay, Plan, SeveralPlan, Source, Step};
use crate::table::{Column, TableId};
use crate::tally::StackedTwice;

/// The table in which a table's rows began: an input, a calendar, groups, or what is laid from
/// several. Between it and the table each row came from one row.
pub(super) fn began_in(plan: &Plan, table: TableId) -> TableId {
    let mut at = table;
    while let Source::Base(base) = plan.tables[at.0].source
        && !plan.tables[at.0].steps.iter().any(|step| matches!(step.step, Step::OneRow(_)))
    {
        at = base;
    }
    at
}

/// The tables that the rows of a table began in, stacks taken apart.
fn origins(plan: &Plan, table: TableId) -> Vec<TableId> {
    let root = began_in(plan, table);
    match &plan.tables[root.0].source {
        Source::Several(SeveralPlan { lay: Lay::Stacked { .. }, tables, .. }) => {
            tables.iter().flat_map(|part| origins(plan, *part)).collect()
        }
        _ => vec![root],
    }
}

/// Whether rows of one table can reach a stack by two of its parts.
pub(super) fn can_meet(plan: &Plan, several: &SeveralPlan) -> bool {
    let mut seen: Vec<TableId> = vec![];
    for part in &several.tables {
        let mut own = origins(plan, *part);
        own.sort_unstable();
        own.dedup();
        if own.iter().any(|origin| seen.contains(origin)) {
            return true;
        }
        seen.extend(own);
    }
    false
}

/// For each row of a table the row that it began as: which table, and which of its rows.
fn lineage(context: &Context<'_>, table: TableId) -> Vec<(TableId, u32)> {
    let plan = context.plan;
    let root = began_in(plan, table);
    let built = context.world.tables[table.0].as_ref().sure("a table that is stacked");
    let numbers = if root == table {
        UInt32Array::from_iter_values(0..built.rows as u32)
    } else {
        built.origin(root).sure("where rows of a stack began").clone()
    };
    match &plan.tables[root.0].source {
        Source::Several(SeveralPlan { lay: Lay::Stacked { .. }, tables, .. }) => {
            let all: Vec<_> = tables.iter().flat_map(|part| lineage(context, *part)).collect();
            numbers.values().iter().map(|row| all[*row as usize]).collect()
        }
        _ => numbers.values().iter().map(|row| (root, *row)).collect(),
    }
}

/// The rows of a stack that a part before had brought already, with their tracked amounts; `columns`
/// are the finished columns of all parts. Nothing if there are none.
pub(super) fn stacked_twice(
    context: &Context<'_>,
    id: TableId,
    several: &SeveralPlan,
    slots: &[Option<Column>],
) -> Option<StackedTwice> {
    if !can_meet(context.plan, several) {
        return None;
    }
    let plan = context.plan;
    let mut brought: Vec<Vec<bool>> = vec![vec![]; plan.tables.len()];
    let mut again: Vec<u32> = vec![];
    let mut first: Option<(TableId, TableId)> = None;
    let mut number = 0;
    for part in &several.tables {
        let rows = lineage(context, *part);
        for (root, row) in &rows {
            if brought[root.0].get(*row as usize).is_some_and(|brought| *brought) {
                first.get_or_insert((*root, *part));
                again.push(number);
            }
            number += 1;
        }
        // A part may have a row several times: it was meant so.
        for (root, row) in rows {
            let brought = &mut brought[root.0];
            brought.resize(brought.len().max(row as usize + 1), false);
            brought[row as usize] = true;
        }
    }
    let (root, part) = first?;
    let rows = UInt32Array::from(again);
    let own = &plan.tables[id.0];
    let tracked = own.tracked.iter().filter_map(|tracked| {
        let (_, slot) = tracked.versions.first()?;
        let column = slots[slot.0].as_ref()?;
        Some((tracked.name.clone(), column.take(&rows).sum()))
    });
    Some(StackedTwice {
        of: plan.tables[root.0].name.clone(),
        part: plan.tables[part.0].name.clone(),
        rows: rows.len() as u64,
        amounts: tracked.collect(),
    })
}
