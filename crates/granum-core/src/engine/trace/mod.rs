//! The story of one row: which rows of files it is made of, what each step did with it, which links it
//! followed, and what it went into; or which step took it out.

mod cells;
mod found;
mod kept;
mod met;
mod removed;
mod stages;
mod taken_out;
mod told;
mod ways;
mod words;

use super::context::RunError;
use super::demand::{Purpose, Steps};
use super::inputs::Inputs;
use super::named::find_table;
use super::run::{Run, within, worked};
use crate::lang::PlanTree;
use crate::port::{Observer, Sources};
use crate::resolve::Plan;
use crate::table::{Room, TableId};
use crate::tally::{LedHere, RowStory, Story};
pub(super) use cells::cells;
use found::near_keys;
pub(super) use found::{Found, find};
pub(super) use kept::Stages;
pub(super) use met::{Reached, once_met, reached};
pub use removed::{RemovedRows, removed, show_removed};
pub(super) use stages::Replay;
pub(super) use taken_out::keys_taken_out;
use told::{became_story, table_story};
pub(super) use told::{gone, together};
pub(super) use ways::{became, made_of};
pub(super) use words::words;
use words::{FEW, finished_row, step_name, told_row};

/// Stories are told of this many rows.
const STORIES: usize = 5;

/// Which rows are asked for.
#[derive(Debug, Clone, Default)]
pub struct Tracing {
    /// The table.
    pub table: String,
    /// The values that columns of the row have.
    pub keys: Vec<(String, String)>,
    /// The line of a file of the table, which is an input then: the end of its path, and the line.
    pub line: Option<(String, u64)>,
    /// How much columns may hold in memory; all that they need where nothing is said.
    pub room: Option<Room>,
}

/// Follows rows of a table back to files and on into all that is made from them.
///
/// # Errors
/// As [`run`](super::run); an unknown table or column, or a value that a column cannot have, is a diagnostic
/// without a place in the plan.
pub fn trace(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    tracing: &Tracing,
    observer: &dyn Observer,
) -> Result<Story, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let wanted = |plan: &Plan| Ok(Purpose::Steps(Steps::From(find_table(plan, &tracing.table)?)));
    let end = |run: Run<'_>, inputs: &Inputs| story(&run, inputs, tracing);
    worked(&mut inputs, (tree, settings), observer, wanted, within(tracing.room.as_ref()), end)
}

fn story(run: &Run<'_>, inputs: &Inputs, tracing: &Tracing) -> Result<Story, RunError> {
    let replay = Replay::new(run.context(), inputs);
    let table = find_table(run.plan, &tracing.table)?;
    let found = find(&replay, table, tracing)?;
    let mut story = Story {
        table: tracing.table.clone(),
        asked: found.asked.clone(),
        line: found.line.clone(),
        found: found.rows.len() as u64,
        rows: vec![],
        near: vec![],
        problems: run.problems.clone(),
    };
    for row in found.rows.iter().take(STORIES) {
        story.rows.push(row_story(&replay, &found, *row)?);
    }
    if found.rows.is_empty() {
        story.near = near_keys(&replay, table, &found.asked)?;
    }
    Ok(story)
}

fn row_story(replay: &Replay<'_>, found: &Found, row: u32) -> Result<RowStory, RunError> {
    let (table, step) = (found.table, found.step);
    let Some(stages) = replay.stages(table)? else {
        crate::bug::bug("a row was found in a table without rows")
    };
    let at_end = step == replay.plan(table).steps.len();
    let mut story = RowStory {
        row: told_row(replay, &stages, step, row),
        before: (!at_end).then(|| step_name(replay, table, step)),
        made_of: vec![],
        became: vec![],
        led_here: vec![],
    };
    for followed in made_of(replay, (table, step), vec![row])? {
        if followed.last().is_empty() {
            continue;
        }
        story.made_of.push(table_story(replay, &followed)?);
    }
    for followed in became(replay, (table, step), vec![row])? {
        // Of a row that stands at the end, nothing becomes in its own table but its outputs.
        let own = followed.stages.table == table;
        if followed.rows[0].is_empty() {
            continue;
        }
        let became = became_story(replay, &followed)?;
        if !own || !at_end || !became.outputs.is_empty() {
            story.became.push(became);
        }
    }
    if at_end {
        story.led_here = led_here(replay, table, row)?;
    }
    Ok(story)
}

/// The rows that lead to a row by the plan's links.
fn led_here(replay: &Replay<'_>, table: TableId, row: u32) -> Result<Vec<LedHere>, RunError> {
    let around = &replay.context.around;
    let mut found = vec![];
    for (at, link) in around.plan.links.iter().enumerate().filter(|(_, link)| link.to == table) {
        let Some(index) = &around.world.links[at] else { continue };
        let rows: Vec<u32> =
            (0..index.len() as u32).filter(|from| index.get(*from as usize) == Some(row)).collect();
        let mut first = vec![];
        for row in rows.iter().take(FEW) {
            first.extend(finished_row(replay, link.from, *row)?);
        }
        found.push(LedHere {
            table: around.plan.tables[link.from.0].name.clone(),
            link: link.name.clone(),
            rows: rows.len() as u64,
            first,
        });
    }
    Ok(found)
}
