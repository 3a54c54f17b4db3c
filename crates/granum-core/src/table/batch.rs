//! Some rows of a table on their way through its steps.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use super::{
    Away, Bits, Column, ColumnId, Held, Hop, PIECE, Room, RoomFile, Rows, SlotId, TableId,
};
use crate::bug::bug;

/// Rows with the slots that are alive, and the rows of other tables that they came from.
#[derive(Debug, Clone, Default)]
pub(crate) struct Batch {
    pub rows: usize,
    /// By [`SlotId`]: the columns of a table on its way.
    pub slots: Vec<Option<Column>>,
    /// By [`SlotId`]: those of these columns that are away, and have to be got before a step looks at them.
    pub away: Vec<Option<Held>>,
    /// By [`ColumnId`]: those of a finished table, in place of slots.
    pub columns: Vec<Option<Held>>,
    pub origins: Vec<(TableId, Rows)>,
    /// Slots that have no value in rows of some groups, and for each row the number of such a
    /// group: it could not be worked, and that stops the run where it is needed.
    pub without: Vec<(SlotId, Rows)>,
    /// Which they are of the rows that were fed in, while that is known.
    pub fed: Option<Rows>,
    /// Where its rows lead.
    pub paths: Paths,
}

/// Paths that have been followed from a batch's rows, with the rows they lead to: several
/// expressions follow the same, and each is followed once.
#[derive(Debug, Default)]
pub(crate) struct Paths(Mutex<HashMap<(TableId, Vec<Hop>), Rows>>);

impl Clone for Paths {
    /// A copy of a batch may go on to other rows, and finds its paths anew.
    fn clone(&self) -> Self {
        Self::default()
    }
}

impl Paths {
    /// The rows that a path leads to, made by `follow` if nobody asked before.
    pub fn lead(&self, from: TableId, hops: &[Hop], follow: impl FnOnce() -> Rows) -> Rows {
        let known = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let path = (from, hops.to_vec());
        if let Some(rows) = known().get(&path) {
            return rows.clone();
        }
        // Not under the lock: the path's beginning is asked for here too.
        let rows = follow();
        known().insert(path, rows.clone());
        rows
    }
}

impl Batch {
    /// Rows with what is known of them.
    pub fn new(rows: usize, slots: Vec<Option<Column>>, origins: Vec<(TableId, Rows)>) -> Self {
        Self { rows, slots, origins, ..Self::default() }
    }

    /// Rows of a finished table with what is known of them.
    pub fn finished(
        rows: usize,
        columns: Vec<Option<Held>>,
        origins: Vec<(TableId, Rows)>,
    ) -> Self {
        Self { rows, columns, origins, ..Self::default() }
    }

    pub fn origin(&self, table: TableId) -> Option<&Rows> {
        self.origins.iter().find(|(id, _)| *id == table).map(|(_, rows)| rows)
    }

    /// The column of a slot that must be alive.
    pub fn slot(&self, slot: SlotId) -> &Column {
        match self.slots.get(slot.0) {
            Some(Some(column)) => column,
            _ => bug(format!("slot {} of a batch is missing", slot.0)),
        }
    }

    /// The column of a slot that must be alive, here or away.
    pub fn held(&self, slot: SlotId) -> Held {
        match self.away.get(slot.0) {
            Some(Some(held)) => held.clone(),
            _ => Held::Own(self.slot(slot).clone()),
        }
    }

    /// Some rows of the columns of slots, which are here or away.
    pub fn rows_of(&self, slots: &[SlotId], rows: &Rows) -> Vec<Column> {
        slots.iter().map(|slot| self.held(*slot).take(rows)).collect()
    }

    /// A finished column that must be there.
    pub fn column(&self, column: ColumnId) -> &Held {
        match self.columns.get(column.0) {
            Some(Some(column)) => column,
            _ => bug(format!("column {} of finished rows is missing", column.0)),
        }
    }

    pub fn slice(&self, offset: usize, length: usize) -> Batch {
        let without = self.without.iter().map(|(slot, rows)| (*slot, rows.slice(offset, length)));
        let mut part = Batch::new(
            length,
            self.slots.iter().map(|s| Some(s.as_ref()?.slice(offset, length))).collect(),
            self.origins.iter().map(|(id, rows)| (*id, rows.slice(offset, length))).collect(),
        );
        part.without = without.collect();
        part.columns = Held::each_sliced(&self.columns, offset, length);
        part.away = Held::each_sliced(&self.away, offset, length);
        part.fed = self.fed.as_ref().map(|fed| fed.slice(offset, length));
        part
    }

    pub fn filter(&self, keep: &Bits) -> Batch {
        let left = Batch::new(
            keep.count(),
            self.each_slot(|column| column.filter(keep)),
            self.origins.iter().map(|(id, rows)| (*id, rows.filter(keep))).collect(),
        );
        Batch {
            fed: self.fed.as_ref().map(|fed| fed.filter(keep)),
            columns: Held::each_filtered(&self.columns, keep),
            away: Held::each_filtered(&self.away, keep),
            ..left
        }
    }

    /// The rows where `keep` is true. Each column is let go as soon as its rows have been taken, so
    /// that a whole table is never held twice.
    pub fn into_filtered(self, keep: &Bits) -> Batch {
        use rayon::prelude::*;
        let (slots, origins) = (self.slots, self.origins);
        let (slots, origins) = rayon::join(
            || {
                let slots = slots.into_par_iter().with_max_len(1);
                slots.map(|slot| slot.map(|column| column.into_filtered(keep))).collect()
            },
            || {
                origins
                    .into_par_iter()
                    .with_max_len(1)
                    .map(|(id, rows)| (id, rows.filter(keep)))
                    .collect()
            },
        );
        let left = Batch::new(keep.count(), slots, origins);
        let away = Held::each_filtered(&self.away, keep);
        Batch { fed: self.fed.map(|fed| fed.filter(keep)), away, ..left }
    }

    /// Works on every slot that is there; on all cores where that pays.
    fn each_slot(&self, work: impl Fn(&Column) -> Column + Sync) -> Vec<Option<Column>> {
        use rayon::prelude::*;
        const MANY: usize = 1 << 17;
        if self.rows < MANY {
            return self.slots.iter().map(|slot| Some(work(slot.as_ref()?))).collect();
        }
        let slots = self.slots.par_iter().with_max_len(1);
        slots.map(|slot| Some(work(slot.as_ref()?))).collect()
    }

    /// Whether it has a slot, here or away.
    pub fn has(&self, slot: usize) -> bool {
        let away = self.away.get(slot).is_some_and(Option::is_some);
        away || self.slots.get(slot).is_some_and(Option::is_some)
    }

    /// The slots that it has, here or away.
    pub fn slots_there(&self) -> Vec<SlotId> {
        (0..self.slots.len()).filter(|slot| self.has(*slot)).map(SlotId).collect()
    }

    /// A slot as it is held, here or away.
    pub fn held_as(&self, slot: usize) -> Option<Held> {
        let here = self.slots[slot].clone().map(Held::Own);
        here.or_else(|| self.away.get(slot)?.clone())
    }

    /// Whether anything of it is away.
    pub fn has_away(&self) -> bool {
        self.file().is_some()
    }

    /// The file of something of it that is away.
    pub fn file(&self) -> Option<Arc<RoomFile>> {
        let columns = self.columns.iter().flatten();
        columns.chain(self.away.iter().flatten()).find_map(Held::file)
    }

    /// All rows run by run, each with the first of its rows; these slots are got where they are away.
    pub fn runs(&self, slots: Vec<SlotId>) -> impl Iterator<Item = (usize, Batch)> {
        (0..self.rows).step_by(PIECE).map(move |first| {
            let mut run = self.slice(first, PIECE.min(self.rows - first));
            run.get(slots.iter().copied());
            (first, run)
        })
    }

    /// Where some of these slots are away and not here as well: the room that they had no room in.
    pub fn room_of(&self, slots: &[SlotId]) -> Option<Room> {
        let lacks = |slot: &SlotId| self.slots[slot.0].is_none();
        let files =
            slots.iter().filter(|slot| lacks(slot)).filter_map(|slot| self.away.get(slot.0));
        Some(files.flatten().find_map(Held::file)?.room().clone())
    }

    /// Gets slots that are away, as far as these are; gives those that it got.
    pub fn get(&mut self, slots: impl Iterator<Item = SlotId>) -> Vec<SlotId> {
        let mut got = vec![];
        for slot in slots {
            let Some(Some(away)) = self.away.get(slot.0) else { continue };
            if self.slots[slot.0].is_none() {
                self.slots[slot.0] = Some(away.whole());
                got.push(slot);
            }
        }
        got
    }

    /// Lets go of slots that were got, as far as they are still away as well.
    pub fn let_go(&mut self, slots: &[SlotId]) {
        for slot in slots {
            if self.away.get(slot.0).is_some_and(Option::is_some) {
                self.slots[slot.0] = None;
            }
        }
    }

    /// Puts the columns of slots away, and what says where rows came from, a file for all of them.
    pub fn put_away(&mut self, file: &Arc<RoomFile>) {
        self.away.resize(self.slots.len(), None);
        for (here, away) in self.slots.iter_mut().zip(&mut self.away) {
            if let Some(column) = here.take() {
                *away = Some(Held::away(Away::put(&column, file)));
            }
        }
        self.origins.iter_mut().for_each(|(_, rows)| *rows = rows.away(file));
    }

    /// The same with nothing away: all slots and columns are got.
    pub fn here(mut self) -> Self {
        let all = (0..self.away.len()).map(SlotId);
        self.get(all);
        self.away.clear();
        for column in self.columns.iter_mut().flatten().filter(|column| column.is_away()) {
            *column = Held::Own(column.whole());
        }
        self
    }

    /// The bytes that its slots, and what says where its rows came from, hold in memory, about.
    pub fn bytes_held(&self) -> usize {
        // Few rows stay where they are: only what can go away counts.
        let came = self.origins.iter().filter(|(_, rows)| rows.address().is_some());
        let came = came.map(|(_, rows)| rows.bytes_held()).sum::<usize>();
        self.slots.iter().flatten().map(Column::bytes_held).sum::<usize>() + came
    }

    pub fn take(&self, rows: &Rows) -> Batch {
        let taken = Batch::new(
            rows.len(),
            self.slots.iter().map(|s| Some(s.as_ref()?.take(rows))).collect(),
            self.origins.iter().map(|(id, from)| (*id, rows.follow(from))).collect(),
        );
        Batch {
            columns: Held::each_of_rows(&self.columns, rows),
            away: Held::each_of_rows(&self.away, rows),
            ..taken
        }
    }
}
