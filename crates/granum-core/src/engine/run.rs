//! One run: resolve, read, build, link, check; then the gate.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::check::CheckSum;
use super::context::{Context, RunError, Stop, TableEncoder};
use super::demand::{Demand, Purpose, Work, needs};
use super::flow::{TreeEnd, run_tree};
use super::inputs::Inputs;
use super::lifetimes::Lifetimes;
use super::read::Reading;
use super::room::make_room;
use super::sums::TableSum;
use super::together::demand;
use super::tree::Tree;
use super::{gather, links, seen};
use crate::aggregate::AllRows;
use crate::expr::World;
use crate::lang::PlanTree;
use crate::link::Linked;
use crate::port::{InputSource, Observer, Output, OutputError, Outputs, Sources};
use crate::resolve::{CheckKind, LinkPlan, Plan, Source};
use crate::step::{Around, Faults, GroupFaults};
use crate::table::{Batch, GatherId, LinkId, Room, TableId};
use crate::tally::{Earlier, ExampleTally, FirstRows, LinkTally, Problem, Report};

/// What is wanted of a run.
#[derive(Clone, Copy)]
pub enum Want<'a> {
    /// All that must hold, and nothing written.
    Check,
    /// The same, and the outputs if everything held.
    Outputs(&'a dyn Outputs),
}

/// How a plan is run.
#[derive(Debug, Clone, Copy)]
pub struct Running<'a> {
    /// What is only warned of holds outputs back as well.
    pub deny_warnings: bool,
    /// What nothing reads any more is let go. Off, all is held to the end: for tests alone.
    pub lets_go: bool,
    /// What is known of an earlier run, to be compared with.
    pub earlier: Option<&'a Earlier>,
    /// How much columns may hold in memory; all that they need where nothing is said.
    pub room: Option<&'a Room>,
    /// What a page shows of the run is kept, in [`Report::seen`].
    pub seen: bool,
    /// Nobody reads the inputs after it: of those that come through a pipe nothing has to be kept.
    pub reads_last: bool,
}

impl Default for Running<'_> {
    fn default() -> Self {
        Self {
            deny_warnings: false,
            lets_go: true,
            earlier: None,
            room: None,
            seen: false,
            reads_last: false,
        }
    }
}

/// Looks at what steps took out of the target of a link that is not as complete as asked.
pub(super) type LooksBack =
    for<'a> fn(Context<'a>, &'a Inputs, (&'a LinkPlan, &'a Linked)) -> links::KeysTakenOut;

/// Runs a plan. `examples` works what must come of examples, before anything is written.
///
/// # Errors
/// As [`run`](super::run), and what `examples` says.
pub(super) fn run_with(
    (tree, settings): (&PlanTree, &[(String, String)]),
    sources: &dyn Sources,
    want: Want<'_>,
    observer: &dyn Observer,
    running: Running<'_>,
    examples: impl Fn(&Inputs) -> Result<Vec<ExampleTally>, RunError>,
    looks_back: Option<LooksBack>,
) -> Result<Report, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let outputs = matches!(want, Want::Outputs(_));
    let wanted = |_: &Plan| Ok(Purpose::Whole { outputs, seen: running.seen });
    let begin = |run: &mut Run<'_>, inputs: &Inputs| {
        run.examples = examples(inputs)?;
        run.room = running.room.cloned();
        run.looks_back = looks_back;
        run.reads_last = running.reads_last && inputs.are_read_once(run.plan, &run.demand);
        if running.lets_go {
            run.lifetimes = Lifetimes::new(run.plan, &run.demand);
        }
        match want {
            Want::Outputs(outputs) => run.open_outputs(outputs).map_err(RunError::Output),
            Want::Check => Ok(()),
        }
    };
    let end = |run: Run<'_>, _: &Inputs| run.close(want, running);
    worked(&mut inputs, (tree, settings), observer, wanted, begin, end)
}

/// Resolves a plan and does all the work for a purpose; again where cells contradict the types that
/// the plan was resolved with. `begin` sees each run before its work, `end` the one that came through.
///
/// # Errors
/// As [`run`](super::run), and what the three others say.
pub(super) fn worked<T>(
    inputs: &mut Inputs,
    (tree, settings): (&PlanTree, &[(String, String)]),
    observer: &dyn Observer,
    purpose: impl Fn(&Plan) -> Result<Purpose, RunError>,
    begin: impl Fn(&mut Run<'_>, &Inputs) -> Result<(), RunError>,
    end: impl FnOnce(Run<'_>, &Inputs) -> Result<T, RunError>,
) -> Result<T, RunError> {
    loop {
        let plan = inputs.resolve(tree, settings)?;
        let mut run = Run::new(&plan, purpose(&plan)?, observer);
        begin(&mut run, inputs)?;
        match run.work(inputs) {
            Ok(()) => {
                let room = run.room.clone();
                let told = end(run, inputs)?;
                // What is looked at afterwards is got from the disk as well: blanks in its place are no answer.
                let failed = room.and_then(|room| room.failed());
                return failed.map_or(Ok(told), |error| Err(RunError::Scratch(error)));
            }
            Err(Stop::Contradiction(input)) => inputs.settle(&plan, input)?,
            Err(Stop::Source(error)) => return Err(RunError::Source(error)),
            Err(Stop::Output(error)) => return Err(RunError::Output(error)),
            Err(Stop::Scratch(error)) => return Err(RunError::Scratch(error)),
        }
    }
}

/// What begins a run that has some room for columns, and nothing else to begin.
pub(super) fn within(
    room: Option<&Room>,
) -> impl Fn(&mut Run<'_>, &Inputs) -> Result<(), RunError> {
    move |run, _| {
        run.room = room.cloned();
        Ok(())
    }
}

/// A run on its way.
pub(super) struct Run<'a> {
    pub plan: &'a Plan,
    pub demand: Demand,
    pub world: World,
    observer: &'a dyn Observer,
    pub(super) room: Option<Room>,
    /// Whether no input is read again.
    reads_last: bool,
    looks_back: Option<LooksBack>,
    encoders: Vec<TableEncoder>,
    pub(super) outputs: Vec<Option<Box<dyn Output>>>,
    pub(super) sums: HashMap<TableId, TableSum>,
    pub(super) checks: HashMap<usize, CheckSum>,
    pub(super) totals: HashMap<usize, AllRows>,
    pub links: HashMap<LinkId, LinkTally>,
    faults: HashMap<GatherId, Faults>,
    /// What is told of sums over links that are tracked.
    pub(super) gathered: HashMap<GatherId, Vec<gather::GatheredPart>>,
    grouped: GroupFaults,
    pub(super) failed: HashSet<Work>,
    /// What goes when; nothing where all is looked at afterwards.
    lifetimes: Lifetimes,
    /// Total rows, by table: finished columns.
    pub total_rows: HashMap<TableId, Batch>,
    pub problems: Vec<Problem>,
    /// What came of the worked examples.
    pub examples: Vec<ExampleTally>,
    /// What is to be seen of tables, by table; nothing where that is not asked for.
    pub(super) first_rows: BTreeMap<TableId, FirstRows>,
    /// Rows that are left out of a link's share, where that is looked at by month.
    pub(super) left_out: HashMap<LinkId, Vec<bool>>,
}

impl<'a> Run<'a> {
    fn new(plan: &'a Plan, purpose: Purpose, observer: &'a dyn Observer) -> Self {
        let world = World {
            tables: plan.tables.iter().map(|_| None).collect(),
            places: plan.tables.iter().map(|_| None).collect(),
            links: plan.links.iter().map(|_| None).collect(),
            choices: plan.links.iter().map(|_| None).collect(),
            gathered: plan.gathers.iter().map(|_| None).collect(),
            totals: vec![],
        };
        Self {
            plan,
            demand: demand(plan, purpose),
            world,
            observer,
            room: None,
            reads_last: false,
            looks_back: None,
            encoders: vec![],
            outputs: vec![],
            sums: HashMap::new(),
            checks: HashMap::new(),
            totals: HashMap::new(),
            links: HashMap::new(),
            faults: HashMap::new(),
            gathered: HashMap::new(),
            grouped: GroupFaults::default(),
            failed: HashSet::new(),
            lifetimes: Lifetimes::default(),
            total_rows: HashMap::new(),
            problems: vec![],
            examples: vec![],
            first_rows: BTreeMap::new(),
            left_out: HashMap::new(),
        }
    }

    fn open_outputs(&mut self, outputs: &dyn Outputs) -> Result<(), OutputError> {
        for (at, output) in self.plan.outputs.iter().enumerate() {
            // Its columns are known when its table is.
            if output.wide.is_some() {
                self.outputs.push(None);
                continue;
            }
            let table = &self.plan.tables[output.table.0];
            let columns: Vec<_> = table
                .columns
                .iter()
                .map(|(name, slot)| (name.clone(), table.slots[slot.0]))
                .collect();
            let opened = outputs.begin(&output.path, &columns, &output.style)?;
            let encoder = opened.encoder();
            self.encoders.push(TableEncoder { table: output.table, output: at, encoder });
            self.outputs.push(Some(opened));
        }
        Ok(())
    }

    /// Does all the work in its order. What fails is noted, and with it all that needs it.
    fn work(&mut self, inputs: &Inputs) -> Result<(), Stop> {
        for (at, work) in self.demand.order.clone().into_iter().enumerate() {
            if let Some(before) = at.checked_sub(1) {
                self.lifetimes.let_go(before, &mut self.world);
            }
            if let Some(room) = &self.room {
                make_room(&mut self.world, room);
            }
            self.context().can_go_on()?;
            let failed = |needed: &Work| self.failed.contains(needed);
            if !matches!(work, Work::Table(_)) && needs(self.plan, work).iter().any(failed) {
                self.failed.insert(work);
                continue;
            }
            match work {
                Work::Table(first) => self.tables(first, inputs)?,
                Work::Link(link) => self.link(link, inputs),
                Work::Gather(id) => self.gather(id),
            }
        }
        self.context().can_go_on()
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
        // Outputs are written to while all else is only looked at.
        let mut outputs = std::mem::take(&mut self.outputs);
        let context = self.context();
        let reading = source
            .map(|source| Reading::begin(&context, first, (source, self.reads_last)))
            .transpose()?;
        if reading.is_none() {
            let base = match plan.source {
                Source::Base(base) => self.world.tables[base.0].as_ref(),
                Source::Input(_) | Source::Several(_) | Source::Calendar(_) => None,
            };
            let rows = base.map_or(0, |base| base.rows as u64);
            self.observer.stage(&format!("building {}", self.called(&tree)), rows);
        }
        let mut end = run_tree(&context, &tree, reading, failed, &mut outputs)?;
        self.outputs = outputs;
        end.sums[0].footer = source.map_or_else(Vec::new, InputSource::left_out);
        end.sums[0].unread = source.map_or_else(Vec::new, |source| source.shape().unread);
        end.sums[0].without_rows = source.and_then(InputSource::without_rows);
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
        for (at, sum) in end.sums.into_iter().enumerate() {
            if end.failed[at] {
                self.failed.insert(Work::Table(tree.tables[at]));
            } else {
                self.sums.insert(tree.tables[at], sum);
            }
        }
        let failed = |of: TableId| self.failed.contains(&Work::Table(of));
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
            let id = tree.tables[at];
            if self.demand.by_month {
                let first = seen::first_rows(&self.plan.tables[id.0], &table);
                self.first_rows.insert(id, first);
            }
            self.world.tables[id.0] = Some(table);
        }
        self.world.places[tree.tables[0].0] = end.places;
        let mut problems = end.problems;
        problems.sort_by_key(|(at, _)| tree.tables[*at]);
        self.problems.extend(problems.into_iter().map(|(_, problem)| problem));
    }

    fn link(&mut self, id: LinkId, inputs: &Inputs) {
        let link = &self.plan.links[id.0];
        let target = &self.plan.tables[link.to.0].name;
        self.observer.stage(&format!("linking to {target}"), 0);
        let took_out = self.took_out(link.to);
        let taken_out = |link: &LinkPlan, linked: &Linked| match self.looks_back {
            Some(looks_back) if took_out => looks_back(self.context(), inputs, (link, linked)),
            _ => links::KeysTakenOut::default(),
        };
        match links::build(&self.context(), id, taken_out) {
            Ok(built) => {
                if let Some(links::Built { index, choices, tally, left_out }) = built {
                    if let Some(left_out) = left_out {
                        self.left_out.insert(id, left_out);
                    }
                    self.world.links[id.0] = Some(index.packed());
                    self.world.choices[id.0] = choices;
                    self.links.insert(id, tally);
                }
            }
            Err(problem) => {
                self.problems.push(problem);
                self.failed.insert(Work::Link(id));
            }
        }
    }

    /// Whether a step of a table, or of one that it is made from, took out rows.
    fn took_out(&self, table: TableId) -> bool {
        let steps = self.sums.get(&table).map_or(&[][..], |sum| &sum.steps);
        steps.iter().any(|step| step.removed_rows > 0)
            || matches!(self.plan.tables[table.0].source, Source::Base(base) if self.took_out(base))
    }

    fn gather(&mut self, id: GatherId) {
        let found = gather::gather(&self.context(), id);
        if let Some(gather::Found { gathered, faults, told }) = found {
            self.world.gathered[id.0] = Some(gathered);
            self.faults.insert(id, faults);
            self.gathered.insert(id, told);
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
            room: self.room.as_ref(),
        }
    }
}
