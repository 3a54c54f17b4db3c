//! Rows that have no room are scattered by their keys, each part is worked by itself, and what comes of it goes into the
//! order of rows.

use std::sync::atomic::{AtomicU64, Ordering};

use super::StepRunner;
use crate::link::hashes;
use crate::table::{Batch, Column, InOrder, Room, Rows, Scattered, SlotId};

/// The rows of some keys, all that there are.
pub(super) struct KeyedRows {
    pub rows: usize,
    /// The number of each row among all.
    pub numbers: Column,
    pub keys: Vec<Column>,
    /// What was worked of them.
    pub worked: std::vec::IntoIter<Column>,
}

/// The rows of a part, some at a time.
pub(super) type LotsOfPart<'r> = &'r dyn Fn() -> Box<dyn Iterator<Item = KeyedRows> + 'r>;

/// Rows that were sent into the parts of their keys.
pub(super) struct SentByKeys {
    room: Room,
    rows: Scattered,
    count: usize,
    /// How many keys rows have.
    keys: usize,
    /// How many divided by zero.
    zeros: u64,
}

impl SentByKeys {
    /// Sends rows, some at least. `sent` gives the keys of a run of rows, and what is worked of them; it is called for one run after
    /// the other. Nothing where it gives nothing: what divided by zero is counted only where it never does.
    pub fn of(
        (runner, batch): (&StepRunner<'_>, &Batch),
        reads: Vec<SlotId>,
        (room, parts): (&Room, usize),
        mut sent: impl FnMut(&StepRunner<'_>, &Batch) -> Option<(Vec<Column>, Vec<Column>)>,
    ) -> Option<Self> {
        if batch.rows == 0 {
            return None;
        }
        let zeros = AtomicU64::new(0);
        let own = StepRunner { zeros: &zeros, ..*runner };
        let mut rows = Scattered::new(room, parts);
        let mut width = 0;
        for (first, run) in batch.runs(reads) {
            let (keys, worked) = sent(&own, &run)?;
            width = keys.len();
            let hashes = hashes(&keys, run.rows);
            let mut columns = vec![Rows::run(first as u32, run.rows).column()];
            columns.extend(keys.into_iter().chain(worked));
            rows.send_by(&hashes, &columns);
        }
        let zeros = zeros.into_inner();
        Some(Self { room: room.clone(), rows, count: batch.rows, keys: width, zeros })
    }

    /// What `of_part` makes of each part, whose number comes first.
    pub fn each(
        &self,
        runner: &StepRunner<'_>,
        of_part: impl Fn(usize, KeyedRows) -> Option<Vec<Column>> + Sync,
    ) -> Option<InOrder> {
        self.each_held(runner, of_part, (usize::MAX, |_, _| None))
    }

    /// The same where a part of more than so many rows is not held: what is made of it gets its rows some at a time, as often as it
    /// asks for them.
    pub fn each_held(
        &self,
        runner: &StepRunner<'_>,
        of_part: impl Fn(usize, KeyedRows) -> Option<Vec<Column>> + Sync,
        (most, of_large): (usize, impl Fn(LotsOfPart<'_>, &mut InOrder) -> Option<()>),
    ) -> Option<InOrder> {
        let mut found = InOrder::new(&self.room, self.count);
        let work = |part, columns| match self.keyed(columns) {
            Some(rows) => of_part(part, rows),
            // Nobody may have come into a part.
            None => Some(vec![]),
        };
        let (large, others): (Vec<usize>, Vec<usize>) =
            (0..self.rows.parts()).partition(|part| self.rows.rows(*part) > most);
        self.rows.each_of(&others, work, |columns| found.take(&columns))?;
        for part in large {
            let lots = || {
                let lots = self.rows.lots(part).filter_map(|columns| self.keyed(columns));
                Box::new(lots) as Box<dyn Iterator<Item = KeyedRows>>
            };
            of_large(&lots, &mut found)?;
        }
        runner.zeros.fetch_add(self.zeros, Ordering::Relaxed);
        Some(found)
    }

    /// Columns as they were sent; nothing where there are none.
    fn keyed(&self, columns: Vec<Column>) -> Option<KeyedRows> {
        let mut columns = columns.into_iter();
        let numbers = columns.next()?;
        let keys = columns.by_ref().take(self.keys).collect();
        Some(KeyedRows { rows: numbers.len(), numbers, keys, worked: columns })
    }
}
