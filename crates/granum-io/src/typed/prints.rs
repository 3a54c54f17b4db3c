//! Fingerprints of rows whose values have types: 128 bits of `SipHash` over the values, each with its kind before it.
//! Two rows of a billion share one by chance with odds below 10^-20.

use std::hash::Hasher;
use std::sync::Arc;

use granum_core::table::Column;
use granum_core::value::Scale;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::Native;

/// A fingerprint of each row over some columns.
pub(super) fn fingerprints(natives: &[&Native], rows: usize) -> Column {
    let mut scratch = vec![];
    let prints = (0..rows).map(|row| {
        scratch.clear();
        natives.iter().for_each(|native| write(native, row, &mut scratch));
        let mut hasher = SipHasher13::new();
        hasher.write(&scratch);
        hasher.finish128().as_u128() as i128
    });
    Column::decimal(prints.collect(), None, Scale(0))
}

/// Writes a value so that no others beside each other are written the same.
fn write(native: &Native, row: usize, out: &mut Vec<u8>) {
    let column = &native.column;
    if column.is_blank(row) {
        let at = |cells: &[(usize, Arc<str>)]| {
            let found = cells.binary_search_by_key(&row, |(row, _)| *row);
            found.ok().map(|at| cells[at].1.clone())
        };
        return match (at(&native.without), at(&native.others)) {
            (Some(text), _) => write_text(9, &text, out),
            (None, Some(text)) => write_text(10, &text, out),
            (None, None) => out.push(0),
        };
    }
    match column {
        Column::Blank(_) => out.push(0),
        Column::Text(texts) => write_text(1, texts.value(row), out),
        Column::Integer(values) => {
            out.push(2);
            out.extend_from_slice(&values.value(row).to_le_bytes());
        }
        Column::Decimal(values, _) => {
            out.push(3);
            out.extend_from_slice(&values.value(row).to_le_bytes());
        }
        Column::Number(values) => {
            out.push(4);
            out.extend_from_slice(&values.value(row).to_le_bytes());
        }
        Column::Date(values) => {
            out.push(5);
            out.extend_from_slice(&values.value(row).to_le_bytes());
        }
        Column::DateTime(values) => {
            out.push(6);
            out.extend_from_slice(&values.value(row).to_le_bytes());
        }
        Column::Boolean(truths) => out.push(7 + u8::from(truths.value(row))),
    }
}

fn write_text(kind: u8, text: &str, out: &mut Vec<u8>) {
    out.push(kind);
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(text.as_bytes());
}
