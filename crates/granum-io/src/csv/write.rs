//! Rows → CSV: UTF-8, `\n`, quotes only where needed, decimals with all places, blank as nothing; unless something
//! else is said.
use std::io::{self, Write};
use std::sync::Arc;

use granum_core::port::{Encoded, Encoder, NamedAs, Style};
use granum_core::table::Column;
use granum_core::value::Type;

use super::letters::Letters;
use super::lines::{PLAIN, Signs, bytes_of, write_text};
use crate::format::{Unwritable, Writer};

/// Writes a table as text with signs between fields.
pub(crate) struct CsvWriter {
    header: Vec<u8>,
    signs: Signs,
    letters: Letters,
}

impl Signs {
    /// As is said, else as the name of a file does: a tab in `.tsv`; beside a decimal comma a semicolon.
    fn of(name: &str, style: &Style) -> Self {
        let tabs = NamedAs::of(name).ends(".tsv");
        let decimals = style.decimals.unwrap_or(PLAIN.decimals);
        let delimiter = style.delimiter.unwrap_or(match (tabs, decimals) {
            (true, _) => b'\t',
            (false, b',') => b';',
            (false, _) => PLAIN.delimiter,
        });
        Self { delimiter, decimals }
    }
}

impl CsvWriter {
    /// Writes columns into a file of a name.
    ///
    /// # Errors
    /// An encoding that nobody knows, or a mark that it has not.
    pub fn new(name: &str, columns: &[(String, Type)], style: &Style) -> Result<Self, Unwritable> {
        let signs = Signs::of(name, style);
        let letters = Letters::new(style.encoding.as_deref(), style.marked)?;
        let names = columns.iter().map(|(name, _)| name.as_str());
        Ok(Self { header: header(names, signs.delimiter), signs, letters })
    }
}

impl Writer for CsvWriter {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(CsvEncoder(self.signs))
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        out.write_all(self.letters.mark())?;
        self.letters.write(&self.header, out)
    }

    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()> {
        match rows {
            Encoded::Bytes(bytes) => self.letters.write(&bytes, out),
            Encoded::Rows(columns, rows) => {
                self.letters.write(&bytes_of(&columns, rows, self.signs), out)
            }
        }
    }

    fn finish(&mut self, _: &mut dyn Write) -> io::Result<()> {
        Ok(())
    }
}

/// Makes CSV of rows.
pub(crate) struct CsvEncoder(Signs);

impl Encoder for CsvEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        Encoded::Bytes(bytes_of(columns, rows, self.0))
    }
}

/// The header line.
pub(crate) fn header<'a>(names: impl Iterator<Item = &'a str>, delimiter: u8) -> Vec<u8> {
    let mut out = vec![];
    for (at, name) in names.enumerate() {
        if at > 0 {
            out.push(delimiter);
        }
        write_text(name.as_bytes(), delimiter, &mut out);
    }
    out.push(b'\n');
    out
}

/// A row of cells with commas between them.
pub(crate) fn write_row<'a>(cells: impl ExactSizeIterator<Item = &'a [u8]>, out: &mut Vec<u8>) {
    let alone = cells.len() == 1;
    for (at, cell) in cells.enumerate() {
        if at > 0 {
            out.push(b',');
        }
        // A blank in the only column would be an empty line, which is no row.
        if alone && cell.is_empty() {
            out.extend_from_slice(b"\"\"");
        }
        write_text(cell, b',', out);
    }
    out.push(b'\n');
}
