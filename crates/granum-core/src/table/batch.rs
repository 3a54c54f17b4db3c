//! Some rows of a table on their way through its steps.

use arrow_array::{BooleanArray, UInt32Array};

use super::{Column, TableId};

/// Rows with the slots that are alive, and the rows of other tables that they came from.
#[derive(Debug, Clone, Default)]
pub(crate) struct Batch {
    pub rows: usize,
    pub slots: Vec<Option<Column>>,
    pub origins: Vec<(TableId, UInt32Array)>,
}

impl Batch {
    pub fn origin(&self, table: TableId) -> Option<&UInt32Array> {
        self.origins.iter().find(|(id, _)| *id == table).map(|(_, rows)| rows)
    }

    pub fn slice(&self, offset: usize, length: usize) -> Batch {
        Batch {
            rows: length,
            slots: self.slots.iter().map(|s| Some(s.as_ref()?.slice(offset, length))).collect(),
            origins: self
                .origins
                .iter()
                .map(|(id, rows)| (*id, rows.slice(offset, length)))
                .collect(),
        }
    }

    pub fn filter(&self, keep: &BooleanArray) -> Batch {
        Batch {
            rows: keep.true_count(),
            slots: self.each_slot(|column| column.filter(keep)),
            origins: self.origins.iter().map(|(id, rows)| (*id, filter_rows(rows, keep))).collect(),
        }
    }

    /// The rows where `keep` is true. Each column is let go as soon as its rows have been taken, so
    /// that a whole table is never held twice.
    pub fn into_filtered(self, keep: &BooleanArray) -> Batch {
        use rayon::prelude::*;
        Batch {
            rows: keep.true_count(),
            slots: self
                .slots
                .into_par_iter()
                .map(|slot| slot.map(|column| column.filter(keep)))
                .collect(),
            origins: self
                .origins
                .into_iter()
                .map(|(id, rows)| (id, filter_rows(&rows, keep)))
                .collect(),
        }
    }

    /// Works on every slot that is there; on all cores where that pays.
    fn each_slot(&self, work: impl Fn(&Column) -> Column + Sync) -> Vec<Option<Column>> {
        use rayon::prelude::*;
        const MANY: usize = 1 << 17;
        if self.rows < MANY {
            return self.slots.iter().map(|slot| Some(work(slot.as_ref()?))).collect();
        }
        self.slots.par_iter().map(|slot| Some(work(slot.as_ref()?))).collect()
    }

    pub fn take(&self, rows: &UInt32Array) -> Batch {
        Batch {
            rows: rows.len(),
            slots: self.slots.iter().map(|s| Some(s.as_ref()?.take(rows))).collect(),
            origins: self.origins.iter().map(|(id, from)| (*id, take_rows(from, rows))).collect(),
        }
    }

    /// Batches of one table one under the other. Slots that one lacks, all lack. Where the batches
    /// have all the rows of `before`, in order, its slots are taken over.
    pub fn concat(mut parts: Vec<Batch>, before: Option<&Batch>) -> Batch {
        use rayon::prelude::*;
        let Some(first) = parts.first() else {
            return before.map_or_else(Batch::default, |before| before.slice(0, 0));
        };
        if parts.len() == 1 && before.is_none() {
            return parts.remove(0);
        }
        let rows = parts.iter().map(|part| part.rows).sum();
        let slots = first.slots.len();
        let origins = first.origins.iter().enumerate().map(|(at, (id, _))| {
            let mut all = Vec::with_capacity(rows);
            for part in &parts {
                all.extend_from_slice(part.origins[at].1.values());
            }
            (*id, UInt32Array::from(all))
        });
        let origins = origins.collect();
        // Slot by slot, each part's column let go as soon as it has been taken over.
        let columns: Vec<Option<Vec<Column>>> = (0..slots)
            .map(|slot| {
                if before.is_some_and(|before| before.slots[slot].is_some()) {
                    return None;
                }
                parts.iter_mut().map(|part| part.slots[slot].take()).collect()
            })
            .collect();
        let slots = columns
            .into_par_iter()
            .enumerate()
            .map(|(slot, columns)| match (columns, before) {
                (Some(columns), _) => Some(Column::concat(&columns)),
                (None, Some(before)) => before.slots[slot].clone(),
                (None, None) => None,
            })
            .collect();
        Batch { rows, slots, origins }
    }
}

fn filter_rows(rows: &UInt32Array, keep: &BooleanArray) -> UInt32Array {
    let kept = rows.values().iter().zip(keep.values().iter());
    kept.filter(|(_, keep)| *keep).map(|(row, _)| *row).collect::<Vec<_>>().into()
}

/// The rows that `from` names for each of `rows`. Neither has blanks.
fn take_rows(from: &UInt32Array, rows: &UInt32Array) -> UInt32Array {
    let values = from.values();
    rows.values().iter().map(|row| values[*row as usize]).collect::<Vec<_>>().into()
}
