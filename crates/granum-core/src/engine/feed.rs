//! Where the batches of a tree's first steps come from.

use super::context::{Context, Stop};
use super::read::Reading;
use super::several;
use super::sums::TableSum;
use super::tree::Tree;
use crate::bug::{Sure, bug};
use crate::resolve::Source;
use crate::table::{Batch, Column, Places, Rows, TableId};
use crate::tally::Problem;

/// Rows of a finished table that go through together.
pub(super) const BATCH: usize = 1 << 12;

/// Where batches come from.
pub(super) enum Feed {
    Files(Reading),
    Rows { rows: Batch, at: usize },
}

impl Feed {
    pub fn of(rows: Batch) -> Self {
        Self::Rows { rows, at: 0 }
    }

    /// How many rows there will be in all, about, once `parts` of it have come through and `before`
    /// had come already: a tenth more costs nothing, since room that is not used is not touched.
    pub fn room(&self, parts: &[Batch], before: usize) -> usize {
        let (fed, expected) = match self {
            Feed::Files(reading) => reading.progress(),
            Feed::Rows { rows, at } => (*at, rows.rows),
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
        // Enough that no core waits long for the last of a window.
        let count = rayon::current_num_threads().max(2) * 8;
        match self {
            Feed::Files(reading) => reading.window(context, places, count),
            Feed::Rows { rows, at } => {
                let mut window = vec![];
                while *at < rows.rows && window.len() < count {
                    let length = BATCH.min(rows.rows - *at);
                    let part = rows.slice(*at, length);
                    window.push(Batch { fed: Some(Rows::run(*at as u32, length)), ..part });
                    *at += length;
                    context.observer.advance(length as u64);
                }
                Ok(window)
            }
        }
    }
}

/// The rows that a tree begins with, where they come from no file.
pub(super) fn first_rows(
    context: &Context<'_>,
    tree: &Tree,
    sum: &mut TableSum,
) -> Result<Batch, Problem> {
    let id = tree.tables[0];
    let first = &context.plan.tables[id.0];
    match &first.source {
        Source::Several(plan) => {
            let laid = several::rows(context, id, plan)?;
            sum.parts = laid.parts;
            sum.twice = laid.twice;
            Ok(laid.rows)
        }
        Source::Calendar(plan) => Ok(super::calendar::rows(id, first.slots.len(), plan)),
        Source::Base(base) => Ok(base_rows(context, tree, *base)),
        Source::Input(_) => bug("an input has no files"),
    }
}

/// The rows of a finished table under the slots of one that is made from it.
fn base_rows(context: &Context<'_>, tree: &Tree, base: TableId) -> Batch {
    let id = tree.tables[0];
    let first = &context.plan.tables[id.0];
    let table = context.world.tables[base.0].as_ref().sure("a table's base");
    let demand = &context.demand.tables[id.0];
    let mut slots = vec![None; first.slots.len()];
    for (slot, column) in &first.imports {
        if demand.last_use[slot.0].is_some() {
            slots[slot.0].clone_from(&table.columns[*column]);
        }
    }
    let mut origins = vec![];
    for origin in origins_wanted(context, tree) {
        if origin == base {
            origins.push((base, Rows::same(table.rows)));
        } else if let Some(rows) = table.origin(origin) {
            origins.push((origin, rows.clone()));
        }
    }
    Batch::new(table.rows, slots, origins)
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
