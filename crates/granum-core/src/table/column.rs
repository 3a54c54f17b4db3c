//! One column: an Arrow array of one of the types of [`Type`].

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::builder::StringViewBuilder;
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int64Array,
    StringViewArray, TimestampMicrosecondArray, UInt32Array,
};
use arrow_buffer::{Buffer, NullBuffer};
use arrow_data::ByteView;
use arrow_schema::DataType;

use super::Amount;
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

    /// The column as Arrow sees it; an all-blank column as an array of texts.
    pub fn to_array(&self) -> ArrayRef {
        each_array!(self, array => Arc::new(array.clone()),
            length => Arc::new(StringViewArray::new_null(*length)))
    }

    fn like(&self, array: &ArrayRef) -> Column {
        use arrow_array::cast::AsArray;
        use arrow_array::types::{
            Date32Type, Decimal128Type, Float64Type, Int64Type, TimestampMicrosecondType,
        };
        match self {
            Self::Blank(_) => Self::Blank(array.len()),
            Self::Text(_) => Self::Text(array.as_string_view().clone()),
            Self::Integer(_) => Self::Integer(array.as_primitive::<Int64Type>().clone()),
            Self::Decimal(_) => Self::Decimal(array.as_primitive::<Decimal128Type>().clone()),
            Self::Number(_) => Self::Number(array.as_primitive::<Float64Type>().clone()),
            Self::Date(_) => Self::Date(array.as_primitive::<Date32Type>().clone()),
            Self::DateTime(_) => {
                Self::DateTime(array.as_primitive::<TimestampMicrosecondType>().clone())
            }
            Self::Boolean(_) => Self::Boolean(array.as_boolean().clone()),
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
        if let Self::Blank(_) = self {
            return Self::Blank(keep.true_count());
        }
        each_array!(self, array => match arrow_select::filter::filter(array, keep) {
            Ok(kept) => self.like(&kept),
            // The lengths are equal, which is all that filter can refuse.
            Err(_) => self.slice(0, 0),
        }, _length => self.clone())
    }

    /// The rows numbered by `rows`, in that order; blank where a row's number is blank.
    ///
    /// ```text
    /// [a b c] taken by [2 · 0 0]  →  [c · a a]
    /// ```
    #[must_use]
    pub fn take(&self, rows: &UInt32Array) -> Column {
        each_array!(self, array => match arrow_select::take::take(array, rows, None) {
            Ok(taken) => self.like(&taken),
            // Arrow refuses only types that a column never has.
            Err(_) => Self::all_blank(self.ty(), rows.len()),
        }, _length => Self::Blank(rows.len()))
    }

    /// Columns of one type (or all blank) one under the other.
    pub fn concat(parts: &[Column]) -> Column {
        let rows = parts.iter().map(Column::len).sum();
        let Some(model) = parts.iter().find(|part| !matches!(part, Self::Blank(_))) else {
            return Self::Blank(rows);
        };
        if parts.len() == 1 {
            return parts[0].clone();
        }
        let ty = model.ty();
        let parts: Vec<Column> = parts
            .iter()
            .map(|part| match part {
                Self::Blank(length) => Self::all_blank(ty, *length),
                other => other.clone(),
            })
            .collect();
        if ty == Type::Text && shares_buffers(&parts) {
            return Self::Text(concat_shared(&parts));
        }
        let arrays: Vec<ArrayRef> = parts.iter().map(Column::to_array).collect();
        let arrays: Vec<&dyn Array> = arrays.iter().map(AsRef::as_ref).collect();
        match arrow_select::concat::concat(&arrays) {
            Ok(whole) => model.like(&whole),
            // All parts have one type and, being views, no offset that could overflow.
            Err(_) => Self::all_blank(ty, rows),
        }
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

fn shares_buffers(parts: &[Column]) -> bool {
    let mut seen = std::collections::HashSet::new();
    parts.iter().any(|part| match part {
        Column::Text(array) => {
            array.data_buffers().iter().any(|buffer| !seen.insert(buffer.as_ptr()))
        }
        _ => false,
    })
}

/// Texts one under the other where parts share buffers: each buffer is taken over once, where
/// Arrow would list it once a part.
fn concat_shared(parts: &[Column]) -> StringViewArray {
    let rows = parts.iter().map(Column::len).sum();
    let mut builder = StringViewBuilder::with_capacity(rows);
    let mut blocks: HashMap<*const u8, u32> = HashMap::new();
    for part in parts {
        let Column::Text(array) = part else { continue };
        let numbers: Vec<u32> = array
            .data_buffers()
            .iter()
            .map(|buffer: &Buffer| {
                *blocks
                    .entry(buffer.as_ptr())
                    .or_insert_with(|| builder.append_block(buffer.clone()))
            })
            .collect();
        for (row, view) in array.views().iter().enumerate() {
            if array.is_null(row) {
                builder.append_null();
                continue;
            }
            let view = ByteView::from(*view);
            let long = view.length as usize > INLINE;
            // The bytes were text where they came from, so the view is taken.
            if !long
                || builder
                    .try_append_view(numbers[view.buffer_index as usize], view.offset, view.length)
                    .is_err()
            {
                builder.append_value(array.value(row));
            }
        }
    }
    builder.finish()
}
