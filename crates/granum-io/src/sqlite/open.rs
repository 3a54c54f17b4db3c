//! Opens a database to be read, and says what is in the way.

use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::time::Duration;

use granum_core::port::{SourceError, SourceErrorKind};
use rusqlite::{Connection, ErrorCode, OpenFlags};

use crate::csv::system_error;

/// How each database begins.
const BEGIN: &[u8] = b"SQLite format 3\0";

/// So long is waited for a database that another program holds.
pub(super) const PATIENCE: Duration = Duration::from_secs(5);

/// Where a database says which runs were written into it.
pub(super) const RUNS: &str = "granum_run";

/// The tables of a database, not those that it keeps for itself; and its views as well.
pub(super) const TABLES: &str = "'table', 'virtual'";
pub(super) const TABLES_AND_VIEWS: &str = "'table', 'virtual', 'view'";

/// A name as it stands in a query.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// Opens a database to be read.
///
/// # Errors
/// That there is none, or that it cannot be.
pub(super) fn open(path: &Path, name: &str) -> Result<Connection, SourceError> {
    let system = |error: std::io::Error| system_error(name, &error);
    let data = std::fs::metadata(path).map_err(system)?;
    if data.is_dir() {
        return Err(system(std::io::ErrorKind::IsADirectory.into()));
    }
    let mut begin = vec![];
    let file = File::open(path).map_err(system)?;
    file.take(BEGIN.len() as u64).read_to_end(&mut begin).map_err(system)?;
    if begin != BEGIN {
        let message = if begin.is_empty() {
            "is empty: it has no tables".into()
        } else {
            "is no SQLite database: it does not begin as one".to_owned()
        };
        let kind = if begin.is_empty() { SourceErrorKind::Empty } else { SourceErrorKind::Damaged };
        return Err(error(name, kind, message, "ask for the file again, or look at its path"));
    }
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let wrong = |failed| wrong(name, &failed);
    let connection = Connection::open_with_flags(path, flags).map_err(wrong)?;
    connection.busy_timeout(PATIENCE).map_err(wrong)?;
    Ok(connection)
}

pub(super) fn error(name: &str, kind: SourceErrorKind, message: String, help: &str) -> SourceError {
    SourceError { kind, file: name.to_owned(), line: None, message, help: help.to_owned() }
}

/// What a database says, with what helps.
pub(super) fn wrong(name: &str, failed: &rusqlite::Error) -> SourceError {
    let (kind, help) = match failed.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            (SourceErrorKind::Locked, "another program holds it; run again when that has ended")
        }
        Some(ErrorCode::DatabaseCorrupt | ErrorCode::NotADatabase) => (
            SourceErrorKind::Damaged,
            "ask for the file again: it may have been cut off on its way",
        ),
        Some(ErrorCode::ReadOnly) => (
            SourceErrorKind::System,
            "it notes beside itself who reads it, and may not be written to there: copy it elsewhere",
        ),
        _ => (SourceErrorKind::System, "look whether the file and its folder may be read"),
    };
    error(name, kind, format!("cannot be read: {failed}"), help)
}

/// The tables of a database, by their names; not what programs keep there for themselves.
///
/// # Errors
/// That it cannot be read.
pub(crate) fn tables(path: &Path, name: &str) -> Result<Vec<String>, SourceError> {
    named(&open(path, name)?, name, TABLES)
}

/// Tables, or views as well.
pub(super) fn named(
    connection: &Connection,
    name: &str,
    kinds: &str,
) -> Result<Vec<String>, SourceError> {
    let wrong = |failed| wrong(name, &failed);
    let query = format!(
        "SELECT name FROM pragma_table_list WHERE schema = 'main' AND type IN ({kinds}) \
         AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' AND name <> '{RUNS}' ORDER BY name COLLATE BINARY"
    );
    let mut statement = connection.prepare(&query).map_err(wrong)?;
    let rows = statement.query_map([], |row| row.get(0)).map_err(wrong)?;
    rows.collect::<Result<_, _>>().map_err(wrong)
}

/// Copies a database as it is now.
///
/// # Errors
/// What it says.
pub(crate) fn copy(from: &Path, to: &Path) -> std::io::Result<()> {
    let copied = open(from, &from.to_string_lossy()).map_err(std::io::Error::other)?;
    let copied = copied.execute("VACUUM INTO ?1", [to.to_string_lossy()]);
    copied.map(drop).map_err(std::io::Error::other)
}
