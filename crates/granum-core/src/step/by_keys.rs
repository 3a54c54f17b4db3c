//! Rows that have no room are scattered by their keys, each part is worked by itself, and what comes of it goes into the
//! order of rows.

use std::sync::atomic::{AtomicU64, Ordering};

use super::StepRunner;
use crate::link::hashes;
use crate::table::{Batch, Column, InOrder, Room, Rows, Scattered, SlotId, parts};

/// Bytes of a value on its way, about.
const EACH: usize = 12;

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
    mut sent: impl FnMut(&StepRunner<'_>, &Batch) -> Option<(Vec<Column>, Vec<Column>)>,
    of_part: impl Fn(KeyedRows) -> Option<Vec<Column>> + Sync,
) -> Option<(Room, InOrder)> {
    let room = batch.room_of(&reads).filter(|_| batch.rows > 0)?;
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*runner };
    let mut rows = Scattered::new(&room, parts(batch.rows, EACH * (reads.len() + 1), &room));
    let mut width = 0;
    for (first, run) in batch.runs(reads) {
        let (keys, worked) = sent(&own, &run)?;
        width = keys.len();
        let hashes = hashes(&keys, run.rows);
        let mut columns = vec![Rows::run(first as u32, run.rows).column()];
        columns.extend(keys.into_iter().chain(worked));
        rows.send_by(&hashes, &columns);
    }
    let mut found = InOrder::new(&room, batch.rows);
    let work = |_, columns: Vec<Column>| {
        let mut columns = columns.into_iter();
        // Nobody may have come into a part.
        let Some(numbers) = columns.next() else { return Some(vec![]) };
        let keys = columns.by_ref().take(width).collect();
        of_part(KeyedRows { rows: numbers.len(), numbers, keys, worked: columns })
    };
    rows.each(work, |columns| found.take(&columns))?;
    runner.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    Some((room, found))
}
