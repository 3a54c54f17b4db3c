//! Tables that are made together: the first from files or from finished tables, the others from those
//! before them as they pass. Rows go through in batches; before a step that must see them all at once
//! they are put together, and what is worked of a table goes on from there by itself.

use rayon::prelude::*;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::atomic::AtomicU64;

use super::check::CheckSum;
use super::context::{Context, Stop, finished_columns};
use super::feed::{Feed, first_rows};
use super::leaf::{Collected, Together};
use super::passing::{Passed, Way, encoded, run, through};
use super::read::Reading;
use super::room::{held, keep_within, make_way, put_rows_away, rows_together};
use super::sums::TableSum;
use super::tree::{End, Leaf, Segment, Spot, Tree};
use super::waiting::LeafKind;
use crate::aggregate::{AllRows, MOST_APART, Sum};
use crate::lang::Span;
use crate::port::{Encoded, Output, OutputError};
use crate::resolve::{Step, TablePlan};
use crate::step::{Naming, OnRows, Trouble};
use crate::table::{Batch, Held, Places, Table, TableId};
use crate::tally::{ApartProblem, ExpandProblem, Problem, UnitsProblem, UnitsTrouble};

/// All that the tables of a tree leave, by their places in it.
pub(super) struct TreeEnd {
    pub sums: Vec<TableSum>,
    /// By the numbers of checks and totals in the plan.
    pub checks: HashMap<usize, CheckSum>,
    pub totals: HashMap<usize, AllRows>,
    /// Tables that are kept.
    pub tables: Vec<(usize, Table)>,
    /// Total rows: finished columns.
    pub total_rows: Vec<(usize, Batch)>,
    /// Where the rows of the input stand, if the tree began by reading one.
    pub places: Option<Places>,
    /// Whether a table failed, or one that it is made from.
    pub failed: Vec<bool>,
    /// Why, each of a table that comes from none that failed.
    pub problems: Vec<(usize, Problem)>,
}

/// Makes the tables of a tree but for those that have `failed` already. Outputs get their bytes on the
/// way. What fails in one table stops it and what is made from it; the others go on.
pub(super) fn run_tree(
    context: &Context<'_>,
    tree: &Tree,
    reading: Option<Reading>,
    failed: Vec<bool>,
    outputs: &mut [Option<Box<dyn Output>>],
) -> Result<TreeEnd, Stop> {
    let plan = context.plan;
    let mut run = TreeRun {
        context,
        tree,
        input: plan.input_of(tree.tables[0]),
        places: reading.is_some().then(Places::default),
        end: TreeEnd {
            sums: tree.tables.iter().map(|id| TableSum::new(&plan.tables[id.0])).collect(),
            checks: HashMap::new(),
            totals: HashMap::new(),
            tables: vec![],
            total_rows: vec![],
            places: None,
            failed,
            problems: vec![],
        },
        troubles: vec![],
        total_rows: HashMap::new(),
        outputs,
    };
    let feed = match reading {
        Some(reading) => Ok(Feed::Files(reading)),
        None => first_rows(context, tree, &mut run.end.sums[0]),
    };
    // What waits: behind others that came of the same rows, so that they are let go before.
    let mut waiting = vec![];
    match feed {
        Ok(feed) => waiting.extend(run.segment(Spot { at: 0, step: 0 }, feed)?.into_iter().rev()),
        Err(problem) => run.fail(0, problem),
    }
    while let Some((leaf, Together { mut rows, seen })) = waiting.pop() {
        let Spot { at, step } = leaf.spot;
        if run.end.failed[at] {
            continue;
        }
        match leaf.what {
            LeafKind::Kept => {
                run.keep(at, rows, &seen);
                continue;
            }
            LeafKind::Whole => match run.whole_step(leaf.spot, &mut rows) {
                Ok(()) => {}
                Err(problem) => {
                    run.fail(at, problem);
                    continue;
                }
            },
            // They were worked as they came.
            LeafKind::Groups => {}
        }
        if let Some(room) = context.room {
            put_rows_away(room, &context.world.tables, &mut rows);
        }
        let next = run.segment(Spot { at, step: step + 1 }, Feed::of(rows))?;
        waiting.extend(next.into_iter().rev());
    }
    run.end.places = run.places;
    Ok(run.end)
}

struct TreeRun<'a> {
    context: &'a Context<'a>,
    tree: &'a Tree,
    input: TableId,
    /// The places of the input's rows, where the tree begins by reading them.
    places: Option<Places>,
    end: TreeEnd,
    troubles: Vec<(usize, usize, Trouble)>,
    /// The total rows of tables on their way.
    total_rows: HashMap<usize, Batch>,
    outputs: &'a mut [Option<Box<dyn Output>>],
}

impl TreeRun<'_> {
    /// Sends all batches of `feed` through what follows a spot. Gives what came together, by leaves.
    fn segment(&mut self, from: Spot, feed: Feed) -> Result<Vec<(Leaf, Together)>, Stop> {
        let segment = self.tree.segment(self.context, from);
        let collected = self.pass(&segment, feed)?;
        let mut all = vec![];
        for (leaf, collected) in segment.leaves.iter().zip(collected) {
            let at = leaf.spot.at;
            if self.end.failed[at] {
                continue;
            }
            match collected.finish() {
                Ok((together, None)) => all.push((*leaf, together)),
                Ok((together, Some((sum, total)))) => {
                    self.end.sums[at].steps[leaf.spot.step].absorb(&sum);
                    self.total_rows.extend(total.map(|total| (at, total)));
                    all.push((*leaf, together));
                }
                Err(problem) => self.fail(at, problem),
            }
        }
        Ok(all)
    }

    fn pass<'s>(&mut self, segment: &'s Segment, mut feed: Feed) -> Result<Vec<Collected<'s>>, Stop>
    where
        Self: 's,
    {
        let (context, tree) = (self.context, self.tree);
        let mut window = feed.window(context, self.places.as_mut())?;
        // No rows have columns all the same: those of the feed, or of what is read.
        let none = window.is_empty();
        if none {
            window.push(feed.nothing(context, tree));
        }
        let mut collected: Vec<Collected<'_>> = vec![];
        let fed = feed.whole(context).filter(|_| !none);
        for (at, leaf) in segment.leaves.iter().enumerate() {
            let before = fed.as_ref().and_then(|fed| segment.unmoved(context.plan, tree, at, fed));
            collected.push(Collected::new(context.plan, tree, *leaf, before, feed.is_held()));
        }
        drop(fed);
        let here = context.world.tables.iter().flatten().map(held).sum::<u64>() + feed.bytes_held();
        let most = context.room.map_or(usize::MAX, rows_together);
        let mut encoded: Vec<(usize, Encoded)> = vec![];
        while !window.is_empty() && !self.end.failed[segment.branches[0].at] {
            let failed = self.end.failed.clone();
            let naming = Naming { input: self.input, places: self.places.as_ref() };
            let way = Way { context, tree, segment, failed: &failed, naming };
            let outputs = &mut *self.outputs;
            let earlier = std::mem::take(&mut encoded);
            // One after the other, so that no core waits for more than one of them.
            let batches = window.into_par_iter().with_max_len(1);
            let work = || batches.map(|batch| run(way, batch)).collect::<Vec<Passed>>();
            // What the last window made is written while this one works.
            let (passed, written) = rayon::join(work, || write(outputs, earlier));
            written?;
            for passed in passed {
                for (leaf, arrived) in self.absorb(passed, &mut encoded) {
                    collected[leaf].take(arrived);
                }
            }
            // While these rows are put below those before them, the next are read.
            let (read, places) = (&feed, &mut self.places);
            collected.iter_mut().for_each(|collected| collected.foresee(read, most));
            context.room.iter().for_each(|room| make_way(room, here, &mut collected));
            let ((), next) = rayon::join(
                || collected.par_iter_mut().for_each(Collected::lay),
                || feed.window(context, places.as_mut()),
            );
            context.can_go_on()?;
            window = next?;
            context.room.iter().for_each(|room| keep_within(room, here, &mut collected));
        }
        write(self.outputs, encoded).map_err(Stop::Output)?;
        self.read_to_the_end(segment, feed);
        self.row_troubles();
        self.counted_apart();
        self.pass_total_rows(segment)?;
        Ok(collected)
    }

    /// All rows have come: what files had that could not be read is told.
    fn read_to_the_end(&mut self, segment: &Segment, feed: Feed) {
        let first = segment.branches[0].at;
        let Feed::Files(reading) = feed else { return };
        if self.end.failed[first] {
            return;
        }
        if let Err(problem) = reading.finish(self.context, &mut self.end.sums[first]) {
            self.fail(first, problem);
        }
    }

    /// Notes that a table cannot be made, and those that are made from it.
    fn fail(&mut self, at: usize, problem: Problem) {
        let gone = self.tree.from(at);
        gone.iter().for_each(|at| self.end.failed[*at] = true);
        self.end.problems.retain(|(of, _)| !gone.contains(of));
        self.end.problems.push((at, problem));
    }

    /// Does a step that sees all rows at once.
    fn whole_step(&mut self, spot: Spot, batch: &mut Batch) -> Result<(), Problem> {
        let Spot { at, step } = spot;
        let zeros = AtomicU64::new(0);
        let mut total = self.total_rows.remove(&at);
        let naming = Naming { input: self.input, places: self.places.as_ref() };
        let runner = self.context.runner(self.tree.tables[at], step, naming, &zeros);
        runner.release(batch);
        let got = batch.get(runner.looks_at().into_iter());
        let on = OnRows { batch, total_row: total.as_mut() };
        let left = runner.plan().steps[step].step.work().work(&runner, on)?;
        batch.let_go(&got);
        self.total_rows.extend(left.total_row.or(total).map(|total| (at, total)));
        self.end.sums[at].zero_divisions += zeros.into_inner();
        if let Some(sum) = &left.sum {
            self.end.sums[at].steps[step].absorb(sum);
        }
        Ok(())
    }

    /// Sends total rows through the steps of their own tables. Nothing but outputs sees them, behind
    /// all other rows.
    fn pass_total_rows(&mut self, segment: &Segment) -> Result<(), Stop> {
        for branch in &segment.branches {
            let at = branch.at;
            let Some(mut total) = self.total_rows.remove(&at).filter(|_| !self.end.failed[at])
            else {
                continue;
            };
            let naming = Naming { input: self.input, places: self.places.as_ref() };
            let (context, tree) = (self.context, self.tree);
            let way = Way { context, tree, segment, failed: &self.end.failed, naming };
            if let Err(problem) = through(way, branch, &mut total, &mut Passed::default()) {
                self.fail(at, problem);
                continue;
            }
            if !matches!(branch.end, End::Finished { .. }) {
                self.total_rows.insert(at, total);
                continue;
            }
            let id = tree.tables[at];
            let columns = finished_columns(&context.plan.tables[id.0], &total.slots);
            let columns = Batch::finished(1, columns, vec![]);
            write(self.outputs, encoded(context, id, &columns))?;
            self.end.total_rows.push((at, columns));
        }
        Ok(())
    }

    /// Adds up what came of a batch and puts its rows for outputs behind `bytes`; gives what came to
    /// leaves.
    fn absorb(
        &mut self,
        passed: Passed,
        bytes: &mut Vec<(usize, Encoded)>,
    ) -> Vec<(usize, super::passing::Arrived)> {
        for (at, problem) in passed.failed {
            if !self.end.failed[at] {
                self.fail(at, problem);
            }
        }
        for (at, step, sum) in &passed.steps {
            self.end.sums[*at].steps[*step].absorb(sum);
        }
        for (at, zeros) in passed.zero_divisions {
            self.end.sums[at].zero_divisions += zeros;
        }
        for (at, step, troubles) in passed.troubles {
            self.troubles.extend(troubles.into_iter().map(|trouble| (at, step, trouble)));
        }
        for finished in passed.finished {
            self.end.sums[finished.at].finish(finished.rows, &finished.sums);
            for (check, sum) in finished.checks {
                self.end.checks.entry(check).or_default().absorb(sum);
            }
            for (total, sum) in finished.totals {
                match self.end.totals.entry(total) {
                    Entry::Vacant(slot) => drop(slot.insert(sum)),
                    Entry::Occupied(mut slot) => slot.get_mut().absorb(sum),
                }
            }
            bytes.extend(finished.encoded);
        }
        passed.arrived
    }

    /// Tables stop of whose amounts one is in several currencies, and no column says which.
    fn counted_apart(&mut self) {
        for at in 0..self.tree.tables.len() {
            let table = &self.context.plan.tables[self.tree.tables[at].0];
            let several = table.steps.iter().zip(&self.end.sums[at].steps).find_map(
                |(step, sum)| match &step.step {
                    Step::Apart(plan) => plan.several(&table.name, sum),
                    _ => None,
                },
            );
            let several = several.or_else(|| too_many(table, &self.end.sums[at]));
            if let Some(problem) = several.filter(|_| !self.end.failed[at]) {
                self.fail(at, problem);
            }
        }
    }

    /// Rows that could not be counted or expanded stop their table, all of a step told at once.
    fn row_troubles(&mut self) {
        while let Some((at, step, _)) = self.troubles.first() {
            let (at, step) = (*at, *step);
            let own = |(a, s, _): &mut (usize, usize, Trouble)| (*a, *s) == (at, step);
            let troubles = self.troubles.extract_if(.., own).map(|(.., trouble)| trouble);
            let troubles: Vec<Trouble> = troubles.collect();
            if !self.end.failed[at] {
                let table = &self.context.plan.tables[self.tree.tables[at].0].name;
                self.fail(at, rows_problem(table, troubles));
            }
        }
    }

    /// Keeps a finished table.
    fn keep(&mut self, at: usize, batch: Batch, seen: &[Option<Held>]) {
        let id = self.tree.tables[at];
        let plan = &self.context.plan.tables[id.0];
        let demand = &self.context.demand.tables[id.0];
        let own = finished_columns(plan, &batch.slots).into_iter();
        let columns =
            own.zip(&plan.columns).zip(&demand.columns).map(|((own, (_, slot)), wanted)| {
                let elsewhere = |held: &[Option<Held>]| held.get(slot.0).cloned().flatten();
                elsewhere(seen).or(elsewhere(&batch.away)).or(own).filter(|_| *wanted)
            });
        let columns = columns.collect();
        let origins = batch.origins.into_iter().filter(|(id, _)| demand.origins.contains(id));
        let table = Table { rows: batch.rows, columns, origins: origins.collect() };
        self.end.tables.push((at, table));
    }
}

/// Why a table stops in which an amount is in more than can be currencies.
fn too_many(table: &TablePlan, sum: &TableSum) -> Option<Problem> {
    let of_steps = sum.steps.iter().flat_map(|step| [&step.before, &step.removed]);
    for sums in of_steps.chain([&sum.sums]) {
        for (tracked, sum) in table.tracked.iter().zip(sums) {
            let Some(Sum::Each(each)) = sum else { continue };
            if each.len() > MOST_APART {
                return Some(Problem::CountedApart(ApartProblem {
                    table: table.name.clone(),
                    step: String::new(),
                    what: tracked.name.clone(),
                    span: Span::default(),
                    group: String::new(),
                    parts: vec![],
                    by: None,
                    add: None,
                    many: MOST_APART as u64,
                }));
            }
        }
    }
    None
}

/// Why a table stops whose rows could not be counted or expanded, all of a step; there is one at least.
pub(super) fn rows_problem(table: &str, troubles: Vec<Trouble>) -> Problem {
    let (of, policy) = (troubles[0].of.clone(), troubles[0].policy.clone());
    let troubles = told(troubles.into_iter());
    let Some(policy) = policy else {
        return Problem::Expand(ExpandProblem { table: table.to_owned(), step: of, troubles });
    };
    let most = policy.most_units().into();
    Problem::Units(UnitsProblem { table: table.to_owned(), of, troubles, most, policy })
}

/// Troubles of one step by what they are, with a few examples each.
fn told(all: impl Iterator<Item = Trouble>) -> Vec<UnitsTrouble> {
    let mut troubles: Vec<UnitsTrouble> = vec![];
    for trouble in all {
        let examples = trouble.examples.into_iter().map(|(_, text, place)| (text, place));
        match troubles.iter_mut().find(|known| known.what == trouble.what) {
            Some(known) => {
                known.rows += trouble.count;
                for (name, more) in &trouble.amounts {
                    match known.amounts.iter_mut().find(|(own, _)| own == name) {
                        Some((_, sum)) => *sum = sum.plus(*more),
                        None => known.amounts.push((name.clone(), *more)),
                    }
                }
                for example in examples {
                    if known.examples.len() < 5 && !known.examples.contains(&example) {
                        known.examples.push(example);
                    }
                }
            }
            None => troubles.push(UnitsTrouble {
                what: trouble.what,
                rows: trouble.count,
                amounts: trouble.amounts,
                examples: examples.collect(),
            }),
        }
    }
    troubles
}

fn write(
    outputs: &mut [Option<Box<dyn Output>>],
    encoded: Vec<(usize, Encoded)>,
) -> Result<(), OutputError> {
    for (output, rows) in encoded {
        if let Some(output) = &mut outputs[output] {
            output.take(rows)?;
        }
    }
    Ok(())
}
