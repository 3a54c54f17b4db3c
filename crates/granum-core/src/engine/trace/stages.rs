//! Works the steps of tables once more, one at a time and over all rows, so that it is known of each row what
//! becomes of it.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

use super::kept::{Moved, Stages};
use crate::aggregate::{Groups, number};
use crate::bug::{Sure, bug};
use crate::engine::context::{Context, RunError, Stop, first_slots};
use crate::engine::demand::{Work as DemandWork, needs};
use crate::engine::feed::{batches, begun, nothing_read};
use crate::engine::flow::rows_problem;
use crate::engine::inputs::Inputs;
use crate::engine::read::Reading;
use crate::engine::room::rows_together;
use crate::engine::several;
use crate::engine::tree::Tree;
use crate::port::InputSource;
use crate::resolve::{Lay, Source, TablePlan};
use crate::step::{Naming, OnRows, Pace, RowsBecome, StepRunner, Trouble, Work};
use crate::table::{Batch, Held, Place, RoomFile, Rows, SlotId, Stack, Table, TableId};
use crate::tally::Problem;

/// The rows that a step's rows were before it: it stands where the tables that rows come from stand.
const BEFORE: TableId = TableId(usize::MAX);

/// Rows between steps take one part in so many of the room: what they are made of has some of it as well.
const PART: u64 = 8;

/// The stages of the tables of a run, each made when it is asked for.
pub(in crate::engine) struct Replay<'a> {
    pub context: Context<'a>,
    inputs: &'a Inputs,
    known: RefCell<HashMap<TableId, Option<Rc<Stages>>>>,
    zeros: AtomicU64,
    /// The bytes of rows between steps that are here, about.
    held: Cell<u64>,
    /// Whether tables are made from what is read again, and from nothing else: what a run has let go is not there.
    again: bool,
}

impl<'a> Replay<'a> {
    pub fn new(context: Context<'a>, inputs: &'a Inputs) -> Self {
        Self {
            context,
            inputs,
            known: RefCell::default(),
            zeros: AtomicU64::new(0),
            held: Cell::new(0),
            again: false,
        }
    }

    /// The same in the midst of a run that lets go of what it needs no more: tables that are made from one input alone have
    /// stages, and no others.
    pub fn again(context: Context<'a>, inputs: &'a Inputs) -> Self {
        Self { again: true, ..Self::new(context, inputs) }
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

    /// Whether a table is made from one input alone, or from tables that are.
    fn stands_alone(&self, table: TableId) -> bool {
        let plan = self.context.around.plan;
        let own = |needed: &DemandWork| match (needed, &plan.tables[table.0].source) {
            (DemandWork::Table(needed), Source::Base(base)) => needed == base,
            _ => false,
        };
        needs(plan, DemandWork::Table(table)).iter().all(own)
            && match plan.tables[table.0].source {
                Source::Input(_) => true,
                Source::Base(base) => self.stands_alone(base),
                Source::Several(_) | Source::Calendar(_) => false,
            }
    }

    fn work(&self, table: TableId) -> Result<Option<Stages>, RunError> {
        let plan = self.plan(table);
        let world = self.context.around.world;
        if self.again {
            if !self.stands_alone(table) {
                return Ok(None);
            }
        } else if plan.bases().iter().any(|base| world.tables[base.0].is_none()) {
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
        self.keep_within(&mut rows);
        let mut stages = Stages::begin(table, &rows, of);
        for step in 0..plan.steps.len() {
            match self.step(table, step, &rows) {
                Ok((mut after, moved)) => {
                    self.keep_within(&mut after);
                    stages.add(&after, moved);
                    rows = after;
                }
                Err(problem) => {
                    stages.stopped = Some(problem);
                    break;
                }
            }
        }
        let finished = world.tables[table.0].as_ref().filter(|_| !self.again && stages.is_whole());
        if let Some(finished) = finished {
            let columns = plan.columns.iter().zip(&finished.columns);
            stages.share(columns.filter_map(|((_, slot), held)| Some((*slot, held.as_ref()?))));
        }
        Ok(Some(stages))
    }

    /// Puts rows away where there is no room for them beside those that are here. What comes of the next step has the
    /// columns that these have, so that they are counted once.
    fn keep_within(&self, rows: &mut Batch) {
        let Some(room) = self.context.room else { return };
        let all = self.held.get() + rows.bytes_held() as u64;
        if all > room.limit() / PART {
            rows.put_away(&room.file());
        } else {
            self.held.set(all);
        }
    }

    /// The same of rows that come together.
    fn stack_within(&self, stack: &mut Stack, file: &mut Option<Arc<RoomFile>>) {
        if let Some(room) = self.context.room
            && self.held.get() + stack.bytes_held() as u64 > room.limit() / PART
        {
            stack.put_away(file.get_or_insert_with(|| room.file()));
        }
    }

    /// The rows after a step, and what became of those before.
    fn step(&self, table: TableId, step: usize, before: &Batch) -> Result<(Batch, Moved), Problem> {
        let runner = self.runner(table, step);
        let work = self.plan(table).steps[step].step.work();
        let by_runs = before.has_away() && before.rows > 0 && work.pace() == Pace::Passing;
        let (mut batch, troubles) = if by_runs {
            self.by_runs(&runner, work, before)?
        } else {
            let mut batch = before.clone();
            batch.origins.push((BEFORE, Rows::same(batch.rows)));
            let got = batch.get(runner.looks_at().into_iter());
            let left = work.work(&runner, OnRows { batch: &mut batch, total_row: None })?;
            batch.let_go(&got);
            (batch, left.troubles)
        };
        if !troubles.is_empty() {
            return Err(rows_problem(&self.plan(table).name, troubles));
        }
        let moved = match (work.rows(), work.groups()) {
            (_, Some(plan)) if plan.keys.is_empty() => Moved::Into(Groups::one(before.rows)),
            (_, Some(plan)) => {
                let mut keyed = before.clone();
                keyed.get(plan.keys.iter().flat_map(|(key, ..)| key.slots()));
                let keys = runner.columns(&keyed, plan.keys.iter().map(|(key, ..)| key))?;
                Moved::Into(number(keys, before.rows).0)
            }
            (RowsBecome::Same, None) => Moved::Same,
            (_, None) => {
                let from = batch.origin(BEFORE).sure("the rows before a step").clone().packed();
                let away = self.context.room.filter(|_| before.has_away());
                Moved::From(away.map_or(from.clone(), |room| from.away(&room.file())))
            }
        };
        batch.origins.retain(|(origin, _)| *origin != BEFORE);
        Ok((batch, moved))
    }

    /// The same of a step that works on rows as they pass: run by run, so that what is away is got for a run at a time.
    fn by_runs(
        &self,
        runner: &StepRunner<'_>,
        work: &dyn Work,
        before: &Batch,
    ) -> Result<(Batch, Vec<Trouble>), Problem> {
        let in_order = matches!(work.rows(), RowsBecome::Same | RowsBecome::Fewer);
        let stays = before.clone();
        let stays = in_order.then_some(&stays);
        let (mut stack, mut troubles, mut file) = (Stack::new(), vec![], None);
        let all = (0..before.slots.len()).map(SlotId).collect();
        for (first, mut run) in before.runs(all) {
            let rows = Rows::run(first as u32, run.rows);
            run.away.clear();
            run.fed = Some(rows.clone());
            run.origins.push((BEFORE, rows));
            let left = work.work(runner, OnRows { batch: &mut run, total_row: None })?;
            troubles.extend(left.troubles);
            stack.append(&[run], stays, before.rows.min(most(&self.context)));
            self.stack_within(&mut stack, &mut file);
        }
        Ok((stack.finish(stays.cloned(), false).0, troubles))
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
                let from = if self.again { self.made_again(*base)? } else { built(*base).clone() };
                let mut origins = vec![(*base, Rows::same(from.rows))];
                let others = from.origins.iter().filter(|(origin, _)| origin != base);
                origins.extend(others.cloned());
                let rows = Batch::finished(from.rows, from.columns, origins);
                let first = match context.room {
                    Some(_) => Batch { origins: rows.origins.clone(), ..as_held(plan, &rows) },
                    None => begun(context, table, &rows),
                };
                (first, vec![(*base, Rows::same(from.rows))])
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

    /// A table as its stages end.
    fn made_again(&self, table: TableId) -> Result<Table, RunError> {
        let stages = self.stages(table)?.sure("the stages of a table that was made");
        let all = stages.all(stages.end(), |_| true);
        let columns = &self.plan(table).columns;
        let columns = columns.iter().map(|(_, slot)| all.held_as(slot.0)).collect();
        Ok(Table { rows: all.rows, columns, origins: all.origins })
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
        let mut reading =
            Reading::begin(context, table, (source, false)).map_err(RunError::Source)?;
        let (mut stack, mut file) = (Stack::new(), None);
        loop {
            let window = reading.window(context, None, batches(context.room)).map_err(stopped)?;
            if window.is_empty() {
                break;
            }
            stack.append(&window, None, reading.progress().1.min(most(context)));
            self.stack_within(&mut stack, &mut file);
            context.can_go_on().map_err(stopped)?;
        }
        if stack.rows() == 0 {
            return Ok(nothing_read(context, &Tree::new(context.demand, table)));
        }
        Ok(stack.finish(None, false).0)
    }
}

/// How many rows are here together at most, about.
fn most(context: &Context<'_>) -> usize {
    context.room.map_or(usize::MAX, rows_together)
}

/// Finished rows under the slots of a table that is made from them, each as it is held.
fn as_held(table: &TablePlan, rows: &Batch) -> Batch {
    let here = first_slots(table, |_, column| match &rows.columns[column.0] {
        Some(Held::Own(own)) => Some(own.clone()),
        _ => None,
    });
    let away = first_slots(table, |_, column| match &rows.columns[column.0] {
        Some(Held::Own(_)) | None => None,
        held => held.clone(),
    });
    Batch { away, ..Batch::new(rows.rows, here, vec![]) }
}

/// The first rows of a table, and the tables that they come from.
type First = (Batch, Vec<(TableId, Rows)>);
