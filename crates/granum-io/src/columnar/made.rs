//! A column → an array of a file, and the schema of such.

use std::sync::Arc;

use arrow_array::{
    ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int64Array, NullArray,
    StringArray, TimestampMicrosecondArray, builder::StringBuilder,
};
use arrow_buffer::{BooleanBuffer, NullBuffer};
use arrow_schema::{DataType, Field, Schema, TimeUnit};
use granum_core::table::{Column, Present};
use granum_core::value::Type;

/// Decimals have up to so many digits.
const DIGITS: u8 = 38;

/// The schema of columns of these names and types.
pub(super) fn schema(columns: &[(String, Type)]) -> Schema {
    let field = |(name, ty): &(String, Type)| Field::new(name, data_type(*ty), true);
    Schema::new(columns.iter().map(field).collect::<Vec<_>>())
}

fn data_type(ty: Type) -> DataType {
    match ty {
        Type::Blank => DataType::Null,
        Type::Text => DataType::Utf8,
        Type::Integer => DataType::Int64,
        Type::Decimal(scale) => DataType::Decimal128(DIGITS, scale.0 as i8),
        Type::Number => DataType::Float64,
        Type::Date => DataType::Date32,
        Type::DateTime => DataType::Timestamp(TimeUnit::Microsecond, None),
        Type::Boolean => DataType::Boolean,
    }
}

fn nulls(present: Option<&Present>) -> Option<NullBuffer> {
    let present = present.filter(|present| present.blanks() > 0)?;
    let bits = present.bits();
    Some(NullBuffer::new(BooleanBuffer::collect_bool(bits.len(), |row| bits.value(row))))
}

/// The array of a column; of one that is all blank an array of its table's type.
pub(super) fn array(column: &Column, ty: Type) -> ArrayRef {
    let there = column.present();
    let nulls = nulls(there.as_ref());
    match column {
        Column::Blank(rows) if ty == Type::Blank => Arc::new(NullArray::new(*rows)),
        Column::Blank(rows) => array(&Column::all_blank(ty, *rows), ty),
        Column::Text(texts) => Arc::new(strings(texts.iter(), texts.len())),
        Column::Integer(values) => Arc::new(Int64Array::new(values.all().collect(), nulls)),
        Column::Decimal(values, scale) => {
            let array = Decimal128Array::new(values.all().collect(), nulls);
            Arc::new(array.with_data_type(data_type(Type::Decimal(*scale))))
        }
        Column::Number(values) => {
            Arc::new(Float64Array::new(values.values().iter().copied().collect(), nulls))
        }
        Column::Date(values) => {
            Arc::new(Date32Array::new(values.values().iter().copied().collect(), nulls))
        }
        Column::DateTime(values) => Arc::new(TimestampMicrosecondArray::new(
            values.values().iter().copied().collect(),
            nulls,
        )),
        Column::Boolean(truths) => {
            let bits = truths.values();
            let values = BooleanBuffer::collect_bool(bits.len(), |row| bits.value(row));
            Arc::new(BooleanArray::new(values, nulls))
        }
    }
}

fn strings<'a>(texts: impl Iterator<Item = Option<&'a str>>, rows: usize) -> StringArray {
    let mut strings = StringBuilder::with_capacity(rows, rows * 12);
    texts.for_each(|text| strings.append_option(text));
    strings.finish()
}
