//! Rows that have no room are scattered by their keys, each part is worked by itself, and what comes of it goes into the
//! order of rows.

use std::sync::atomic::{AtomicU64, Ordering};

use super::StepRunner;
use crate::link::hashes;
use crate::table::{Batch, Column, InOrder, Room, Rows, Scattered, SlotId, parts_of};

/// The rows of some keys, all that there are.
pub(super) struct KeyedRows {
    pub rows: usize,
    /// The number of each row among all.
    pub numbers: Column,
    pub keys: Vec<Column>,
    /// What was worked of them.
    pub worked: std::vec::IntoIter<Column>,
}

/// What `of_part` makes of the rows of each part, with the numbers of rows first: in the order of these. `sent` gives the
/// keys of a run of rows, and what is worked of them; it is called for one run after the other. Nothing where all that is
/// looked at is here, and where either gives nothing: what divided by zero is counted only where none does.
pub(super) fn by_keys(
    (runner, batch): (&StepRunner<'_>, &Batch),
    reads: Vec<SlotId>,
    sent: impl FnMut(&StepRunner<'_>, &Batch) -> Option<(Vec<Column>, Vec<Column>)>,
    of_part: impl Fn(KeyedRows) -> Option<Vec<Column>> + Sync,
) -> Option<(Room, InOrder)> {
    let room = batch.room_of(&reads)?;
    let parts = parts_of(batch.rows, reads.len() + 1, &room);
    let all = SentByKeys::of((runner, batch), reads, (&room, parts), sent)?;
    let found = all.each(runner, |_, rows| of_part(rows))?;
    Some((room, found))
}

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
    /// Sends rows, some at least, as [`by_keys`] does.
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
        let mut found = InOrder::new(&self.room, self.count);
        let work = |part, columns: Vec<Column>| {
            let mut columns = columns.into_iter();
            // Nobody may have come into a part.
            let Some(numbers) = columns.next() else { return Some(vec![]) };
            let keys = columns.by_ref().take(self.keys).collect();
            of_part(part, KeyedRows { rows: numbers.len(), numbers, keys, worked: columns })
        };
        self.rows.each(work, |columns| found.take(&columns))?;
        runner.zeros.fetch_add(self.zeros, Ordering::Relaxed);
        Some(found)
    }
}
