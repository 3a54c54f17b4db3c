//! One column: an Arrow array of one of the types of [`Type`].

use arrow_array::builder::StringViewBuilder;
use arrow_array::{
    Array, ArrowPrimitiveType, BooleanArray, Date32Array, Decimal128Array, Float64Array,
    Int64Array, PrimitiveArray, StringViewArray, TimestampMicrosecondArray, UInt32Array,
};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;

use super::Amount;
use super::gather;
use super::growing::ColumnBuilder;
use crate::value::{Scalar, Scale, Type, day, decimal};

/// Texts of up to this many bytes stand in their views.
pub(crate) const INLINE: usize = 12;

/// A column of values. Blanks are Arrow's nulls; a text is never empty.
///
/// Cloning is cheap: the values are shared. Texts are `Utf8View`: up to twelve bytes stand in the
/// view itself, longer ones are shared with whatever they were taken from.
#[derive(Debug, Clone)]
pub enum Column {
    /// This many blanks.
    Blank(usize),
    /// Texts.
    Text(StringViewArray),
    /// Whole numbers.
    Integer(Int64Array),
    /// Exact decimals; the scale is in the array's type.
    Decimal(Decimal128Array),
    /// Floating point numbers.
    Number(Float64Array),
    /// Days from 1970-01-01.
    Date(Date32Array),
    /// Microseconds from 1970-01-01T00:00:00.
    DateTime(TimestampMicrosecondArray),
    /// Truth values.
    Boolean(BooleanArray),
}

macro_rules! each_array {
    ($column:expr, $array:ident => $work:expr, $length:ident => $blank:expr) => {
        match $column {
            Column::Blank($length) => $blank,
            Column::Text($array) => $work,
            Column::Integer($array) => $work,
            Column::Decimal($array) => $work,
            Column::Number($array) => $work,
            Column::Date($array) => $work,
            Column::DateTime($array) => $work,
            Column::Boolean($array) => $work,
        }
    };
}

impl Column {
    /// Whole units of 10^-`scale` as a column.
    pub fn decimal(values: Vec<i128>, nulls: Option<NullBuffer>, scale: Scale) -> Column {
        let array = Decimal128Array::new(values.into(), nulls)
            .with_data_type(DataType::Decimal128(38, scale.0 as i8));
        Column::Decimal(array)
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
            Self::Decimal(array) => Type::Decimal(Scale(array.scale() as u8)),
            Self::Number(_) => Type::Number,
            Self::Date(_) => Type::Date,
            Self::DateTime(_) => Type::DateTime,
            Self::Boolean(_) => Type::Boolean,
        }
    }

    /// Which rows are not blank; `None` where all of them are not (or the column is all blank:
    /// ask [`Column::blanks`]).
    pub fn nulls(&self) -> Option<NullBuffer> {
        each_array!(self, array => array.nulls().cloned(), length => Some(NullBuffer::new_null(*length)))
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        each_array!(self, array => array.null_count(), length => *length)
    }

    /// Whether a row is blank.
    pub fn is_blank(&self, row: usize) -> bool {
        each_array!(self, array => array.is_null(row), _length => true)
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
            Self::Decimal(array) => Scalar::Decimal(array.value(row), Scale(array.scale() as u8)),
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
            Scalar::Text(text) => {
                let mut one = StringViewBuilder::with_capacity(1);
                one.append_value(text);
                let zeros = UInt32Array::from(vec![0; length]);
                Column::Text(one.finish()).take(&zeros)
            }
            Scalar::Integer(value) => Self::Integer(vec![*value; length].into()),
            Scalar::Decimal(units, scale) => Self::decimal(vec![*units; length], None, *scale),
            Scalar::Number(value) => Self::Number(vec![*value; length].into()),
            Scalar::Date(value) => Self::Date(vec![*value; length].into()),
            Scalar::DateTime(value) => Self::DateTime(vec![*value; length].into()),
            Scalar::Boolean(value) => Self::Boolean(vec![*value; length].into()),
        }
    }

    /// A column of a type without a value.
    pub fn all_blank(ty: Type, length: usize) -> Column {
        let nulls = || Some(NullBuffer::new_null(length));
        match ty {
            Type::Blank => Self::Blank(length),
            Type::Text => Self::Text(StringViewArray::new_null(length)),
            Type::Integer => Self::Integer(Int64Array::new_null(length)),
            Type::Decimal(scale) => Self::decimal(vec![0; length], nulls(), scale),
            Type::Number => Self::Number(Float64Array::new_null(length)),
            Type::Date => Self::Date(Date32Array::new_null(length)),
            Type::DateTime => Self::DateTime(TimestampMicrosecondArray::new_null(length)),
            Type::Boolean => Self::Boolean(BooleanArray::new_null(length)),
        }
    }

    /// `length` rows from row `offset` on, without copying.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Column {
        match self {
            Self::Blank(_) => Self::Blank(length),
            Self::Text(array) => Self::Text(array.slice(offset, length)),
            Self::Integer(array) => Self::Integer(array.slice(offset, length)),
            Self::Decimal(array) => Self::Decimal(array.slice(offset, length)),
            Self::Number(array) => Self::Number(array.slice(offset, length)),
            Self::Date(array) => Self::Date(array.slice(offset, length)),
            Self::DateTime(array) => Self::DateTime(array.slice(offset, length)),
            Self::Boolean(array) => Self::Boolean(array.slice(offset, length)),
        }
    }

    /// The rows where `keep` is true, in order. `keep` has no blanks.
    #[must_use]
    pub fn filter(&self, keep: &BooleanArray) -> Column {
        let keep = keep.values();
        match self {
            Self::Blank(_) => Self::Blank(keep.count_set_bits()),
            Self::Text(array) => Self::Text(gather::filter_texts(array, keep)),
            Self::Integer(array) => Self::Integer(gather::filter(array, keep)),
            Self::Decimal(array) => Self::Decimal(gather::filter(array, keep)),
            Self::Number(array) => Self::Number(gather::filter(array, keep)),
            Self::Date(array) => Self::Date(gather::filter(array, keep)),
            Self::DateTime(array) => Self::DateTime(gather::filter(array, keep)),
            Self::Boolean(array) => Self::Boolean(gather::filter_truths(array, keep)),
        }
    }

    /// The same of a column that is not needed otherwise: the rows that stay move up in its own
    /// memory, as long as nothing else shares it.
    #[must_use]
    pub fn into_filtered(self, keep: &BooleanArray) -> Column {
        match self {
            Self::Integer(array) => Self::Integer(filter_values(array, keep)),
            Self::Decimal(array) => Self::Decimal(filter_values(array, keep)),
            Self::Number(array) => Self::Number(filter_values(array, keep)),
            Self::Date(array) => Self::Date(filter_values(array, keep)),
            Self::DateTime(array) => Self::DateTime(filter_values(array, keep)),
            other => other.filter(keep),
        }
    }

    /// The rows numbered by `rows`, in that order; blank where a row's number is blank.
    ///
    /// ```text
    /// [a b c] taken by [2 · 0 0]  →  [c · a a]
    /// ```
    #[must_use]
    pub fn take(&self, rows: &UInt32Array) -> Column {
        match self {
            Self::Blank(_) => Self::Blank(rows.len()),
            Self::Text(array) => Self::Text(gather::take_texts(array, rows)),
            Self::Integer(array) => Self::Integer(gather::take(array, rows)),
            Self::Decimal(array) => Self::Decimal(gather::take(array, rows)),
            Self::Number(array) => Self::Number(gather::take(array, rows)),
            Self::Date(array) => Self::Date(gather::take(array, rows)),
            Self::DateTime(array) => Self::DateTime(gather::take(array, rows)),
            Self::Boolean(array) => Self::Boolean(gather::take_truths(array, rows)),
        }
    }

    /// Columns of one type (or all blank) one under the other.
    pub fn concat(parts: &[Column]) -> Column {
        let rows = parts.iter().map(Column::len).sum();
        if let [part] = parts {
            return part.clone();
        }
        let mut whole = ColumnBuilder::new(Type::Blank, rows);
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

    /// The sum of all values that are not blank, for a numeric column.
    pub fn sum(&self) -> Amount {
        let blanks = self.blanks() as u64;
        match self {
            Self::Integer(array) => {
                let sum = |values: &[i64]| values.iter().map(|v| i128::from(*v)).sum::<i128>();
                let units = match array.nulls() {
                    None => sum(array.values()),
                    Some(_) => array.iter().flatten().map(i128::from).sum(),
                };
                Amount::exact(Some(units), Scale(0), blanks)
            }
            Self::Decimal(array) => {
                let add = |sum: Option<i128>, value: i128| sum?.checked_add(value);
                let units = match array.nulls() {
                    None => array.values().iter().copied().fold(Some(0), add),
                    Some(_) => array.iter().flatten().fold(Some(0), add),
                };
                Amount::exact(units, Scale(array.scale() as u8), blanks)
            }
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
            Self::Decimal(array) => {
                let add = |sum: Option<i128>, value: i128| sum?.checked_add(value.abs());
                let units = array.iter().flatten().fold(Some(0), add);
                Amount::exact(units, Scale(array.scale() as u8), blanks)
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
            Self::Decimal(array) => {
                decimal::write(array.value(row), Scale(array.scale() as u8), out);
            }
            Self::Date(array) => day::write(array.value(row), out),
            Self::DateTime(array) => day::write_time(array.value(row), out),
            Self::Number(_) | Self::Boolean(_) => self.scalar(row).write(out),
        }
    }
}

/// The values where `keep` is true, moved up in their own memory if nobody shares it.
fn filter_values<T: ArrowPrimitiveType>(
    array: PrimitiveArray<T>,
    keep: &BooleanArray,
) -> PrimitiveArray<T> {
    let (ty, values, nulls) = array.into_parts();
    let nulls = gather::kept_nulls(nulls.as_ref(), keep.values());
    let mut values: Vec<T::Native> =
        values.into_inner().into_vec().unwrap_or_else(|shared| shared.typed_data().to_vec());
    let mut stays = 0;
    for (start, end) in keep.values().set_slices() {
        values.copy_within(start..end, stays);
        stays += end - start;
    }
    values.truncate(stays);
    PrimitiveArray::new(values.into(), nulls).with_data_type(ty)
}
