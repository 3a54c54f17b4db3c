//! Adds up what batches say of their steps, and makes a table's tally of it.

use std::collections::HashMap;

use crate::resolve::{Plan, Source, TablePlan};
use crate::step::{RowsBecome, StepSum, add};
use crate::table::{Amount, GatherId, TableId};
use crate::tally::{
    BadCell, GatheredAmount, GrainChange, OddHoursTold, Part, SetAside, StackedTwice, StepTally,
    TableTally, TrackedName,
};

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
    pub odd_hours: Vec<OddHoursTold>,
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
    pub fn tally(
        &self,
        plan: &Plan,
        id: TableId,
        gathered: &HashMap<GatherId, GatheredAmount>,
    ) -> TableTally {
        let table = &plan.tables[id.0];
        let nothing = || vec![None; table.tracked.len()];
        let mut rows = self.rows;
        let mut amounts = if self.finished { self.sums.clone() } else { nothing() };
        let mut tallies = vec![];
        for (at, step) in table.steps.iter().enumerate().rev() {
            let (sum, work) = (&self.steps[at], step.step.work());
            let tally = StepTally {
                text: step.text.clone(),
                rows,
                amounts: amounts.clone(),
                grain: step.grain.clone().map(|(before, after)| GrainChange { before, after }),
                detail: work.detail(table, at, sum),
            };
            if step.numbered {
                tallies.push(tally);
            }
            match work.rows() {
                RowsBecome::Fewer => {
                    rows += sum.removed_rows;
                    if sum.seen {
                        add(&mut amounts, &sum.removed, false);
                    }
                }
                RowsBecome::Several | RowsBecome::Groups if sum.seen => rows = sum.rows_before,
                RowsBecome::Several | RowsBecome::Groups => {}
                RowsBecome::Same | RowsBecome::Moved => {}
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
                    foreseen: tracked.foreseen,
                    gathered: tracked.gathered.and_then(|id| gathered.get(&id).cloned()),
                })
                .collect(),
            rows,
            amounts,
            steps: tallies,
            blanked: self.blanked.clone(),
            aside: self.aside.clone(),
            odd_hours: self.odd_hours.clone(),
            zero_divisions: self.zero_divisions,
            footer: self.footer.clone(),
            parts: self.parts.clone(),
            twice: self.twice.clone(),
        }
    }
}
