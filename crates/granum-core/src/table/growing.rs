//! Columns that grow at their ends: what passes in parts becomes whole while it passes, so that no part is
//! held until the last has come.

use super::array::{GrowingWhole, with_room};
use super::{BitsBuilder, Column, Fixed, PresentBuilder, TextBuilder, Truths, Whole};
use crate::bug::bug;
use crate::value::{Scale, Type};

/// One column that grows by values of its type.
pub struct ColumnBuilder {
    values: GrowingValues,
    present: PresentBuilder,
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
    Decimal(GrowingUnits, Scale),
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
    /// An empty column of a type that expects `room` rows.
    pub fn new(ty: Type, room: usize) -> Self {
        Self { values: GrowingValues::of(ty, room), present: PresentBuilder::default() }
    }

    /// Where values are added: each with its blank or no blank beside it, but for texts.
    pub fn ends(&mut self) -> (&mut GrowingValues, &mut PresentBuilder) {
        (&mut self.values, &mut self.present)
    }

    /// The whole column.
    pub fn finish(self) -> Column {
        let present = self.present.finish();
        match self.values {
            GrowingValues::Blank(rows) => Column::Blank(rows),
            GrowingValues::Text(texts) => Column::Text(texts.finish()),
            GrowingValues::Integer(values) => Column::Integer(Whole::of(&values, present)),
            GrowingValues::Decimal(units, scale) => Column::Decimal(
                match units {
                    GrowingUnits::Eight(units) => Whole::of(&units, present),
                    GrowingUnits::All(units) => Whole::new(units, present).narrowed(),
                },
                scale,
            ),
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
            Type::Decimal(scale) => Self::Decimal(GrowingUnits::Eight(with_room(room)), scale),
            Type::Number => Self::Number(with_room(room)),
            Type::Date => Self::Date(with_room(room)),
            Type::DateTime => Self::DateTime(with_room(room)),
            Type::Boolean => Self::Boolean(BitsBuilder::default()),
        }
    }
}

/// Units of decimals, in eight bytes each as long as all fit into them.
pub enum GrowingUnits {
    /// All of them did, until now.
    Eight(Vec<i64>),
    /// Some did not.
    All(Vec<i128>),
}

impl GrowingUnits {
    /// Adds the units of a row; of a blank one any.
    pub fn push(&mut self, units: i128) {
        match (self, i64::try_from(units)) {
            (Self::Eight(all), Ok(units)) => all.push(units),
            (Self::All(all), _) => all.push(units),
            (few @ Self::Eight(_), Err(_)) => {
                few.widen();
                few.push(units);
            }
        }
    }

    /// Sets rows that are there to units that need not fit into eight bytes.
    pub fn set(&mut self, rows: &[(usize, i128)]) {
        if let (Self::Eight(_), [_, ..]) = (&*self, rows) {
            self.widen();
        }
        if let Self::All(all) = self {
            rows.iter().for_each(|(row, units)| all[*row] = *units);
        }
    }

    fn widen(&mut self) {
        if let Self::Eight(units) = self {
            *self = Self::All(units.iter().copied().map(i128::from).collect());
        }
    }
}

/// One column that grows by columns that have its type or are all blank.
pub(crate) struct GrowingColumn {
    arrays: Growing,
    present: PresentBuilder,
    room: usize,
}

/// The values of a [`GrowingColumn`], those of blank rows among them, which have no meaning.
enum Growing {
    Blank(usize),
    Text(TextBuilder),
    Integer(GrowingWhole<i64>),
    Decimal(GrowingWhole<i128>, Scale),
    Number(Vec<f64>),
    Date(Vec<i32>),
    DateTime(Vec<i64>),
    Boolean(BitsBuilder),
}

impl GrowingColumn {
    /// An empty column of a type that expects `room` rows. One of [`Type::Blank`] takes the type of
    /// the first column that is not all blank.
    pub fn new(ty: Type, room: usize) -> Self {
        Self { arrays: Growing::of(ty, room), present: PresentBuilder::default(), room }
    }

    /// Adds rows behind those it has.
    pub fn append(&mut self, part: &Column) {
        if let Growing::Blank(rows) = self.arrays {
            if matches!(part, Column::Blank(_)) {
                self.arrays = Growing::Blank(rows + part.len());
                return;
            }
            self.arrays = Growing::of(part.ty(), self.room.max(rows + part.len()));
            self.append(&Column::Blank(rows));
        }
        match (&mut self.arrays, part) {
            (Growing::Text(texts), Column::Text(array)) => texts.append(array),
            (Growing::Integer(all), Column::Integer(array)) => all.append(array),
            (Growing::Decimal(all, scale), Column::Decimal(array, of)) if of == scale => {
                all.append(array);
            }
            (Growing::Number(all), Column::Number(array)) => all.extend_from_slice(array.values()),
            (Growing::Date(all), Column::Date(array)) => all.extend_from_slice(array.values()),
            (Growing::DateTime(all), Column::DateTime(array)) => {
                all.extend_from_slice(array.values());
            }
            (Growing::Boolean(all), Column::Boolean(array)) => all.append(array.values()),
            (all, part) if part.blanks() == part.len() => all.append_blanks(part.len()),
            (all, part) => {
                bug(format!("a part of {} came for a column of {}", part.ty(), all.ty()))
            }
        }
        match part.present() {
            _ if matches!(self.arrays, Growing::Text(_)) => {}
            Some(present) => self.present.append(&present),
            None => self.present.push_all(part.len(), true),
        }
    }

    /// The bytes that its values would stand in anew, beside those that they stand in, if these parts came, `more` rows: none
    /// where there is room for them behind. Texts stay where they are.
    pub fn moved_by<'a>(&self, more: usize, parts: impl Iterator<Item = &'a Column>) -> usize {
        fn anew<N>(all: &Vec<N>, more: usize) -> usize {
            if more <= all.capacity() - all.len() { 0 } else { (all.len() + more) * size_of::<N>() }
        }
        match &self.arrays {
            Growing::Blank(_) | Growing::Text(_) | Growing::Boolean(_) => 0,
            Growing::Integer(all) => {
                let parts = parts.filter_map(|part| match part {
                    Column::Integer(part) => Some(part),
                    _ => None,
                });
                all.moved_by(more, parts)
            }
            Growing::Decimal(all, _) => {
                let parts = parts.filter_map(|part| match part {
                    Column::Decimal(part, _) => Some(part),
                    _ => None,
                });
                all.moved_by(more, parts)
            }
            Growing::Number(all) => anew(all, more),
            Growing::Date(all) => anew(all, more),
            Growing::DateTime(all) => anew(all, more),
        }
    }

    /// The bytes that it holds, about.
    pub fn bytes_held(&self) -> usize {
        match &self.arrays {
            Growing::Blank(_) => 0,
            Growing::Text(texts) => texts.bytes_held(),
            Growing::Integer(all) => all.bytes_held(),
            Growing::Decimal(all, _) => all.bytes_held(),
            Growing::Number(all) => size_of_val(all.as_slice()),
            Growing::Date(all) => size_of_val(all.as_slice()),
            Growing::DateTime(all) => size_of_val(all.as_slice()),
            Growing::Boolean(all) => all.len() / 8,
        }
    }

    /// The whole column.
    pub fn finish(self) -> Column {
        let present = self.present.finish();
        match self.arrays {
            Growing::Blank(rows) => Column::Blank(rows),
            Growing::Text(texts) => Column::Text(texts.finish()),
            Growing::Integer(all) => Column::Integer(all.finish(present)),
            Growing::Decimal(all, scale) => Column::Decimal(all.finish(present), scale),
            Growing::Number(all) => Column::Number(Fixed::new(all, present)),
            Growing::Date(all) => Column::Date(Fixed::new(all, present)),
            Growing::DateTime(all) => Column::DateTime(Fixed::new(all, present)),
            Growing::Boolean(all) => Column::Boolean(Truths::new(all.finish(), present)),
        }
    }
}

impl Growing {
    fn of(ty: Type, room: usize) -> Self {
        match ty {
            Type::Blank => Self::Blank(0),
            Type::Text => Self::Text(TextBuilder::new(room)),
            Type::Integer => Self::Integer(GrowingWhole::new(room)),
            Type::Decimal(scale) => Self::Decimal(GrowingWhole::new(room), scale),
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
            Self::Integer(all) => all.append_blanks(count),
            Self::Decimal(all, _) => all.append_blanks(count),
            Self::DateTime(all) => all.resize(all.len() + count, 0),
            Self::Number(all) => all.resize(all.len() + count, 0.0),
            Self::Date(all) => all.resize(all.len() + count, 0),
            Self::Boolean(all) => all.push_all(count, false),
        }
    }
}
