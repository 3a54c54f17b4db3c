//! What is needed of each table: columns, slots until their last use, whole or only in passing,
//! and the order of work.

use std::collections::HashSet;

use crate::expr::{Kind, Typed};
use crate::resolve::{CheckKind, Lay, MistakePlan, Plan, Required, Source};
use crate::step::RowsBecome;
use crate::table::{GatherId, Hop, LinkId, SlotId, TableId, TotalId};

/// What a run is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Purpose {
    /// Everything: all tables, links, checks, outputs if they are written, and what a page shows of them if it is
    /// to be seen.
    Whole { outputs: bool, seen: bool },
    /// One table with all its columns, and what it needs.
    Table(TableId),
    /// What each step does with rows: all that tables have at each of them.
    Steps(Steps),
    /// One link with all columns of its source, and what it needs.
    Link(LinkId),
    /// Both ends of a link that is not built, with all their columns, and a table beside them.
    Ends { link: LinkId, beside: Option<TableId> },
}

/// The tables whose steps are looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Steps {
    /// One, and what it needs.
    To(TableId),
    /// One, what is made from it, and what leads to it.
    From(TableId),
    /// All.
    All,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Work {
    Table(TableId),
    Link(LinkId),
    Gather(GatherId),
}

#[derive(Debug, Default)]
pub(crate) struct Demand {
    /// In the order in which it can be done; of tables that are made together the first alone.
    pub order: Vec<Work>,
    pub tables: Vec<TableDemand>,
    /// Checks and totals that are worked while their table passes by; the others wait for the end.
    pub passing_checks: Vec<bool>,
    pub passing_totals: Vec<bool>,
    /// Whether links are looked at by month when all is done.
    pub by_month: bool,
}

#[derive(Debug, Default, Clone)]
pub(crate) struct TableDemand {
    pub wanted: bool,
    /// Whether all its rows must be at hand at once.
    pub whole: bool,
    /// Finished columns that are needed beyond the table itself.
    pub columns: Vec<bool>,
    /// The last step that uses a slot; the number of steps if it is needed at the end.
    pub last_use: Vec<Option<usize>>,
    /// Tables whose rows must be known for each row.
    pub origins: Vec<TableId>,
    /// The tables that are made from it; as it passes, unless it is whole.
    pub feeds: Vec<TableId>,
}

impl Demand {
    /// What is needed of each table, where every one that is not whole passes into all that are made from
    /// it.
    pub fn of_each(plan: &Plan, purpose: Purpose) -> Self {
        let whole = matches!(purpose, Purpose::Whole { .. });
        let mut demand = Demand {
            order: vec![],
            tables: plan
                .tables
                .iter()
                .map(|table| TableDemand {
                    columns: vec![false; table.columns.len()],
                    last_use: vec![None; table.slots.len()],
                    ..TableDemand::default()
                })
                .collect(),
            passing_checks: plan
                .checks
                .iter()
                .map(|check| whole && check.condition.stays_in_row())
                .collect(),
            by_month: matches!(purpose, Purpose::Whole { seen: true, .. }),
            passing_totals: plan
                .totals
                .iter()
                .map(|total| whole && total.plan.parts().all(Typed::stays_in_row))
                .collect(),
        };
        demand.sort(plan, purpose);
        demand.seed(plan, purpose);
        demand.name_rows(plan);
        for work in demand.order.clone().into_iter().rev() {
            match work {
                Work::Table(table) => demand.table(plan, table),
                Work::Link(link) => demand.link(plan, link, purpose),
                Work::Gather(gather) => demand.gather(plan, gather),
            }
        }
        demand
    }

    /// The tables that are made from one as it passes.
    pub fn fed_by(&self, table: TableId) -> &[TableId] {
        let demand = &self.tables[table.0];
        if demand.whole { &[] } else { &demand.feeds }
    }

    /// Orders the work so that everything comes after what it needs.
    fn sort(&mut self, plan: &Plan, purpose: Purpose) {
        let mut seen = HashSet::new();
        let mut visit = |work| visit_order(plan, work, &mut seen, &mut self.order);
        match purpose {
            Purpose::Whole { .. } => {
                (0..plan.tables.len()).for_each(|table| visit(Work::Table(TableId(table))));
                (0..plan.links.len()).for_each(|link| visit(Work::Link(LinkId(link))));
                (0..plan.gathers.len()).for_each(|gather| visit(Work::Gather(GatherId(gather))));
            }
            Purpose::Table(table) => visit(Work::Table(table)),
            Purpose::Steps(Steps::To(table)) => visit(Work::Table(table)),
            Purpose::Steps(Steps::All) => {
                (0..plan.tables.len()).for_each(|table| visit(Work::Table(TableId(table))));
            }
            Purpose::Steps(Steps::From(table)) => {
                made_from(plan, table).into_iter().for_each(|table| visit(Work::Table(table)));
                let links = plan.links.iter().enumerate().filter(|(_, link)| link.to == table);
                links.for_each(|(link, _)| visit(Work::Link(LinkId(link))));
            }
            Purpose::Link(link) => visit(Work::Link(link)),
            Purpose::Ends { link, beside } => {
                needs(plan, Work::Link(link)).into_iter().for_each(&mut visit);
                beside.into_iter().for_each(|table| visit(Work::Table(table)));
            }
        }
        for work in &self.order {
            if let Work::Table(table) = work {
                self.tables[table.0].wanted = true;
            }
        }
        // What a table is warned of may be seen in a link that it does not follow.
        for warning in plan.warnings.iter().filter(|warning| self.tables[warning.table.0].wanted) {
            if let MistakePlan::RowsCounted { link, .. } = &warning.what {
                visit_order(plan, Work::Link(*link), &mut seen, &mut self.order);
            }
        }
        for work in &self.order {
            if let Work::Table(table) = work {
                self.tables[table.0].wanted = true;
            }
        }
    }

    /// What is needed for its own sake.
    fn seed(&mut self, plan: &Plan, purpose: Purpose) {
        match purpose {
            Purpose::Table(table) => {
                let table = &mut self.tables[table.0];
                table.whole = true;
                table.columns.fill(true);
            }
            Purpose::Link(_) => {}
            Purpose::Steps(_) => {
                let wanted = self.tables.iter_mut().zip(&plan.tables).filter(|(own, _)| own.wanted);
                for (own, table) in wanted {
                    own.whole = true;
                    own.last_use.fill(Some(table.steps.len()));
                }
            }
            Purpose::Ends { link, beside } => {
                let ends = [plan.links[link.0].from, plan.links[link.0].to];
                for table in ends.into_iter().chain(beside) {
                    self.tables[table.0].whole = true;
                    self.tables[table.0].columns.fill(true);
                }
                self.link(plan, link, purpose);
            }
            Purpose::Whole { outputs, seen } => {
                if seen {
                    self.seed_seen(plan);
                }
                if outputs {
                    for output in &plan.outputs {
                        self.tables[output.table.0].columns.fill(true);
                    }
                }
                for output in plan.outputs.iter().filter(|output| output.wide.is_some()) {
                    self.tables[output.table.0].columns.fill(true);
                    self.tables[output.table.0].whole = true;
                }
                for chart in &plan.charts {
                    let table = &mut self.tables[chart.table.0];
                    chart.columns().for_each(|column| table.columns[column.0] = true);
                    table.whole = true;
                }
                for (at, check) in plan.checks.iter().enumerate() {
                    if let CheckKind::Rows { table, .. } = check.kind {
                        self.over_finished(plan, table, &check.condition, self.passing_checks[at]);
                        self.grain_of(plan, table);
                    }
                }
                for (at, total) in plan.totals.iter().enumerate() {
                    for part in total.plan.parts() {
                        self.over_finished(plan, total.table, part, self.passing_totals[at]);
                    }
                }
            }
        }
        // What is warned of is looked at where its table is built.
        for warning in &plan.warnings {
            if let MistakePlan::SharedName { of, name, .. } = &warning.what
                && self.tables[warning.table.0].wanted
            {
                self.tables[of.0].whole = true;
                self.tables[of.0].columns[name.0] = true;
            }
        }
        for (at, table) in plan.tables.iter().enumerate() {
            if !self.tables[at].wanted {
                continue;
            }
            if let Source::Several(several) = &table.source {
                for (part, from) in super::lineage::needed(plan, several) {
                    self.origin_numbers(plan, part, from);
                    // Rows of an input are told apart by their numbers as read, those of other
                    // tables by their numbers when they are finished.
                    self.tables[from.0].whole |= !numbered_as_read(plan, from);
                }
                several.tables.iter().for_each(|base| self.tables[base.0].whole = true);
            }
            let Source::Base(base) = table.source else { continue };
            self.tables[base.0].feeds.push(TableId(at));
        }
    }

    /// Every row can be traced to the input it came from, so that messages name its line.
    fn name_rows(&mut self, plan: &Plan) {
        for at in 0..plan.tables.len() {
            let input = plan.input_of(TableId(at));
            if !self.tables[at].origins.contains(&input) {
                self.tables[at].origins.push(input);
            }
        }
    }

    pub fn grain_of(&mut self, plan: &Plan, table: TableId) {
        for column in plan.tables[table.0].grain_columns() {
            self.tables[table.0].columns[column.0] = true;
        }
    }

    /// An expression over a finished table.
    fn over_finished(&mut self, plan: &Plan, table: TableId, typed: &Typed, passing: bool) {
        if !passing {
            self.tables[table.0].whole = true;
        }
        for column in typed.columns() {
            self.tables[table.0].columns[column.0] = true;
        }
        self.follow(plan, table, typed);
    }

    /// Notes what the paths of an expression need: columns where they lead, rows where they begin.
    fn follow(&mut self, plan: &Plan, table: TableId, typed: &Typed) {
        typed.visit(&mut |part| {
            let (from, hops) = match &part.kind {
                Kind::Path { from, hops, target, column } => {
                    let target = &mut self.tables[target.0];
                    target.whole = true;
                    target.columns[column.0] = true;
                    (*from, hops.as_slice())
                }
                Kind::Leads { from, hops } | Kind::Choices { from, hops, .. } => {
                    (*from, hops.as_slice())
                }
                Kind::Gathered { from, .. } => (*from, [].as_slice()),
                _ => return,
            };
            self.origin(plan, table, from);
            for hop in hops {
                if let Hop::Origin { of, base } | Hop::Within { of, base } = hop {
                    self.origin(plan, *of, *base);
                }
            }
        });
    }

    /// Rows of `table` must know their rows of `origin`.
    fn origin(&mut self, plan: &Plan, table: TableId, origin: TableId) {
        if self.origin_numbers(plan, table, origin) {
            self.tables[origin.0].whole = true;
        }
    }

    /// Rows of `table` must know the numbers of their rows of `origin`, which need not be at hand.
    /// Gives whether `table` comes from there.
    fn origin_numbers(&mut self, plan: &Plan, table: TableId, origin: TableId) -> bool {
        let mut at = table;
        while at != origin {
            if !self.tables[at.0].origins.contains(&origin) {
                self.tables[at.0].origins.push(origin);
            }
            let Source::Base(base) = plan.tables[at.0].source else { return false };
            at = base;
        }
        true
    }

    fn table(&mut self, plan: &Plan, id: TableId) {
        let table = &plan.tables[id.0];
        let steps = table.steps.len();
        for (at, (_, slot)) in table.columns.iter().enumerate() {
            if self.tables[id.0].columns[at] {
                self.tables[id.0].last_use[slot.0] = Some(steps);
            }
        }
        // What can fail is worked whether or not anything needs its value: a plan holds or does not
        // hold, whichever of its results are looked at.
        let lacking: HashSet<SlotId> =
            table.steps.iter().flat_map(|step| step.step.work().may_lack()).collect();
        let can_fail = |value: &Typed| {
            value.can_fail() || value.slots().iter().any(|slot| lacking.contains(slot))
        };
        for (at, step) in table.steps.iter().enumerate() {
            for (slot, _) in step.step.work().assigned().iter().filter(|(_, v)| can_fail(v)) {
                self.use_slot(id, *slot, at);
            }
        }
        if let Source::Input(input) = &table.source {
            for (slot, column) in &table.imports {
                if input.read_columns.contains(column) {
                    self.use_slot(id, *slot, 0);
                }
            }
        }
        for tracked in &table.tracked {
            let last = tracked.ends_at.unwrap_or(steps);
            self.use_slot(id, tracked.last_slot(), last);
            for (from, slot) in &tracked.versions {
                self.use_slot(id, *slot, (*from).min(last));
            }
            // What it is in is looked at wherever it is.
            for (at, (from, slot)) in tracked.apart.iter().enumerate() {
                let until = tracked.apart.get(at + 1).map_or(last, |(next, _)| *next);
                self.use_slot(id, *slot, (*from).max(until).min(last));
            }
        }
        for (at, step) in table.steps.iter().enumerate().rev() {
            let work = step.step.work();
            for (slot, value) in work.assigned().iter().rev() {
                if self.tables[id.0].last_use[slot.0].is_some() {
                    self.use_all(plan, id, value, at);
                }
            }
            work.expressions().into_iter().for_each(|typed| self.use_all(plan, id, typed, at));
            work.slots().into_iter().for_each(|slot| self.use_slot(id, slot, at));
            // What is replaced or ends is summed for the tally.
            let summed = table.tracked.iter().filter_map(|tracked| tracked.ends_or_changes(at));
            summed.for_each(|slot| self.use_slot(id, slot, at));
        }
        if let Source::Base(base) = table.source {
            for (slot, column) in &table.imports {
                if self.tables[id.0].last_use[slot.0].is_some() {
                    self.tables[base.0].columns[column.0] = true;
                }
            }
        }
        if let Source::Several(several) = &table.source {
            let keys = match several.lay {
                Lay::Meeting { keys } => keys,
                Lay::Stacked { .. } => 0,
            };
            for (at, (slot, places)) in several.columns.iter().enumerate() {
                // What rows meet on is looked at in any case.
                let needed = at < keys || self.tables[id.0].last_use[slot.0].is_some();
                for (base, place) in several.tables.iter().zip(places) {
                    if let Some(place) = place.filter(|_| needed) {
                        self.tables[base.0].columns[place.0] = true;
                    }
                }
            }
        }
    }

    fn use_slot(&mut self, table: TableId, slot: SlotId, step: usize) {
        let last = &mut self.tables[table.0].last_use[slot.0];
        *last = Some(last.map_or(step, |last| last.max(step)));
    }

    fn use_all(&mut self, plan: &Plan, table: TableId, typed: &Typed, step: usize) {
        typed.visit(&mut |part| {
            if let Kind::Slot(slot) = part.kind {
                self.use_slot(table, slot, step);
            }
        });
        self.follow(plan, table, typed);
    }

    fn link(&mut self, plan: &Plan, link: LinkId, purpose: Purpose) {
        let link_plan = &plan.links[link.0];
        for left in link_plan.left_parts() {
            self.over_finished(plan, link_plan.from, left, false);
        }
        for right in link_plan.right_parts() {
            self.over_finished(plan, link_plan.to, right, false);
        }
        for column in link_plan.preferred() {
            self.tables[link_plan.to.0].columns[column.0] = true;
        }
        self.grain_of(plan, link_plan.from);
        if link_plan.period.is_some() {
            // Ties are settled by it, and periods are named by it.
            self.grain_of(plan, link_plan.to);
        }
        let from = &plan.tables[link_plan.from.0];
        let all = purpose == Purpose::Link(link);
        for (at, (name, slot)) in from.columns.iter().enumerate() {
            let tracked = from.tracked.iter().any(|t| t.ends_at.is_none() && t.is_of(*slot));
            let asked = matches!(&link_plan.required,
                Some(Required::Share { of: Some((of, _)), .. }) if of == name);
            if tracked || asked || all {
                self.tables[link_plan.from.0].columns[at] = true;
            }
        }
    }

    fn gather(&mut self, plan: &Plan, gather: GatherId) {
        let gather = &plan.gathers[gather.0];
        self.tables[gather.from.0].whole = true;
        self.tables[gather.to.0].whole = true;
        for part in gather.parts() {
            self.over_finished(plan, gather.from, part, false);
        }
        for hop in &gather.hops {
            if let Hop::Origin { of, base } | Hop::Within { of, base } = hop {
                self.tables[of.0].whole = true;
                self.origin(plan, *of, *base);
            }
        }
    }
}

/// A table and all that are made from it, each behind what it is made from.
pub(super) fn made_from(plan: &Plan, table: TableId) -> Vec<TableId> {
    let mut found = vec![table];
    let mut at = 0;
    while at < found.len() {
        for (other, of) in plan.tables.iter().enumerate() {
            if !found.contains(&TableId(other)) && of.bases().contains(&found[at]) {
                found.push(TableId(other));
            }
        }
        at += 1;
    }
    in_order(plan, &found)
}

/// Tables, each behind those that it is made from.
pub(super) fn in_order(plan: &Plan, tables: &[TableId]) -> Vec<TableId> {
    let (mut seen, mut order) = (HashSet::new(), vec![]);
    tables.iter().for_each(|table| visit_order(plan, Work::Table(*table), &mut seen, &mut order));
    let table = |work: Work| match work {
        Work::Table(table) if tables.contains(&table) => Some(table),
        Work::Table(_) | Work::Link(_) | Work::Gather(_) => None,
    };
    order.into_iter().filter_map(table).collect()
}

/// Whether rows of a table are told apart by their numbers in the files of an input.
fn numbered_as_read(plan: &Plan, table: TableId) -> bool {
    let table = &plan.tables[table.0];
    let mut steps = table.steps.iter().map(|step| step.step.work().rows());
    matches!(table.source, Source::Input(_)) && steps.all(|rows| rows != RowsBecome::Several)
}

fn visit_order(plan: &Plan, work: Work, seen: &mut HashSet<Work>, order: &mut Vec<Work>) {
    if !seen.insert(work) {
        return;
    }
    for needed in needs(plan, work) {
        visit_order(plan, needed, seen, order);
    }
    order.push(work);
}

/// What must be done before some work.
pub(crate) fn needs(plan: &Plan, work: Work) -> Vec<Work> {
    let (mut needed, mut leads) = (vec![], vec![]);
    let mut paths = |typed: &Typed| {
        typed.visit(&mut |part| match &part.kind {
            Kind::Path { hops, target, .. } => {
                needed.extend(hops.iter().map(hop_work));
                needed.push(Work::Table(*target));
            }
            Kind::Leads { hops, .. } => needed.extend(hops.iter().map(hop_work)),
            Kind::Choices { hops, link, .. } => {
                needed.extend(hops.iter().map(hop_work));
                needed.push(Work::Link(*link));
            }
            Kind::Gathered { id, .. } => needed.push(Work::Gather(*id)),
            _ => {}
        });
    };
    match work {
        Work::Table(table) => {
            let table = &plan.tables[table.0];
            for work in table.steps.iter().map(|step| step.step.work()) {
                work.assigned().iter().for_each(|(_, value)| paths(value));
                work.expressions().into_iter().for_each(&mut paths);
                leads.extend(work.leads().map(|(_, gather)| Work::Gather(gather)));
            }
            match &table.source {
                Source::Base(base) => needed.push(Work::Table(*base)),
                Source::Several(several) => {
                    needed.extend(several.tables.iter().map(|table| Work::Table(*table)));
                }
                Source::Input(_) | Source::Calendar(_) => {}
            }
        }
        Work::Link(link) => {
            let link = &plan.links[link.0];
            link.left_parts().for_each(&mut paths);
            needed.extend([Work::Table(link.from), Work::Table(link.to)]);
        }
        Work::Gather(gather) => {
            let gather = &plan.gathers[gather.0];
            gather.parts().for_each(&mut paths);
            needed.extend([Work::Table(gather.from), Work::Table(gather.to)]);
            needed.extend(gather.hops.iter().map(hop_work));
        }
    }
    needed.extend(leads);
    needed
}

fn hop_work(hop: &Hop) -> Work {
    match hop {
        Hop::Link(link) => Work::Link(*link),
        Hop::Origin { of, .. } | Hop::Within { of, .. } => Work::Table(*of),
    }
}

/// What the parts of checks that wait for the end need: totals, and work on paths.
pub(crate) fn check_needs(plan: &Plan, typed: &Typed) -> (Vec<Work>, Vec<TotalId>) {
    let mut works = vec![];
    let mut totals = vec![];
    typed.visit(&mut |part| match &part.kind {
        Kind::Path { hops, target, .. } => {
            works.extend(hops.iter().map(hop_work));
            works.push(Work::Table(*target));
        }
        Kind::Leads { hops, .. } => works.extend(hops.iter().map(hop_work)),
        Kind::Choices { hops, link, .. } => {
            works.extend(hops.iter().map(hop_work));
            works.push(Work::Link(*link));
        }
        Kind::Gathered { id, .. } => works.push(Work::Gather(*id)),
        Kind::Total(id) => {
            totals.push(*id);
            let total = &plan.totals[id.0];
            works.push(Work::Table(total.table));
            for inner in total.plan.parts() {
                let (more, _) = check_needs(plan, inner);
                works.extend(more);
            }
        }
        _ => {}
    });
    (works, totals)
}
