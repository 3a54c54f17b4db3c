//! An aggregate of groups of which rows come run by run: what is kept of each run is put together group by group.

use crate::aggregate::{
    AggregateFunction, Groups, Values, different, from_parts, mostly_different, number, parted,
    parts,
};
use crate::link::hashes;
use crate::resolve::AggregatePlan;
use crate::step::known_groups::KnownGroups;
use crate::step::ranks::{Lots, is_ranked, pairs, ranked};
use crate::table::{Column, Room, Rows, Scattered, parts_of};

/// What is kept of the runs so far.
pub(super) struct Together<'p> {
    aggregate: &'p AggregatePlan,
    room: Room,
    known: KnownGroups,
    /// Values of which not only a few numbers are kept: with their groups' keys.
    away: Scattered,
}

/// The groups by their keys, and what each gets.
pub(super) struct Results {
    keys: Vec<Column>,
    count: usize,
    column: Column,
}

impl<'p> Together<'p> {
    /// Whether an aggregate can be put together.
    pub fn may(aggregate: &AggregatePlan) -> bool {
        let AggregatePlan { function, ty, by, .. } = aggregate;
        let is_kept = parted(*function, *ty);
        (is_kept || is_ranked(aggregate) || counts_different(aggregate)) && by.len() < 2
    }

    /// Nothing yet, of so many rows with so many values each. Nothing at all where an aggregate cannot be put together.
    pub fn new(
        aggregate: &'p AggregatePlan,
        (rows, values): (usize, usize),
        room: &Room,
    ) -> Option<Self> {
        if !Self::may(aggregate) {
            return None;
        }
        let AggregatePlan { function, ty, .. } = aggregate;
        let is_kept = parted(*function, *ty);
        let known = KnownGroups::new(Some(*function).filter(|_| is_kept));
        let lots = if counts_different(aggregate) { parts_of(rows, values, room) } else { 1 };
        Some(Self { aggregate, room: room.clone(), known, away: Scattered::new(room, lots) })
    }

    /// Takes a run of rows, whose amounts are not apart. Nothing where `few` groups are not few any more, and where one
    /// has no value.
    pub fn take(
        &mut self,
        (keys, values): (&[Column], &Values),
        rows: usize,
        few: bool,
    ) -> Option<()> {
        let (groups, firsts) = number(keys.to_vec(), rows);
        // Each of few has to have some rows in a run, or looking them up is no less than sending rows to parts.
        if few && groups.count * 4 > rows.max(4) {
            return None;
        }
        let mut kept = vec![];
        if is_ranked(self.aggregate) {
            let columns = pairs(keys, values, &groups);
            self.away.send(&columns, &vec![0; columns.first().map_or(0, Column::len)]);
        } else if counts_different(self.aggregate) {
            let rows = mostly_different(values, &groups);
            let rows = rows.unwrap_or_else(|| different(values, &groups));
            let columns = keys.iter().chain(&values.value).map(|column| column.take(&rows));
            let columns: Vec<Column> = columns.collect();
            self.away.send_by(&hashes(&columns, rows.len()), &columns);
        } else {
            kept = parts(values, &groups).ok()?;
        }
        let firsts = Rows::from(firsts);
        let keys = keys.iter().map(|key| key.take(&firsts)).collect();
        let are_few = self.known.take((keys, kept), groups.count, &self.room)?;
        (are_few || !few).then_some(())
    }

    /// What each group gets; nothing where one has no value.
    pub fn finish(self) -> Option<Results> {
        let AggregatePlan { function, ty, .. } = self.aggregate;
        let (count, keys, kept) = self.known.finish()?;
        let column = if is_ranked(self.aggregate) {
            ranked((*function, *ty), (&keys, count), &Lots::Away(&self.away, 0..1)).ok()?
        } else if counts_different(self.aggregate) {
            different_of(&keys, count, &self.away)
        } else {
            from_parts(*function, *ty, &kept).ok()?
        };
        Some(Results { keys, count, column })
    }
}

impl Results {
    /// What rows with these keys get.
    pub fn of(&self, keys: &[Column], rows: usize) -> Column {
        let groups = Groups::among(&self.keys, self.count, keys, rows);
        self.column.take(&groups.array())
    }
}

fn counts_different(aggregate: &AggregatePlan) -> bool {
    aggregate.function == AggregateFunction::Distinct
}

/// How many different values each of `count` groups has: those of a group, and equal ones, are in one part.
fn different_of(keys: &[Column], count: usize, all: &Scattered) -> Column {
    let mut found = vec![0_i64; count];
    for part in 0..all.parts() {
        let columns = all.part(part);
        let rows = columns.first().map_or(0, Column::len);
        let (_, firsts) = number(columns.clone(), rows);
        let firsts = Rows::from(firsts);
        let own: Vec<Column> = columns.iter().map(|column| column.take(&firsts)).collect();
        let groups = Groups::among(keys, count, &own, firsts.len());
        (0..firsts.len()).filter_map(|row| groups.of(row)).for_each(|group| found[group] += 1);
    }
    Column::Integer(found.into())
}
