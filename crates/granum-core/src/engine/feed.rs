//! Where the batches of a tree's first steps come from.

use super::context::{Context, Stop, first_slots};
use super::read::Reading;
use super::several;
use super::sums::TableSum;
use super::tree::Tree;
use crate::bug::{Sure, bug};
use crate::resolve::Source;
use crate::table::{Batch, Column, Held, PIECE, Places, Room, Rows, TableId};
use crate::tally::Problem;

/// Rows of a finished table that go through together.
pub(super) const BATCH: usize = 1 << 12;

/// Where batches come from.
pub(super) enum Feed {
    Files(Reading),
    /// A table on its way.
    Rows {
        rows: Batch,
        at: usize,
    },
    /// A finished table that another is made from.
    Finished {
        rows: Batch,
        into: TableId,
        at: usize,
    },
}

impl Feed {
    pub fn of(rows: Batch) -> Self {
        Self::Rows { rows, at: 0 }
    }

    /// All rows under the slots that their batches have, as far as columns are there in one piece;
    /// nothing of what is read.
    pub fn whole(&self, context: &Context<'_>) -> Option<Batch> {
        match self {
            Self::Files(_) => None,
            Self::Rows { rows, .. } => Some(rows.clone()),
            Self::Finished { rows, into, .. } => {
                let table = &context.plan.tables[into.0];
                let here = first_slots(table, |_, column| match &rows.columns[column.0] {
                    Some(Held::Own(own)) => Some(own.clone()),
                    Some(Held::Seen { .. } | Held::Away { .. }) | None => None,
                });
                let away = first_slots(table, |_, column| {
                    rows.columns[column.0].clone().filter(Held::is_away)
                });
                Some(Batch { away, ..Batch::new(rows.rows, here, vec![]) })
            }
        }
    }

    /// The bytes that rows of a table on its way hold in memory, about.
    pub fn bytes_held(&self) -> u64 {
        match self {
            Self::Rows { rows, .. } => rows.bytes_held() as u64,
            Self::Files(_) | Self::Finished { .. } => 0,
        }
    }

    /// Whether other tables look at the columns of these rows as well.
    pub fn is_held(&self) -> bool {
        matches!(self, Self::Finished { .. })
    }

    /// How many rows there will be in all, about, once `parts` of it have come through and `before`
    /// had come already: a tenth more costs nothing, since room that is not used is not touched.
    pub fn room(&self, parts: &[Batch], before: usize) -> usize {
        let (fed, expected) = match self {
            Feed::Files(reading) => reading.progress(),
            Feed::Rows { rows, at } | Feed::Finished { rows, at, .. } => (*at, rows.rows),
        };
        let through = before + parts.iter().map(|part| part.rows).sum::<usize>();
        let expected = expected as f64 * 1.1 * through as f64 / fed.max(1) as f64;
        // One unit a row is the rule; where many come of a row, the next rows may have few.
        let most = if through > fed { 4 * through } else { usize::MAX };
        (expected as usize).clamp(through, most)
    }

    /// The next batches; none at the end. `places` are noted where rows are read from files.
    pub fn window(
        &mut self,
        context: &Context<'_>,
        places: Option<&mut Places>,
    ) -> Result<Vec<Batch>, Stop> {
        let count = batches(context.room);
        let (rows, into, at) = match self {
            Feed::Files(reading) => return reading.window(context, places, count),
            Feed::Rows { rows, at } => (rows, None, at),
            Feed::Finished { rows, into, at } => (rows, Some(*into), at),
        };
        let mut window = vec![];
        // What is away is got in runs that lie within its blocks, as long as all rows are there.
        let until = (*at + count * BATCH).min(rows.rows);
        while *at < until {
            let most = if rows.has_away() { PIECE - *at % PIECE } else { count * BATCH };
            let (first, run) = (*at, (until - *at).min(most));
            let here = rows.slice(first, run).here();
            while *at < first + run {
                let length = BATCH.min(first + run - *at);
                let part = here.slice(*at - first, length);
                let part = into.map_or_else(|| part.clone(), |into| begun(context, into, &part));
                window.push(Batch { fed: Some(Rows::run(*at as u32, length)), ..part });
                *at += length;
                context.observer.advance(length as u64);
            }
        }
        Ok(window)
    }

    /// A batch without rows, with the columns that batches would have.
    pub fn nothing(&self, context: &Context<'_>, tree: &Tree) -> Batch {
        match self {
            Feed::Files(_) => nothing_read(context, tree),
            Feed::Rows { rows, .. } => rows.slice(0, 0).here(),
            Feed::Finished { rows, into, .. } => begun(context, *into, &rows.slice(0, 0).here()),
        }
    }
}

/// How many batches go through together: enough that no core waits long for the last of them, and where room is
/// scarce fewer.
pub(super) fn batches(room: Option<&Room>) -> usize {
    /// What a batch takes on its way, about, with what becomes of it.
    const TAKES: u64 = 8 << 20;
    let threads = rayon::current_num_threads().max(2);
    let fit = room.map_or(u64::MAX, |room| room.limit() / TAKES);
    (fit.min(8 * threads as u64) as usize).max(2 * threads)
}

/// Rows of a finished table as the first ones of a table that is made from it.
pub(super) fn begun(context: &Context<'_>, into: TableId, finished: &Batch) -> Batch {
    let demand = &context.demand.tables[into.0];
    let slots = first_slots(&context.plan.tables[into.0], |slot, column| {
        demand.last_use[slot.0].map(|_| finished.column(column).whole())
    });
    Batch::new(finished.rows, slots, finished.origins.clone())
}

/// The rows that a tree begins with, where they come from no file.
pub(super) fn first_rows(
    context: &Context<'_>,
    tree: &Tree,
    sum: &mut TableSum,
) -> Result<Feed, Problem> {
    let id = tree.tables[0];
    let first = &context.plan.tables[id.0];
    match &first.source {
        Source::Several(plan) => {
            let laid = several::rows(context, id, plan)?;
            sum.parts = laid.parts;
            sum.twice = laid.twice;
            Ok(Feed::of(laid.rows))
        }
        Source::Calendar(plan) => Ok(Feed::of(super::calendar::rows(id, first.slots.len(), plan))),
        Source::Base(base) => {
            let rows = base_rows(context, tree, *base);
            Ok(Feed::Finished { rows, into: id, at: 0 })
        }
        Source::Input(_) => bug("an input has no files"),
    }
}

/// The rows of a finished table, with where they came from as far as the tree asks.
fn base_rows(context: &Context<'_>, tree: &Tree, base: TableId) -> Batch {
    let table = context.world.tables[base.0].as_ref().sure("a table's base");
    let mut origins = vec![];
    for origin in origins_wanted(context, tree) {
        if origin == base {
            origins.push((base, Rows::same(table.rows)));
        } else if let Some(rows) = table.origin(origin) {
            origins.push((origin, rows.clone()));
        }
    }
    Batch::finished(table.rows, table.columns.clone(), origins)
}

/// A batch without rows, as the files of a tree's first table would have given it.
pub(super) fn nothing_read(context: &Context<'_>, tree: &Tree) -> Batch {
    let plan = &context.plan.tables[tree.tables[0].0];
    let demand = &context.demand.tables[tree.tables[0].0];
    let slots = plan.slots.iter().enumerate().map(|(slot, ty)| {
        let imported = plan.imports.iter().any(|(import, _)| import.0 == slot);
        let hidden = match &plan.source {
            Source::Input(input) => {
                let hidden = input.fingerprints.iter().map(|(hidden, _)| *hidden);
                let source = input.source.map(|source| [source.file, source.line]);
                let hidden = hidden.chain(input.aside).chain(source.into_iter().flatten());
                hidden.into_iter().any(|hidden| hidden.0 == slot)
            }
            Source::Base(_) | Source::Several(_) | Source::Calendar(_) => false,
        };
        let live = demand.last_use[slot].is_some() && (imported || hidden);
        live.then(|| Column::all_blank(*ty, 0))
    });
    let origins = origins_wanted(context, tree).into_iter().map(|id| (id, Rows::same(0)));
    Batch::new(0, slots.collect(), origins.collect())
}

/// The tables that rows of a tree's tables must know their rows of.
fn origins_wanted(context: &Context<'_>, tree: &Tree) -> Vec<TableId> {
    let demands = tree.tables.iter().map(|id| &context.demand.tables[id.0].origins);
    let mut origins: Vec<TableId> = demands.flatten().copied().collect();
    origins.sort_unstable();
    origins.dedup();
    origins
}
