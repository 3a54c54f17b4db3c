//! The parts that most of a run's time goes into, each by itself and over columns in memory: what `cargo bench` times.
//!
//! Nothing else uses this; a plan goes the way of [`crate::engine`].

use crate::aggregate::{AggregateFunction, Values, aggregate, number};
use crate::expr::{Kind, Typed};
use crate::lang::{Span, UnitsPolicy};
use crate::link::{BlankKeys, Ends, KeyTable, Keys, Linked, Moments, Periods};
use crate::resolve::{SplitPlan, UnitsPlan};
use crate::step::split_units;
use crate::table::{Away, Batch, Column, Room, Rows, SlotId};
use crate::value::{Scale, Type};

/// Keys of rows, of one column or more; a row with a blank in one of them has none.
#[derive(Debug)]
pub struct KeyColumns(Keys);

impl KeyColumns {
    /// Keys made of columns of one length.
    pub fn new(columns: Vec<Column>) -> Self {
        let rows = columns.first().map_or(0, Column::len);
        Self(Keys::new(columns, BlankKeys::Apart, rows))
    }

    /// How many rows have the key of an earlier one: a key table is built, as for a grain or a `dedupe by`.
    pub fn repeated(&self) -> usize {
        KeyTable::build(&self.0).repeats.len()
    }

    /// A key table of these rows, to lead others to them.
    pub fn target(&self) -> Target<'_> {
        Target { keys: &self.0, table: KeyTable::build(&self.0) }
    }
}

/// Rows that others lead to.
#[derive(Debug)]
pub struct Target<'a> {
    keys: &'a Keys,
    table: KeyTable,
}

impl Target<'_> {
    /// How many rows of `from` lead to one of these.
    pub fn led(&self, from: &KeyColumns) -> usize {
        let index = self.table.link(self.keys, &from.0);
        index.len() - index.blanks()
    }
}

/// How many rows with a key and a day lead to a period of their key; `periods` are a key, a first day and a last day.
/// The periods are laid end to end first, and no two of a key may overlap.
pub fn led_by_period(key: &Column, day: &Column, periods: [&Column; 3]) -> usize {
    let [target, starts, ends] = periods.map(Clone::clone);
    let ends = Ends::Through(Moments::new(ends));
    let periods = Periods { starts: Moments::new(starts), ends, prefer: None };
    let left = Keys::new(vec![key.clone(), day.clone()], BlankKeys::Apart, day.len());
    let linked = Linked::by_period(left, vec![target], periods);
    linked.map_or(0, |linked| linked.index.len() - linked.index.blanks())
}

/// The sum of a decimal column for each group of equal keys, in the order of their first rows; nothing if one has too
/// many digits.
pub fn grouped(keys: &[Column], amount: &Column) -> Option<Column> {
    let (groups, _) = number(keys.to_vec(), amount.len());
    let sum = Values::of(AggregateFunction::Sum, Some(amount.clone()), amount.ty());
    aggregate(&sum, &groups).ok()
}

/// One row for each unit of a whole quantity, an amount divided over them in two places, and `more` repeated, in
/// batches of 4,096 rows as an engine has them. Gives how many.
pub fn units(quantity: &Column, amount: &Column, more: &[Column]) -> usize {
    let (of, divided) = (SlotId(0), SlotId(1));
    let slots = 2 + more.len();
    let plan = UnitsPlan {
        of: Typed { kind: Kind::Slot(of), ty: Type::Integer, span: Span::default() },
        of_text: "quantity".into(),
        counted: None,
        unit: SlotId(slots),
        split: vec![SplitPlan { old: divided, new: SlotId(slots + 1), places: Scale(2) }],
        policy: UnitsPolicy::default(),
    };
    let own = [quantity, amount].into_iter().chain(more).cloned().map(Some);
    let all = Batch::new(quantity.len(), own.chain([None, None]).collect(), vec![]);
    let made = (0..all.rows).step_by(1 << 12).map(|first| {
        let batch = all.slice(first, (1 << 12).min(all.rows - first));
        split_units(&batch, &plan, batch.slot(of)).units.rows
    });
    made.sum()
}

/// A column that has been put away in blocks.
#[derive(Debug)]
pub struct AwayColumn(Away);

impl AwayColumn {
    /// Puts a column into a file of its own.
    pub fn put(column: &Column, room: &Room) -> Self {
        Self(Away::put(column, &room.file()))
    }

    /// Gets all its rows again, one block after the other.
    pub fn get(&self) -> Column {
        self.0.slice(0, self.0.len())
    }

    /// Gets some rows, wherever they stand.
    pub fn take(&self, rows: &Rows) -> Column {
        self.0.take(rows)
    }
}
