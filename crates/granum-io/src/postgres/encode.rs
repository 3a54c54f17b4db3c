//! Columns → rows as the server takes them.

use granum_core::port::{Encoded, Encoder};
use granum_core::table::Column;

use super::decode::{DAY, EPOCH};
use super::numeric;

/// What stands behind all rows.
pub(super) const END: &[u8] = &[0xff, 0xff];

/// Makes rows of columns.
pub(super) struct RowEncoder;

impl Encoder for RowEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        let mut out = Vec::with_capacity(rows * columns.len() * 12);
        for row in 0..rows {
            out.extend_from_slice(&(columns.len() as i16).to_be_bytes());
            columns.iter().for_each(|column| cell(column, row, &mut out));
        }
        Encoded::Bytes(out)
    }
}

fn sized(bytes: &[u8], out: &mut Vec<u8>) {
    out.extend_from_slice(&(bytes.len() as i32).to_be_bytes());
    out.extend_from_slice(bytes);
}

/// A cell, its length before it; that of a blank is less than none.
fn cell(column: &Column, row: usize, out: &mut Vec<u8>) {
    match column {
        _ if column.is_blank(row) => out.extend_from_slice(&(-1_i32).to_be_bytes()),
        Column::Blank(_) => out.extend_from_slice(&(-1_i32).to_be_bytes()),
        Column::Integer(values) => sized(&values.value(row).to_be_bytes(), out),
        Column::Number(values) => sized(&values.value(row).to_be_bytes(), out),
        Column::Boolean(truths) => sized(&[truths.value(row).into()], out),
        Column::Decimal(values, scale) => numeric::write(values.value(row), *scale, out),
        Column::Date(days) => sized(&(days.value(row) - EPOCH).to_be_bytes(), out),
        Column::DateTime(moments) => {
            sized(&(moments.value(row) - i64::from(EPOCH) * DAY).to_be_bytes(), out);
        }
        Column::Text(texts) => sized(texts.value(row).as_bytes(), out),
    }
}
