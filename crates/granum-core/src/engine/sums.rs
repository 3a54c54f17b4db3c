//! Adds up what batches say of their steps, and makes a table's tally of it.

use std::collections::HashMap;

use super::gather::GatheredPart;
use crate::aggregate::Sum;
use crate::bug::Sure;
use crate::resolve::{Plan, Source, TablePlan};
use crate::step::{RowsBecome, StepSum, add};
use crate::table::{Amount, GatherId, InWhat, TableId};
use crate::tally::{
    BadCell, GrainChange, OddHoursTold, Part, SetAside, StackedTwice, StepTally, TableTally,
    TrackedName, Unread, WithoutRows,
};

/// What happened in a table's steps.
#[derive(Debug, Clone, Default)]
pub(super) struct TableSum {
    pub steps: Vec<StepSum>,
    pub rows: u64,
    /// For each tracked amount what it is at the end.
    pub sums: Vec<Option<Sum>>,
    pub finished: bool,
    pub blanked: Vec<(String, u64)>,
    pub aside: Vec<SetAside>,
    pub odd_hours: Vec<OddHoursTold>,
    pub zero_divisions: u64,
    pub footer: Vec<BadCell>,
    pub without_rows: Option<WithoutRows>,
    pub unread: Vec<Unread>,
    pub parts: Vec<Part>,
    pub twice: Option<StackedTwice>,
}

impl TableSum {
    pub fn new(plan: &TablePlan) -> Self {
        Self { steps: vec![StepSum::default(); plan.steps.len()], ..Self::default() }
    }

    pub fn finish(&mut self, rows: u64, sums: &[Option<Sum>]) {
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
        gathered: &HashMap<GatherId, Vec<GatheredPart>>,
    ) -> TableTally {
        let table = &plan.tables[id.0];
        let nothing = || vec![None; table.tracked.len()];
        let mut rows = self.rows;
        let mut amounts = if self.finished { self.sums.clone() } else { nothing() };
        let (mut tallies, mut stages) = (vec![], vec![]);
        for (at, step) in table.steps.iter().enumerate().rev() {
            let (sum, work) = (&self.steps[at], step.step.work());
            let tally = StepTally {
                text: step.text.clone(),
                rows,
                amounts: vec![],
                grain: step.grain.clone().map(|(before, after)| GrainChange { before, after }),
                detail: work.detail(table, at, sum),
            };
            if step.numbered {
                tallies.push(tally);
                stages.push(amounts.clone());
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
                    amounts[index] = Some(before.clone());
                }
                if tracked.from_step > at {
                    amounts[index] = None;
                }
            }
        }
        stages.push(amounts);
        let lanes = lanes(table, &stages);
        let mut stages = stages.iter().map(|stage| -> Vec<Option<Amount>> {
            lanes.iter().map(|lane| lane.amount(table, stage)).collect()
        });
        for (tally, amounts) in tallies.iter_mut().zip(&mut stages) {
            tally.amounts = amounts;
        }
        let amounts = stages.next().sure("what a table begins with");
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
            tracked: lanes.iter().map(|lane| lane.name(table, gathered)).collect(),
            rows,
            amounts,
            steps: tallies,
            blanked: self.blanked.clone(),
            aside: self.aside.clone(),
            odd_hours: self.odd_hours.clone(),
            zero_divisions: self.zero_divisions,
            footer: self.footer.clone(),
            without_rows: self.without_rows.clone(),
            unread: self.unread.clone(),
            parts: self.parts.clone(),
            twice: self.twice.clone(),
        }
    }
}

/// An amount as it is told: a tracked one, or what of one is in one currency, or another measure.
struct Lane {
    /// Which of the tracked amounts.
    of: usize,
    within: InWhat,
}

/// All amounts of a table that are told, by what it has at its stages.
fn lanes(table: &TablePlan, stages: &[Vec<Option<Sum>>]) -> Vec<Lane> {
    let mut lanes = vec![];
    for of in 0..table.tracked.len() {
        let mut values: Vec<Option<String>> = vec![];
        for sum in stages.iter().filter_map(|stage| stage.get(of)?.as_ref()) {
            let Sum::Each(each) = sum else { continue };
            for (value, _) in each {
                if !values.contains(value) {
                    values.push(value.clone());
                }
            }
        }
        values.sort_by(|a, b| (a.is_none(), a).cmp(&(b.is_none(), b)));
        if values.is_empty() {
            lanes.push(Lane { of, within: InWhat::Nothing });
        }
        lanes.extend(values.into_iter().map(|value| Lane { of, within: InWhat::One(value) }));
    }
    lanes
}

impl Lane {
    /// What it is at a stage.
    fn amount(&self, table: &TablePlan, stage: &[Option<Sum>]) -> Option<Amount> {
        let slot = table.tracked[self.of].last_slot();
        let zero = || Amount::exact(Some(0), table.slots[slot.0].scale().unwrap_or_default(), 0);
        match stage.get(self.of)?.as_ref()? {
            Sum::One(amount) => Some(*amount),
            Sum::Each(each) => {
                let is = |value: &Option<String>| matches!(&self.within, InWhat::One(own) if own == value);
                let own = each.iter().find(|(value, _)| is(value));
                Some(own.map_or_else(zero, |(_, amount)| *amount))
            }
        }
    }

    fn name(
        &self,
        table: &TablePlan,
        gathered: &HashMap<GatherId, Vec<GatheredPart>>,
    ) -> TrackedName {
        let tracked = &table.tracked[self.of];
        let parts = tracked.gathered.and_then(|id| gathered.get(&id));
        let part = parts.into_iter().flatten().find(|part| part.within == self.within);
        TrackedName {
            name: self.within.name(&tracked.name),
            column: tracked.name.clone(),
            base_name: tracked.base_name.as_ref().map(|name| self.within.name(name)),
            foreseen: tracked.foreseen,
            gathered: part.map(|part| part.amount.clone()),
        }
    }
}
