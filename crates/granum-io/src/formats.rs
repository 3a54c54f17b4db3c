//! The formats that tables come from and go to, one entry each.

use std::io::{self, Write};
use std::path::PathBuf;
use std::sync::Arc;

use granum_core::port::{Encoded, Encoder, InputSource, InputSpec, SourceError};
use granum_core::value::Type;

use crate::csv::{CsvSource, CsvWriter};

/// A format.
pub(crate) trait Format: Sync {
    /// What it is called.
    fn name(&self) -> &'static str;
    /// How the names of its files end, in small letters.
    fn endings(&self) -> &'static [&'static str];
    /// Opens files, each with the name that messages have, as one input.
    fn open(
        &self,
        spec: &InputSpec,
        files: &[(PathBuf, String)],
    ) -> Result<Box<dyn InputSource>, SourceError>;
    /// What writes columns of these names and types.
    fn writer(&self, columns: &[(String, Type)]) -> Box<dyn Writer>;
}

/// Writes one table.
pub(crate) trait Writer: Send + Sync {
    /// What prepares its rows.
    fn encoder(&self) -> Arc<dyn Encoder>;
    /// Writes what stands before all rows.
    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()>;
    /// Writes rows in their order.
    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()>;
    /// Writes what stands behind all rows.
    fn finish(&mut self, out: &mut dyn Write) -> io::Result<()>;
}

/// Text with signs between fields.
struct Csv;

impl Format for Csv {
    fn name(&self) -> &'static str {
        "CSV"
    }

    fn endings(&self) -> &'static [&'static str] {
        &[".csv", ".tsv", ".txt"]
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[(PathBuf, String)],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        Ok(Box::new(CsvSource::open(spec, files)?))
    }

    fn writer(&self, columns: &[(String, Type)]) -> Box<dyn Writer> {
        Box::new(CsvWriter::new(columns))
    }
}

/// All formats. The first is that of files whose names say nothing.
pub(crate) const FORMATS: [&dyn Format; 1] = [&Csv];

/// Formats that are met, and not read.
const OTHERS: [&str; 5] = [".parquet", ".xlsx", ".sqlite", ".db", ".json"];

/// The format of a file by its name; `None` where it is of one that is not read.
pub(crate) fn format_of(name: &str) -> Option<&'static dyn Format> {
    let lower = name.to_lowercase();
    let ends = |endings: &[&str]| endings.iter().any(|ending| lower.ends_with(ending));
    let known = FORMATS.into_iter().find(|format| ends(format.endings()));
    known.or_else(|| FORMATS.first().copied().filter(|_| !ends(&OTHERS)))
}
