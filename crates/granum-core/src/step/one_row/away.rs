//! Groups of rows that have passed, where memory has no room for all of them: they are scattered by their keys, and each part
//! is put together by itself once all rows have come.

use super::super::ranks::{Lots, is_ranked, ranked};
use super::pile::{Piece, counts_in, counts_of_keys, different_in_all, once};
use super::told::Failed;
use crate::aggregate::GroupFailure;
use crate::link::hashes;
use crate::resolve::AggregatePlan;
use crate::table::{Column, InOrder, Room, Scattered};

/// Parts of groups, of which nobody knows how many there will be.
const PARTS: usize = if cfg!(test) { 3 } else { 128 };

/// Groups that are away.
pub(super) struct PileAway<'p> {
    room: Room,
    /// How many keys groups have.
    keys: usize,
    /// The number of each group among all that were put away, its keys, and what was kept of it. A group that was put
    /// away several times counts as the first of them.
    groups: Scattered,
    /// The results that are worked of pairs, with these: by their groups where ranks are looked for, else by their values
    /// as well, since one group may have most of them.
    pairs: Vec<(&'p AggregatePlan, Scattered)>,
    /// How many groups were put away.
    count: usize,
}

impl<'p> PileAway<'p> {
    /// Nothing yet, of so many keys, and of these results that are worked of pairs.
    pub fn new(
        room: &Room,
        keys: usize,
        of_pairs: impl Iterator<Item = &'p AggregatePlan>,
    ) -> Self {
        let nothing = || Scattered::new(room, PARTS);
        let pairs = of_pairs.map(|result| (result, nothing())).collect();
        Self { room: room.clone(), keys, groups: nothing(), pairs, count: 0 }
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

    /// Puts pairs away, by the number of the result that is worked of them.
    pub fn put_pairs(&mut self, at: usize, pairs: &Piece) {
        let (result, sent) = &mut self.pairs[at];
        let by = if is_ranked(result) { self.keys } else { pairs.columns.len() };
        sent.send_by(&hashes(&pairs.columns[..by], pairs.count), &pairs.columns);
    }

    /// What is worked of the pairs of all groups together: a column of one row for each result, or why there is none.
    pub fn in_all(&self) -> Vec<Result<Column, GroupFailure>> {
        let in_all = |(result, pairs): &(&AggregatePlan, Scattered)| {
            if is_ranked(result) {
                return ranked(
                    (result.function, result.ty),
                    (&[], 1),
                    &Lots::Away(pairs, 0..pairs.parts()),
                );
            }
            Ok(self.count_in_all(pairs))
        };
        self.pairs.iter().map(in_all).collect()
    }

    /// How many different values all groups have together.
    fn count_in_all(&self, pairs: &Scattered) -> Column {
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
            Some(if count == 0 { 0 } else { different_in_all(&Piece { columns, count }).units(0) })
        };
        values.each(of_part, |found| count += found as i64);
        Column::Integer(vec![count].into())
    }

    /// All groups in order, as `work` makes them of the groups of one part, which may be there several times: of their
    /// numbers, their keys and what was kept, and of the part's pairs. It gives the number of each group and its columns.
    ///
    /// # Errors
    /// Of what fails in several parts, what would fail first in all.
    pub fn each(
        &self,
        work: impl Fn(Vec<Column>, &PairsOfPart<'_>) -> Result<Vec<Column>, Failed> + Sync,
    ) -> Result<InOrder, Failed> {
        let counted = |(result, pairs): &(&AggregatePlan, Scattered)| {
            (!is_ranked(result)).then(|| counted(pairs, self.keys, &self.room))
        };
        let counts: Vec<Option<Scattered>> = self.pairs.iter().map(counted).collect();
        let mut all = InOrder::new(&self.room, self.count);
        let mut failed: Option<Failed> = None;
        let of_part = |part: usize, groups: Vec<Column>| {
            Some(if groups.first().is_none_or(Column::is_empty) {
                Ok(vec![])
            } else {
                work(groups, &PairsOfPart { pairs: &self.pairs, counts: &counts, part })
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

/// The pairs of the groups of a part.
pub(super) struct PairsOfPart<'a> {
    pairs: &'a [(&'a AggregatePlan, Scattered)],
    /// For each count of different values, the keys of groups and how many they have.
    counts: &'a [Option<Scattered>],
    part: usize,
}

impl PairsOfPart<'_> {
    /// What is worked of pairs for each of `count` groups, of which these are the keys: a column for each result, or why
    /// there is none.
    pub fn results(&self, keys: &[Column], count: usize) -> Vec<Result<Column, GroupFailure>> {
        let results =
            self.pairs.iter().zip(self.counts).map(|((result, pairs), counts)| match counts {
                Some(counts) => Ok(counts_in(keys, count, &counts.part(self.part))),
                None => ranked(
                    (result.function, result.ty),
                    (keys, count),
                    &Lots::Away(pairs, self.part..self.part + 1),
                ),
            });
        results.collect()
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
