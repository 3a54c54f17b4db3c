//! Rows that are put below each other as they come, and go away where there is no room for them.

use std::sync::Arc;

use rayon::prelude::*;

use super::growing::GrowingColumn;
use super::{AwayBuilder, Batch, Column, Held, RoomFile, Rows, RowsBuilder, TableId};
use crate::bug::Sure;
use crate::value::Type;

/// A batch that grows.
pub(crate) struct Stack {
    rows: usize,
    /// How many of them are away.
    away: usize,
    slots: Vec<Laid>,
    origins: Vec<(TableId, RowsBuilder)>,
    /// Which rows of those before these are, where that is asked.
    fed: RowsBuilder,
    begun: bool,
}

/// What becomes of a slot of batches that are laid below each other.
enum Laid {
    /// No batch has it.
    Nothing,
    /// It is as it was in the rows before.
    Before,
    Anew(Growing),
}

/// A column that grows; what came first may be away.
struct Growing {
    away: Option<AwayBuilder>,
    here: GrowingColumn,
}

impl Growing {
    fn new(room: usize) -> Self {
        Self { away: None, here: GrowingColumn::new(Type::Blank, room) }
    }

    /// What is here, so many rows, goes behind what is away.
    fn put_away(&mut self, file: &Arc<RoomFile>, rows: usize) {
        // About as many will come until it is asked again: room that is not used is not touched.
        let here = std::mem::replace(&mut self.here, GrowingColumn::new(Type::Blank, rows));
        self.away.get_or_insert_with(|| AwayBuilder::new(file)).push(&here.finish());
    }

    fn finish(self) -> Slot {
        let here = self.here.finish();
        let Some(mut away) = self.away else { return Slot::Here(here) };
        if !here.is_empty() {
            away.push(&here);
        }
        Slot::Away(Held::away(away.finish()))
    }
}

/// A slot of rows that came together.
enum Slot {
    Here(Column),
    Away(Held),
}

/// What became of a slot when the last rows had come.
enum Finished {
    Nothing,
    Before,
    Anew(Slot),
}

impl Stack {
    pub fn new() -> Self {
        let (slots, origins, fed) = (vec![], vec![], RowsBuilder::default());
        Self { rows: 0, away: 0, slots, origins, fed, begun: false }
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    /// The bytes that its columns, and what says where its rows came from, hold in memory, about.
    pub fn bytes_held(&self) -> usize {
        let came = self.origins.iter().map(|(_, rows)| rows.bytes_held()).sum::<usize>();
        let laid = |laid: &Laid| match laid {
            Laid::Anew(growing) => growing.here.bytes_held(),
            Laid::Nothing | Laid::Before => 0,
        };
        self.slots.iter().map(laid).sum::<usize>() + came + self.fed.bytes_held()
    }

    /// Puts what it holds away. What comes next stays again, until this is called again.
    pub fn put_away(&mut self, file: &Arc<RoomFile>) {
        let rows = self.rows - std::mem::replace(&mut self.away, self.rows);
        self.slots.par_iter_mut().for_each(|laid| {
            if let Laid::Anew(growing) = laid {
                growing.put_away(file, rows);
            }
        });
        self.origins.iter_mut().for_each(|(_, rows)| rows.put_away(file));
        self.fed.put_away(file);
    }

    /// Puts those columns away for which `left` bytes are too few while they go over to where these batches have room behind
    /// them as well. Gives how many bytes are left.
    pub fn make_way(
        &mut self,
        parts: &[Batch],
        mut left: u64,
        mut file: impl FnMut() -> Arc<RoomFile>,
    ) -> u64 {
        /// What goes over takes no more than so many times the bytes that it took.
        const WIDER: u64 = 16;
        if WIDER * self.bytes_held() as u64 <= left {
            return left;
        }
        let (here, more) = (self.rows - self.away, parts.iter().map(|part| part.rows).sum());
        for (slot, laid) in self.slots.iter_mut().enumerate() {
            let Laid::Anew(growing) = laid else { continue };
            let parts =
                parts.iter().map(|part| part.slots[slot].as_ref().sure("a slot of a batch"));
            let moved = growing.here.moved_by(more, parts) as u64;
            if moved > left && growing.here.bytes_held() > 0 {
                growing.put_away(&file(), here);
            } else {
                left = left.saturating_sub(moved);
            }
        }
        left
    }

    /// Adds batches, one under the other. `before` are the rows that these are some of, in the same
    /// order: slots that it has are not made anew. `room` is how many rows are expected in all.
    pub fn append(&mut self, parts: &[Batch], before: Option<&Batch>, room: usize) {
        let Some(first) = parts.first() else { return };
        if !self.begun {
            self.begun = true;
            let there = |slot: usize| before.is_some_and(|before| before.has(slot));
            let laid = |(slot, column): (usize, &Option<Column>)| match column {
                None => Laid::Nothing,
                Some(_) if there(slot) => Laid::Before,
                Some(_) => Laid::Anew(Growing::new(room)),
            };
            self.slots = first.slots.iter().enumerate().map(laid).collect();
            let origins = first.origins.iter();
            self.origins = origins.map(|(id, _)| (*id, RowsBuilder::default())).collect();
        }
        self.rows += parts.iter().map(|part| part.rows).sum::<usize>();
        let (slots, origins, fed) = (&mut self.slots, &mut self.origins, &mut self.fed);
        rayon::join(
            || {
                slots.par_iter_mut().enumerate().with_max_len(1).for_each(|(slot, laid)| {
                    let Laid::Anew(growing) = laid else { return };
                    for part in parts {
                        growing.here.append(part.slots[slot].as_ref().sure("a slot of a batch"));
                    }
                });
            },
            || {
                for (at, (_, rows)) in origins.iter_mut().enumerate() {
                    parts.iter().for_each(|part| rows.append(&part.origins[at].1));
                }
                for part in parts.iter().filter(|_| before.is_some()) {
                    fed.append(part.fed.as_ref().sure("the rows that were fed in"));
                }
            },
        );
    }

    /// All rows. Of slots that are as they were `before`, the rows that are left; where it `sees` them,
    /// and at least half are left, these are told by slot as seen through `before` and lack in the
    /// batch.
    pub fn finish(self, before: Option<Batch>, sees: bool) -> (Batch, Vec<Option<Held>>) {
        let Self { rows, slots, origins, fed, .. } = self;
        let fed = fed.finish();
        let all = before.as_ref().map_or(0, |before| before.rows);
        let (mut there, mut away) = before.map_or_else(Default::default, |before| {
            let is_before = |slot: usize| matches!(slots.get(slot), Some(Laid::Before));
            (kept(before.slots, is_before), kept(before.away, is_before))
        });
        let mut seen = vec![];
        if all > rows {
            away = Held::each_of_rows(&away, &fed);
        }
        if all > rows && sees && 2 * rows >= all {
            let see = |slot: &mut Option<Column>| {
                slot.take().map(|column| Held::Seen { column, rows: fed.clone() })
            };
            seen = there.iter_mut().map(see).collect();
        } else if all > rows {
            // In their places, a column after the other, so that rows are not held twice.
            there = left_of(there, all, &fed);
        }
        away.resize(slots.len(), None);
        let finished = slots.into_par_iter().with_max_len(1).map(|laid| match laid {
            Laid::Anew(growing) => Finished::Anew(growing.finish()),
            Laid::Nothing => Finished::Nothing,
            Laid::Before => Finished::Before,
        });
        let finished: Vec<Finished> = finished.collect();
        let mut here = Vec::with_capacity(finished.len());
        for (slot, finished) in finished.into_iter().enumerate() {
            here.push(match finished {
                Finished::Nothing => None,
                Finished::Before => {
                    let column = there.get_mut(slot).and_then(Option::take);
                    let elsewhere =
                        away[slot].is_some() || seen.get(slot).is_some_and(Option::is_some);
                    if !elsewhere {
                        column.as_ref().sure("a slot of the rows before");
                    }
                    column
                }
                Finished::Anew(Slot::Here(column)) => Some(column),
                Finished::Anew(Slot::Away(held)) => {
                    away[slot] = Some(held);
                    None
                }
            });
        }
        let origins = origins.into_iter().map(|(id, rows)| (id, rows.finish()));
        (Batch { away, ..Batch::new(rows, here, origins.collect()) }, seen)
    }
}

/// Those slots that a stack has as they were before.
fn kept<T>(slots: Vec<Option<T>>, is_before: impl Fn(usize) -> bool) -> Vec<Option<T>> {
    let slots = slots.into_iter().enumerate();
    slots.map(|(slot, column)| column.filter(|_| is_before(slot))).collect()
}

fn left_of(there: Vec<Option<Column>>, all: usize, fed: &Rows) -> Vec<Option<Column>> {
    Batch::new(all, there, vec![]).into_filtered(&fed.among(all)).slots
}
