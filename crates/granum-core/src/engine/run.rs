//! One run: resolve, read, build, link, check; then the gate.

use std::collections::{HashMap, HashSet};

use super::check::{
    CheckSum, check_over, rows_tally, skipped, total_over, totals_of, totals_tally,
};
use super::context::{Context, Stop, TableEncoder};
use super::demand::{Demand, Purpose, Work, check_needs, needs};
use super::flow::{TreeEnd, run_tree};
use super::lifetimes::Lifetimes;
use super::ports::{
    InputSource, Observer, Output, OutputError, Outputs, SourceError, SourceErrorKind, Sources,
};
use super::read::Reading;
use super::sums::TableSum;
use super::tree::Tree;
use super::{gather, links};
use crate::aggregate::AllRows;
use crate::expr::World;
use crate::lang::{Diagnostic, DiagnosticKind, PlanTree};
use crate::resolve::{CheckKind, InputShape, Plan, Source, Total, input_specs, resolve};
use crate::step::{Around, Faults, GroupFaults, Naming, finished_rows, group_problem};
use crate::table::{Batch, GatherId, LinkId, TableId, TotalId};
use crate::tally::{CheckTally, LinkTally, Problem, Report, Written};

/// What is wanted of a run.
#[derive(Clone, Copy)]
pub enum Want<'a> {
    /// All that must hold, and nothing written.
    Check,
    /// The same, and the outputs if everything held.
    Outputs(&'a dyn Outputs),
}

/// Why a run has no report.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// The plan is wrong.
    #[error("the plan has {} errors", .0.len())]
    Plan(Vec<Diagnostic>),
    /// A file cannot be read.
    #[error(transparent)]
    Source(SourceError),
    /// An output cannot be written.
    #[error(transparent)]
    Output(OutputError),
}

/// How a plan is run.
#[derive(Debug, Clone, Copy)]
pub struct Running {
    /// What is only warned of holds outputs back as well.
    pub deny_warnings: bool,
    /// What nothing reads any more is let go. Off, all is held to the end: for tests alone.
    pub lets_go: bool,
}

impl Default for Running {
    fn default() -> Self {
        Self { deny_warnings: false, lets_go: true }
    }
}

/// Runs a plan.
///
/// Everything that does not hold is in the report, which then says that nothing was written.
/// `settings` are the values given to parameters.
///
/// # Errors
/// [`RunError::Plan`] with every diagnostic if the plan is wrong, [`RunError::Source`] if a file
/// cannot be read, [`RunError::Output`] if an output cannot be written: then none is.
pub fn run(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    want: Want<'_>,
    observer: &dyn Observer,
) -> Result<Report, RunError> {
    run_as(tree, settings, sources, want, observer, Running::default())
}

/// The same, as is said.
///
/// # Errors
/// As [`run`].
pub fn run_as(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    want: Want<'_>,
    observer: &dyn Observer,
    running: Running,
) -> Result<Report, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    loop {
        let plan = inputs.resolve(tree, settings)?;
        let purpose = Purpose::Whole { outputs: matches!(want, Want::Outputs(_)) };
        let mut run = Run::new(&plan, purpose, observer);
        if running.lets_go {
            run.lifetimes = Lifetimes::new(&plan, &run.demand);
        }
        if let Want::Outputs(outputs) = want {
            run.open_outputs(outputs).map_err(RunError::Output)?;
        }
        match run.work(&inputs) {
            Ok(()) => return run.close(want, running.deny_warnings),
            Err(Stop::Contradiction(input)) => inputs.settle(&plan, input)?,
            Err(Stop::Source(error)) => return Err(RunError::Source(error)),
            Err(Stop::Output(error)) => return Err(RunError::Output(error)),
            // Problems are kept and told in the report.
            Err(Stop::Problem(problem)) => run.problems.push(problem),
        }
    }
}

/// The files of all inputs.
pub(super) struct Inputs {
    sources: Vec<(String, Box<dyn InputSource>)>,
}

impl Inputs {
    pub fn open(tree: &PlanTree, sources: &dyn Sources) -> Result<Self, RunError> {
        let mut opened = vec![];
        for spec in input_specs(tree) {
            let source = sources.open(&spec).map_err(|error| match error.kind {
                SourceErrorKind::UnknownEncoding => RunError::Plan(vec![
                    Diagnostic::new(DiagnosticKind::UnknownName, spec.encoding_span, error.message)
                        .help(error.help),
                ]),
                _ => RunError::Source(error),
            })?;
            opened.push((spec.name, source));
        }
        Ok(Self { sources: opened })
    }

    /// Resolves the plan. If it seems wrong while types are only known from the beginnings of
    /// files, all cells are looked at before that is said.
    pub fn resolve(
        &mut self,
        tree: &PlanTree,
        settings: &[(String, String)],
    ) -> Result<Plan, RunError> {
        match resolve(tree, &self.shapes(), settings) {
            Ok(plan) => Ok(plan),
            Err(diagnostics) if self.sources.iter().all(|(_, source)| source.settled()) => {
                Err(RunError::Plan(diagnostics))
            }
            Err(_) => {
                for (_, source) in &mut self.sources {
                    if !source.settled() {
                        source.settle().map_err(RunError::Source)?;
                    }
                }
                resolve(tree, &self.shapes(), settings).map_err(RunError::Plan)
            }
        }
    }

    fn shapes(&self) -> HashMap<String, InputShape> {
        self.sources.iter().map(|(name, source)| (name.clone(), source.shape())).collect()
    }

    pub fn settle(&mut self, plan: &Plan, input: TableId) -> Result<(), RunError> {
        let name = &plan.tables[input.0].name;
        for (_, source) in self.sources.iter_mut().filter(|(known, _)| known == name) {
            source.settle().map_err(RunError::Source)?;
        }
        Ok(())
    }

    fn source(&self, name: &str) -> Option<&dyn InputSource> {
        self.sources.iter().find(|(known, _)| known == name).map(|(_, source)| source.as_ref())
    }
}

/// A run on its way.
pub(super) struct Run<'a> {
    pub plan: &'a Plan,
    pub demand: Demand,
    pub world: World,
    observer: &'a dyn Observer,
    encoders: Vec<TableEncoder>,
    outputs: Vec<Option<Box<dyn Output>>>,
    pub(super) sums: HashMap<TableId, TableSum>,
    checks: HashMap<usize, CheckSum>,
    totals: HashMap<usize, AllRows>,
    pub links: HashMap<LinkId, LinkTally>,
    faults: HashMap<GatherId, Faults>,
    grouped: GroupFaults,
    failed: HashSet<Work>,
    /// What goes when; nothing where all is looked at afterwards.
    lifetimes: Lifetimes,
    /// The rows of totals, by table: finished columns.
    pub total_rows: HashMap<TableId, Batch>,
    pub problems: Vec<Problem>,
}

impl<'a> Run<'a> {
    pub fn new(plan: &'a Plan, purpose: Purpose, observer: &'a dyn Observer) -> Self {
        let world = World {
            tables: plan.tables.iter().map(|_| None).collect(),
            places: plan.tables.iter().map(|_| None).collect(),
            links: plan.links.iter().map(|_| None).collect(),
            gathered: plan.gathers.iter().map(|_| None).collect(),
            totals: vec![],
        };
        Self {
            plan,
            demand: Demand::new(plan, purpose),
            world,
            observer,
            encoders: vec![],
            outputs: vec![],
            sums: HashMap::new(),
            checks: HashMap::new(),
            totals: HashMap::new(),
            links: HashMap::new(),
            faults: HashMap::new(),
            grouped: GroupFaults::default(),
            failed: HashSet::new(),
            lifetimes: Lifetimes::default(),
            total_rows: HashMap::new(),
            problems: vec![],
        }
    }

    fn open_outputs(&mut self, outputs: &dyn Outputs) -> Result<(), OutputError> {
        for (at, output) in self.plan.outputs.iter().enumerate() {
            let table = &self.plan.tables[output.table.0];
            let columns: Vec<_> = table
                .columns
                .iter()
                .map(|(name, slot)| (name.clone(), table.slots[slot.0]))
                .collect();
            let opened = outputs.begin(&output.path, &columns)?;
            let encoder = opened.encoder();
            self.encoders.push(TableEncoder { table: output.table, output: at, encoder });
            self.outputs.push(Some(opened));
        }
        Ok(())
    }

    /// Does all the work in its order. What fails is noted, and with it all that needs it.
    pub fn work(&mut self, inputs: &Inputs) -> Result<(), Stop> {
        for (at, work) in self.demand.order.clone().into_iter().enumerate() {
            if let Some(before) = at.checked_sub(1) {
                self.lifetimes.let_go(before, &mut self.world);
            }
            let failed = |needed: &Work| self.failed.contains(needed);
            if !matches!(work, Work::Table(_)) && needs(self.plan, work).iter().any(failed) {
                self.failed.insert(work);
                continue;
            }
            let done = match work {
                Work::Table(first) => self.tables(first, inputs),
                Work::Link(link) => self.link(link),
                Work::Gather(id) => {
                    self.gather(id);
                    Ok(())
                }
            };
            match done {
                Ok(()) => {}
                Err(Stop::Problem(problem)) => {
                    self.problems.push(problem);
                    self.failed.insert(work);
                }
                Err(stop) => return Err(stop),
            }
        }
        Ok(())
    }

    /// Makes the tables that are made together, by the first of them.
    fn tables(&mut self, first: TableId, inputs: &Inputs) -> Result<(), Stop> {
        let tree = Tree::new(&self.demand, first);
        let mut failed = vec![false; tree.tables.len()];
        for (at, id) in tree.tables.iter().enumerate() {
            let needed = needs(self.plan, Work::Table(*id));
            if needed.iter().any(|needed| self.failed.contains(needed)) {
                tree.from(at).into_iter().for_each(|at| failed[at] = true);
            }
        }
        if failed[0] {
            self.failed.extend(tree.tables.into_iter().map(Work::Table));
            return Ok(());
        }
        let plan = &self.plan.tables[first.0];
        let source = inputs.source(&plan.name).filter(|_| matches!(plan.source, Source::Input(_)));
        let context = Context {
            around: Around {
                plan: self.plan,
                world: &self.world,
                faults: &self.faults,
                grouped: &self.grouped,
            },
            demand: &self.demand,
            encoders: &self.encoders,
            observer: self.observer,
        };
        let reading = source.map(|source| Reading::begin(&context, first, source)).transpose()?;
        if reading.is_none() {
            let base = match plan.source {
                Source::Base(base) => self.world.tables[base.0].as_ref(),
                Source::Input(_) | Source::Several(_) | Source::Calendar(_) => None,
            };
            let rows = base.map_or(0, |base| base.rows as u64);
            self.observer.stage(&format!("building {}", self.called(&tree)), rows);
        }
        let mut end = run_tree(&context, &tree, reading, failed, &mut self.outputs)?;
        end.sums[0].footer = source.map_or_else(Vec::new, InputSource::left_out);
        self.keep(&tree, end);
        Ok(())
    }

    /// What tables that are made together are called in progress: by those that come of it.
    fn called(&self, tree: &Tree) -> String {
        let mut ends = tree.tables.iter().filter(|id| self.demand.fed_by(**id).is_empty());
        let first = ends.next().map_or("", |id| &self.plan.tables[id.0].name);
        match ends.count() {
            0 => first.to_owned(),
            more => format!("{first} and {more} more"),
        }
    }

    /// Takes what the tables of a tree left; of those that failed, nothing but why.
    fn keep(&mut self, tree: &Tree, end: TreeEnd) {
        let failed = |of: TableId| {
            tree.tables.iter().zip(&end.failed).any(|(id, failed)| *id == of && *failed)
        };
        let of_check = |check: usize| match self.plan.checks[check].kind {
            CheckKind::Rows { table, .. } => failed(table),
            CheckKind::Totals { .. } => false,
        };
        self.checks.extend(end.checks.into_iter().filter(|(check, _)| !of_check(*check)));
        let of_total = |total: usize| failed(self.plan.totals[total].table);
        self.totals.extend(end.totals.into_iter().filter(|(total, _)| !of_total(*total)));
        let there = |at: &usize| !end.failed[*at];
        for (at, row) in end.total_rows.into_iter().filter(|(at, _)| there(at)) {
            self.total_rows.insert(tree.tables[at], row);
        }
        for (at, table) in end.tables.into_iter().filter(|(at, _)| there(at)) {
            self.world.tables[tree.tables[at].0] = Some(table);
        }
        for (at, sum) in end.sums.into_iter().enumerate() {
            if end.failed[at] {
                self.failed.insert(Work::Table(tree.tables[at]));
            } else {
                self.sums.insert(tree.tables[at], sum);
            }
        }
        self.world.places[tree.tables[0].0] = end.places;
        let mut problems = end.problems;
        problems.sort_by_key(|(at, _)| tree.tables[*at]);
        self.problems.extend(problems.into_iter().map(|(_, problem)| problem));
    }

    fn link(&mut self, id: LinkId) -> Result<(), Stop> {
        let link = &self.plan.links[id.0];
        let target = &self.plan.tables[link.to.0].name;
        self.observer.stage(&format!("linking to {target}"), 0);
        let built = links::build(&self.context(), id)?;
        if let Some((index, tally)) = built {
            self.world.links[id.0] = Some(index);
            self.links.insert(id, tally);
        }
        Ok(())
    }

    fn gather(&mut self, id: GatherId) {
        let found = gather::gather(&self.context(), id);
        if let Some((gathered, faults)) = found {
            self.world.gathered[id.0] = Some(gathered);
            self.faults.insert(id, faults);
        }
    }

    pub(super) fn context(&self) -> Context<'_> {
        Context {
            around: Around {
                plan: self.plan,
                world: &self.world,
                faults: &self.faults,
                grouped: &self.grouped,
            },
            demand: &self.demand,
            encoders: &self.encoders,
            observer: self.observer,
        }
    }

    fn close(mut self, want: Want<'_>, deny_warnings: bool) -> Result<Report, RunError> {
        let checks = self.close_checks();
        let (warnings, allowed) = self.warnings();
        let mut report = Report {
            title: self.plan.title.clone(),
            links_planned: self.plan.links.len(),
            checks,
            warnings,
            allowed,
            deny_warnings,
            writes: matches!(want, Want::Outputs(_)),
            ..Report::default()
        };
        for (at, table) in self.plan.tables.iter().enumerate() {
            match self.sums.get(&TableId(at)) {
                Some(sum) => report.tables.push(sum.tally(self.plan, TableId(at))),
                None => report.not_built.push(table.name.clone()),
            }
        }
        report.links = (0..self.plan.links.len())
            .filter_map(|link| self.links.remove(&LinkId(link)))
            .collect();
        report.problems = std::mem::take(&mut self.problems);
        if report.held() && report.writes {
            report.written = self.publish(&report).map_err(RunError::Output)?;
        }
        Ok(report)
    }

    /// All outputs appear, or none: each is complete before the first is put in its place, and if
    /// one cannot be, those before it are taken back.
    fn publish(&mut self, report: &Report) -> Result<Vec<Written>, OutputError> {
        let mut written = vec![];
        let mut outputs: Vec<Box<dyn Output>> =
            std::mem::take(&mut self.outputs).into_iter().flatten().collect();
        for (output, plan) in outputs.iter_mut().zip(&self.plan.outputs) {
            let bytes = output.complete()?;
            let table = self.plan.tables[plan.table.0].name.clone();
            let tally = report.table(&table);
            let rows =
                tally.map_or(0, |tally| tally.steps.last().map_or(tally.rows, |step| step.rows));
            let total = self.total_rows.contains_key(&plan.table);
            written.push(Written { table, path: plan.path.clone(), rows, total, bytes });
        }
        for at in 0..outputs.len() {
            if let Err(error) = outputs[at].publish() {
                outputs[..at].iter_mut().rev().for_each(|output| output.withdraw());
                return Err(error);
            }
        }
        outputs.iter_mut().for_each(|output| output.settle());
        Ok(written)
    }

    fn close_checks(&mut self) -> Vec<CheckTally> {
        self.late_totals();
        let mut tallies = vec![];
        for (at, check) in self.plan.checks.iter().enumerate() {
            let (mut works, totals) = check_needs(self.plan, &check.condition);
            if let CheckKind::Rows { table, .. } = check.kind {
                works.push(Work::Table(table));
            }
            let ready = !works.iter().any(|work| self.failed.contains(work))
                && totals.iter().all(|total| self.totals.contains_key(&total.0));
            if !ready {
                tallies.push(skipped(self.plan, check));
                continue;
            }
            let tally = match &check.kind {
                CheckKind::Rows { table, .. } => {
                    let sum = match self.checks.remove(&at) {
                        Some(sum) => Ok(sum),
                        None => self.late_check(at, *table),
                    };
                    sum.map(|sum| rows_tally(self.plan, check, sum))
                }
                CheckKind::Totals { .. } => {
                    let missing = self.fill_totals(&totals_of(&check.condition), at);
                    missing.and_then(|()| totals_tally(&self.world, check))
                }
            };
            match tally {
                Ok(tally) => tallies.push(tally),
                Err(problem) => {
                    self.problems.push(problem);
                    tallies.push(skipped(self.plan, check));
                }
            }
        }
        tallies
    }

    /// Puts the values of totals where expressions find them.
    fn fill_totals(&mut self, totals: &[usize], check: usize) -> Result<(), Problem> {
        self.world.totals.resize(self.plan.totals.len(), crate::value::Scalar::Blank);
        for total in totals {
            let Total { table, plan } = &self.plan.totals[*total];
            let Some(seen) = self.totals.get(total) else { continue };
            let value = seen.value(plan.function, plan.ty).map_err(|(failure, values)| {
                let step = self.plan.checks[check].called();
                let table = &self.plan.tables[table.0].name;
                group_problem(table, &step, plan, &values, failure, |_| vec![])
            })?;
            self.world.totals[*total] = value;
        }
        Ok(())
    }

    /// Totals that follow links wait until all links are there.
    fn late_totals(&mut self) {
        for (at, total) in self.plan.totals.iter().enumerate() {
            let ready =
                !self.demand.passing_totals[at] && !self.failed.contains(&Work::Table(total.table));
            let Some(table) = self.world.tables[total.table.0].as_ref().filter(|_| ready) else {
                continue;
            };
            let rows = finished_rows(table, total.table);
            let naming = Naming::finished(self.plan, total.table);
            let zeros = std::sync::atomic::AtomicU64::new(0);
            match total_over(&self.context(), total, &rows, naming, &zeros) {
                Ok(seen) => drop(self.totals.insert(TotalId(at).0, seen)),
                Err(problem) => self.problems.push(problem),
            }
        }
    }

    fn late_check(&mut self, at: usize, id: TableId) -> Result<CheckSum, Problem> {
        let context = self.context();
        let Some(table) = &self.world.tables[id.0] else { return Ok(CheckSum::default()) };
        let rows = finished_rows(table, id);
        let naming = Naming::finished(self.plan, id);
        let zeros = std::sync::atomic::AtomicU64::new(0);
        check_over(&context, &self.plan.checks[at], id, &rows, naming, &zeros)
    }
}
