//! One column: an array of one of the types of [`Type`].

use std::borrow::Cow;

use super::array::mark;
use super::growing::GrowingColumn;
use super::{Amount, Bits, Fixed, Present, Rows, Texts, Truths, Whole};
use crate::value::{Scalar, Scale, Type, day, decimal};

/// A column of values. A text is never empty: it is blank.
///
/// Cloning is cheap: the values are shared.
#[derive(Debug, Clone)]
pub enum Column {
    /// This many blanks.
    Blank(usize),
    /// Texts.
    Text(Texts),
    /// Whole numbers.
    Integer(Whole<i64>),
    /// Exact decimals: whole units of their scale.
    Decimal(Whole<i128>, Scale),
    /// Floating point numbers.
    Number(Fixed<f64>),
    /// Days from 1970-01-01.
    Date(Fixed<i32>),
    /// Microseconds from 1970-01-01T00:00:00.
    DateTime(Fixed<i64>),
    /// Truth values.
    Boolean(Truths),
}

macro_rules! each_array {
    ($column:expr, $array:ident => $work:expr, $length:ident => $blank:expr) => {
        match $column {
            Column::Blank($length) => $blank,
            Column::Text($array) => $work,
            Column::Integer($array) => $work,
            Column::Decimal($array, _) => $work,
            Column::Number($array) => $work,
            Column::Date($array) => $work,
            Column::DateTime($array) => $work,
            Column::Boolean($array) => $work,
        }
    };
}

impl Column {
    /// Whole units of 10^-`scale` as a column.
    pub fn decimal(values: Vec<i128>, present: Option<Present>, scale: Scale) -> Column {
        Column::Decimal(Whole::new(values, present), scale)
    }

    /// How many rows it has.
    pub fn len(&self) -> usize {
        each_array!(self, array => array.len(), length => *length)
    }

    /// Whether it has no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Its type.
    pub fn ty(&self) -> Type {
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

    /// Which rows are not blank; `None` where all of them are not (or the column is all blank:
    /// ask [`Column::blanks`]).
    pub fn present(&self) -> Option<Present> {
        each_array!(self, array => array.present().cloned(), length => Some(Present::none(*length)))
    }

    /// Each row's units, where it is of whole numbers or decimals that all stand in four bytes or fewer; of a blank
    /// row something without a meaning.
    pub(crate) fn short(&self) -> Option<Cow<'_, [i32]>> {
        match self {
            Self::Integer(array) => array.short(),
            Self::Decimal(array, _) => array.short(),
            _ => None,
        }
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        each_array!(self, array => array.blanks(), length => *length)
    }

    /// Whether a row is blank.
    #[inline]
    pub fn is_blank(&self, row: usize) -> bool {
        each_array!(self, array => !array.has(row), _length => true)
    }

    /// The value of a row.
    pub fn scalar(&self, row: usize) -> Scalar {
        if self.is_blank(row) {
            return Scalar::Blank;
        }
        match self {
            Self::Blank(_) => Scalar::Blank,
            Self::Text(array) => Scalar::Text(array.value(row).to_owned()),
            Self::Integer(array) => Scalar::Integer(array.value(row)),
            Self::Decimal(array, scale) => Scalar::Decimal(array.value(row), *scale),
            Self::Number(array) => Scalar::Number(array.value(row)),
            Self::Date(array) => Scalar::Date(array.value(row)),
            Self::DateTime(array) => Scalar::DateTime(array.value(row)),
            Self::Boolean(array) => Scalar::Boolean(array.value(row)),
        }
    }

    /// A column of one value, of `ty` (which the value has, unless it is blank).
    pub fn constant(value: &Scalar, ty: Type, length: usize) -> Column {
        match value {
            Scalar::Blank => Self::all_blank(ty, length),
            Scalar::Text(text) => Self::Text(Texts::repeated(text, length)),
            Scalar::Integer(value) => Self::Integer(Whole::repeated(*value, length)),
            Scalar::Decimal(units, scale) => Self::Decimal(Whole::repeated(*units, length), *scale),
            Scalar::Number(value) => Self::Number(vec![*value; length].into()),
            Scalar::Date(value) => Self::Date(vec![*value; length].into()),
            Scalar::DateTime(value) => Self::DateTime(vec![*value; length].into()),
            Scalar::Boolean(value) => Self::Boolean(vec![*value; length].into()),
        }
    }

    /// A column of a type without a value.
    pub fn all_blank(ty: Type, length: usize) -> Column {
        match ty {
            Type::Blank => Self::Blank(length),
            Type::Text => Self::Text(Texts::blank(length)),
            Type::Integer => Self::Integer(Whole::blank(length)),
            Type::Decimal(scale) => Self::Decimal(Whole::blank(length), scale),
            Type::Number => Self::Number(Fixed::blank(length)),
            Type::Date => Self::Date(Fixed::blank(length)),
            Type::DateTime => Self::DateTime(Fixed::blank(length)),
            Type::Boolean => Self::Boolean(Truths::blank(length)),
        }
    }

    /// `length` rows from row `offset` on, without copying.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Column {
        match self {
            Self::Blank(_) => Self::Blank(length),
            Self::Text(array) => Self::Text(array.slice(offset, length)),
            Self::Integer(array) => Self::Integer(array.slice(offset, length)),
            Self::Decimal(array, scale) => Self::Decimal(array.slice(offset, length), *scale),
            Self::Number(array) => Self::Number(array.slice(offset, length)),
            Self::Date(array) => Self::Date(array.slice(offset, length)),
            Self::DateTime(array) => Self::DateTime(array.slice(offset, length)),
            Self::Boolean(array) => Self::Boolean(array.slice(offset, length)),
        }
    }

    /// The same with whole numbers in as few bytes as all need.
    #[must_use]
    pub(crate) fn narrowed(self) -> Column {
        match self {
            Self::Integer(array) => Self::Integer(array.narrowed()),
            Self::Decimal(array, scale) => Self::Decimal(array.narrowed(), scale),
            other => other,
        }
    }

    /// The rows where `keep` is true, in order.
    #[must_use]
    pub fn filter(&self, keep: &Bits) -> Column {
        match self {
            Self::Blank(_) => Self::Blank(keep.count()),
            Self::Text(array) => Self::Text(array.filter(keep)),
            Self::Integer(array) => Self::Integer(array.filter(keep)),
            Self::Decimal(array, scale) => Self::Decimal(array.filter(keep), *scale),
            Self::Number(array) => Self::Number(array.filter(keep)),
            Self::Date(array) => Self::Date(array.filter(keep)),
            Self::DateTime(array) => Self::DateTime(array.filter(keep)),
            Self::Boolean(array) => Self::Boolean(array.filter(keep)),
        }
    }

    /// The same of a column that is not needed otherwise: the rows that stay move up in its own
    /// memory, as long as nothing else shares it.
    #[must_use]
    pub fn into_filtered(self, keep: &Bits) -> Column {
        match self {
            Self::Integer(array) => Self::Integer(array.into_filtered(keep)),
            Self::Decimal(array, scale) => Self::Decimal(array.into_filtered(keep), scale),
            Self::Number(array) => Self::Number(array.into_filtered(keep)),
            Self::Date(array) => Self::Date(array.into_filtered(keep)),
            Self::DateTime(array) => Self::DateTime(array.into_filtered(keep)),
            other => other.filter(keep),
        }
    }

    /// The rows numbered by `rows`, in that order; blank where a row's number is blank.
    ///
    /// ```text
    /// [a b c] taken by [2 · 0 0]  →  [c · a a]
    /// ```
    #[must_use]
    pub fn take(&self, rows: &Rows) -> Column {
        let rows = &match rows.form() {
            Ok(rows) => rows,
            Err((first, count)) => return self.slice(first, count),
        };
        match self {
            Self::Blank(_) => Self::Blank(rows.len()),
            Self::Text(array) => Self::Text(array.take(rows)),
            Self::Integer(array) => Self::Integer(array.take(rows)),
            Self::Decimal(array, scale) => Self::Decimal(array.take(rows), *scale),
            Self::Number(array) => Self::Number(array.take(rows)),
            Self::Date(array) => Self::Date(array.take(rows)),
            Self::DateTime(array) => Self::DateTime(array.take(rows)),
            Self::Boolean(array) => Self::Boolean(array.take(rows)),
        }
    }

    /// Columns of one type (or all blank) one under the other.
    pub fn concat(parts: &[Column]) -> Column {
        let rows = parts.iter().map(Column::len).sum();
        if let [part] = parts {
            return part.clone();
        }
        let texts = parts.iter().map(|part| match part {
            Self::Text(texts) => Some(texts),
            _ => None,
        });
        let texts: Option<Vec<&Texts>> = texts.collect();
        if let Some(joined) = texts.and_then(|texts| Texts::joined(&texts)) {
            return Self::Text(joined);
        }
        let mut whole = GrowingColumn::new(Type::Blank, rows);
        parts.iter().for_each(|part| whole.append(part));
        whole.finish()
    }

    /// Pieces of the same columns, each column one under the other; no columns of no pieces.
    pub fn concat_each(pieces: &[Vec<Column>]) -> Vec<Column> {
        let width = pieces.first().map_or(0, Vec::len);
        let column = |at: usize| {
            let parts: Vec<Column> = pieces.iter().map(|piece| piece[at].clone()).collect();
            Column::concat(&parts)
        };
        (0..width).map(column).collect()
    }

    /// A row's value in units of the column's scale; none of a column that is no exact number.
    #[inline]
    pub(crate) fn units(&self, row: usize) -> i128 {
        match self {
            Self::Integer(array) => array.value(row).into(),
            Self::Decimal(array, _) => array.value(row),
            _ => 0,
        }
    }

    /// The bytes that it holds, about.
    pub(crate) fn bytes_held(&self) -> usize {
        match self {
            Self::Blank(_) => 0,
            Self::Text(array) => array.bytes_held(),
            Self::Integer(array) => array.bytes_held(),
            Self::Decimal(array, _) => array.bytes_held(),
            Self::Number(array) => size_of_val(array.values()),
            Self::Date(array) => size_of_val(array.values()),
            Self::DateTime(array) => size_of_val(array.values()),
            Self::Boolean(array) => array.len() / 8,
        }
    }

    /// Where its values stand in memory, and how many: columns of one place are one.
    pub(crate) fn address(&self) -> (usize, usize) {
        let place = match self {
            Self::Blank(_) | Self::Boolean(_) => 0,
            Self::Text(array) => array.address(),
            Self::Integer(array) => array.address(),
            Self::Decimal(array, _) => array.address(),
            Self::Number(array) => array.values().as_ptr() as usize,
            Self::Date(array) => array.values().as_ptr() as usize,
            Self::DateTime(array) => array.values().as_ptr() as usize,
        };
        (place, self.len())
    }

    /// The sum of all values that are not blank, for a numeric column.
    pub fn sum(&self) -> Amount {
        let blanks = self.blanks() as u64;
        match self {
            Self::Integer(array) => Amount::exact(array.sum(), Scale(0), blanks),
            Self::Decimal(array, scale) => Amount::exact(array.sum(), *scale, blanks),
            Self::Number(array) => Amount::Float { sum: array.iter().flatten().sum(), blanks },
            _ => Amount::exact(Some(0), Scale(0), blanks),
        }
    }

    /// The sum of all values without their signs, for a numeric column.
    pub fn magnitude(&self) -> Amount {
        let blanks = self.blanks() as u64;
        match self {
            Self::Integer(array) => {
                let units = array.iter().flatten().map(|value| i128::from(value).abs()).sum();
                Amount::exact(Some(units), Scale(0), blanks)
            }
            Self::Decimal(array, scale) => {
                let add = |sum: Option<i128>, value: i128| sum?.checked_add(value.abs());
                let units = array.iter().flatten().fold(Some(0), add);
                Amount::exact(units, *scale, blanks)
            }
            Self::Number(array) => {
                Amount::Float { sum: array.iter().flatten().map(f64::abs).sum(), blanks }
            }
            _ => Amount::exact(Some(0), Scale(0), blanks),
        }
    }

    /// Writes a row's value as a CSV cell has it, without quotes. Blank writes nothing.
    pub fn write_value(&self, row: usize, out: &mut Vec<u8>) {
        if self.is_blank(row) {
            return;
        }
        match self {
            Self::Blank(_) => {}
            Self::Text(array) => out.extend_from_slice(array.value(row).as_bytes()),
            Self::Integer(array) => {
                out.extend_from_slice(itoa::Buffer::new().format(array.value(row)).as_bytes());
            }
            Self::Decimal(array, scale) => decimal::write(array.value(row), *scale, out),
            Self::Date(array) => day::write(array.value(row), out),
            Self::DateTime(array) => day::write_time(array.value(row), out),
            Self::Number(_) | Self::Boolean(_) => self.scalar(row).write(out),
        }
    }

    /// A number made of what stands in a row, whatever it means: it is at hand afterwards.
    #[inline]
    pub(crate) fn touch(&self, row: usize) -> u64 {
        match self {
            Self::Blank(_) => 0,
            Self::Text(array) => array.view(row).head(),
            Self::Integer(array) => array.value(row) as u64,
            Self::Decimal(array, _) => array.value(row) as u64,
            Self::Date(array) => array.value(row) as u64,
            Self::DateTime(array) => array.value(row) as u64,
            Self::Number(array) => array.value(row).to_bits(),
            Self::Boolean(array) => array.value(row).into(),
        }
    }

    /// The text of a row of texts that is not blank.
    #[inline]
    pub fn text(&self, row: usize) -> Option<&str> {
        match self {
            Self::Text(array) if array.has(row) => Some(array.value(row)),
            _ => None,
        }
    }

    /// Sets 1 for each row whose value is not that of the row before, the first left out. Texts may be taken
    /// for different ones where they stand in other places.
    pub fn mark_changes(&self, changed: &mut [u8]) {
        match self {
            Self::Blank(_) => {}
            Self::Text(array) => array.mark_changes(changed),
            Self::Integer(array) => array.mark_changes(changed),
            Self::Decimal(array, _) => array.mark_changes(changed),
            Self::Date(array) => array.mark_changes(changed),
            Self::DateTime(array) => array.mark_changes(changed),
            Self::Number(array) => array.mark_changes(changed),
            Self::Boolean(array) => {
                mark(&array.values().iter().collect::<Vec<_>>(), bool::eq, changed);
            }
        }
        if let Some(present) = self.present().filter(|present| present.blanks() > 0) {
            mark(&present.bits().iter().collect::<Vec<_>>(), bool::eq, changed);
        }
    }

    /// Of the rows that are 1 in `level`, the first left out, sets 0 for each whose value is greater than that of the
    /// row before. Gives whether none of them is less; no where the values have no order. None is blank.
    pub fn mark_rises(&self, level: &mut [u8]) -> bool {
        match self {
            Self::Text(array) => array.mark_rises(level),
            Self::Integer(array) => array.mark_rises(level),
            Self::Decimal(array, _) => array.mark_rises(level),
            Self::Date(array) => array.mark_rises(level),
            Self::DateTime(array) => array.mark_rises(level),
            Self::Blank(_) | Self::Number(_) | Self::Boolean(_) => false,
        }
    }
}
