//! Groups of rows that come run by run, as long as they are few: what is kept of each, and whether amounts within one are in
//! several currencies, or other measures.

use std::sync::atomic::AtomicU64;

use super::StepRunner;
use crate::aggregate::{AggregateFunction, Values, folded, number, stands};
use crate::table::{Batch, Column, Room, Rows, SlotId};

/// The groups of the rows so far: their keys, and what is kept of their rows. A group may be there several times.
pub(super) struct KnownGroups {
    /// What parts are kept for, if any are.
    function: Option<AggregateFunction>,
    keys: Vec<Vec<Column>>,
    parts: Vec<Vec<Column>>,
    groups: usize,
    /// How many there were when they were last put together.
    merged: usize,
}

impl KnownGroups {
    /// None yet.
    pub fn new(function: Option<AggregateFunction>) -> Self {
        Self { function, keys: vec![], parts: vec![], groups: 0, merged: 0 }
    }

    /// How many there are, their keys, and what is kept of each, once all have come.
    pub fn finish(mut self) -> Option<(usize, Vec<Column>, Vec<Column>)> {
        self.merge()?;
        Some((self.groups, self.keys.concat(), self.parts.concat()))
    }

    /// Adds the groups of a run, by their keys, and what is kept of them; says whether they are few still. Nothing where one has
    /// no value.
    pub fn take(
        &mut self,
        (keys, parts): (Vec<Column>, Vec<Column>),
        groups: usize,
        room: &Room,
    ) -> Option<bool> {
        /// Bytes of what is kept in a column, about; so many of all are few wherever.
        const EACH: usize = 16;
        const FEW: u64 = if cfg!(test) { 1 << 8 } else { 1 << 20 };
        let width = keys.len() + parts.len();
        self.keys.push(keys);
        self.parts.push(parts);
        self.groups += groups;
        let most = (room.limit() / 16).max(FEW);
        if (self.groups * EACH * width) as u64 > most && self.groups > 2 * self.merged {
            self.merge()?;
        }
        Some(2 * (self.merged * EACH * width) as u64 <= most)
    }

    /// Puts together what is of one group.
    fn merge(&mut self) -> Option<()> {
        let keys = Column::concat_each(&std::mem::take(&mut self.keys));
        let (groups, firsts) = number(keys.clone(), self.groups);
        let firsts = Rows::from(firsts);
        self.keys = vec![keys.iter().map(|key| key.take(&firsts)).collect()];
        let parts = Column::concat_each(&std::mem::take(&mut self.parts));
        if let Some(function) = self.function {
            self.parts = vec![folded(function, &parts, &groups).ok()?];
        }
        (self.groups, self.merged) = (groups.count, groups.count);
        Some(())
    }
}

/// Whether it is known that no group has amounts in several currencies, or other measures: of few groups. `of` gives the keys of a
/// run of rows, and their amounts with what keeps them apart.
pub(super) fn nothing_is_mixed(
    (runner, batch): (&StepRunner<'_>, &Batch),
    (reads, room): (Vec<SlotId>, &Room),
    of: impl Fn(&StepRunner<'_>, &Batch) -> Option<(Vec<Column>, Values)>,
) -> Option<()> {
    let own = StepRunner { zeros: &AtomicU64::new(0), ..*runner };
    let mut known = KnownGroups::new(None);
    for (_, run) in batch.runs(reads) {
        let (mut keys, values) = of(&own, &run)?;
        let (Some(apart), Some(value)) = (&values.apart, &values.value) else { return Some(()) };
        let counts = |row: &usize| stands(value, apart, *row) && values.counts(*row);
        let rows: Rows = (0..run.rows).filter(counts).map(|row| row as u32).collect();
        keys.push(apart.clone());
        let keys: Vec<Column> = keys.iter().map(|key| key.take(&rows)).collect();
        let (groups, firsts) = number(keys.clone(), rows.len());
        let firsts = Rows::from(firsts);
        let keys = keys.iter().map(|key| key.take(&firsts)).collect();
        known.take((keys, vec![]), groups.count, room)?.then_some(())?;
    }
    let (count, mut keys, _) = known.finish()?;
    keys.pop();
    (number(keys, count).0.count == count).then_some(())
}
