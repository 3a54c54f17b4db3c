//! Rows → CSV: UTF-8, `\n`, quotes only where needed, decimals with all places, blank as nothing.

use granum_core::engine::Encoder;
use granum_core::table::Column;

/// Makes CSV of rows.
pub(crate) struct CsvEncoder;

/// The header line.
pub(crate) fn header<'a>(names: impl Iterator<Item = &'a str>) -> Vec<u8> {
    let mut out = vec![];
    for (at, name) in names.enumerate() {
        if at > 0 {
            out.push(b',');
        }
        write_text(name.as_bytes(), &mut out);
    }
    out.push(b'\n');
    out
}

impl Encoder for CsvEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Vec<u8> {
        let mut out = Vec::with_capacity(rows * columns.len() * 10);
        let alone = columns.len() == 1;
        for row in 0..rows {
            for (at, column) in columns.iter().enumerate() {
                if at > 0 {
                    out.push(b',');
                }
                match column {
                    Column::Text(array) => {
                        if !column.is_blank(row) {
                            write_text(array.value(row).as_bytes(), &mut out);
                        }
                    }
                    other => other.write_value(row, &mut out),
                }
                // A blank in the only column would be an empty line, which is no row.
                if alone && column.is_blank(row) {
                    out.extend_from_slice(b"\"\"");
                }
            }
            out.push(b'\n');
        }
        out
    }
}

fn write_text(text: &[u8], out: &mut Vec<u8>) {
    let special = |byte: &u8| matches!(byte, b',' | b'"' | b'\n' | b'\r');
    if !text.iter().any(special) {
        out.extend_from_slice(text);
        return;
    }
    out.push(b'"');
    for byte in text {
        if *byte == b'"' {
            out.push(b'"');
        }
        out.push(*byte);
    }
    out.push(b'"');
}
