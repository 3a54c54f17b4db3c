//! Works the steps of tables once more, one at a time and over all rows, so that it is known of each row what
//! becomes of it.

use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;
use std::sync::atomic::AtomicU64;

use super::kept::{Moved, Stages};
use crate::aggregate::{Groups, number};
use crate::bug::{Sure, bug};
use crate::engine::context::{Context, RunError, Stop};
use crate::engine::feed::{begun, nothing_read};
use crate::engine::flow::rows_problem;
use crate::engine::inputs::Inputs;
use crate::engine::read::Reading;
use crate::engine::several;
use crate::engine::tree::Tree;
use crate::port::InputSource;
use crate::resolve::{Lay, Source, TablePlan};
use crate::step::{Naming, OnRows, RowsBecome, StepRunner};
use crate::table::{Batch, Column, Place, Rows, TableId};
use crate::tally::Problem;

/// The rows that a step's rows were before it: it stands where the tables that rows come from stand.
const BEFORE: TableId = TableId(usize::MAX);

/// The stages of the tables of a run, each made when it is asked for.
pub(in crate::engine) struct Replay<'a> {
    pub context: Context<'a>,
    inputs: &'a Inputs,
    known: RefCell<HashMap<TableId, Option<Rc<Stages>>>>,
    zeros: AtomicU64,
}

impl<'a> Replay<'a> {
    pub fn new(context: Context<'a>, inputs: &'a Inputs) -> Self {
        Self { context, inputs, known: RefCell::default(), zeros: AtomicU64::new(0) }
    }

    pub fn plan(&self, table: TableId) -> &'a TablePlan {
        &self.context.around.plan.tables[table.0]
    }

    /// The stages of a table; nothing where one that it is made from could not be built.
    ///
    /// # Errors
    /// A file that cannot be read any more.
    pub fn stages(&self, table: TableId) -> Result<Option<Rc<Stages>>, RunError> {
        if let Some(known) = self.known.borrow().get(&table) {
            return Ok(known.clone());
        }
        let stages = self.work(table)?.map(Rc::new);
        self.known.borrow_mut().insert(table, stages.clone());
        Ok(stages)
    }

    /// The files of an input.
    pub fn source(&self, input: TableId) -> &dyn InputSource {
        self.inputs.source(&self.plan(input).name).sure("an input's files")
    }

    /// Where rows of a table on its way stand in the files of its input.
    pub fn naming(&self, table: TableId) -> Naming<'_> {
        let world = self.context.around.world;
        match self.plan(table).source {
            // They are numbered as they were read.
            Source::Input(_) => Naming { input: table, places: world.places[table.0].as_ref() },
            Source::Base(_) => Naming::finished(self.context.around.plan, table),
            // What they are numbered by has no places.
            Source::Several(_) | Source::Calendar(_) => Naming { input: BEFORE, places: None },
        }
    }

    /// Where a row of a table on its way stands in a file: of a stack, where the row of its part does.
    pub fn place(&self, stages: &Stages, step: usize, row: u32) -> Option<Place> {
        let around = &self.context.around;
        let root = around.plan.input_of(stages.table);
        if matches!(self.plan(root).source, Source::Input(_)) {
            let naming = self.naming(stages.table);
            return naming.place_of(around, stages.origin(step, naming.input, row)?);
        }
        let mut laid = stages.origin(step, root, row)?;
        if root != stages.table {
            laid = around.world.tables[root.0].as_ref()?.origin(root)?.get(laid as usize)?;
        }
        let root = self.stages(root).ok()??;
        let mut parts =
            root.of.iter().filter_map(|(part, of)| Some((part, of.get(laid as usize)?)));
        let (part, row) = parts.next()?;
        // A row of several lines has none of its own.
        if parts.next().is_some() {
            return None;
        }
        let part = self.stages(*part).ok()??;
        self.place(&part, part.end(), row)
    }

    /// A step at its work on rows of a table.
    pub fn runner(&self, table: TableId, step: usize) -> StepRunner<'_> {
        self.context.runner(table, step, self.naming(table), &self.zeros)
    }

    /// All rows before a step, with the slots that it looks at.
    pub fn before(&self, stages: &Stages, step: usize) -> Batch {
        let slots = self.plan(stages.table).steps[step].step.work().reads();
        stages.all(step, |slot| slots.contains(&slot))
    }

    fn work(&self, table: TableId) -> Result<Option<Stages>, RunError> {
        let plan = self.plan(table);
        let world = self.context.around.world;
        if plan.bases().iter().any(|base| world.tables[base.0].is_none()) {
            return Ok(None);
        }
        let (mut rows, of) = match self.first(table)? {
            Ok(first) => first,
            Err(problem) => {
                // What could not be laid has no rows at all.
                let empty = Batch::new(0, vec![None; plan.slots.len()], vec![]);
                let mut stages = Stages::begin(table, &empty, vec![]);
                stages.stopped = Some(problem);
                return Ok(Some(stages));
            }
        };
        let mut stages = Stages::begin(table, &rows, of);
        for step in 0..plan.steps.len() {
            match self.step(table, step, &rows) {
                Ok((after, moved)) => {
                    stages.add(&after, moved);
                    rows = after;
                }
                Err(problem) => {
                    stages.stopped = Some(problem);
                    break;
                }
            }
        }
        if let Some(finished) = world.tables[table.0].as_ref().filter(|_| stages.is_whole()) {
            let columns = plan.columns.iter().zip(&finished.columns);
            stages.share(columns.filter_map(|((_, slot), held)| Some((*slot, held.as_ref()?))));
        }
        Ok(Some(stages))
    }

    /// The rows after a step, and what became of those before.
    fn step(&self, table: TableId, step: usize, before: &Batch) -> Result<(Batch, Moved), Problem> {
        let runner = self.runner(table, step);
        let work = self.plan(table).steps[step].step.work();
        let mut batch = before.clone();
        batch.origins.push((BEFORE, Rows::same(batch.rows)));
        let left = work.work(&runner, OnRows { batch: &mut batch, total_row: None })?;
        if !left.troubles.is_empty() {
            return Err(rows_problem(&self.plan(table).name, left.troubles));
        }
        let moved = match (work.rows(), work.groups()) {
            (_, Some(plan)) if plan.keys.is_empty() => Moved::Into(Groups::one(before.rows)),
            (_, Some(plan)) => {
                let keys = runner.columns(before, plan.keys.iter().map(|(key, ..)| key))?;
                Moved::Into(number(keys, before.rows).0)
            }
            (RowsBecome::Same, None) => Moved::Same,
            (_, None) => Moved::From(batch.origin(BEFORE).sure("the rows before a step").clone()),
        };
        batch.origins.retain(|(origin, _)| *origin != BEFORE);
        Ok((batch, moved))
    }

    /// The first rows of a table, and which rows of other tables they are.
    fn first(&self, table: TableId) -> Result<Result<First, Problem>, RunError> {
        let (context, plan) = (&self.context, self.plan(table));
        let built = |base: TableId| {
            context.around.world.tables[base.0].as_ref().sure("the base of a table")
        };
        Ok(Ok(match &plan.source {
            Source::Input(_) => (self.read(table, self.source(table))?, vec![]),
            Source::Calendar(days) => {
                (crate::engine::calendar::rows(table, plan.slots.len(), days), vec![])
            }
            Source::Base(base) => {
                let from = built(*base);
                let mut origins = vec![(*base, Rows::same(from.rows))];
                let others = from.origins.iter().filter(|(origin, _)| origin != base);
                origins.extend(others.cloned());
                let rows = Batch::finished(from.rows, from.columns.clone(), origins);
                (begun(context, table, &rows), vec![(*base, Rows::same(from.rows))])
            }
            Source::Several(several) => {
                let laid = match several::rows(context, table, several) {
                    Ok(laid) => laid,
                    Err(problem) => return Ok(Err(problem)),
                };
                let all = laid.rows.rows;
                let mut first = 0;
                let of = several.tables.iter().enumerate().map(|(at, part)| match several.lay {
                    Lay::Stacked { .. } => {
                        let own = first..first + built(*part).rows;
                        first = own.end;
                        let row = |row: usize| own.contains(&row).then(|| (row - own.start) as u32);
                        (*part, (0..all).map(row).collect())
                    }
                    Lay::Meeting { .. } => (*part, laid.meets[at].clone()),
                });
                let of = of.collect();
                (laid.rows, of)
            }
        }))
    }

    /// All rows of an input as they are read.
    fn read(&self, table: TableId, source: &dyn InputSource) -> Result<Batch, RunError> {
        let context = &self.context;
        let stopped = |stop: Stop| match stop {
            Stop::Source(error) => RunError::Source(error),
            Stop::Output(error) => RunError::Output(error),
            Stop::Scratch(error) => RunError::Scratch(error),
            Stop::Contradiction(_) => bug("an input that was read has other types now"),
        };
        let mut reading = Reading::begin(context, table, source).map_err(RunError::Source)?;
        let mut parts = vec![];
        loop {
            let window = reading.window(context, None, PARTS).map_err(stopped)?;
            if window.is_empty() {
                break;
            }
            parts.extend(window);
        }
        if parts.is_empty() {
            return Ok(nothing_read(context, &Tree::new(context.demand, table)));
        }
        Ok(joined(&parts))
    }
}

/// The first rows of a table, and the tables that they come from.
type First = (Batch, Vec<(TableId, Rows)>);

/// So many parts of files are read at once.
const PARTS: usize = 16;

/// Batches one under the other.
fn joined(parts: &[Batch]) -> Batch {
    let slots = (0..parts[0].slots.len()).map(|slot| {
        let columns: Option<Vec<Column>> =
            parts.iter().map(|part| part.slots[slot].clone()).collect();
        columns.map(|columns| Column::concat(&columns))
    });
    let origins = parts[0].origins.iter().map(|(origin, _)| {
        let rows =
            parts.iter().flat_map(|part| part.origin(*origin).sure("where rows came from").iter());
        (*origin, rows.collect())
    });
    let rows = parts.iter().map(|part| part.rows).sum();
    Batch::new(rows, slots.collect(), origins.collect())
}
