//! Columns and batches that grow at their ends: what goes through a chain in parts becomes whole
//! while it passes, so that no part is held until the last has come.

use std::collections::HashMap;

use arrow_array::builder::StringViewBuilder;
use arrow_array::{
    Array, BooleanArray, Date32Array, Float64Array, Int64Array, StringViewArray,
    TimestampMicrosecondArray, UInt32Array,
};
use arrow_buffer::{BooleanBufferBuilder, NullBuffer, NullBufferBuilder};
use arrow_data::ByteView;
use rayon::prelude::*;

use super::column::INLINE;
use super::{Batch, Column, TableId};
use crate::bug::{Sure, bug};
use crate::value::{Scale, Type};

/// One column that grows: by values of its type, or by columns that have it or are all blank.
pub struct ColumnBuilder {
    values: Values,
    nulls: NullBufferBuilder,
    room: usize,
}

/// The values of a [`ColumnBuilder`], those of blank rows among them, which have no meaning.
pub enum Values {
    /// This many blanks.
    Blank(usize),
    /// Texts. They note their blanks themselves.
    Text(Texts),
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
    Boolean(BooleanBufferBuilder),
}

impl ColumnBuilder {
    /// An empty column of a type that expects `room` rows. One of [`Type::Blank`] takes the type of
    /// the first column that is not all blank.
    pub fn new(ty: Type, room: usize) -> Self {
        Self { values: Values::of(ty, room), nulls: NullBufferBuilder::new(room), room }
    }

    /// Where values are added: each with its blank or no blank beside it, but for texts.
    pub fn ends(&mut self) -> (&mut Values, &mut NullBufferBuilder) {
        (&mut self.values, &mut self.nulls)
    }

    /// Adds rows behind those it has.
    pub fn append(&mut self, part: &Column) {
        if let Values::Blank(rows) = self.values {
            if matches!(part, Column::Blank(_)) {
                self.values = Values::Blank(rows + part.len());
                return;
            }
            self.values = Values::of(part.ty(), self.room.max(rows + part.len()));
            self.append(&Column::Blank(rows));
        }
        match (&mut self.values, part) {
            (Values::Text(texts), Column::Text(array)) => texts.append(array),
            (Values::Integer(values), Column::Integer(a)) => values.extend_from_slice(a.values()),
            (Values::Decimal(values, scale), Column::Decimal(a)) if a.scale() == scale.0 as i8 => {
                values.extend_from_slice(a.values());
            }
            (Values::Number(values), Column::Number(a)) => values.extend_from_slice(a.values()),
            (Values::Date(values), Column::Date(a)) => values.extend_from_slice(a.values()),
            (Values::DateTime(values), Column::DateTime(a)) => {
                values.extend_from_slice(a.values());
            }
            (Values::Boolean(values), Column::Boolean(a)) => values.append_buffer(a.values()),
            (values, part) if part.blanks() == part.len() => values.append_blanks(part.len()),
            (values, part) => {
                bug(format!("a part of {} came for a column of {}", part.ty(), values.ty()))
            }
        }
        match part.nulls() {
            _ if matches!(self.values, Values::Text(_)) => {}
            Some(nulls) => self.nulls.append_buffer(&nulls),
            None => self.nulls.append_n_non_nulls(part.len()),
        }
    }

    /// The whole column.
    pub fn finish(mut self) -> Column {
        let nulls: Option<NullBuffer> = self.nulls.finish().filter(|nulls| nulls.null_count() > 0);
        match self.values {
            Values::Blank(rows) => Column::Blank(rows),
            Values::Text(mut texts) => Column::Text(texts.builder.finish()),
            Values::Integer(values) => Column::Integer(Int64Array::new(values.into(), nulls)),
            Values::Decimal(values, scale) => Column::decimal(values, nulls, scale),
            Values::Number(values) => Column::Number(Float64Array::new(values.into(), nulls)),
            Values::Date(values) => Column::Date(Date32Array::new(values.into(), nulls)),
            Values::DateTime(values) => {
                Column::DateTime(TimestampMicrosecondArray::new(values.into(), nulls))
            }
            Values::Boolean(mut values) => {
                Column::Boolean(BooleanArray::new(values.finish(), nulls))
            }
        }
    }
}

impl Values {
    fn of(ty: Type, room: usize) -> Self {
        match ty {
            Type::Blank => Self::Blank(0),
            Type::Text => Self::Text(Texts {
                builder: StringViewBuilder::with_capacity(room.min(MOST_ROOM)),
                blocks: HashMap::new(),
            }),
            Type::Integer => Self::Integer(with_room(room)),
            Type::Decimal(scale) => Self::Decimal(with_room(room), scale),
            Type::Number => Self::Number(with_room(room)),
            Type::Date => Self::Date(with_room(room)),
            Type::DateTime => Self::DateTime(with_room(room)),
            Type::Boolean => Self::Boolean(BooleanBufferBuilder::new(room)),
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
            Self::Text(texts) => (0..count).for_each(|_| texts.builder.append_null()),
            Self::Integer(values) | Self::DateTime(values) => {
                values.resize(values.len() + count, 0);
            }
            Self::Decimal(values, _) => values.resize(values.len() + count, 0),
            Self::Number(values) => values.resize(values.len() + count, 0.0),
            Self::Date(values) => values.resize(values.len() + count, 0),
            Self::Boolean(values) => values.append_n(count, false),
        }
    }
}

/// Texts are given room for so many rows at most before they come: this builder cannot ask whether
/// there is so much.
const MOST_ROOM: usize = 1 << 26;

/// Room for `room` values, if there is so much: what is expected need not come, and is no reason
/// to fail.
fn with_room<T>(room: usize) -> Vec<T> {
    let mut values = Vec::new();
    let _ = values.try_reserve_exact(room);
    values
}

/// Texts, and the blocks of bytes that their longer ones stand in: each is taken over once,
/// however many parts share it.
pub struct Texts {
    builder: StringViewBuilder,
    /// By address, which stays as long as the builder holds the block: its number.
    blocks: HashMap<usize, u32>,
}

impl Texts {
    /// Adds a text, which is not empty.
    pub fn push(&mut self, text: &str) {
        self.builder.append_value(text);
    }

    /// Adds a blank.
    pub fn push_blank(&mut self) {
        self.builder.append_null();
    }

    fn append(&mut self, array: &StringViewArray) {
        let address = |at: usize| array.data_buffers()[at].as_ptr() as usize;
        let count = array.data_buffers().len();
        if (0..count).all(|at| !self.blocks.contains_key(&address(at))) {
            // Arrow numbers the new blocks on from those that are there.
            let first = self.blocks.len() as u32;
            let distinct = (0..count).map(address).collect::<std::collections::HashSet<_>>().len();
            if distinct == count {
                self.blocks.extend((0..count).map(|at| (address(at), first + at as u32)));
                self.builder.append_array(array);
                return;
            }
        }
        let numbers: Vec<u32> = array
            .data_buffers()
            .iter()
            .map(|block| {
                *self
                    .blocks
                    .entry(block.as_ptr() as usize)
                    .or_insert_with(|| self.builder.append_block(block.clone()))
            })
            .collect();
        for (row, view) in array.views().iter().enumerate() {
            let view = ByteView::from(*view);
            if array.is_null(row) {
                self.builder.append_null();
            } else if view.length as usize <= INLINE
                // The bytes were text where they came from, so the view is taken.
                || self
                    .builder
                    .try_append_view(numbers[view.buffer_index as usize], view.offset, view.length)
                    .is_err()
            {
                self.builder.append_value(array.value(row));
            }
        }
    }
}

/// A batch that grows. Slots that one part lacks, all lack.
pub(crate) struct Stack {
    rows: usize,
    slots: Vec<Option<ColumnBuilder>>,
    origins: Vec<(TableId, Vec<u32>)>,
    begun: bool,
}

impl Stack {
    pub fn new() -> Self {
        Self { rows: 0, slots: vec![], origins: vec![], begun: false }
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Adds batches, one under the other. Of `before`, whose rows these are, slots are not made
    /// anew. `room` is how many rows are expected in all.
    pub fn append(&mut self, parts: &[Batch], before: Option<&Batch>, room: usize) {
        let Some(first) = parts.first() else { return };
        if !self.begun {
            self.begun = true;
            let there = |slot: usize| before.is_some_and(|before| before.slots[slot].is_some());
            self.slots = first
                .slots
                .iter()
                .enumerate()
                .map(|(slot, column)| {
                    (column.is_some() && !there(slot))
                        .then(|| ColumnBuilder::new(Type::Blank, room))
                })
                .collect();
            self.origins = first.origins.iter().map(|(id, _)| (*id, with_room(room))).collect();
        }
        self.rows += parts.iter().map(|part| part.rows).sum::<usize>();
        let (slots, origins) = (&mut self.slots, &mut self.origins);
        rayon::join(
            || {
                slots.par_iter_mut().enumerate().for_each(|(slot, growing)| {
                    let Some(growing) = growing else { return };
                    for part in parts {
                        growing.append(part.slots[slot].as_ref().sure("a slot of a batch"));
                    }
                });
            },
            || {
                for (at, (_, rows)) in origins.iter_mut().enumerate() {
                    parts
                        .iter()
                        .for_each(|part| rows.extend_from_slice(part.origins[at].1.values()));
                }
            },
        );
    }

    /// All rows; the slots of `before` as they were.
    pub fn finish(self, before: Option<&Batch>) -> Batch {
        let Self { rows, slots, origins, .. } = self;
        let slots = slots.into_iter().enumerate().map(|(slot, growing)| match growing {
            Some(growing) => Some(growing.finish()),
            None => before.and_then(|before| before.slots[slot].clone()),
        });
        let origins = origins.into_iter().map(|(id, rows)| (id, UInt32Array::from(rows)));
        Batch::new(rows, slots.collect(), origins.collect())
    }
}
