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
        let same = same_as_before(columns, rows);
        let nulls: Vec<Option<NullBuffer>> = columns
            .iter()
            .map(|column| column.nulls().filter(|nulls| nulls.null_count() > 0))
            .collect();
        // Where each cell of the row before begins, and of this one; the last is the row's end.
        let mut before = vec![0; columns.len() + 1];
        let mut starts = vec![0; columns.len() + 1];
        for (row, same) in same.into_iter().enumerate() {
            let mut at = 0;
            while at < columns.len() {
                let equal = if at < WATCHED { (same >> at).trailing_ones() as usize } else { 0 };
                if equal > 0 {
                    // Cells with their separators, all at once.
                    let end = (at + equal).min(columns.len());
                    let moved = out.len();
                    out.extend_from_within(before[at]..before[end]);
                    for cell in at..end {
                        starts[cell] = before[cell] - before[at] + moved;
                    }
                    at = end;
                    continue;
                }
                starts[at] = out.len();
                let blank = nulls[at].as_ref().is_some_and(|nulls| nulls.is_null(row));
                if !blank {
                    write_cell(&columns[at], row, &mut out);
                }
                // A blank in the only column would be an empty line, which is no row.
                if alone && (blank || matches!(columns[at], Column::Blank(_))) {
                    out.extend_from_slice(b"\"\"");
                }
                at += 1;
                out.push(if at == columns.len() { b'\n' } else { b',' });
            }
            starts[columns.len()] = out.len();
            std::mem::swap(&mut before, &mut starts);
        }
        out
    }
}

/// So many columns are watched for values that repeat.
const WATCHED: usize = 64;

/// For each row a bit for each column whose value is that of the row before: units of one line, and
/// lines of one order, mostly repeat it, and bytes are copied faster than they are made.
fn same_as_before(columns: &[Column], rows: usize) -> Vec<u64> {
    let mut same = vec![0_u64; rows];
    for (at, column) in columns.iter().take(WATCHED).enumerate() {
        match column {
            Column::Text(array) => mark(array.views(), at, &mut same),
            Column::Integer(array) => mark(array.values(), at, &mut same),
            Column::Decimal(array) => mark(array.values(), at, &mut same),
            Column::Date(array) => mark(array.values(), at, &mut same),
            Column::DateTime(array) => mark(array.values(), at, &mut same),
            _ => {}
        }
        if let Some(nulls) = column.nulls().filter(|nulls| nulls.null_count() > 0) {
            for (row, same) in same.iter_mut().enumerate().skip(1) {
                if nulls.is_null(row) != nulls.is_null(row - 1) {
                    *same &= !(1 << at);
                }
            }
        }
    }
    same
}

fn mark<T: PartialEq>(values: &[T], at: usize, same: &mut [u64]) {
    for (pair, same) in values.windows(2).zip(&mut same[1.min(values.len())..]) {
        *same |= u64::from(pair[0] == pair[1]) << at;
    }
}

fn write_cell(column: &Column, row: usize, out: &mut Vec<u8>) {
    match column {
        Column::Text(array) => write_text(array.value(row).as_bytes(), out),
        other => other.write_value(row, out),
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
