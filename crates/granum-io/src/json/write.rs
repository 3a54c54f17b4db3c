//! Rows → JSON: one object a row, in a line of its own; in `.json` files all of them in one list.

use std::io::{self, Write};
use std::sync::Arc;

use granum_core::port::{Encoded, Encoder, NamedAs};
use granum_core::table::Column;
use granum_core::value::Type;

use crate::format::Writer;

/// Writes a table as objects.
pub(crate) struct JsonWriter {
    keys: Arc<Vec<Vec<u8>>>,
    list: bool,
    begun: bool,
}

impl JsonWriter {
    /// Writes columns into a file of a name.
    pub fn new(name: &str, columns: &[(String, Type)]) -> Self {
        let key = |(name, _): &(String, Type)| {
            let mut key = quoted(name);
            key.push(b':');
            key
        };
        let list = NamedAs::of(name).ends(".json");
        Self { keys: Arc::new(columns.iter().map(key).collect()), list, begun: false }
    }
}

impl Writer for JsonWriter {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(JsonEncoder { keys: self.keys.clone(), list: self.list })
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        if self.list { out.write_all(b"[") } else { Ok(()) }
    }

    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()> {
        let bytes = match rows {
            Encoded::Bytes(bytes) => bytes,
            Encoded::Rows(columns, rows) => lines(&self.keys, self.list, &columns, rows),
        };
        // A comma stands before each object of a list but the first.
        let first = usize::from(self.list && !self.begun && !bytes.is_empty());
        self.begun |= !bytes.is_empty();
        out.write_all(&bytes[first..])
    }

    fn finish(&mut self, out: &mut dyn Write) -> io::Result<()> {
        if self.list { out.write_all(b"\n]\n") } else { Ok(()) }
    }
}

/// Makes objects of rows.
struct JsonEncoder {
    keys: Arc<Vec<Vec<u8>>>,
    list: bool,
}

impl Encoder for JsonEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        Encoded::Bytes(lines(&self.keys, self.list, columns, rows))
    }
}

/// Objects, each behind a comma and a line's end, or before one.
fn lines(keys: &[Vec<u8>], list: bool, columns: &[Column], rows: usize) -> Vec<u8> {
    let mut out = Vec::with_capacity(rows * columns.len() * 16);
    for row in 0..rows {
        out.extend_from_slice(if list { b",\n{" } else { b"{" });
        for (at, (key, column)) in keys.iter().zip(columns).enumerate() {
            if at > 0 {
                out.push(b',');
            }
            out.extend_from_slice(key);
            value(column, row, &mut out);
        }
        out.extend_from_slice(if list { b"}" } else { b"}\n" });
    }
    out
}

/// Numbers with all their digits, days and texts in quotes, blanks as null.
fn value(column: &Column, row: usize, out: &mut Vec<u8>) {
    if column.is_blank(row) {
        out.extend_from_slice(b"null");
        return;
    }
    match (column.text(row), column.ty()) {
        (Some(text), _) => out.extend(quoted(text)),
        (None, Type::Date | Type::DateTime) => {
            out.push(b'"');
            column.write_value(row, out);
            out.push(b'"');
        }
        (None, _) => column.write_value(row, out),
    }
}

/// A text as JSON has it.
fn quoted(text: &str) -> Vec<u8> {
    serde_json::to_vec(text).unwrap_or_default()
}
