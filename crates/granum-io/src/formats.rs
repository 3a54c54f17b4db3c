//! The formats that tables come from and go to, one entry each.

use std::io::{self, Write};
use std::path::Path;

use granum_core::port::{
    COLUMNS, DATABASES, FIELDS, InputSource, InputSpec, NamedAs, OBJECTS, OutputError, SourceError,
    Style, Written, is_address,
};
use granum_core::table::Column;
use granum_core::value::Type;

#[cfg(feature = "columnar")]
use crate::columnar::{self, ColumnsWriter, Kind};
use crate::csv::{CsvSource, CsvWriter, Look, look};
use crate::find::FoundFile;
use crate::format::{Format, Said, Unwritable, Writer};
use crate::json::{self, JsonSource, JsonWriter};
#[cfg(feature = "sheets")]
use crate::sheets::{self, SheetSource};
#[cfg(feature = "sqlite")]
use crate::sqlite;

/// Text with signs between fields.
struct Csv;

impl Format for Csv {
    fn name(&self) -> &'static str {
        "CSV"
    }

    fn endings(&self) -> &'static [&'static str] {
        &FIELDS
    }

    fn takes(&self) -> &'static [Said] {
        &[Said::Delimiter, Said::Encoding, Said::HeaderAt, Said::Footer]
    }

    fn follows(&self) -> bool {
        true
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
    ) -> Result<Box<dyn InputSource>, SourceError> {
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

    fn takes(&self) -> &'static [Said] {
        &[Said::Encoding, Said::Each]
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
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

/// Books of sheets.
#[cfg(feature = "sheets")]
struct Sheets;

#[cfg(feature = "sheets")]
impl Format for Sheets {
    fn name(&self) -> &'static str {
        "a book of sheets"
    }

    fn endings(&self) -> &'static [&'static str] {
        &SHEETS
    }

    fn takes(&self) -> &'static [Said] {
        &[Said::Sheet, Said::Range, Said::HeaderAt, Said::Footer]
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        Ok(Box::new(SheetSource::open(spec, files)?))
    }

    fn tables(&self, path: &Path, name: &str) -> Result<Vec<String>, SourceError> {
        sheets::tables(path, name)
    }

    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
        sheets::look(path, name, said)
    }

    fn writer(
        &self,
        name: &str,
        _: &[(String, Type)],
        _: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable> {
        let ending = name.rsplit('.').next().unwrap_or_default();
        Err(Unwritable {
            message: format!("books are not written as .{ending}"),
            help: "end the path in .xlsx".into(),
        })
    }
}

/// Files of whole columns.
#[cfg(feature = "columnar")]
struct Columnar {
    name: &'static str,
    endings: &'static [&'static str],
}

#[cfg(feature = "columnar")]
impl Format for Columnar {
    fn name(&self) -> &'static str {
        self.name
    }

    fn endings(&self) -> &'static [&'static str] {
        self.endings
    }

    fn takes(&self) -> &'static [Said] {
        &[]
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        columnar::open(spec, files)
    }

    fn look(&self, path: &Path, name: &str, _: &Written) -> Result<Look, SourceError> {
        columnar::look(path, name, self.name)
    }

    fn writer(
        &self,
        name: &str,
        columns: &[(String, Type)],
        _: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable> {
        Ok(Box::new(ColumnsWriter::new(Kind::of(name), columns)))
    }
}

/// Parquet, and both kinds of Arrow.
#[cfg(feature = "columnar")]
const COLUMNAR: [&dyn Format; 2] = [
    &Columnar { name: "Parquet", endings: &[".parquet"] },
    &Columnar { name: "Arrow", endings: &[".arrow", ".arrows"] },
];

/// Databases in a file.
#[cfg(feature = "sqlite")]
struct Sqlite;

#[cfg(feature = "sqlite")]
impl Format for Sqlite {
    fn name(&self) -> &'static str {
        "an SQLite database"
    }

    fn endings(&self) -> &'static [&'static str] {
        &DATABASES
    }

    fn takes(&self) -> &'static [Said] {
        &[Said::Named, Said::Ordered]
    }

    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
    ) -> Result<Box<dyn InputSource>, SourceError> {
        sqlite::open(spec, files)
    }

    fn tables(&self, path: &Path, name: &str) -> Result<Vec<String>, SourceError> {
        sqlite::tables(path, name)
    }

    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
        sqlite::look(path, name, said)
    }

    fn writer(
        &self,
        _: &str,
        _: &[(String, Type)],
        _: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable> {
        Err(Unwritable {
            message: "is packed, and a database is not".into(),
            help: "end the path in .db".into(),
        })
    }
}

/// All formats. The first is that of files whose names say nothing.
pub(crate) const FORMATS: &[&dyn Format] = &[
    &Csv,
    &Json,
    #[cfg(feature = "sheets")]
    &Sheets,
    #[cfg(feature = "columnar")]
    COLUMNAR[0],
    #[cfg(feature = "columnar")]
    COLUMNAR[1],
    #[cfg(feature = "sqlite")]
    &Sqlite,
];

/// The format that the first bytes of a file tell, of those that have such.
#[cfg(feature = "columnar")]
pub(crate) fn format_by(begin: &[u8]) -> Option<&'static dyn Format> {
    Kind::by(begin).map(|kind| COLUMNAR[usize::from(kind != Kind::Parquet)])
}

/// How the names of books end.
pub(crate) const SHEETS: [&str; 5] = [".xlsx", ".xlsm", ".xlsb", ".xls", ".ods"];

/// The file and the sheet or table of it that a name names; nothing of a whole file.
///
/// ```
/// assert_eq!(granum_io::file_and_part("a/b.xlsx#Orders"), Some(("a/b.xlsx", "Orders")));
/// assert_eq!(granum_io::file_and_part("shop.db#orders"), Some(("shop.db", "orders")));
/// assert_eq!(granum_io::file_and_part("postgres://db/shop#mart.sales"), Some(("postgres://db/shop", "mart.sales")));
/// assert_eq!(granum_io::file_and_part("a#b.csv"), None);
/// ```
pub fn file_and_part(name: &str) -> Option<(&str, &str)> {
    if is_address(name) {
        return name.split_once('#').filter(|(_, part)| !part.is_empty());
    }
    let ends = name.match_indices('#').map(|(at, _)| name.split_at(at));
    let endings = || SHEETS.iter().chain(&DATABASES);
    let mut parts = ends.filter(|(file, _)| endings().any(|end| NamedAs::of(file).ends(end)));
    parts.next().map(|(file, part)| (file, &part[1..])).filter(|(_, part)| !part.is_empty())
}

/// Copies a database as it is now, whatever others do with it meanwhile.
///
/// # Errors
/// What the system or the database says.
pub fn copy_database(from: &Path, to: &Path) -> io::Result<()> {
    #[cfg(feature = "sqlite")]
    return sqlite::copy(from, to);
    #[cfg(not(feature = "sqlite"))]
    std::fs::copy(from, to).map(drop)
}

/// Whether a name is that of a database in a file.
pub fn is_database(name: &str) -> bool {
    DATABASES.iter().any(|ending| NamedAs::of(name).ends(ending))
}

/// Whether a name is that of a database, in a file or on a server.
pub fn has_tables(name: &str) -> bool {
    is_database(name) || is_address(name)
}

/// Writes finished columns of one length as a stream of Arrow.
///
/// # Errors
/// What the system says; or that this build leaves Arrow out.
pub fn write_stream(columns: &[(String, Column)], out: &mut dyn Write) -> Result<(), OutputError> {
    let path = "standard output".to_owned();
    #[cfg(feature = "columnar")]
    return match columnar::stream(columns, out).and_then(|()| out.flush()) {
        // Who reads it may have had enough.
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => Err(OutputError {
            path,
            message: format!("cannot be written: {error}"),
            help: "look whether there is room where it goes".into(),
        }),
        _ => Ok(()),
    };
    #[cfg(not(feature = "columnar"))]
    {
        let _ = (columns, out);
        let Unwritable { message, help } = without_columns();
        Err(OutputError { path, message, help })
    }
}

/// That this build has no files of columns.
fn without_columns() -> Unwritable {
    Unwritable {
        message: "is Parquet or Arrow, which this build leaves out".into(),
        help: "build it in:  cargo build --release --features columnar".into(),
    }
}

/// The format of a file by its name.
///
/// # Errors
/// What it is where that is not read: no version does, or this build leaves it out.
pub(crate) fn format_of(name: &str) -> Result<&'static dyn Format, Unwritable> {
    let named = NamedAs::of(name);
    let ends = |endings: &[&str]| endings.iter().any(|ending| named.ends(ending));
    if let Some(known) = FORMATS.iter().find(|format| ends(format.endings())) {
        return Ok(*known);
    }
    if ends(&SHEETS) {
        return Err(Unwritable {
            message: "is a book of sheets, which this build leaves out".into(),
            help: "build it in:  cargo build --release --features sheets".into(),
        });
    }
    if ends(&COLUMNS) {
        return Err(without_columns());
    }
    if ends(&DATABASES) {
        return Err(Unwritable {
            message: "is an SQLite database, which this build leaves out".into(),
            help: "build it in:  cargo build --release --features sqlite".into(),
        });
    }
    Ok(FORMATS[0])
}
