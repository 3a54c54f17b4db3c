//! Rows in order; where they have no room, in parts that follow each other, of which each is put in order by itself.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;

use super::StepRunner;
use crate::aggregate::order;
use crate::table::{
    AwayBuilder, Batch, Column, Held, Room, RoomFile, Rows, RowsBuilder, Scattered, SlotId,
    TableId, parts_of,
};

/// The rows of columns in their order; what ties stays as it stands.
pub(super) fn in_order(by: &[(Column, bool)], rows: usize) -> Vec<u32> {
    let mut all: Vec<u32> = (0..rows as u32).collect();
    all.par_sort_by(|a, b| order(by, *a as usize, *b as usize));
    all
}

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
        runs: (&StepRunner<'_>, &Batch),
        orders: &impl Orders,
        slots: &[SlotId],
        room: &Room,
    ) -> Option<Self> {
        let held = |_: &StepRunner<'_>, run: &Batch| {
            let slots = slots.iter().map(|slot| run.slot(*slot).clone());
            Some(slots.chain(run.origins.iter().map(|(_, rows)| rows.column())).collect())
        };
        Self::holding(runs, orders, slots, room, held)
    }

    /// The same with what is worked of each run of rows in place of slots that stand there.
    pub fn holding(
        (runner, batch): (&StepRunner<'_>, &Batch),
        orders: &impl Orders,
        slots: &[SlotId],
        room: &Room,
        held: impl Fn(&StepRunner<'_>, &Batch) -> Option<Vec<Column>>,
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
            columns.extend(held(&own, &run)?);
            rows.send(&columns, &to);
        }
        runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
        Some(Self { rows, by: ends.by.into_iter().map(|(_, descending)| descending).collect() })
    }

    /// All rows in order, some at a time.
    pub fn runs(&self) -> impl Iterator<Item = SortedRun> {
        let run = |columns| SortedRun::of(columns, self.by.len());
        (0..self.rows.parts()).flat_map(|part| self.part(part)).map(run)
    }

    /// The same from the last to the first.
    pub fn back(&self) -> impl Iterator<Item = SortedRun> {
        let run = |columns: Vec<Column>| {
            let rows = columns.first().map_or(0, Column::len) as u32;
            let back = (0..rows).rev().collect();
            let columns = columns.iter().map(|column| column.take(&back)).collect();
            SortedRun::of(columns, self.by.len())
        };
        (0..self.rows.parts()).rev().flat_map(|part| self.part(part).rev()).map(run)
    }

    fn part(&self, part: usize) -> Box<dyn DoubleEndedIterator<Item = Vec<Column>> + '_> {
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
    }
}

/// Some rows in order.
pub(super) struct SortedRun {
    /// What they are ordered by.
    pub by: Vec<Column>,
    /// Which rows they were.
    pub numbers: Column,
    /// The slots that are held of them, then where they came from.
    pub held: Vec<Column>,
}

impl SortedRun {
    /// Columns as they are sent to parts, the first of which are what rows are ordered by.
    fn of(mut columns: Vec<Column>, by: usize) -> Self {
        let held = columns.split_off(by + 1);
        let mut numbers = columns.split_off(by);
        Self { by: columns, numbers: numbers.remove(0), held }
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
        let looked_at = spread(batch, &by.slots(), LOOKED_AT * parts);
        let count = looked_at.rows;
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

/// So many rows that are spread over all, or all, with some of their slots.
pub(super) fn spread(batch: &Batch, slots: &[SlotId], most: usize) -> Batch {
    let count = most.min(batch.rows);
    let some: Rows = (0..count).map(|at| (at * batch.rows / count) as u32).collect();
    let origins = batch.origins.iter().map(|(id, rows)| (*id, some.follow(rows)));
    let mut looked_at = Batch::new(count, vec![None; batch.slots.len()], origins.collect());
    for slot in slots {
        looked_at.slots[slot.0] = Some(batch.held(*slot).take(&some));
    }
    looked_at
}

/// What part of the room is for where sorted rows came from.
const ORIGINS: u64 = 16;

/// Rows that come in order and go away.
pub(super) struct Sorted {
    file: Arc<RoomFile>,
    /// Where rows came from takes no more bytes than these: it goes away as well.
    most: usize,
    slots: Vec<(SlotId, AwayBuilder)>,
    origins: Vec<(TableId, RowsBuilder)>,
    rows: usize,
}

impl Sorted {
    pub fn new(room: &Room, slots: Vec<SlotId>, batch: &Batch) -> Self {
        let file = room.file();
        let slots = slots.into_iter().map(|slot| (slot, AwayBuilder::new(&file))).collect();
        let origins = batch.origins.iter().map(|(id, _)| (*id, RowsBuilder::default()));
        let most = (room.limit() / ORIGINS) as usize;
        Self { file, most, slots, origins: origins.collect(), rows: 0 }
    }

    /// Adds rows: the columns of slots, then where they came from, as rows in order have them.
    pub fn push(&mut self, columns: &[Column]) {
        let (columns, origins) = columns.split_at(self.slots.len());
        self.rows += columns.first().map_or(0, Column::len);
        let slots = self.slots.par_iter_mut().zip(columns);
        slots.for_each(|((_, all), more)| all.push(more));
        for ((_, all), more) in self.origins.iter_mut().zip(origins) {
            all.append(&(0..more.len()).map(|row| more.units(row) as u32).collect());
            if all.bytes_held() > self.most {
                all.put_away(&self.file);
            }
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
