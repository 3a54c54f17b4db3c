//! `one row per` where its rows have no room: they are scattered by their keys, each part becomes groups by itself, and
//! those go into the order in which their first rows stand.

use rayon::prelude::*;

use super::super::by_keys::{KeyedRows, SentByKeys};
use super::super::sum::add;
use super::super::values::{columns_of, values_of};
use super::super::{StepRunner, StepSum};
use super::led::{LedRows, Targets, Ways};
use super::told::{SharedNames, Sizes, Years};
use super::{of_groups, step_values};
use crate::aggregate::{aggregate, number};
use crate::resolve::{OneRowPlan, TablePlan};
use crate::table::{AwayBuilder, Batch, Column, Held, Room, Rows, SlotId, parts_of};
use crate::tally::Mistake;

/// Groups that come in their order and go away.
pub(super) struct GroupsAway<'p> {
    plan: &'p OneRowPlan,
    table: &'p TablePlan,
    columns: Vec<AwayBuilder>,
    rows: usize,
    sizes: Sizes,
    names: SharedNames,
}

impl<'p> GroupsAway<'p> {
    /// All groups of some windows: their keys, their results, and how many rows each has.
    pub fn of(
        (plan, table): (&'p OneRowPlan, &'p TablePlan),
        room: &Room,
        windows: impl Iterator<Item = Vec<Column>>,
    ) -> Self {
        let file = room.file();
        let width = plan.keys.len() + plan.results.len();
        let columns = (0..width).map(|_| AwayBuilder::new(&file)).collect();
        let (sizes, names) = (Sizes::default(), SharedNames::default());
        let mut all = Self { plan, table, columns, rows: 0, sizes, names };
        windows.for_each(|window| all.see(&window));
        all
    }

    fn see(&mut self, window: &[Column]) {
        let (columns, sizes) = window.split_at(self.columns.len());
        self.columns.par_iter_mut().zip(columns).for_each(|(all, column)| all.push(column));
        let sizes: Vec<u64> =
            (0..sizes[0].len()).map(|group| sizes[0].units(group) as u64).collect();
        self.rows += sizes.len();
        self.sizes.see(&sizes);
        if self.plan.own_name.is_some() {
            self.names.see(&columns[0], &sizes);
        }
    }

    /// The rows of groups, all away, and what is told of them.
    pub fn finish(self) -> (Batch, StepSum) {
        let slots = self.table.slots.len();
        let nothing = of_groups(slots, self.plan, vec![], vec![], self.rows);
        let mut away = vec![None; slots];
        let keys = self.plan.keys.iter().map(|(_, slot, _)| slot);
        let results = self.plan.results.iter().map(|(_, slot)| slot);
        for (SlotId(slot), column) in keys.chain(results).zip(self.columns) {
            away[*slot] = Some(Held::away(column.finish()));
        }
        let mistakes = self.names.own_mistake(self.plan, &self.table.name);
        let (sizes, mistakes) = (Some(self.sizes.told()), mistakes.into_iter().collect());
        (Batch { away, ..nothing }, StepSum { sizes, mistakes, ..StepSum::default() })
    }
}

/// Rows that become groups, which are away. Nothing where all that is looked at is here, where all rows are one group, where
/// a row tells of all of them, and where a row or a group has no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Option<(StepSum, Batch)> {
    if plan.total.is_some() || plan.keys.is_empty() {
        return None;
    }
    let ways = Ways::of(plan, runner, batch)?;
    let reads = runner.reads();
    let room = batch.room_of(&reads).or_else(|| ways.room())?;
    let (leading, values) = ways.size();
    let values = (reads.len() + 1).max(plan.keys.len() + values);
    let parts = parts_of(batch.rows.max(leading), values, &room);
    let mut targets = Targets::new(&ways, runner, &room);
    let mut years = vec![Years::default(); plan.months.len()];
    let (mut before, mut first) = (vec![], true);
    let sent = |runner: &StepRunner<'_>, run: &Batch| {
        for ((_, day), years) in plan.months.iter().zip(&mut years) {
            runner.columns(run, std::iter::once(day)).ok()?.iter().for_each(|day| years.see(day));
        }
        add(&mut before, &runner.amounts_before(run), std::mem::take(&mut first));
        let mut worked = vec![];
        for (_, (result, _)) in plan.results.iter().enumerate().filter(|(at, _)| !ways.has(*at)) {
            worked.extend(columns_of(step_values(runner, result, run).ok()?));
        }
        let keys = runner.columns(run, plan.keys.iter().map(|(key, ..)| key)).ok()?;
        targets.take(run, &keys);
        Some((keys, worked))
    };
    let rows = SentByKeys::of((runner, batch), reads, (&room, parts), sent)?;
    let led = targets.led(&ways, runner, parts)?;
    let found = rows.each(runner, |part, rows| of_part(plan, &led, part, rows))?;
    let groups = GroupsAway::of((plan, runner.plan()), &room, found.windows());
    let (groups, told) = groups.finish();
    let months = plan.months.iter().zip(years);
    let mistakes = months.filter_map(|((key, _), years)| years.mistake(key));
    let mistakes: Vec<Mistake> = mistakes.chain(told.mistakes).collect();
    let rows_before = batch.rows as u64;
    Some((StepSum { before, rows_before, sizes: told.sizes, mistakes, ..told }, groups))
}

/// The groups of a part: the numbers of their first rows, their keys, their results, and how many rows each has.
fn of_part(
    plan: &OneRowPlan,
    led: &LedRows<'_>,
    part: usize,
    rows: KeyedRows,
) -> Option<Vec<Column>> {
    let KeyedRows { rows, numbers, keys, worked: mut columns } = rows;
    let (groups, firsts) = number(keys.clone(), rows);
    let firsts = Rows::from(firsts);
    let mut found = vec![numbers.take(&firsts)];
    found.extend(keys.iter().map(|key| key.take(&firsts)));
    for (at, (result, _)) in plan.results.iter().enumerate() {
        let of_groups = match led.part(at, part, (&keys, &groups)) {
            Some((values, groups)) => aggregate(&values, &groups).ok()?,
            None => aggregate(&values_of(result, &mut columns), &groups).ok()?,
        };
        // Rows that lead to a group are of one of these, unless the disk broke that they were on.
        found.push(Some(of_groups).filter(|found| found.len() == groups.count)?);
    }
    let sizes: Vec<i64> = groups.sizes().into_iter().map(|size| size as i64).collect();
    found.push(Column::Integer(sizes.into()));
    Some(found)
}
