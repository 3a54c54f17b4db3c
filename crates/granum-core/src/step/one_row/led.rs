//! Rows of other tables that lead to the rows of groups, where memory has no room for these or for those: they come into
//! the parts of the keys that the rows have which they lead to.
//!
//! ```text
//! returns            lines             groups of lines by article
//! R1  2 pieces  →    order 7, line 1   article 018  →  part 3:  2 pieces of R1
//! R2  1 piece   →    order 9, line 4   article 031  →  part 1:  1 piece of R2
//! ```

use super::super::StepRunner;
use super::super::leading::{rows_gathered, send_led, values_of_way, way};
use super::super::values::{columns_of, values_of};
use crate::aggregate::{Groups, Values, number};
use crate::bug::Sure;
use crate::link::hashes;
use crate::resolve::{AggregatePlan, OneRowPlan};
use crate::table::{Batch, Column, Room, Rows, Scattered, TableId, parts_of};

/// All that leads to the rows of a step, by the results that are of it.
pub(super) struct Ways<'p>(Vec<Option<Way<'p>>>);

/// The rows that a result is of, and which row of a table each leads to.
struct Way<'p> {
    plan: &'p AggregatePlan,
    rows: Batch,
    to: TableId,
    index: Rows,
}

impl<'p> Ways<'p> {
    /// Nothing where a table that leads here was not built, or it is not known which rows it leads to.
    pub fn of(plan: &OneRowPlan, runner: &StepRunner<'p>, batch: &Batch) -> Option<Self> {
        let ways = plan.results.iter().map(|(result, _)| {
            let Some((gather, plan)) = rows_gathered(runner.around.plan, result) else {
                return Some(None);
            };
            batch.origin(gather.to)?;
            let (rows, index) = way(&runner.around, gather)?;
            Some(Some(Way { plan, rows, to: gather.to, index }))
        });
        ways.collect::<Option<_>>().map(Self)
    }

    /// Whether a result is of rows that lead here.
    pub fn has(&self, result: usize) -> bool {
        self.0[result].is_some()
    }

    fn all(&self) -> impl Iterator<Item = &Way<'p>> {
        self.0.iter().flatten()
    }

    /// The room that rows which lead here have none in.
    pub fn room(&self) -> Option<Room> {
        Some(self.all().find_map(|way| way.rows.file())?.room().clone())
    }

    /// The rows of the table that has most of those that lead here, and how many values each of them has at most.
    pub fn size(&self) -> (usize, usize) {
        let rows = self.all().map(|way| way.rows.rows);
        let values = self.all().map(|way| 2 + way.plan.parts().count());
        (rows.max().unwrap_or_default(), values.max().unwrap_or_default())
    }

    /// The tables whose rows are led to, each once.
    fn led_to(&self) -> Vec<TableId> {
        let mut all: Vec<TableId> = self.all().map(|way| way.to).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// The keys of the rows of a step, in windows of the rows of a table that is led to.
struct Windows {
    to: TableId,
    /// So many rows of that table each.
    size: usize,
    keys: Scattered,
}

/// The keys of a step's rows by the rows that are led to, while its rows pass.
pub(super) struct Targets {
    room: Room,
    windows: Vec<Windows>,
}

impl Targets {
    /// Nothing yet, where the rows of a table are so many and have so many values.
    pub fn new(ways: &Ways<'_>, runner: &StepRunner<'_>, room: &Room) -> Self {
        let (most, values) = ways.size();
        let windows = ways.led_to().into_iter().map(|to| {
            let table = runner.around.world.tables[to.0].as_ref();
            let rows = table.sure("a table that is led to").rows;
            let parts = parts_of(rows.max(most), values, room);
            Windows { to, size: rows.div_ceil(parts).max(1), keys: Scattered::new(room, parts) }
        });
        Self { room: room.clone(), windows: windows.collect() }
    }

    /// Takes the keys of a run of rows.
    pub fn take(&mut self, run: &Batch, keys: &[Column]) {
        for window in &mut self.windows {
            let origin = run.origin(window.to).sure("where rows that are led to came from");
            send_led(&mut window.keys, window.size, origin, keys);
        }
    }

    /// The rows that lead here in as many parts of keys. Nothing where one of them has no value.
    pub fn led<'p>(
        &self,
        ways: &Ways<'p>,
        runner: &StepRunner<'_>,
        parts: usize,
    ) -> Option<LedRows<'p>> {
        let of_way = |way: &Option<Way<'p>>| {
            let Some(way) = way else { return Some(None) };
            let window = self.windows.iter().find(|window| window.to == way.to);
            Some(Some(self.led_by(way, window.sure("a table that is led to"), runner, parts)?))
        };
        ways.0.iter().map(of_way).collect::<Option<_>>().map(LedRows)
    }

    fn led_by<'p>(
        &self,
        way: &Way<'p>,
        window: &Windows,
        runner: &StepRunner<'_>,
        parts: usize,
    ) -> Option<Led<'p>> {
        let mut sent = Scattered::new(&self.room, window.keys.parts());
        for (first, run) in way.rows.runs(vec![]) {
            let (values, failed) = values_of_way(&runner.around, way.plan, &run);
            if !failed.is_empty() {
                return None;
            }
            let mut columns = vec![Rows::run(first as u32, run.rows).column()];
            columns.extend(columns_of(values));
            send_led(&mut sent, window.size, &way.index.slice(first, run.rows), &columns);
        }
        let mut rows = Scattered::new(&self.room, parts);
        let with_keys = |at, columns| Some(window.with_keys(at, columns));
        sent.each(with_keys, |(keys, columns)| {
            let count = keys.first().map_or(0, Column::len);
            let hashes = hashes(&keys, count);
            rows.send_by(&hashes, &[keys, columns].concat());
        })?;
        let (nothing, _) = values_of_way(&runner.around, way.plan, &way.rows.slice(0, 0));
        Some(Led { plan: way.plan, rows, nothing: columns_of(nothing) })
    }
}

impl Windows {
    /// The keys of rows that lead into a window, of which the first column says where to; and their other columns. Those
    /// that lead to no row of the step are left out.
    fn with_keys(&self, window: usize, columns: Vec<Column>) -> (Vec<Column>, Vec<Column>) {
        let (mut columns, mut keys) = (columns.into_iter(), self.keys.part(window).into_iter());
        // Nobody may lead there, and nobody may be there.
        let (Some(to), Some(own)) = (columns.next(), keys.next()) else { return (vec![], vec![]) };
        let first = (window * self.size) as u32;
        let mut row_of = vec![None; self.size];
        (0..).zip(Rows::of_column(&own, first).iter()).for_each(|(row, own)| {
            if let Some(own) = own {
                row_of[own as usize] = Some(row);
            }
        });
        let to = Rows::of_column(&to, first);
        let leads: Rows = to.iter().map(|to| row_of[to? as usize]).collect();
        let there = leads.bits();
        let rows = leads.filter(&there);
        (keys.map(|key| key.take(&rows)).collect(), columns.map(|c| c.filter(&there)).collect())
    }
}

/// Rows that lead to groups, in the parts of their keys; by the results that are of them.
pub(super) struct LedRows<'p>(Vec<Option<Led<'p>>>);

struct Led<'p> {
    plan: &'p AggregatePlan,
    /// Keys, the number of the row among all that lead, and what the aggregate is of.
    rows: Scattered,
    /// What the aggregate is of where no row is.
    nothing: Vec<Column>,
}

impl LedRows<'_> {
    /// What a result of the groups of a part is of, if it is of rows that lead there, and the group of each of these. The
    /// groups are those of the part's own rows, which have these keys.
    pub fn part(
        &self,
        result: usize,
        part: usize,
        (keys, groups): (&[Column], &Groups),
    ) -> Option<(Values, Groups)> {
        let led = self.0[result].as_ref()?;
        let mut columns = led.rows.part(part);
        if columns.first().is_none_or(Column::is_empty) {
            let values = values_of(led.plan, &mut led.nothing.iter().cloned());
            return Some((values, groups.slice(0, 0)));
        }
        let mut worked = columns.split_off(keys.len());
        let numbers = worked.remove(0);
        let mut order: Vec<u32> = (0..numbers.len() as u32).collect();
        order.sort_unstable_by_key(|row| numbers.units(*row as usize));
        let order = Rows::from(order);
        let both = keys.iter().zip(&columns);
        let both = both.map(|(own, led)| Column::concat(&[own.clone(), led.take(&order)]));
        let own = groups.rows();
        let (groups, _) = number(both.collect(), own + order.len());
        let values = values_of(led.plan, &mut worked.iter().map(|column| column.take(&order)));
        Some((values, groups.slice(own, order.len())))
    }
}
