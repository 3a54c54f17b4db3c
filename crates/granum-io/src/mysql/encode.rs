//! Columns → rows as they stand in a query.

use granum_core::port::{Encoded, Encoder};
use granum_core::table::Column;

use super::catalog::text;

/// Makes rows of columns, each behind how many bytes it has: `(1,'a',NULL)`. Where a row has what its column would not
/// keep, that stands in its place, behind a length that no row has.
pub(super) struct RowEncoder {
    /// For each column how many places behind the second its moments have there.
    pub places: Vec<Option<u32>>,
    pub names: Vec<String>,
}

/// The length of what is no row.
pub(super) const UNHELD: u32 = u32::MAX;

impl Encoder for RowEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        let mut out = Vec::with_capacity(rows * columns.len() * 12);
        let mut row_text = vec![];
        for row in 0..rows {
            row_text.clear();
            row_text.push(b'(');
            for (at, column) in columns.iter().enumerate() {
                if at > 0 {
                    row_text.push(b',');
                }
                cell(column, row, &mut row_text);
            }
            row_text.push(b')');
            if let Some(unheld) = self.unheld(columns, row) {
                out.extend_from_slice(&UNHELD.to_le_bytes());
                row_text = unheld.into_bytes();
            }
            out.extend_from_slice(&(row_text.len() as u32).to_le_bytes());
            out.extend_from_slice(&row_text);
        }
        Encoded::Bytes(out)
    }
}

impl RowEncoder {
    /// What of a row its columns would not keep, which the server would cut off without a word.
    fn unheld(&self, columns: &[Column], row: usize) -> Option<String> {
        for (at, column) in columns.iter().enumerate() {
            let (Some(places), Column::DateTime(moments)) = (self.places[at], column) else {
                continue;
            };
            let over = 10_i64.pow(6 - places.min(6));
            if !column.is_blank(row) && moments.value(row) % over != 0 {
                let mut text = vec![];
                column.write_value(row, &mut text);
                let text = String::from_utf8_lossy(&text);
                return Some(format!(
                    "`{}` is {text}, of which {places} places would be kept",
                    self.names[at]
                ));
            }
        }
        None
    }
}

fn cell(column: &Column, row: usize, out: &mut Vec<u8>) {
    match column {
        _ if column.is_blank(row) => out.extend_from_slice(b"NULL"),
        Column::Text(texts) => out.extend_from_slice(text(texts.value(row)).as_bytes()),
        Column::Date(_) | Column::DateTime(_) => {
            out.push(b'\'');
            column.write_value(row, out);
            out.push(b'\'');
        }
        Column::Boolean(truths) => out.push(if truths.value(row) { b'1' } else { b'0' }),
        // With an exponent it is such a number, without one a decimal.
        Column::Number(values) => {
            out.extend_from_slice(format!("{:e}", values.value(row)).as_bytes());
        }
        Column::Integer(_) | Column::Decimal(..) | Column::Blank(_) => column.write_value(row, out),
    }
}
