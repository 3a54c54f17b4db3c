//! Columns and batches that grow at their ends: what passes in parts becomes whole
//! while it passes, so that no part is held until the last has come.

use rayon::prelude::*;

use super::array::with_room;
use super::{
    Batch, Bits, BitsBuilder, Column, Fixed, Held, PresentBuilder, RowsBuilder, TableId,
    TextBuilder, Truths,
};
use crate::bug::{Sure, bug};
use crate::value::{Scale, Type};

/// One column that grows: by values of its type, or by columns that have it or are all blank.
pub struct ColumnBuilder {
    values: GrowingValues,
    present: PresentBuilder,
    room: usize,
}

/// The values of a [`ColumnBuilder`], those of blank rows among them, which have no meaning.
pub enum GrowingValues {
    /// This many blanks.
    Blank(usize),
    /// Texts. They note their blanks themselves.
    Text(TextBuilder),
    /// Whole numbers.
    Integer(Vec<i64>),
    /// Whole units of decimals, and how many places they have.
    Decimal(Vec<i128>, Scale),
    /// Floating point numbers.
    Number(Vec<f64>),
    /// Days from 1970-01-01.
    Date(Vec<i32>),
    /// Microseconds from 1970-01-01T00:00:00.
    DateTime(Vec<i64>),
    /// Truth values.
    Boolean(BitsBuilder),
}

impl ColumnBuilder {
    /// An empty column of a type that expects `room` rows. One of [`Type::Blank`] takes the type of
    /// the first column that is not all blank.
    pub fn new(ty: Type, room: usize) -> Self {
        Self { values: GrowingValues::of(ty, room), present: PresentBuilder::default(), room }
    }

    /// Where values are added: each with its blank or no blank beside it, but for texts.
    pub fn ends(&mut self) -> (&mut GrowingValues, &mut PresentBuilder) {
        (&mut self.values, &mut self.present)
    }

    /// Adds rows behind those it has.
    pub fn append(&mut self, part: &Column) {
        if let GrowingValues::Blank(rows) = self.values {
            if matches!(part, Column::Blank(_)) {
                self.values = GrowingValues::Blank(rows + part.len());
                return;
            }
            self.values = GrowingValues::of(part.ty(), self.room.max(rows + part.len()));
            self.append(&Column::Blank(rows));
        }
        match (&mut self.values, part) {
            (GrowingValues::Text(texts), Column::Text(array)) => texts.append(array),
            (GrowingValues::Integer(values), Column::Integer(a)) => {
                values.extend_from_slice(a.values());
            }
            (GrowingValues::Decimal(values, scale), Column::Decimal(a, of)) if of == scale => {
                values.extend_from_slice(a.values());
            }
            (GrowingValues::Number(values), Column::Number(a)) => {
                values.extend_from_slice(a.values());
            }
            (GrowingValues::Date(values), Column::Date(a)) => values.extend_from_slice(a.values()),
            (GrowingValues::DateTime(values), Column::DateTime(a)) => {
                values.extend_from_slice(a.values());
            }
            (GrowingValues::Boolean(values), Column::Boolean(a)) => values.append(a.values()),
            (values, part) if part.blanks() == part.len() => values.append_blanks(part.len()),
            (values, part) => {
                bug(format!("a part of {} came for a column of {}", part.ty(), values.ty()))
            }
        }
        match part.present() {
            _ if matches!(self.values, GrowingValues::Text(_)) => {}
            Some(present) => self.present.append(&present),
            None => self.present.push_all(part.len(), true),
        }
    }

    /// The whole column.
    pub fn finish(self) -> Column {
        let present = self.present.finish();
        match self.values {
            GrowingValues::Blank(rows) => Column::Blank(rows),
            GrowingValues::Text(texts) => Column::Text(texts.finish()),
            GrowingValues::Integer(values) => Column::Integer(Fixed::new(values, present)),
            GrowingValues::Decimal(values, scale) => Column::decimal(values, present, scale),
            GrowingValues::Number(values) => Column::Number(Fixed::new(values, present)),
            GrowingValues::Date(values) => Column::Date(Fixed::new(values, present)),
            GrowingValues::DateTime(values) => Column::DateTime(Fixed::new(values, present)),
            GrowingValues::Boolean(values) => {
                Column::Boolean(Truths::new(values.finish(), present))
            }
        }
    }
}

impl GrowingValues {
    fn of(ty: Type, room: usize) -> Self {
        match ty {
            Type::Blank => Self::Blank(0),
            Type::Text => Self::Text(TextBuilder::new(room)),
            Type::Integer => Self::Integer(with_room(room)),
            Type::Decimal(scale) => Self::Decimal(with_room(room), scale),
            Type::Number => Self::Number(with_room(room)),
            Type::Date => Self::Date(with_room(room)),
            Type::DateTime => Self::DateTime(with_room(room)),
            Type::Boolean => Self::Boolean(BitsBuilder::default()),
        }
    }

    fn ty(&self) -> Type {
        match self {
            Self::Blank(_) => Type::Blank,
            Self::Text(_) => Type::Text,
            Self::Integer(_) => Type::Integer,
            Self::Decimal(_, scale) => Type::Decimal(*scale),
            Self::Number(_) => Type::Number,
            Self::Date(_) => Type::Date,
            Self::DateTime(_) => Type::DateTime,
            Self::Boolean(_) => Type::Boolean,
        }
    }

    fn append_blanks(&mut self, count: usize) {
        match self {
            Self::Blank(rows) => *rows += count,
            Self::Text(texts) => texts.push_blanks(count),
            Self::Integer(values) | Self::DateTime(values) => {
                values.resize(values.len() + count, 0);
            }
            Self::Decimal(values, _) => values.resize(values.len() + count, 0),
            Self::Number(values) => values.resize(values.len() + count, 0.0),
            Self::Date(values) => values.resize(values.len() + count, 0),
            Self::Boolean(values) => values.push_all(count, false),
        }
    }
}

/// A batch that grows.
pub(crate) struct Stack {
    rows: usize,
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
    Anew(ColumnBuilder),
}

impl Stack {
    pub fn new() -> Self {
        Self { rows: 0, slots: vec![], origins: vec![], fed: RowsBuilder::default(), begun: false }
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Adds batches, one under the other. `before` are the rows that these are some of, in the same
    /// order: slots that it has are not made anew. `room` is how many rows are expected in all.
    pub fn append(&mut self, parts: &[Batch], before: Option<&Batch>, room: usize) {
        let Some(first) = parts.first() else { return };
        if !self.begun {
            self.begun = true;
            let there = |slot: usize| before.is_some_and(|before| before.slots[slot].is_some());
            let laid = |(slot, column): (usize, &Option<Column>)| match column {
                None => Laid::Nothing,
                Some(_) if there(slot) => Laid::Before,
                Some(_) => Laid::Anew(ColumnBuilder::new(Type::Blank, room)),
            };
            self.slots = first.slots.iter().enumerate().map(laid).collect();
            self.origins =
                first.origins.iter().map(|(id, _)| (*id, RowsBuilder::new(room))).collect();
            self.fed = RowsBuilder::new(room);
        }
        self.rows += parts.iter().map(|part| part.rows).sum::<usize>();
        let (slots, origins, fed) = (&mut self.slots, &mut self.origins, &mut self.fed);
        rayon::join(
            || {
                slots.par_iter_mut().enumerate().for_each(|(slot, laid)| {
                    let Laid::Anew(growing) = laid else { return };
                    for part in parts {
                        growing.append(part.slots[slot].as_ref().sure("a slot of a batch"));
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
        let there = before.map_or_else(Vec::new, |before| before.slots);
        let there = there.into_iter().zip(&slots);
        let mut there: Vec<Option<Column>> =
            there.map(|(slot, laid)| slot.filter(|_| matches!(laid, Laid::Before))).collect();
        let mut seen = vec![];
        if all > rows && sees && 2 * rows >= all {
            let see = |slot: &mut Option<Column>| {
                slot.take().map(|column| Held::Seen { column, rows: fed.clone() })
            };
            seen = there.iter_mut().map(see).collect();
        } else if all > rows {
            // In their places, a column after the other, so that rows are not held twice.
            let left = Bits::of(all, fed.numbers());
            there = Batch::new(all, there, vec![]).into_filtered(&left).slots;
        }
        let is_seen = |slot: usize| seen.get(slot).is_some_and(Option::is_some);
        let slots = slots.into_iter().enumerate().map(|(slot, laid)| match laid {
            Laid::Nothing => None,
            Laid::Before if is_seen(slot) => None,
            Laid::Before => Some(there[slot].take().sure("a slot of the rows before")),
            Laid::Anew(growing) => Some(growing.finish()),
        });
        let slots = slots.collect();
        let origins = origins.into_iter().map(|(id, rows)| (id, rows.finish()));
        (Batch::new(rows, slots, origins.collect()), seen)
    }
}
