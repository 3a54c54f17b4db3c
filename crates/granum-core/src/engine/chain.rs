//! A chain of tables: the first from files or from a finished table, each next from the one
//! before as it passes. Rows go through in batches; a step that must see all rows at once gathers
//! them first.

use rayon::prelude::*;
use std::collections::HashMap;
use std::ops::Range;
use std::sync::atomic::AtomicU64;

use super::check::CheckSum;
use super::context::{Chain, Context, Op, Stop};
use super::passing::{Passed, encoded, run};
use super::ports::{Output, OutputError};
use super::read::Reading;
use super::sums::TableSum;
use crate::aggregate::AllRows;
use crate::bug::{Sure, bug};
use crate::resolve::Source;
use crate::step::{GatherStep, Gathering, Naming, OnRows, Partial, Trouble, partial, streams};
use crate::table::{Batch, Places, Rows, Stack, Table, TableId};
use crate::tally::{Problem, UnitsTrouble};

/// Rows of a finished table that go through together.
pub(super) const BATCH: usize = 1 << 12;

/// All that a chain leaves.
pub(super) struct ChainEnd {
    pub sums: Vec<TableSum>,
    pub checks: HashMap<usize, CheckSum>,
    pub totals: HashMap<usize, AllRows>,
    /// The last table, if it is kept.
    pub table: Option<Table>,
    /// The totals' rows of tables, by their places in the chain: finished columns.
    pub total_rows: Vec<(usize, Batch)>,
}

/// Runs a chain to its end. Outputs get their bytes on the way.
pub(super) fn run_chain(
    context: &Context<'_>,
    chain: &Chain,
    mut reading: Option<Reading>,
    outputs: &mut [Option<Box<dyn Output>>],
) -> Result<ChainEnd, Stop> {
    let plan = context.plan;
    let input = plan.input_of(chain.tables[0]);
    let mut run = ChainRun {
        context,
        chain,
        input,
        places: reading.is_some().then(Places::default),
        end: ChainEnd {
            sums: chain.tables.iter().map(|id| TableSum::new(&plan.tables[id.0])).collect(),
            checks: HashMap::new(),
            totals: HashMap::new(),
            table: None,
            total_rows: vec![],
        },
        troubles: vec![],
        total: None,
        outputs,
    };
    let last = chain.tables[chain.tables.len() - 1];
    let kept = context.demand.tables[last.0].whole;
    let mut state: Option<Batch> = None;
    let mut from = 0;
    loop {
        let to = (from..chain.ops.len())
            .find(|op| chain.is_whole(plan, chain.ops[*op]))
            .unwrap_or(chain.ops.len());
        let collect = to < chain.ops.len() || kept;
        let range = from..to;
        let feed = match (state.take(), reading.take()) {
            (Some(rows), _) => Feed::Rows { rows, at: 0 },
            (None, Some(reading)) => Feed::Files(reading),
            (None, None) => Feed::Rows { rows: run.base_rows()?, at: 0 },
        };
        let mut gathering = gather_step(context, chain, to).map(Gathering::new);
        let mut whole = run.pass(feed, range, collect, gathering.as_mut())?;
        run.units_troubles()?;
        if let Some(gathering) = gathering {
            state = Some(run.gathered(gathering)?);
            from = to + 1;
            continue;
        }
        if to == chain.ops.len() {
            if kept {
                run.keep(last, whole);
            }
            return Ok(run.end);
        }
        run.whole_step(chain.ops[to], &mut whole)?;
        state = Some(whole);
        from = to + 1;
    }
}

/// Where a segment's batches come from.
enum Feed {
    Files(Reading),
    Rows { rows: Batch, at: usize },
}

impl Feed {
    /// How many rows there will be in all, about, once `parts` of it have come through and `before`
    /// had come already: a tenth more costs nothing, since room that is not used is not touched.
    fn room(&self, parts: &[Batch], before: usize) -> usize {
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
}

pub(super) struct ChainRun<'a> {
    pub context: &'a Context<'a>,
    pub chain: &'a Chain,
    pub input: TableId,
    /// The places of the input's rows, where the chain begins by reading them.
    pub places: Option<Places>,
    pub end: ChainEnd,
    troubles: Vec<(usize, usize, Trouble)>,
    /// The total's row of a table on its way, and the table's place in the chain.
    pub total: Option<(usize, Batch)>,
    outputs: &'a mut [Option<Box<dyn Output>>],
}

impl ChainRun<'_> {
    pub fn naming(&self) -> Naming<'_> {
        Naming { input: self.input, places: self.places.as_ref() }
    }

    /// Does a step that sees all rows at once.
    fn whole_step(&mut self, op: Op, batch: &mut Batch) -> Result<(), Stop> {
        let Op::Step { at, step } = op else { return Ok(()) };
        let table = self.chain.tables[at];
        let zeros = AtomicU64::new(0);
        let mut total = self.total.take();
        let runner = self.context.runner(table, step, self.naming(), &zeros);
        runner.release(batch);
        let own = total.as_mut().filter(|(of, _)| *of == at).map(|(_, total)| total);
        let done =
            runner.plan().steps[step].step.work().work(&runner, OnRows { batch, total: own });
        self.total = total;
        self.end.sums[at].zero_divisions += zeros.into_inner();
        let left = done?;
        if let Some(sum) = &left.sum {
            self.end.sums[at].steps[step].absorb(sum);
        }
        if let Some(row) = left.total {
            self.total = Some((at, row));
        }
        Ok(())
    }

    /// The rows of the finished table that the chain begins with.
    fn base_rows(&mut self) -> Result<Batch, Problem> {
        let first = &self.context.plan.tables[self.chain.tables[0].0];
        if let Source::Several(plan) = &first.source {
            let laid = super::several::rows(self.context, self.chain.tables[0], plan)?;
            self.end.sums[0].parts = laid.parts;
            self.end.sums[0].twice = laid.twice;
            return Ok(laid.rows);
        }
        if let Source::Calendar(plan) = &first.source {
            return Ok(super::calendar::rows(self.chain.tables[0], first.slots.len(), plan));
        }
        let Source::Base(base) = first.source else { bug("an input has no files") };
        let table = self.context.world.tables[base.0].as_ref().sure("a table's base");
        let mut slots = vec![None; first.slots.len()];
        let demand = &self.context.demand.tables[self.chain.tables[0].0];
        for (slot, column) in &first.imports {
            if demand.last_use[slot.0].is_some() {
                slots[slot.0].clone_from(&table.columns[*column]);
            }
        }
        let mut origins = vec![];
        for id in &self.chain.tables {
            for origin in &self.context.demand.tables[id.0].origins {
                if origins.iter().any(|(known, _)| known == origin) {
                    continue;
                }
                if *origin == base {
                    origins.push((base, Rows::same(table.rows)));
                } else if let Some(rows) = table.origin(*origin) {
                    origins.push((*origin, rows.clone()));
                }
            }
        }
        Ok(Batch::new(table.rows, slots, origins))
    }

    /// The rows that were gathered, and what is told of them.
    fn gathered(&mut self, gathering: Gathering<'_>) -> Result<Batch, Stop> {
        let GatherStep { at, step, .. } = gathering.step;
        let (rows, sum, total) = gathering.finish()?;
        self.end.sums[at].steps[step].absorb(&sum);
        self.total = total.map(|total| (at, total));
        Ok(rows)
    }

    /// Sends all batches of `feed` through some operations. Gives all rows, if they are collected.
    fn pass(
        &mut self,
        feed: Feed,
        ops: Range<usize>,
        collect: bool,
        mut gathering: Option<&mut Gathering<'_>>,
    ) -> Result<Batch, Stop> {
        // What is gathered as it passes is not collected.
        let collect = collect && gathering.is_none();
        let gather = gathering.as_ref().map(|gathering| gathering.step);
        let ops = &self.chain.ops[ops];
        let before = match &feed {
            _ if gathering.is_some() => None,
            Feed::Rows { rows, .. } if self.chain.keeps_rows(self.context.plan, ops) => {
                Some(rows.clone())
            }
            _ => None,
        };
        // No rows have columns all the same: those of the feed, or of what is read.
        let none = match &feed {
            Feed::Rows { rows, .. } if rows.rows == 0 => Some(rows.clone()),
            Feed::Rows { .. } => None,
            Feed::Files(_) => Some(self.nothing_read()),
        };
        let mut feed = feed;
        let mut stack = Stack::new();
        let mut encoded: Vec<(usize, Vec<u8>)> = vec![];
        let mut any = false;
        // Groups that have no value are told when it is known that no row before them failed.
        let mut fault: Option<Problem> = None;
        let mut window = self.next_window(&mut feed)?;
        while !window.is_empty() {
            let (context, chain) = (self.context, self.chain);
            let naming = Naming { input: self.input, places: self.places.as_ref() };
            let outputs = &mut *self.outputs;
            let earlier = std::mem::take(&mut encoded);
            let work = || {
                window
                    .into_par_iter()
                    .map(|batch| {
                        let mut passed = run(context, chain, ops, batch, naming)?;
                        let partial = gather
                            .map(|gather| gather_part(context, chain, gather, &mut passed, naming));
                        Ok((passed, partial))
                    })
                    .collect::<Vec<Result<(Passed, Option<Result<Partial, Problem>>), Problem>>>()
            };
            // What the last window made is written while this one works.
            let (passed, written) = rayon::join(work, || write(outputs, earlier));
            written?;
            any = true;
            let mut parts = vec![];
            for passed in passed {
                let (passed, partial) = passed?;
                if let (Some(gathering), Some(partial), None) =
                    (gathering.as_mut(), partial, &fault)
                {
                    fault = partial.and_then(|partial| gathering.absorb(partial)).err();
                }
                encoded.extend(self.absorb(passed, collect, &mut parts));
            }
            let room = feed.room(&parts, stack.rows());
            // While these rows are put below those before them, the next are read.
            let ((), next) = rayon::join(
                || stack.append(&parts, before.as_ref(), room),
                || self.next_window(&mut feed),
            );
            window = next?;
        }
        write(self.outputs, encoded).map_err(Stop::Output)?;
        if let Feed::Files(reading) = feed {
            reading.finish(self.context, &mut self.end.sums[0])?;
        }
        if let Some(problem) = fault {
            self.units_troubles()?;
            return Err(Stop::Problem(problem));
        }
        self.pass_total(ops)?;
        if let Some(empty) = none.filter(|_| !any) {
            let mut passed = run(self.context, self.chain, ops, empty, self.naming())?;
            if let (Some(gathering), Some(gather)) = (gathering, gather) {
                let naming = self.naming();
                let partial = gather_part(self.context, self.chain, gather, &mut passed, naming)?;
                gathering.absorb(partial)?;
            }
            let mut parts = vec![];
            self.absorb(passed, collect, &mut parts);
            stack.append(&parts, None, 0);
        }
        Ok(stack.finish(before.as_ref().filter(|_| any)))
    }

    /// Sends a total's row through the steps of its own table. Nothing but outputs sees it, behind
    /// all other rows.
    fn pass_total(&mut self, ops: &[Op]) -> Result<(), Stop> {
        let Some((at, batch)) = self.total.take() else { return Ok(()) };
        let own = |op: &&Op| match op {
            Op::Step { at: of, .. } | Op::Finish { at: of } => *of == at,
        };
        let steps: Vec<Op> = ops.iter().filter(own).copied().collect();
        let finished = steps.iter().any(|op| matches!(op, Op::Finish { .. }));
        let steps: Vec<Op> = steps.into_iter().filter(|op| matches!(op, Op::Step { .. })).collect();
        let batch = run(self.context, self.chain, &steps, batch, self.naming())?.batch;
        if !finished {
            self.total = Some((at, batch));
            return Ok(());
        }
        let id = self.chain.tables[at];
        let plan = &self.context.plan.tables[id.0];
        let columns = plan.columns.iter().map(|(_, slot)| batch.slots[slot.0].clone()).collect();
        let columns = Batch::new(1, columns, vec![]);
        write(self.outputs, encoded(self.context, id, &columns))?;
        self.end.total_rows.push((at, columns));
        Ok(())
    }

    fn next_window(&mut self, feed: &mut Feed) -> Result<Vec<Batch>, Stop> {
        // Enough that no core waits long for the last of a window.
        let count = rayon::current_num_threads().max(2) * 8;
        match feed {
            Feed::Files(reading) => reading.window(self.context, self.places.as_mut(), count),
            Feed::Rows { rows, at } => {
                let mut window = vec![];
                while *at < rows.rows && window.len() < count {
                    let length = BATCH.min(rows.rows - *at);
                    window.push(rows.slice(*at, length));
                    *at += length;
                    self.context.observer.advance(length as u64);
                }
                Ok(window)
            }
        }
    }

    /// A batch without rows, as the files of the chain's first table would have given it.
    fn nothing_read(&self) -> Batch {
        let plan = &self.context.plan.tables[self.chain.tables[0].0];
        let demand = &self.context.demand.tables[self.chain.tables[0].0];
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
            live.then(|| crate::table::Column::all_blank(*ty, 0))
        });
        let origins = self.origins_wanted();
        Batch::new(0, slots.collect(), origins.into_iter().map(|id| (id, Rows::same(0))).collect())
    }

    fn origins_wanted(&self) -> Vec<TableId> {
        let mut origins: Vec<TableId> = vec![];
        for id in &self.chain.tables {
            origins.extend(&self.context.demand.tables[id.0].origins);
        }
        origins.sort_unstable();
        origins.dedup();
        origins
    }

    /// Adds up what came of a batch; gives the bytes it has for outputs.
    fn absorb(
        &mut self,
        passed: Passed,
        collect: bool,
        collected: &mut Vec<Batch>,
    ) -> Vec<(usize, Vec<u8>)> {
        for (at, step, sum) in &passed.steps {
            self.end.sums[*at].steps[*step].absorb(sum);
        }
        for (at, zeros) in passed.zero_divisions {
            self.end.sums[at].zero_divisions += zeros;
        }
        for (at, step, troubles) in passed.troubles {
            self.troubles.extend(troubles.into_iter().map(|trouble| (at, step, trouble)));
        }
        let mut encoded = vec![];
        for finished in passed.finished {
            self.end.sums[finished.at].finish(finished.rows, &finished.sums);
            for (check, sum) in finished.checks {
                self.end.checks.entry(check).or_default().absorb(sum);
            }
            for (total, sum) in finished.totals {
                match self.end.totals.entry(total) {
                    std::collections::hash_map::Entry::Vacant(slot) => {
                        slot.insert(sum);
                    }
                    std::collections::hash_map::Entry::Occupied(mut slot) => {
                        slot.get_mut().absorb(sum);
                    }
                }
            }
            encoded.extend(finished.encoded);
        }
        if collect {
            collected.push(passed.batch);
        }
        encoded
    }

    /// Quantities that could not be counted stop the table, all of them told at once.
    fn units_troubles(&mut self) -> Result<(), Stop> {
        let Some((at, step, first)) = self.troubles.first() else { return Ok(()) };
        let (at, step, of) = (*at, *step, first.of.clone());
        let table = &self.context.plan.tables[self.chain.tables[at].0];
        let mut troubles: Vec<UnitsTrouble> = vec![];
        for (_, _, trouble) in self.troubles.drain(..).filter(|(a, s, _)| (*a, *s) == (at, step)) {
            let examples = trouble.examples.into_iter().map(|(_, text, place)| (text, place));
            match troubles.iter_mut().find(|known| known.what == trouble.what) {
                Some(known) => {
                    known.rows += trouble.count;
                    for ((_, sum), (_, more)) in known.amounts.iter_mut().zip(&trouble.amounts) {
                        *sum = sum.plus(*more);
                    }
                    let room = 5_usize.saturating_sub(known.examples.len());
                    known.examples.extend(examples.take(room));
                }
                None => troubles.push(UnitsTrouble {
                    what: trouble.what,
                    rows: trouble.count,
                    amounts: trouble.amounts,
                    examples: examples.collect(),
                }),
            }
        }
        Err(Stop::Problem(Problem::Units { table: table.name.clone(), of, troubles }))
    }

    /// Keeps the chain's last table.
    fn keep(&mut self, id: TableId, batch: Batch) {
        let plan = &self.context.plan.tables[id.0];
        let demand = &self.context.demand.tables[id.0];
        let columns = plan
            .columns
            .iter()
            .enumerate()
            .map(|(at, (_, slot))| batch.slots[slot.0].clone().filter(|_| demand.columns[at]));
        let origins = batch.origins.into_iter().filter(|(id, _)| demand.origins.contains(id));
        self.end.table = Some(Table {
            rows: batch.rows,
            columns: columns.collect(),
            origins: origins.collect(),
            places: self.places.take(),
        });
    }
}

/// What gathers rows as they pass, if an operation is a step that can.
fn gather_step<'a>(context: &Context<'a>, chain: &Chain, op: usize) -> Option<GatherStep<'a>> {
    let Op::Step { at, step } = *chain.ops.get(op)? else { return None };
    let table = &context.plan.tables[chain.tables[at].0];
    let plan = table.steps[step].step.work().groups()?;
    streams(context.plan, plan).then_some(GatherStep { at, step, plan, table })
}

/// The groups of a batch, which is let go.
fn gather_part(
    context: &Context<'_>,
    chain: &Chain,
    gather: GatherStep<'_>,
    passed: &mut Passed,
    naming: Naming<'_>,
) -> Result<Partial, Problem> {
    let GatherStep { at, step, plan, .. } = gather;
    let zeros = AtomicU64::new(0);
    let runner = context.runner(chain.tables[at], step, naming, &zeros);
    let batch = std::mem::take(&mut passed.batch);
    let found = partial(plan, &runner, &batch);
    let zeros = zeros.into_inner();
    if zeros > 0 {
        passed.zero_divisions.push((at, zeros));
    }
    found
}

fn write(
    outputs: &mut [Option<Box<dyn Output>>],
    encoded: Vec<(usize, Vec<u8>)>,
) -> Result<(), OutputError> {
    for (output, bytes) in encoded {
        if let Some(output) = &mut outputs[output] {
            output.write(&bytes)?;
        }
    }
    Ok(())
}
