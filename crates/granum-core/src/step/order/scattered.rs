//! `sort` where its rows have no room: they are scattered by what they are ordered by, the least first, and each part is
//! sorted by itself.

use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;

use crate::aggregate::order;
use crate::expr::Typed;
use crate::resolve::SortPlan;
use crate::step::StepRunner;
use crate::table::{
    AwayBuilder, Batch, Column, Held, Room, Rows, RowsBuilder, Scattered, SlotId, TableId, parts_of,
};

/// So many rows of each part are looked at to see where it ends.
const LOOKED_AT: usize = 64;

/// All rows in order, put away. Nothing where all of them are here, and where a row fails: why, is told by who looks at
/// all rows at once.
pub(super) fn scattered(plan: &SortPlan, runner: &StepRunner<'_>, batch: &Batch) -> Option<Batch> {
    let slots: Vec<SlotId> =
        (0..batch.slots.len()).filter(|slot| batch.has(*slot)).map(SlotId).collect();
    let room = batch.room_of(&slots).filter(|_| batch.rows > 0)?;
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let count = parts_of(batch.rows, slots.len() + plan.by.len(), &room);
    let ends = Ends::of(&own, batch, &plan.by, count)?;
    zeros.store(0, Ordering::Relaxed);
    let mut rows = Scattered::new(&room, ends.parts());
    for (_, run) in batch.runs(slots.clone()) {
        let by = own.orders(&run, &plan.by).ok()?;
        let to = ends.parts_of(&by, run.rows);
        let by = by.into_iter().map(|(by, _)| by);
        let columns = by.chain(slots.iter().map(|slot| run.slot(*slot).clone()));
        let origins = run.origins.iter().map(|(_, rows)| rows.column());
        rows.send(&columns.chain(origins).collect::<Vec<_>>(), &to);
    }
    let mut sorted = Sorted::new(&room, slots, batch);
    let by: Vec<bool> = plan.by.iter().map(|(_, descending)| *descending).collect();
    for part in 0..rows.parts() {
        // Rows that are equal to the end of a part are in order.
        if part % 2 == 1 {
            rows.lots(part).for_each(|lot| sorted.push(&lot[by.len()..]));
            continue;
        }
        let columns = rows.part(part);
        let (keys, columns) = columns.split_at(by.len());
        let keys: Vec<(Column, bool)> = keys.iter().cloned().zip(by.iter().copied()).collect();
        let in_order = Rows::from(in_order(&keys, columns.first().map_or(0, Column::len)));
        let columns: Vec<Column> = columns.par_iter().map(|all| all.take(&in_order)).collect();
        sorted.push(&columns);
    }
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    Some(sorted.finish(batch.slots.len()))
}

/// The rows of columns in their order; what ties stays as it stands.
pub(super) fn in_order(by: &[(Column, bool)], rows: usize) -> Vec<u32> {
    let mut all: Vec<u32> = (0..rows as u32).collect();
    all.par_sort_by(|a, b| order(by, *a as usize, *b as usize));
    all
}

/// What the parts of rows in order end with. What is less than an end, what is equal to it, and what is greater are three
/// parts: many equal rows need no sorting.
struct Ends {
    by: Vec<(Column, bool)>,
    count: usize,
}

impl Ends {
    /// Ends that divide rows into about `parts` of one size, by some rows that are spread over all.
    fn of(
        runner: &StepRunner<'_>,
        batch: &Batch,
        by: &[(Typed, bool)],
        parts: usize,
    ) -> Option<Self> {
        let count = (LOOKED_AT * parts).min(batch.rows);
        let some: Rows = (0..count).map(|at| (at * batch.rows / count) as u32).collect();
        let origins = batch.origins.iter().map(|(id, rows)| (*id, some.follow(rows)));
        let mut looked_at = Batch::new(count, vec![None; batch.slots.len()], origins.collect());
        for slot in by.iter().flat_map(|(by, _)| by.slots()) {
            looked_at.slots[slot.0] = Some(batch.held(slot).take(&some));
        }
        let by = runner.orders(&looked_at, by).ok()?;
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
struct Sorted {
    slots: Vec<(SlotId, AwayBuilder)>,
    origins: Vec<(TableId, RowsBuilder)>,
    rows: usize,
}

impl Sorted {
    fn new(room: &Room, slots: Vec<SlotId>, batch: &Batch) -> Self {
        let file = room.file();
        let slots = slots.into_iter().map(|slot| (slot, AwayBuilder::new(&file))).collect();
        let origins = batch.origins.iter().map(|(id, _)| (*id, RowsBuilder::default()));
        Self { slots, origins: origins.collect(), rows: 0 }
    }

    /// Adds rows: the columns of slots, then where they came from.
    fn push(&mut self, columns: &[Column]) {
        let (columns, origins) = columns.split_at(self.slots.len());
        self.rows += columns.first().map_or(0, Column::len);
        let slots = self.slots.par_iter_mut().zip(columns);
        slots.for_each(|((_, all), more)| all.push(more));
        for ((_, all), more) in self.origins.iter_mut().zip(origins) {
            all.append(&(0..more.len()).map(|row| more.units(row) as u32).collect());
        }
    }

    fn finish(self, width: usize) -> Batch {
        let mut away = vec![None; width];
        for (slot, column) in self.slots {
            away[slot.0] = Some(Held::away(column.finish()));
        }
        let origins = self.origins.into_iter().map(|(id, rows)| (id, rows.finish()));
        Batch { away, ..Batch::new(self.rows, vec![None; width], origins.collect()) }
    }
}
