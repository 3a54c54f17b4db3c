//! How long what is finished is held: each column of a table, each link and each gathered column goes
//! after the last work that reads it.
//!
//! What reads them is told by the same plan that says what is needed (`demand.rs`), not by looking
//! whether anything missed them: a column that is read after it went would be a fault of the program,
//! which stops the run and never a blank. Where rows came from, and their places, stay: messages name
//! them. What is read when all work is done (checks and totals over links, warnings) stays as well.

use std::collections::HashMap;

use super::demand::{Demand, Work};
use super::seen::day_of;
use super::tree::Tree;
use crate::expr::{Kind, Typed, World};
use crate::resolve::{CheckKind, GatherWhat, MistakePlan, Plan, Required, Source};
use crate::table::{ColumnId, GatherId, Hop, LinkId, TableId};

/// What is let go by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Held {
    Column(TableId, ColumnId),
    Link(LinkId),
    Gathered(GatherId),
}

/// What goes after each work, by its place in the order.
#[derive(Debug, Default)]
pub(super) struct Lifetimes(Vec<Vec<Held>>);

impl Lifetimes {
    /// What can go, where all is done in the order that `demand` says.
    pub fn new(plan: &Plan, demand: &Demand) -> Self {
        let mut last = LastReads { plan, demand, last: HashMap::new() };
        for (at, work) in demand.order.iter().enumerate() {
            match work {
                Work::Table(first) => last.tables(*first, at),
                Work::Link(link) => last.link(*link, at),
                Work::Gather(gather) => last.gather(*gather, at),
            }
        }
        last.at_the_end();
        let mut goes = vec![vec![]; demand.order.len()];
        for (held, at) in last.last {
            if let Some(goes) = goes.get_mut(at) {
                goes.push(held);
            }
        }
        Self(goes)
    }

    /// Lets go of what no work after this one reads.
    pub fn let_go(&self, at: usize, world: &mut World) {
        for held in self.0.get(at).into_iter().flatten() {
            match *held {
                Held::Column(table, column) => {
                    if let Some(table) = &mut world.tables[table.0] {
                        table.columns[column.0] = None;
                    }
                }
                Held::Link(link) => {
                    world.links[link.0] = None;
                    world.choices[link.0] = None;
                }
                Held::Gathered(gathered) => world.gathered[gathered.0] = None,
            }
        }
    }
}

/// The place of the last work that reads something; behind all where it is read at the end.
struct LastReads<'p> {
    plan: &'p Plan,
    demand: &'p Demand,
    last: HashMap<Held, usize>,
}

impl LastReads<'_> {
    fn read(&mut self, held: Held, at: usize) {
        let last = self.last.entry(held).or_insert(at);
        *last = at.max(*last);
    }

    fn column(&mut self, table: TableId, column: ColumnId, at: usize) {
        self.read(Held::Column(table, column), at);
    }

    fn named(&mut self, table: TableId, name: &str, at: usize) {
        let columns = &self.plan.tables[table.0].columns;
        if let Some(column) = columns.iter().position(|(known, _)| known == name) {
            self.column(table, ColumnId(column), at);
        }
    }

    /// The columns of a table's grain, which messages name rows by.
    fn grain(&mut self, table: TableId, at: usize) {
        let grain = self.plan.tables[table.0].grain.as_ref();
        for name in grain.iter().flat_map(|grain| &grain.columns) {
            self.named(table, name, at);
        }
    }

    /// What the paths of an expression read.
    fn paths(&mut self, typed: &Typed, at: usize) {
        typed.visit(&mut |part| match &part.kind {
            Kind::Path { hops, target, column, .. } => {
                self.hops(hops, at);
                self.column(*target, *column, at);
            }
            Kind::Leads { hops, .. } => self.hops(hops, at),
            Kind::Choices { hops, link, .. } => {
                self.hops(hops, at);
                self.read(Held::Link(*link), at);
            }
            Kind::Gathered { id, .. } => match self.plan.gathers[id.0].what {
                // Rows that lead to a step's rows are worked where the step is.
                GatherWhat::Rows(_) | GatherWhat::Each(_) => self.gather(*id, at),
                GatherWhat::Aggregate(_) | GatherWhat::Presence => {
                    self.read(Held::Gathered(*id), at);
                }
            },
            _ => {}
        });
    }

    fn hops(&mut self, hops: &[Hop], at: usize) {
        for hop in hops {
            if let Hop::Link(link) = hop {
                self.read(Held::Link(*link), at);
            }
        }
    }

    /// The same, and the columns that it sees of a finished table.
    fn over_finished(&mut self, table: TableId, typed: &Typed, at: usize) {
        typed.columns().into_iter().for_each(|column| self.column(table, column, at));
        self.paths(typed, at);
    }

    /// Tables that are made together, by the first.
    fn tables(&mut self, first: TableId, at: usize) {
        let plan = self.plan;
        for id in Tree::new(self.demand, first).tables {
            let table = &plan.tables[id.0];
            for column in 0..table.columns.len() {
                self.column(id, ColumnId(column), at);
            }
            for work in table.steps.iter().map(|step| step.step.work()) {
                work.assigned().iter().for_each(|(_, value)| self.paths(value, at));
                work.expressions().into_iter().for_each(|typed| self.paths(typed, at));
                work.leads().into_iter().for_each(|(_, gather)| self.gather(gather, at));
            }
            match &table.source {
                Source::Base(base) => {
                    table.imports.iter().for_each(|(_, column)| self.column(*base, *column, at));
                }
                Source::Several(several) => {
                    for (table, place) in several.tables.iter().enumerate() {
                        for (_, places) in &several.columns {
                            places[table]
                                .iter()
                                .for_each(|column| self.column(*place, *column, at));
                        }
                        self.grain(*place, at);
                    }
                }
                Source::Input(_) | Source::Calendar(_) => {}
            }
        }
    }

    fn link(&mut self, id: LinkId, at: usize) {
        self.read(Held::Link(id), at);
        let plan = self.plan;
        let link = &plan.links[id.0];
        link.left_parts().for_each(|left| self.over_finished(link.from, left, at));
        link.right_parts().for_each(|right| self.over_finished(link.to, right, at));
        link.preferred().for_each(|column| self.column(link.to, column, at));
        // Grains and amounts are told with what is found.
        self.grain(link.from, at);
        self.grain(link.to, at);
        let from = &plan.tables[link.from.0];
        for (column, (name, slot)) in from.columns.iter().enumerate() {
            let tracked = from.tracked.iter().any(|amount| amount.is_of(*slot));
            let asked = matches!(&link.required,
                Some(Required::Share { of: Some((of, _)), .. }) if of == name);
            if tracked || asked {
                self.column(link.from, ColumnId(column), at);
            }
        }
    }

    fn gather(&mut self, id: GatherId, at: usize) {
        self.read(Held::Gathered(id), at);
        let gather = &self.plan.gathers[id.0];
        self.hops(&gather.hops, at);
        for part in gather.parts() {
            self.over_finished(gather.from, part, at);
        }
        self.grain(gather.from, at);
        self.grain(gather.to, at);
    }

    /// Checks and totals that wait for all links, and what is warned of.
    fn at_the_end(&mut self) {
        let (plan, end) = (self.plan, usize::MAX);
        let waiting = plan.checks.iter().zip(&self.demand.passing_checks);
        for (check, _) in waiting.filter(|(_, passing)| !**passing) {
            if let CheckKind::Rows { table, .. } = check.kind {
                self.over_finished(table, &check.condition, end);
                self.grain(table, end);
            } else {
                self.paths(&check.condition, end);
            }
        }
        let waiting = plan.totals.iter().zip(&self.demand.passing_totals);
        for (total, _) in waiting.filter(|(_, passing)| !**passing) {
            total.plan.parts().for_each(|part| self.over_finished(total.table, part, end));
        }
        for output in plan.outputs.iter().filter(|output| output.wide.is_some()) {
            for column in 0..plan.tables[output.table.0].columns.len() {
                self.column(output.table, ColumnId(column), end);
            }
        }
        for chart in &plan.charts {
            chart.columns().for_each(|column| self.column(chart.table, column, end));
        }
        for link in (0..plan.links.len()).map(LinkId).filter(|_| self.demand.by_month) {
            self.read(Held::Link(link), end);
            if let Some(day) = day_of(plan, link) {
                self.column(day.table, day.column, end);
            }
        }
        for warning in &plan.warnings {
            if let MistakePlan::SharedName { of, name, .. } = &warning.what {
                self.column(*of, *name, end);
            }
        }
    }
}
