//! The links that a step followed from one row, and what it met there or nearly met.

use super::found::{Found, once_there};
use super::kept::Stages;
use super::stages::Replay;
use super::words::{FIRST, finished_row, step_name, told_row, words};
use crate::bug::Sure;
use crate::engine::context::RunError;
use crate::engine::links::linked_rows;
use crate::expr::{Failing, Kind, Scope};
use crate::link::{Linked, Outside};
use crate::resolve::{GatherWhat, LinkPlan};
use crate::step::{finished_rows, way};
use crate::table::{Batch, GatherId, Hop, LinkId, Rows, TableId};
use crate::tally::{Met, NearKind, NearMet};

/// What a step reached from a row.
pub(in crate::engine) enum Reached {
    /// A row of another table.
    Row { path: String, table: TableId, row: u32 },
    /// No row, by a link from a row of its source.
    Nowhere { path: String, link: LinkId, source: u32 },
    /// Rows that lead here.
    Rows { id: GatherId, rows: Vec<u32> },
    /// Rows of a link's target that hold, of which one was chosen.
    Held { link: LinkId, rows: Vec<u32> },
}

/// The links that a step followed from a row, and the rows that lead to it, each once.
pub(in crate::engine) fn reached(
    replay: &Replay<'_>,
    stages: &Stages,
    step: usize,
    row: u32,
) -> Vec<Reached> {
    let work = replay.plan(stages.table).steps[step].step.work();
    let mut paths: Vec<(TableId, Vec<Hop>)> = vec![];
    let mut gathers: Vec<(TableId, GatherId)> = vec![];
    let mut choices: Vec<(TableId, Vec<Hop>, LinkId)> = vec![];
    let expressions = work.assigned().iter().map(|(_, typed)| typed).chain(work.expressions());
    for typed in expressions {
        typed.visit(&mut |part| {
            if let Kind::Choices { from, hops, link } = &part.kind {
                choices.push((*from, hops.clone(), *link));
            }
        });
        typed.visit(&mut |part| match &part.kind {
            Kind::Path { from, hops, .. }
            | Kind::Leads { from, hops }
            | Kind::Choices { from, hops, .. } => {
                for (at, hop) in hops.iter().enumerate() {
                    let prefix = (*from, hops[..=at].to_vec());
                    if matches!(hop, Hop::Link(_)) && !paths.contains(&prefix) {
                        paths.push(prefix);
                    }
                }
            }
            Kind::Gathered { from, id } if !gathers.contains(&(*from, *id)) => {
                gathers.push((*from, *id));
            }
            _ => {}
        });
    }
    let one = stages.take(step, &Rows::run(row, 1), |_| true);
    let along = paths.into_iter().filter_map(|(from, hops)| along(replay, &one, from, &hops));
    let gathered = gathers.into_iter().filter_map(|(from, id)| gathered(replay, &one, from, id));
    let leads = work.leads().and_then(|(to, id)| match &to.kind {
        Kind::Leads { from, hops } => leading(replay, led(replay, &one, *from, hops)?, id),
        _ => None,
    });
    let held = choices.into_iter().filter_map(|(from, hops, link)| {
        let source = led(replay, &one, from, &hops)?;
        let plan = &replay.context.around.plan.links[link.0];
        let rows = of_one(replay, plan, source)?.within?.held(0);
        Some(Reached::Held { link, rows })
    });
    along.chain(gathered).chain(leads).chain(held).collect()
}

/// The same, told.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn met(
    replay: &Replay<'_>,
    stages: &Stages,
    step: usize,
    row: u32,
) -> Result<Vec<Met>, RunError> {
    let mut told = vec![];
    for reached in reached(replay, stages, step, row) {
        told.extend(match reached {
            Reached::Row { path, table, row } => {
                finished_row(replay, table, row)?.map(|row| Met::Row { path, row })
            }
            Reached::Nowhere { path, link, source } => nowhere(replay, link, source, path)?,
            Reached::Rows { id, rows } => Some(rows_told(replay, id, &rows)?),
            // That one of them was chosen, and which, its own path tells.
            Reached::Held { .. } => None,
        });
    }
    Ok(told)
}

/// The row that a path leads to from one row.
fn led(replay: &Replay<'_>, one: &Batch, from: TableId, hops: &[Hop]) -> Option<u32> {
    let zeros = std::sync::atomic::AtomicU64::new(0);
    let world = replay.context.around.world;
    let scope = Scope { batch: one, world, zero_divisions: &zeros, failing: Failing::Stops };
    scope.path(from, hops).get(0)
}

/// What a path reaches with its last link; nothing where those before lead nowhere already.
fn along(replay: &Replay<'_>, one: &Batch, from: TableId, hops: &[Hop]) -> Option<Reached> {
    let (Hop::Link(link), before) = hops.split_last()? else { return None };
    let source = led(replay, one, from, before)?;
    let plan = replay.context.around.plan;
    let name = |hop: &Hop| match hop {
        Hop::Link(link) => Some(plan.links[link.0].name.as_str()),
        Hop::Within { of, .. } => Some(plan.tables[of.0].name.as_str()),
        Hop::Origin { .. } => None,
    };
    let path = hops.iter().filter_map(name).collect::<Vec<_>>().join(".");
    Some(match led(replay, one, from, hops) {
        Some(row) => Reached::Row { path, table: plan.links[link.0].to, row },
        None => Reached::Nowhere { path, link: *link, source },
    })
}

/// Why a row of a link's source leads nowhere.
fn nowhere(
    replay: &Replay<'_>,
    link: LinkId,
    source: u32,
    path: String,
) -> Result<Option<Met>, RunError> {
    let plan = &replay.context.around.plan.links[link.0];
    let Some(linked) = of_one(replay, plan, source) else { return Ok(None) };
    let outside = linked.within.as_ref().and_then(|within| within.outside(0));
    let outside = outside.map(|outside| {
        let words = match outside {
            Outside::Key => "no period has its key",
            Outside::Before => "before the first period",
            Outside::Gap => "between two periods",
            Outside::After => "after the last period",
        };
        words.to_owned()
    });
    let near = linked.near(&plan.words).0.into_iter().next();
    let near = near.and_then(|near| {
        let (_, to) = near.examples.into_iter().next()?;
        let day = [NearKind::EndDay, NearKind::DayAfter, NearKind::DayBefore];
        let key = Some(to).filter(|_| !near.kinds.iter().any(|kind| day.contains(kind)));
        Some(NearMet { key, kinds: near.kinds })
    });
    let key: Vec<Option<String>> = linked.left.values(0).iter().map(words).collect();
    let once = match once(replay, plan, &key)? {
        Some(found) => replay.stages(found.table)?.map(|stages| {
            let row = told_row(replay, &stages, found.step, found.rows[0]);
            (row, step_name(replay, found.table, found.step))
        }),
        None => None,
    };
    Ok(Some(Met::Nowhere { path, on: plan.keys_text.clone(), key, outside, once, near }))
}

/// The row that had the key of a row that leads nowhere, and went.
///
/// # Errors
/// A file that cannot be read any more.
pub(in crate::engine) fn once_met(
    replay: &Replay<'_>,
    link: LinkId,
    source: u32,
) -> Result<Option<Found>, RunError> {
    let plan = &replay.context.around.plan.links[link.0];
    let Some(linked) = of_one(replay, plan, source) else { return Ok(None) };
    let key: Vec<Option<String>> = linked.left.values(0).iter().map(words).collect();
    once(replay, plan, &key)
}

/// A link from one row of its source.
fn of_one(replay: &Replay<'_>, link: &LinkPlan, source: u32) -> Option<Linked> {
    let table = replay.context.around.world.tables[link.from.0].as_ref();
    let rows = finished_rows(table.sure("the source of a link"), link.from);
    linked_rows(&replay.context, link, &rows.take(&Rows::run(source, 1))).ok()?
}

/// A row that had a key and went from a link's target before its end, where its keys are columns.
fn once(
    replay: &Replay<'_>,
    link: &LinkPlan,
    key: &[Option<String>],
) -> Result<Option<Found>, RunError> {
    if link.period.is_some() || key.contains(&None) {
        return Ok(None);
    }
    let target = replay.plan(link.to);
    let keys = link.keys.iter().zip(key).map(|((_, right), value)| match right.kind {
        Kind::Column(column) => Some((target.columns[column.0].0.clone(), value.clone()?)),
        _ => None,
    });
    let Some(keys) = keys.collect::<Option<Vec<_>>>() else { return Ok(None) };
    let Some(found) = once_there(replay, link.to, &keys)? else { return Ok(None) };
    let Some(stages) = replay.stages(found.table)? else { return Ok(None) };
    // The step that it stands before last takes it out, unless that changes its key.
    let goes = found.step < stages.end()
        && stages.moved[found.step].forth(&found.rows[..1], stages.count(found.step)).is_empty();
    Ok(goes.then_some(found))
}

/// The rows that lead to one and are gathered for it.
fn gathered(replay: &Replay<'_>, one: &Batch, from: TableId, id: GatherId) -> Option<Reached> {
    leading(replay, led(replay, one, from, &[])?, id)
}

/// The rows that lead to one.
fn leading(replay: &Replay<'_>, to: u32, id: GatherId) -> Option<Reached> {
    let gather = &replay.context.around.plan.gathers[id.0];
    let (_, index) = way(&replay.context.around, gather)?;
    let rows = (0..index.len() as u32).filter(|row| index.get(*row as usize) == Some(to));
    Some(Reached::Rows { id, rows: rows.collect() })
}

/// Rows that are gathered, told.
fn rows_told(replay: &Replay<'_>, id: GatherId, rows: &[u32]) -> Result<Met, RunError> {
    let plan = replay.context.around.plan;
    let gather = &plan.gathers[id.0];
    let mut first = vec![];
    for row in rows.iter().take(FIRST) {
        first.extend(finished_row(replay, gather.from, *row)?);
    }
    let text = match &gather.what {
        GatherWhat::Presence | GatherWhat::Each(_) => String::new(),
        GatherWhat::Aggregate(plan) | GatherWhat::Rows(plan) => plan.text.clone(),
    };
    let table = plan.tables[gather.from.0].name.clone();
    Ok(Met::Rows { text, table, rows: rows.len() as u64, first })
}
