//! Adds up what batches say of their steps, and makes a table's tally of it.

use crate::resolve::{Plan, Source, Step, TablePlan};
use crate::table::{Amount, TableId};
use crate::tally::{
    BadCell, Cut, GrainChange, GroupSizes, Mistake, Part, SetAside, StackedTwice, StepDetail,
    StepTally, TableTally, TrackedName,
};

/// What happened in one step, over some rows.
#[derive(Debug, Clone, Default)]
pub(super) struct StepSum {
    pub removed_rows: u64,
    pub blank: u64,
    /// For each tracked amount what went with the removed rows.
    pub removed: Vec<Option<Amount>>,
    /// For each tracked amount what it was before the step, where the step changes or ends it.
    pub before: Vec<Option<Amount>>,
    pub rows_before: u64,
    pub cut: Cut,
    /// Of groups that rows became.
    pub sizes: Option<GroupSizes>,
    /// Of a `top`: rows that went, and that stayed, though they tie with the last.
    pub ties: Option<(u64, u64)>,
    /// What the rows of a step show to be usually a mistake.
    pub mistakes: Vec<Mistake>,
    pub seen: bool,
}

fn add(all: &mut Vec<Option<Amount>>, more: &[Option<Amount>], first: bool) {
    if first {
        all.clear();
        all.extend_from_slice(more);
        return;
    }
    for (sum, more) in all.iter_mut().zip(more) {
        *sum = sum.zip(*more).map(|(sum, more)| sum.plus(more));
    }
}

impl StepSum {
    pub fn absorb(&mut self, more: &StepSum) {
        let first = !self.seen;
        self.seen = true;
        self.removed_rows += more.removed_rows;
        self.blank += more.blank;
        self.rows_before += more.rows_before;
        add(&mut self.removed, &more.removed, first);
        add(&mut self.before, &more.before, first);
        self.cut.copies += more.cut.copies;
        self.cut.older += more.cut.older;
        self.cut.ties += more.cut.ties;
        self.cut.blank_keys += more.cut.blank_keys;
        self.cut.by_key |= more.cut.by_key;
        self.sizes = self.sizes.or(more.sizes);
        self.ties = self.ties.or(more.ties);
        self.mistakes.extend_from_slice(&more.mistakes);
    }
}

/// What happened in a table's steps.
#[derive(Debug, Clone, Default)]
pub(super) struct TableSum {
    pub steps: Vec<StepSum>,
    pub rows: u64,
    /// For each tracked amount what it is at the end.
    pub sums: Vec<Option<Amount>>,
    pub finished: bool,
    pub blanked: Vec<(String, u64)>,
    pub aside: Vec<SetAside>,
    pub zero_divisions: u64,
    pub footer: Vec<BadCell>,
    pub parts: Vec<Part>,
    pub twice: Option<StackedTwice>,
}

impl TableSum {
    pub fn new(plan: &TablePlan) -> Self {
        Self { steps: vec![StepSum::default(); plan.steps.len()], ..Self::default() }
    }

    pub fn finish(&mut self, rows: u64, sums: &[Option<Amount>]) {
        self.rows += rows;
        add(&mut self.sums, sums, !self.finished);
        self.finished = true;
    }

    /// The table's tally. Amounts are known at the end and worked backwards: what a step took out
    /// is added again.
    pub fn tally(&self, plan: &Plan, id: TableId) -> TableTally {
        let table = &plan.tables[id.0];
        let nothing = || vec![None; table.tracked.len()];
        let mut rows = self.rows;
        let mut amounts = if self.finished { self.sums.clone() } else { nothing() };
        let mut tallies = vec![];
        for (at, step) in table.steps.iter().enumerate().rev() {
            let sum = &self.steps[at];
            let tally = StepTally {
                text: step.text.clone(),
                rows,
                amounts: amounts.clone(),
                grain: step.grain.clone().map(|(before, after)| GrainChange { before, after }),
                detail: detail(table, at, sum),
            };
            if step.numbered {
                tallies.push(tally);
            }
            match &step.step {
                Step::Filter { .. }
                | Step::Dedupe { .. }
                | Step::DedupeBy { .. }
                | Step::Top(_) => {
                    rows += sum.removed_rows;
                    if sum.seen {
                        add(&mut amounts, &sum.removed, false);
                    }
                }
                Step::Units(_) | Step::OneRow(_) if sum.seen => rows = sum.rows_before,
                _ => {}
            }
            for (index, tracked) in table.tracked.iter().enumerate() {
                if let Some(Some(before)) = sum.before.get(index) {
                    amounts[index] = Some(*before);
                }
                if tracked.from_step > at {
                    amounts[index] = None;
                }
            }
        }
        tallies.reverse();
        let begins_as = match &table.source {
            Source::Input(_) | Source::Calendar(_) => table.name.clone(),
            Source::Base(base) => plan.tables[base.0].name.clone(),
            Source::Several(several) => {
                let names = several.tables.iter().map(|table| plan.tables[table.0].name.as_str());
                names.collect::<Vec<_>>().join(", ")
            }
        };
        TableTally {
            name: table.name.clone(),
            grain: table.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()),
            one_row: table.is_one_row(),
            begins_as,
            input: matches!(table.source, Source::Input(_) | Source::Calendar(_)),
            tracked: table
                .tracked
                .iter()
                .map(|tracked| TrackedName {
                    name: tracked.name.clone(),
                    base_name: tracked.base_name.clone(),
                })
                .collect(),
            rows,
            amounts,
            steps: tallies,
            blanked: self.blanked.clone(),
            aside: self.aside.clone(),
            zero_divisions: self.zero_divisions,
            footer: self.footer.clone(),
            parts: self.parts.clone(),
            twice: self.twice.clone(),
        }
    }
}

fn detail(table: &TablePlan, at: usize, sum: &StepSum) -> StepDetail {
    match &table.steps[at].step {
        Step::Filter { keep, .. } => StepDetail::Filter { blank: sum.blank, stayed: !keep },
        Step::Dedupe { .. } | Step::DedupeBy { .. } => StepDetail::Dedupe(sum.cut),
        Step::Units(_) => StepDetail::Units {
            conserved: table
                .tracked
                .iter()
                .filter(|tracked| tracked.versions.iter().any(|(from, _)| *from == at + 1))
                .map(|tracked| tracked.name.clone())
                .collect(),
        },
        Step::OneRow(plan) => StepDetail::Groups {
            sizes: sum.sizes.unwrap_or_default(),
            total: plan.total.clone(),
            ends: plan.ends.clone(),
        },
        Step::Top(_) => {
            let (cut, kept) = sum.ties.unwrap_or_default();
            StepDetail::Ties { cut, kept }
        }
        _ => {
            let ends = table.tracked.iter().filter(|tracked| tracked.ends_at == Some(at));
            let names: Vec<String> = ends.map(|tracked| tracked.name.clone()).collect();
            if names.is_empty() { StepDetail::Plain } else { StepDetail::Ends { names } }
        }
    }
}
