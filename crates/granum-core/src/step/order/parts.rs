//! Rows in parts that follow each other in an order, where they have no room: each part is put in order by itself.

use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;

use super::in_order;
use crate::aggregate::order;
use crate::step::StepRunner;
use crate::table::{
    AwayBuilder, Batch, Column, Held, Room, Rows, RowsBuilder, Scattered, SlotId, TableId, parts_of,
};

/// So many rows of each part are looked at to see where it ends.
const LOOKED_AT: usize = 64;

/// What rows are ordered by.
pub(super) trait Orders {
    /// The slots that it looks at.
    fn slots(&self) -> Vec<SlotId>;

    /// A column for each, with whether the greatest comes first; nothing where a row has no value.
    fn of(&self, runner: &StepRunner<'_>, rows: &Batch) -> Option<Vec<(Column, bool)>>;
}

/// All rows of a step in parts.
pub(super) struct InParts {
    rows: Scattered,
    /// Of what rows are ordered by, whether the greatest comes first.
    by: Vec<bool>,
}

impl InParts {
    /// All rows, some at least: by what they are ordered, their numbers, these slots, and where they came from. Nothing where
    /// one cannot be worked; what divided by zero is counted only where none is.
    pub fn of(
        (runner, batch): (&StepRunner<'_>, &Batch),
        orders: &impl Orders,
        slots: &[SlotId],
        room: &Room,
    ) -> Option<Self> {
        let count = parts_of(batch.rows, slots.len() + orders.slots().len() + 1, room);
        let ends =
            Ends::of(&StepRunner { zeros: &AtomicU64::new(0), ..*runner }, batch, orders, count)?;
        let zeros = AtomicU64::new(0);
        let own = StepRunner { zeros: &zeros, ..*runner };
        let mut rows = Scattered::new(room, ends.parts());
        for (first, run) in batch.runs([slots, &orders.slots()].concat()) {
            let by = orders.of(&own, &run)?;
            let to = ends.parts_of(&by, run.rows);
            let mut columns: Vec<Column> = by.into_iter().map(|(by, _)| by).collect();
            columns.push(Rows::run(first as u32, run.rows).column());
            columns.extend(slots.iter().map(|slot| run.slot(*slot).clone()));
            columns.extend(run.origins.iter().map(|(_, rows)| rows.column()));
            rows.send(&columns, &to);
        }
        runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
        Some(Self { rows, by: ends.by.into_iter().map(|(_, descending)| descending).collect() })
    }

    /// All rows in order, some at a time.
    pub fn runs(&self) -> impl Iterator<Item = Vec<Column>> {
        (0..self.rows.parts()).flat_map(|part| -> Box<dyn Iterator<Item = Vec<Column>>> {
            // Rows that are equal to the end of a part are in order.
            if part % 2 == 1 {
                return Box::new(self.rows.lots(part));
            }
            let columns = self.rows.part(part);
            let keys = columns.iter().cloned().zip(self.by.iter().copied());
            let rows = columns.first().map_or(0, Column::len);
            let in_order = Rows::from(in_order(&keys.collect::<Vec<_>>(), rows));
            let columns: Vec<Column> = columns.par_iter().map(|all| all.take(&in_order)).collect();
            Box::new(Some(columns).filter(|_| rows > 0).into_iter())
        })
    }
}

/// What the parts of rows in order end with. What is less than an end, what is equal to it, and what is greater are three
/// parts: many equal rows need no sorting.
struct Ends {
    by: Vec<(Column, bool)>,
    count: usize,
}

impl Ends {
    /// Ends that divide rows into about `parts` of one size, by some rows that are spread over all.
    fn of(runner: &StepRunner<'_>, batch: &Batch, by: &impl Orders, parts: usize) -> Option<Self> {
        let count = (LOOKED_AT * parts).min(batch.rows);
        let some: Rows = (0..count).map(|at| (at * batch.rows / count) as u32).collect();
        let origins = batch.origins.iter().map(|(id, rows)| (*id, some.follow(rows)));
        let mut looked_at = Batch::new(count, vec![None; batch.slots.len()], origins.collect());
        for slot in by.slots() {
            looked_at.slots[slot.0] = Some(batch.held(slot).take(&some));
        }
        let by = by.of(runner, &looked_at)?;
        let sorted = in_order(&by, count);
        let mut ends: Vec<u32> = (1..parts).map(|part| sorted[part * count / parts]).collect();
        ends.dedup_by(|a, b| order(&by, *a as usize, *b as usize).is_eq());
        let ends = Rows::from(ends);
        let by = by.into_iter().map(|(by, descending)| (by.take(&ends), descending));
        Some(Self { by: by.collect(), count: ends.len() })
    }

    fn parts(&self) -> usize {
        2 * self.count + 1
    }

    /// The part of each of some rows.
    fn parts_of(&self, by: &[(Column, bool)], rows: usize) -> Vec<u32> {
        let both = self.by.iter().zip(by).map(|((ends, descending), (own, _))| {
            (Column::concat(&[ends.clone(), own.clone()]), *descending)
        });
        let both: Vec<(Column, bool)> = both.collect();
        let ends: Vec<usize> = (0..self.count).collect();
        let part = |row: usize| {
            let row = self.count + row;
            let end = ends.partition_point(|end| order(&both, *end, row).is_lt());
            let equal = end < self.count && order(&both, end, row).is_eq();
            2 * end as u32 + u32::from(equal)
        };
        (0..rows).into_par_iter().map(part).collect()
    }
}

/// Rows that come in order and go away.
pub(super) struct Sorted {
    slots: Vec<(SlotId, AwayBuilder)>,
    origins: Vec<(TableId, RowsBuilder)>,
    rows: usize,
}

impl Sorted {
    pub fn new(room: &Room, slots: Vec<SlotId>, batch: &Batch) -> Self {
        let file = room.file();
        let slots = slots.into_iter().map(|slot| (slot, AwayBuilder::new(&file))).collect();
        let origins = batch.origins.iter().map(|(id, _)| (*id, RowsBuilder::default()));
        Self { slots, origins: origins.collect(), rows: 0 }
    }

    /// Adds rows: the columns of slots, then where they came from.
    pub fn push(&mut self, columns: &[Column]) {
        let (columns, origins) = columns.split_at(self.slots.len());
        self.rows += columns.first().map_or(0, Column::len);
        let slots = self.slots.par_iter_mut().zip(columns);
        slots.for_each(|((_, all), more)| all.push(more));
        for ((_, all), more) in self.origins.iter_mut().zip(origins) {
            all.append(&(0..more.len()).map(|row| more.units(row) as u32).collect());
        }
    }

    pub fn finish(self, width: usize) -> Batch {
        let mut away = vec![None; width];
        for (slot, column) in self.slots {
            away[slot.0] = Some(Held::away(column.finish()));
        }
        let origins = self.origins.into_iter().map(|(id, rows)| (id, rows.finish()));
        Batch { away, ..Batch::new(self.rows, vec![None; width], origins.collect()) }
    }
}
