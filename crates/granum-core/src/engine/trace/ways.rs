//! Which rows some rows are made of, and what became of them, through all tables.

use std::collections::HashMap;
use std::rc::Rc;

use super::kept::Stages;
use super::stages::Replay;
use crate::engine::context::RunError;
use crate::engine::demand::{in_order, made_from};
use crate::table::TableId;

/// Rows of one table on their way.
pub(in crate::engine) struct Followed {
    pub stages: Rc<Stages>,
    /// The step that the first of `rows` stand before.
    pub from: usize,
    /// Which rows they are before each step from there on, and behind the last.
    pub rows: Vec<Vec<u32>>,
}

impl Followed {
    /// Which rows they are before a step, or at the end; nothing before they are followed.
    pub fn at(&self, step: usize) -> &[u32] {
        step.checked_sub(self.from).and_then(|at| self.rows.get(at)).map_or(&[], Vec::as_slice)
    }

    /// The last of them.
    pub fn last(&self) -> &[u32] {
        self.rows.last().map_or(&[], Vec::as_slice)
    }
}

/// A table and all that it is made from, each behind what it is made from.
pub(super) fn bases_of(replay: &Replay<'_>, table: TableId) -> Vec<TableId> {
    let mut found = vec![table];
    let mut at = 0;
    while at < found.len() {
        for base in replay.plan(found[at]).bases() {
            if !found.contains(&base) {
                found.push(base);
            }
        }
        at += 1;
    }
    in_order(replay.context.around.plan, &found)
}

/// All rows that some rows of a table, as they stand before a step of it or at its end, are made of: in
/// each table that it is made from, the last of them the table itself.
///
/// # Errors
/// A file that cannot be read any more.
pub(in crate::engine) fn made_of(
    replay: &Replay<'_>,
    (table, step): (TableId, usize),
    rows: Vec<u32>,
) -> Result<Vec<Followed>, RunError> {
    let mut wanted: HashMap<TableId, Vec<u32>> = HashMap::from([(table, rows)]);
    let mut found = vec![];
    for id in bases_of(replay, table).into_iter().rev() {
        let Some(mut rows) = wanted.remove(&id) else { continue };
        rows.sort_unstable();
        rows.dedup();
        let Some(stages) = replay.stages(id)? else { continue };
        let end = if id == table { step } else { stages.end() };
        let rows = stages.back(end, rows);
        for (base, of) in &stages.of {
            let own = rows[0].iter().filter_map(|row| of.get(*row as usize));
            wanted.entry(*base).or_default().extend(own);
        }
        found.push(Followed { stages, from: 0, rows });
    }
    found.reverse();
    Ok(found)
}

/// What became of some rows of a table, as they stand before a step of it or at its end: in it and in
/// each table that is made from it.
///
/// # Errors
/// A file that cannot be read any more.
pub(in crate::engine) fn became(
    replay: &Replay<'_>,
    (table, step): (TableId, usize),
    rows: Vec<u32>,
) -> Result<Vec<Followed>, RunError> {
    let mut ends: HashMap<TableId, Vec<u32>> = HashMap::new();
    let mut found = vec![];
    for id in made_from(replay.context.around.plan, table) {
        // What is neither on the way to what is asked for nor made from it.
        if !replay.context.demand.tables[id.0].wanted {
            continue;
        }
        let Some(stages) = replay.stages(id)? else { continue };
        let (from, first) = if id == table {
            (step, rows.clone())
        } else {
            let mut first: Vec<u32> = vec![];
            for (base, of) in &stages.of {
                let Some(rows) = ends.get(base) else { continue };
                let own = (0..of.len() as u32).filter(|row| {
                    of.get(*row as usize).is_some_and(|of| rows.binary_search(&of).is_ok())
                });
                first.extend(own);
            }
            first.sort_unstable();
            first.dedup();
            (0, first)
        };
        let rows = stages.forth(from, first);
        if stages.is_whole() {
            ends.insert(id, rows.last().cloned().unwrap_or_default());
        }
        found.push(Followed { stages, from, rows });
    }
    Ok(found)
}
