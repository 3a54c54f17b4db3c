//! A table's rows, made into columns by a thread that goes through them.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::SyncSender;

use granum_core::port::{Declared, InputSource, InputSpec, SourceError, Written};
use granum_core::tally::Unread;
use granum_core::value::Type;

use super::open::{open as connected, quoted, wrong};
use super::table::Table;
use crate::csv::{LineEnds, Look};
use crate::find::FoundFile;
use crate::typed::{Filling, Keys, Opened, Pieces, Stored, Told, TypedSource, sent};

/// Opens a table in each of some files, each with the name that messages have, as one input.
///
/// # Errors
/// A file that cannot be read, or has no such table.
pub(crate) fn open(
    spec: &InputSpec,
    files: &[FoundFile],
) -> Result<Box<dyn InputSource>, SourceError> {
    let mut opened = vec![];
    for FoundFile { path, name, .. } in files {
        let written = spec.written_of(name);
        let table = table(path, name, written)?;
        opened.push(Opened {
            name: table.shown.clone(),
            stored: Arc::new(SqliteTable { path: path.clone(), table: Arc::new(table) }),
            keys: Keys::default(),
        });
    }
    Ok(Box::new(TypedSource::of(spec, opened)?))
}

fn table(path: &Path, name: &str, written: &Written) -> Result<Table, SourceError> {
    Table::of(path, name, written.named.as_deref(), &written.ordered)
}

/// How a table is kept.
///
/// # Errors
/// As when it is read.
pub(crate) fn look(path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
    let table = table(path, name, said)?;
    Ok(Look {
        format: "SQLite",
        encoding: "UTF-8".into(),
        named_encoding: None,
        delimiter: ',',
        header_at: None,
        footer: None,
        line_ends: LineEnds::None,
        bytes: std::fs::metadata(path).map_or(0, |data| data.len()),
        sheet: None,
        range: None,
        named: Some(table.name),
    })
}

struct SqliteTable {
    path: PathBuf,
    table: Arc<Table>,
}

impl Stored for SqliteTable {
    fn columns(&self) -> &[(String, Type)] {
        &self.table.columns
    }

    fn unread(&self) -> &[Unread] {
        &[]
    }

    fn declared(&self) -> Declared {
        self.table.declared.clone()
    }

    // How much of a file is one of its tables nobody says.
    fn bytes(&self) -> u64 {
        0
    }

    fn pieces(&self, wanted: &[usize]) -> Result<Box<dyn Pieces>, SourceError> {
        self.table.watch.unchanged(&self.table.shown)?;
        let (path, table, wanted) = (self.path.clone(), self.table.clone(), wanted.to_vec());
        sent(&self.table.shown, move |to| read(&path, &table, &wanted, to))
    }
}

/// Goes through all rows. Stops where nobody takes them any more.
fn read(
    path: &Path,
    table: &Table,
    wanted: &[usize],
    to: &SyncSender<Told>,
) -> Result<(), SourceError> {
    let name = &table.shown;
    let wrong = |failed| wrong(name, &failed);
    let connection = connected(path, name)?;
    let columns: Vec<&(String, Type)> = wanted.iter().map(|at| &table.columns[*at]).collect();
    let names: Vec<String> = columns.iter().map(|(name, _)| quoted(name)).collect();
    let names = if names.is_empty() { "NULL".into() } else { names.join(", ") };
    let query = format!("SELECT {names} FROM {} ORDER BY {}", quoted(&table.name), table.order);
    let mut statement = connection.prepare(&query).map_err(wrong)?;
    let mut rows = statement.query([]).map_err(wrong)?;
    let types = columns.iter().map(|(_, ty)| (*ty, false)).collect();
    let mut filling = Filling::new(types, to);
    while let Some(row) = rows.next().map_err(wrong)? {
        for at in 0..wanted.len() {
            filling.cell(at, &row.get_ref(at).map_err(wrong)?);
        }
        if !filling.row() {
            return Ok(());
        }
    }
    table.watch.unchanged(name)?;
    filling.end();
    Ok(())
}
