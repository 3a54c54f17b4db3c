//! Rows → CSV: UTF-8, `\n`, quotes only where needed, decimals with all places, blank as nothing.

use arrow_buffer::NullBuffer;
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
        let mut cells: Vec<Cells<'_>> = columns.iter().map(Cells::new).collect();
        for row in 0..rows {
            for (at, cells) in cells.iter_mut().enumerate() {
                if at > 0 {
                    out.push(b',');
                }
                let blank = !cells.write(row, &mut out);
                // A blank in the only column would be an empty line, which is no row.
                if alone && blank {
                    out.extend_from_slice(b"\"\"");
                }
            }
            out.push(b'\n');
        }
        out
    }
}

/// A column's cells. The bytes of the last value are taken again where the next one equals it:
/// units of one line, and lines of one order, mostly do.
struct Cells<'a> {
    column: &'a Column,
    nulls: Option<NullBuffer>,
    last: Option<(i128, std::ops::Range<usize>)>,
}

impl<'a> Cells<'a> {
    fn new(column: &'a Column) -> Self {
        Self { column, nulls: column.nulls().filter(|n| n.null_count() > 0), last: None }
    }

    /// Writes a row's cell; false if it is blank.
    fn write(&mut self, row: usize, out: &mut Vec<u8>) -> bool {
        if self.nulls.as_ref().is_some_and(|nulls| nulls.is_null(row)) {
            return false;
        }
        let value = match self.column {
            Column::Blank(_) => return false,
            Column::Text(array) => {
                write_text(array.value(row).as_bytes(), out);
                return true;
            }
            Column::Integer(array) => array.value(row).into(),
            Column::Decimal(array) => array.value(row),
            Column::Date(array) => array.value(row).into(),
            Column::DateTime(array) => array.value(row).into(),
            Column::Boolean(array) => array.value(row).into(),
            Column::Number(array) => i128::from(array.value(row).to_bits()),
        };
        match &self.last {
            Some((last, bytes)) if *last == value => out.extend_from_within(bytes.clone()),
            _ => {
                let start = out.len();
                self.column.write_value(row, out);
                self.last = Some((value, start..out.len()));
            }
        }
        true
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
