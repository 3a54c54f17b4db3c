//! The formats that tables come from and go to, one entry each.

use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use granum_core::port::{
    Encoded, Encoder, FIELDS, InputSource, InputSpec, NamedAs, OBJECTS, SourceError,
    SourceErrorKind, Style, Written,
};
use granum_core::value::Type;

use crate::csv::{CsvSource, CsvWriter, Look, look};
use crate::json::{self, JsonSource, JsonWriter};

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
    /// Looks at the beginning of a file to see how it is written, where `said` leaves that open.
    ///
    /// # Errors
    /// As when it is read.
    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError>;
    /// What writes columns of these names and types into a file of a name, as is said.
    ///
    /// # Errors
    /// What cannot be done as it is said.
    fn writer(
        &self,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable>;
}

/// What a format cannot hold, with what to do.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Unwritable {
    pub message: String,
    pub help: String,
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
        &FIELDS
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[(PathBuf, String)],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        if spec.each.is_some() {
            let file = files.first().map_or(String::new(), |(_, name)| name.clone());
            return Err(SourceError {
                kind: SourceErrorKind::Format,
                file,
                line: None,
                message: "is CSV, which has no lists for `each`".into(),
                help: "leave `each` out of its input; parts of a cell become rows by  turn COLUMN \
                       split by \";\" into rows NAME"
                    .into(),
            });
        }
        Ok(Box::new(CsvSource::open(spec, files)?))
    }

    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
        look(path, name, said)
    }

    fn writer(
        &self,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable> {
        Ok(Box::new(CsvWriter::new(name, columns, style)?))
    }
}

/// Objects of JSON.
struct Json;

impl Format for Json {
    fn name(&self) -> &'static str {
        "JSON"
    }

    fn endings(&self) -> &'static [&'static str] {
        &OBJECTS
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[(PathBuf, String)],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        Ok(Box::new(JsonSource::open(spec, files)?))
    }

    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
        json::look(path, name, said)
    }

    fn writer(
        &self,
        name: &str,
        columns: &[(String, Type)],
        _: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable> {
        Ok(Box::new(JsonWriter::new(name, columns)))
    }
}

/// All formats. The first is that of files whose names say nothing.
pub(crate) const FORMATS: [&dyn Format; 2] = [&Csv, &Json];

/// Formats that are met, and not read.
const OTHERS: [&str; 10] =
    [".parquet", ".arrow", ".xlsx", ".xlsm", ".xlsb", ".xls", ".ods", ".sqlite", ".sqlite3", ".db"];

/// The format of a file by its name; `None` where it is of one that is not read.
pub(crate) fn format_of(name: &str) -> Option<&'static dyn Format> {
    let named = NamedAs::of(name);
    let ends = |endings: &[&str]| endings.iter().any(|ending| named.ends(ending));
    let known = FORMATS.into_iter().find(|format| ends(format.endings()));
    known.or_else(|| FORMATS.first().copied().filter(|_| !ends(&OTHERS)))
}
