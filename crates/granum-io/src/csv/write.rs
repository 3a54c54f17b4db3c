//! Rows → CSV: UTF-8, `\n`, quotes only where needed, decimals with all places, blank as nothing; unless something
//! else is said.
use std::io::{self, Write};
use std::sync::{Arc, Mutex, PoisonError};

use granum_core::port::{Encoded, Encoder, NamedAs, Style};
use granum_core::table::Column;
use granum_core::value::Type;

use super::letters::Letters;
use super::lines::Desk;
use super::quotes::write_text;
use super::signs::{PLAIN, Signs};
use crate::format::{Unwritable, Writer};

/// Writes a table as text with signs between fields.
pub(crate) struct CsvWriter {
    header: Vec<u8>,
    encoder: Arc<CsvEncoder>,
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
        let encoder = Arc::new(CsvEncoder { signs, kept: Mutex::default() });
        Ok(Self { header: header(names, signs.delimiter), encoder, letters })
    }
}

impl Writer for CsvWriter {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::<CsvEncoder>::clone(&self.encoder)
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        out.write_all(self.letters.mark())?;
        self.letters.write(&self.header, out)
    }

    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()> {
        let bytes = match rows {
            Encoded::Bytes(bytes) => bytes,
            Encoded::Rows(columns, rows) => self.encoder.lines(&columns, rows),
        };
        self.letters.write(&bytes, out)?;
        self.encoder.keep(|kept| kept.written.push(bytes));
        Ok(())
    }

    fn finish(&mut self, _: &mut dyn Write) -> io::Result<()> {
        self.encoder.keep(|kept| *kept = Kept::default());
        Ok(())
    }
}

/// Makes CSV of rows.
struct CsvEncoder {
    signs: Signs,
    kept: Mutex<Kept>,
}

/// Memory that rows were made into lines in, for other rows: the system would have to clear it anew.
#[derive(Default)]
struct Kept {
    desks: Vec<Desk>,
    /// What held lines that are written.
    written: Vec<Vec<u8>>,
}

impl CsvEncoder {
    fn keep<T>(&self, work: impl FnOnce(&mut Kept) -> T) -> T {
        work(&mut self.kept.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn lines(&self, columns: &[Column], rows: usize) -> Vec<u8> {
        let (desk, memory) = self.keep(|kept| (kept.desks.pop(), kept.written.pop()));
        let mut desk = desk.unwrap_or_default();
        let lines = desk.lines(columns, rows, self.signs, memory.unwrap_or_default());
        self.keep(|kept| kept.desks.push(desk));
        lines
    }
}

impl Encoder for CsvEncoder {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        Encoded::Bytes(self.lines(columns, rows))
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
