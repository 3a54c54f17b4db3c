//! Values that could not be worked, and why: told where a row needs one.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Mutex, PoisonError};

use crate::bug::Sure;
use crate::table::{SlotId, TableId};
use crate::tally::Problem;

/// What has no value, by its number: a group, or a row of a table that is led to.
#[derive(Debug, Default)]
pub(crate) struct Faults(BTreeMap<u32, Problem>);

impl Faults {
    /// Notes why one has none. The first reason stays.
    pub fn note(&mut self, number: u32, problem: impl FnOnce() -> Problem) {
        self.0.entry(number).or_insert_with(problem);
    }

    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub fn has(&self, number: u32) -> bool {
        self.0.contains_key(&number)
    }

    /// All that have none, in order.
    pub fn numbers(&self) -> impl Iterator<Item = u32> {
        self.0.keys().copied()
    }

    /// Why one has none.
    pub fn problem(&self, number: u32) -> Problem {
        self.0.get(&number).sure("why there is no value").clone()
    }
}

/// The faults of groups whose values stand in a slot of a table's rows.
#[derive(Debug, Default)]
pub(crate) struct GroupFaults(Mutex<HashMap<(TableId, SlotId), Faults>>);

impl GroupFaults {
    pub fn note(&self, table: TableId, slot: SlotId, faults: Faults) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert((table, slot), faults);
    }

    pub fn problem(&self, table: TableId, slot: SlotId, group: u32) -> Problem {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.get(&(table, slot)).sure("the groups of a slot").problem(group)
    }
}
