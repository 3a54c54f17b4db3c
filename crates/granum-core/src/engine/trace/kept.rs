//! What is kept of a table's rows before each of its steps: where they came from, and of columns those that the
//! step before made. A column is looked up where it was made, so that a step costs a number a row, not a copy of
//! the table. What has no room is away, as columns of finished tables are.

use crate::aggregate::Groups;
use crate::bug::{Sure, bug};
use crate::table::{Batch, Bits, Column, Held, Rows, SlotId, TableId};
use crate::tally::Problem;
use crate::value::Scalar;

/// What became of rows in a step.
pub(in crate::engine) enum Moved {
    /// Each stayed in its place.
    Same,
    /// For each row after the step the one that it was before.
    From(Rows),
    /// For each row before the step the group that it became part of.
    Into(Groups),
}

impl Moved {
    /// The rows before that some rows after were, in their order.
    pub fn back(&self, rows: &[u32]) -> Vec<u32> {
        match self {
            Self::Same => rows.to_vec(),
            Self::From(from) => {
                let mut before: Vec<u32> =
                    rows.iter().filter_map(|row| from.get(*row as usize)).collect();
                before.sort_unstable();
                before.dedup();
                before
            }
            Self::Into(groups) => {
                let wanted = marked(groups.count, rows);
                let member =
                    |row: &u32| groups.of(*row as usize).is_some_and(|group| wanted.value(group));
                (0..groups.rows() as u32).filter(member).collect()
            }
        }
    }

    /// The rows after that some rows before became, in their order.
    pub fn forth(&self, rows: &[u32], before: usize) -> Vec<u32> {
        match self {
            Self::Same => rows.to_vec(),
            Self::From(from) => {
                let wanted = marked(before, rows);
                let own = |row: &u32| {
                    from.get(*row as usize).is_some_and(|row| wanted.value(row as usize))
                };
                (0..from.len() as u32).filter(own).collect()
            }
            Self::Into(groups) => {
                let mut after: Vec<u32> = rows
                    .iter()
                    .filter_map(|row| groups.of(*row as usize).map(|group| group as u32))
                    .collect();
                after.sort_unstable();
                after.dedup();
                after
            }
        }
    }
}

/// Which of `count` there are.
fn marked(count: usize, rows: &[u32]) -> Bits {
    let mut marked = vec![false; count];
    rows.iter().for_each(|row| marked[*row as usize] = true);
    marked.into()
}

/// Something of rows, and the step before which they stood when it was made.
#[derive(Clone)]
struct Made<T> {
    at: usize,
    it: T,
}

/// The rows before one step.
struct Stage {
    rows: usize,
    slots: Vec<Option<Made<Held>>>,
    origins: Vec<(TableId, Made<Rows>)>,
    without: Vec<(SlotId, Rows)>,
}

/// The rows of a table before each of its steps.
pub(in crate::engine) struct Stages {
    pub table: TableId,
    /// Those before each step that could be worked; the last are those at the end, or before the step
    /// that could not.
    rows: Vec<Stage>,
    /// What became of them in each.
    pub moved: Vec<Moved>,
    /// The tables that its first rows come from, with which of their rows each is.
    pub of: Vec<(TableId, Rows)>,
    /// Why a step could not be worked.
    pub stopped: Option<Problem>,
}

impl Stages {
    /// A table's first rows, and which rows of other tables they are.
    pub fn begin(table: TableId, first: &Batch, of: Vec<(TableId, Rows)>) -> Self {
        let slots =
            (0..first.slots.len()).map(|slot| Some(Made { at: 0, it: first.held_as(slot)? }));
        let origins =
            first.origins.iter().map(|(id, rows)| (*id, Made { at: 0, it: rows.clone() }));
        let stage = Stage {
            rows: first.rows,
            slots: slots.collect(),
            origins: origins.collect(),
            without: first.without.clone(),
        };
        Self { table, rows: vec![stage], moved: vec![], of, stopped: None }
    }

    /// The rows after one step more, and what became of those before it.
    pub fn add(&mut self, after: &Batch, moved: Moved) {
        let at = self.rows.len();
        // What a step leaves as it is moves with its rows; of groups all is made anew.
        let before = self.rows.last().filter(|_| !matches!(moved, Moved::Into(_)));
        let slots = (0..after.slots.len()).map(|slot| {
            let held = after.held_as(slot)?;
            let known = before.and_then(|before| before.slots.get(slot)?.clone());
            Some(known.unwrap_or(Made { at, it: held }))
        });
        let origins = after.origins.iter().map(|(id, rows)| {
            let known = before.and_then(|before| {
                before.origins.iter().find(|(known, _)| known == id).map(|(_, made)| made.clone())
            });
            (*id, known.unwrap_or_else(|| Made { at, it: rows.clone() }))
        });
        let stage = Stage {
            rows: after.rows,
            slots: slots.collect(),
            origins: origins.collect(),
            without: after.without.clone(),
        };
        self.rows.push(stage);
        self.moved.push(moved);
    }

    /// Takes columns of the finished table, of which each has its slot, in place of those that no step has moved
    /// since they were made: they are the same, and held already.
    pub fn share<'t>(&mut self, finished: impl Iterator<Item = (SlotId, &'t Held)>) {
        let since = |moved: &Moved| !matches!(moved, Moved::Same);
        let first = self.moved.iter().rposition(since).map_or(0, |at| at + 1);
        for (slot, held) in finished {
            if matches!(held, Held::Seen { .. }) {
                continue;
            }
            for stage in &mut self.rows[first..] {
                if let Some(Some(made)) = stage.slots.get_mut(slot.0)
                    && made.at >= first
                {
                    made.it = held.clone();
                }
            }
        }
    }

    /// Whether all steps could be worked.
    pub fn is_whole(&self) -> bool {
        self.stopped.is_none()
    }

    /// How many steps could be worked.
    pub fn end(&self) -> usize {
        self.moved.len()
    }

    /// How many rows stand before a step, or at the end.
    pub fn count(&self, step: usize) -> usize {
        self.rows[step].rows
    }

    /// Whether a slot is at hand before a step.
    pub fn has(&self, step: usize, slot: SlotId) -> bool {
        self.rows[step].slots.get(slot.0).is_some_and(Option::is_some)
    }

    /// A slot's values in some rows before a step.
    pub fn column(&self, step: usize, slot: SlotId, rows: &Rows) -> Column {
        match self.rows[step].slots.get(slot.0) {
            Some(Some(made)) => made.it.take(&self.once(step, made.at, rows)),
            _ => bug(format!("slot {} is missing before a step", slot.0)),
        }
    }

    /// All values of a slot before a step.
    pub fn whole(&self, step: usize, slot: SlotId) -> Column {
        self.column(step, slot, &Rows::same(self.count(step)))
    }

    /// One value.
    pub fn value(&self, step: usize, slot: SlotId, row: u32) -> Scalar {
        self.column(step, slot, &Rows::run(row, 1)).scalar(0)
    }

    /// The row of another table that a row came from.
    pub fn origin(&self, step: usize, table: TableId, row: u32) -> Option<u32> {
        let (_, made) = self.rows[step].origins.iter().find(|(id, _)| *id == table)?;
        made.it.get(self.once(step, made.at, &Rows::run(row, 1)).get(0)? as usize)
    }

    /// Some rows before a step, with those of their slots that `wanted` names, and where they came from.
    pub fn take(&self, step: usize, rows: &Rows, wanted: impl Fn(SlotId) -> bool) -> Batch {
        self.held(step, rows, wanted).here()
    }

    /// The same where columns that are away stay there.
    fn held(&self, step: usize, rows: &Rows, wanted: impl Fn(SlotId) -> bool) -> Batch {
        let stage = &self.rows[step];
        // What was made together is looked up in the same rows.
        let mut known: Vec<Option<Rows>> = vec![None; step + 1];
        let mut once = |at: usize| -> Rows {
            known[at].get_or_insert_with(|| self.once(step, at, rows)).clone()
        };
        let (mut slots, mut away) = (vec![], vec![]);
        for (slot, made) in stage.slots.iter().enumerate() {
            let made = made.as_ref().filter(|_| wanted(SlotId(slot)));
            let held = made.map(|made| made.it.of_rows(&once(made.at)));
            let (here, there) = match held {
                Some(Held::Own(column)) => (Some(column), None),
                held => (None, held),
            };
            slots.push(here);
            away.push(there);
        }
        let origins = stage.origins.iter().map(|(id, made)| (*id, once(made.at).follow(&made.it)));
        let mut batch = Batch::new(rows.len(), slots, origins.collect());
        batch.away = away;
        batch.without =
            stage.without.iter().map(|(slot, group)| (*slot, rows.follow(group))).collect();
        batch
    }

    /// All rows before a step, with those of their slots that `wanted` names: here, or away as they are.
    pub fn all(&self, step: usize, wanted: impl Fn(SlotId) -> bool) -> Batch {
        self.held(step, &Rows::same(self.count(step)), wanted)
    }

    /// Which rows some rows before a step were before an earlier one, since when none were put in groups.
    fn once(&self, step: usize, earlier: usize, rows: &Rows) -> Rows {
        let mut rows = rows.clone();
        for moved in self.moved[earlier..step].iter().rev() {
            match moved {
                Moved::Same => {}
                Moved::From(from) => rows = rows.follow(from),
                Moved::Into(_) => bug("rows are looked up beyond the groups that they became"),
            }
        }
        rows
    }

    /// Rows at one place and what they were at each before it, from the first on.
    pub fn back(&self, step: usize, rows: Vec<u32>) -> Vec<Vec<u32>> {
        let mut all = vec![rows];
        for moved in self.moved[..step].iter().rev() {
            let before = moved.back(all.last().sure("rows that are followed"));
            all.push(before);
        }
        all.reverse();
        all
    }

    /// Rows at one place and what they became at each behind it.
    pub fn forth(&self, step: usize, rows: Vec<u32>) -> Vec<Vec<u32>> {
        let mut all = vec![rows];
        for (at, moved) in self.moved.iter().enumerate().skip(step) {
            let after = moved.forth(all.last().sure("rows that are followed"), self.count(at));
            all.push(after);
        }
        all
    }
}
