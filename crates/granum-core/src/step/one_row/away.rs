//! Groups of rows that have passed, where memory has no room for all of them: they are scattered by their keys, and each part
//! is put together by itself once all rows have come.

use super::pile::{Piece, counts_of_keys, different_in_all, once};
use super::told::Failed;
use crate::link::hashes;
use crate::table::{Column, InOrder, Room, Scattered};

/// Parts of groups, of which nobody knows how many there will be.
const PARTS: usize = if cfg!(test) { 3 } else { 128 };

/// Groups that are away.
pub(super) struct PileAway {
    room: Room,
    /// How many keys groups have.
    keys: usize,
    /// The number of each group among all that were put away, its keys, and what was kept of it. A group that was put
    /// away several times counts as the first of them.
    groups: Scattered,
    /// For each count of different values, the keys and values that it counts.
    different: Vec<Scattered>,
    /// How many groups were put away.
    count: usize,
}

impl PileAway {
    /// Nothing yet, of so many keys and counts of different values.
    pub fn new(room: &Room, keys: usize, different: usize) -> Self {
        let nothing = || Scattered::new(room, PARTS);
        let different = (0..different).map(|_| nothing()).collect();
        Self { room: room.clone(), keys, groups: nothing(), different, count: 0 }
    }

    pub fn room(&self) -> &Room {
        &self.room
    }

    /// Puts groups behind those that are away.
    pub fn put(&mut self, groups: Piece) {
        let numbers: Vec<i64> =
            (self.count..self.count + groups.count).map(|group| group as i64).collect();
        self.count += groups.count;
        let hashes_of_groups = hashes(&groups.columns[..self.keys], groups.count);
        let mut columns = vec![Column::Integer(numbers.into()).narrowed()];
        columns.extend(groups.columns);
        self.groups.send_by(&hashes_of_groups, &columns);
    }

    /// Puts values away of which different ones are counted, by the number of the count.
    pub fn put_different(&mut self, at: usize, pairs: &Piece) {
        // By the value as well: one group may have most of them.
        self.different[at].send_by(&hashes(&pairs.columns, pairs.count), &pairs.columns);
    }

    /// How many different values there are in all groups together: a column of one row for each count of them.
    pub fn different_in_all(&self) -> Vec<Column> {
        let in_all = |pairs: &Scattered| {
            // Groups may share a value, so that those without keys come into parts of their own.
            let mut values = Scattered::new(&self.room, PARTS);
            let of_part =
                |_, columns: Vec<Column>| Some(columns.into_iter().next_back().map(value_once));
            pairs.each(of_part, |value| {
                let rows = value.as_ref().map_or(0, Column::len);
                value.iter().filter(|_| rows > 0).for_each(|value| {
                    let own = std::slice::from_ref(value);
                    values.send_by(&hashes(own, rows), own);
                });
            });
            let mut count = 0;
            let of_part = |_, columns: Vec<Column>| {
                let count = columns.first().map_or(0, Column::len);
                Some(if count == 0 {
                    0
                } else {
                    different_in_all(&Piece { columns, count }).units(0)
                })
            };
            values.each(of_part, |found| count += found as i64);
            Column::Integer(vec![count].into())
        };
        self.different.iter().map(in_all).collect()
    }

    /// All groups in order, as `work` makes them of the groups of one part, which may be there several times: of their
    /// numbers, their keys and what was kept, and of the counts of different values with the keys of these. It gives the
    /// number of each group and its columns.
    ///
    /// # Errors
    /// Of what fails in several parts, what would fail first in all.
    pub fn each(
        &self,
        work: impl Fn(Vec<Column>, Vec<Vec<Column>>) -> Result<Vec<Column>, Failed> + Sync,
    ) -> Result<InOrder, Failed> {
        let counted = |pairs| counted(pairs, self.keys, &self.room);
        let counts: Vec<Scattered> = self.different.iter().map(counted).collect();
        let mut all = InOrder::new(&self.room, self.count);
        let mut failed: Option<Failed> = None;
        let of_part = |part: usize, groups: Vec<Column>| {
            let counts = counts.iter().map(|counts| counts.part(part)).collect();
            Some(if groups.first().is_none_or(Column::is_empty) {
                Ok(vec![])
            } else {
                work(groups, counts)
            })
        };
        let take = |worked: Result<Vec<Column>, Failed>| match worked {
            Ok(groups) if groups.is_empty() => {}
            Ok(groups) => all.take(&groups),
            Err(more) if failed.as_ref().is_none_or(|known| more.place < known.place) => {
                failed = Some(more);
            }
            Err(_) => {}
        };
        self.groups.each(of_part, take);
        failed.map_or(Ok(all), Err)
    }
}

/// The different values of a column.
fn value_once(value: Column) -> Column {
    let count = value.len();
    once(Piece { columns: vec![value], count }).columns.remove(0)
}

/// How many different values groups have, with their keys, in the parts of the keys. A group may be there several times.
fn counted(pairs: &Scattered, keys: usize, room: &Room) -> Scattered {
    let mut counts = Scattered::new(room, PARTS);
    let of_part = |_, columns: Vec<Column>| {
        let count = columns.first().map_or(0, Column::len);
        Some(if count == 0 {
            vec![]
        } else {
            counts_of_keys(keys, &once(Piece { columns, count }))
        })
    };
    pairs.each(of_part, |columns| {
        let rows = columns.first().map_or(0, Column::len);
        if rows > 0 {
            counts.send_by(&hashes(&columns[..keys], rows), &columns);
        }
    });
    counts
}
