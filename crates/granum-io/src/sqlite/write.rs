//! Tables → a database: staged beside it, and put into it at the end.

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use granum_core::port::{Encoded, Encoder, Output, OutputError, Style};
use granum_core::table::Column;
use granum_core::value::Type;
use rusqlite::{Connection, ErrorCode, OpenFlags};

use super::kinds::declaration;
use super::open::quoted;
use super::refill::{columns as columns_of, refill};
use super::values::stored;
use crate::format::{AsTheyAre, rows_of};
use crate::place::{Begun, Move, PlacedFile, Refill, locked, place};

/// Databases on their way.
#[derive(Default)]
pub(crate) struct Databases(Begun<Database>);

/// A database on its way.
struct Database {
    /// What is staged; where no database is yet, it becomes that.
    file: PlacedFile,
    name: String,
    target: PathBuf,
    connection: Option<Connection>,
    /// Whether a database is there, whose tables are made or refilled.
    there: bool,
    refill: Refill,
    /// The columns that tell the rows of each table apart.
    keys: Vec<Vec<String>>,
    /// How many rows each has so far.
    rows: Vec<u64>,
    bytes: Option<u64>,
    /// Whether it has taken what was staged, and keeps it.
    written: bool,
}

impl Databases {
    /// Begins a table of the database in a place. Gives what will move the database, where this is its first table and
    /// none is there.
    ///
    /// # Errors
    /// What is in the way of it, or what a database cannot hold.
    pub fn begin(
        &self,
        target: &Path,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
        run: &str,
    ) -> Result<(Box<dyn Output>, Option<Move>), OutputError> {
        let own = place(target).unwrap_or_else(|_| target.to_owned());
        let (database, first) =
            self.0.or_begin(own.clone(), || Database::begin(&own, name, run))?;
        let table = locked(&database).add(columns, style)?;
        // What goes into a database that is there is known once all its tables have begun.
        let moves = (first && !locked(&database).there).then(|| locked(&database).moves());
        Ok((Box::new(TableOutput { database, table, first }), moves))
    }

    fn there(&self) -> Vec<Arc<Mutex<Database>>> {
        self.0.all().into_iter().filter(|database| locked(database).there).collect()
    }

    /// What will be put into databases that are there.
    pub fn refills(&self) -> Vec<Move> {
        self.there().iter().map(|database| locked(database).moves()).collect()
    }

    /// The databases that have taken what was staged, by their names.
    pub fn written(&self) -> Vec<String> {
        let there = self.there();
        let written = there.iter().map(|database| locked(database));
        written.filter(|database| database.written).map(|database| database.name.clone()).collect()
    }
}

impl Database {
    fn begin(target: &Path, name: &str, run: &str) -> Result<Self, OutputError> {
        let there = std::fs::metadata(target).is_ok_and(|data| data.len() > 0);
        let file = PlacedFile::begin(target, name)?;
        let staged = Connection::open(file.part()).and_then(|connection| {
            // Nothing of it counts before all of it is there.
            connection.execute_batch(
                "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE; \
                 PRAGMA encoding = 'UTF-8'; BEGIN",
            )?;
            Ok(connection)
        });
        let connection = staged.map_err(|failed| wrong(name, &failed))?;
        Ok(Self {
            file,
            name: name.to_owned(),
            target: target.to_owned(),
            connection: Some(connection),
            there,
            refill: Refill { run: run.to_owned(), tables: vec![] },
            keys: vec![],
            rows: vec![],
            bytes: None,
            written: false,
        })
    }

    fn moves(&self) -> Move {
        let moves = self.file.moves();
        if self.there { moves.refilling(self.refill.clone()) } else { moves }
    }

    fn error(&self, message: String, help: &str) -> OutputError {
        OutputError { path: self.name.clone(), message, help: help.to_owned() }
    }

    /// Adds a table; gives its number.
    fn add(&mut self, columns: &[(String, Type)], style: &Style) -> Result<usize, OutputError> {
        let stem = || {
            let file = Path::new(&self.name).file_stem();
            file.map_or_else(|| "rows".into(), |stem| stem.to_string_lossy().into_owned())
        };
        let table = style.named.clone().unwrap_or_else(stem);
        let lower = |name: &String| name.to_lowercase();
        let names: Vec<String> = columns.iter().map(|(name, _)| lower(name)).collect();
        let twice = (1..names.len()).find(|at| names[..*at].contains(&names[*at]));
        if let Some(twice) = twice {
            let message = format!(
                "has two columns called {}, as case does not count in a database",
                columns[twice].0
            );
            return Err(self.error(message, "rename one of them"));
        }
        if self.there {
            self.fits(&table, &names)?;
        }
        let declared =
            columns.iter().map(|(name, ty)| format!("{} {}", quoted(name), declaration(*ty)));
        let declared: Vec<String> = declared.collect();
        let create = format!("CREATE TABLE {} ({})", quoted(&table), declared.join(", "));
        self.staged(|connection| connection.execute_batch(&create))?;
        self.refill.tables.push(table);
        self.keys.push(style.key.clone());
        self.rows.push(0);
        Ok(self.rows.len() - 1)
    }

    /// That a table which is there has the columns that it is to be refilled with.
    fn fits(&self, table: &str, names: &[String]) -> Result<(), OutputError> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let looked = Connection::open_with_flags(&self.target, flags).and_then(|connection| {
            connection.busy_timeout(super::open::PATIENCE)?;
            let query = "SELECT type FROM sqlite_schema WHERE name = ?1 COLLATE NOCASE AND type IN ('table', 'view')";
            let mut statement = connection.prepare(query)?;
            let kinds: Vec<String> =
                statement.query_map([table], |row| row.get(0))?.collect::<Result<_, _>>()?;
            Ok((kinds, columns_of(&connection, "main", table)?))
        });
        let (kinds, own) = looked.map_err(|failed| wrong(&self.name, &failed))?;
        match kinds.first().map(String::as_str) {
            None => return Ok(()),
            Some("view") => {
                let message = format!("has a view called {table}, which cannot be refilled");
                return Err(
                    self.error(message, "name another table:  named \"\u{2026}\"  behind the path")
                );
            }
            Some(_) => {}
        }
        let own: Vec<String> = own.iter().map(|name| name.to_lowercase()).collect();
        let only = |some: &[String], others: &[String]| -> Vec<String> {
            some.iter().filter(|name| !others.contains(name)).cloned().collect()
        };
        let (more, less) = (only(&own, names), only(names, &own));
        if more.is_empty() && less.is_empty() {
            return Ok(());
        }
        let mut differ = vec![];
        if !more.is_empty() {
            differ.push(format!("it has {}, which the output has not", more.join(", ")));
        }
        if !less.is_empty() {
            differ.push(format!("it lacks {}", less.join(", ")));
        }
        let message = format!("has a table {table} of other columns: {}", differ.join("; "));
        Err(self.error(message, "nothing was written; name another table, or make that one anew"))
    }

    fn staged<T>(
        &self,
        work: impl FnOnce(&Connection) -> rusqlite::Result<T>,
    ) -> Result<T, OutputError> {
        match &self.connection {
            Some(connection) => work(connection).map_err(|failed| wrong(&self.name, &failed)),
            None => Err(self.error("is complete".into(), "this is a fault of the program")),
        }
    }

    fn take(&mut self, table: usize, columns: &[Column], rows: usize) -> Result<(), OutputError> {
        let name = self.refill.tables[table].clone();
        let signs = vec!["?"; columns.len()].join(", ");
        let insert = format!("INSERT INTO {} VALUES ({signs})", quoted(&name));
        let first = self.rows[table];
        let mut unheld = None;
        self.staged(|connection| {
            let mut statement = connection.prepare(&insert)?;
            let mut scratch = vec![];
            for row in 0..rows {
                for (at, column) in columns.iter().enumerate() {
                    match stored(column, row, &mut scratch) {
                        Ok(cell) => statement.raw_bind_parameter(at + 1, cell)?,
                        Err(message) => {
                            unheld = Some((at, row, message));
                            return Ok(());
                        }
                    }
                }
                statement.raw_execute()?;
            }
            Ok(())
        })?;
        if let Some((at, row, message)) = unheld {
            let column = self.staged(|connection| columns_of(connection, "main", &name))?;
            let message = format!("`{}` in row {} {message}", column[at], first + row as u64 + 1);
            return Err(self.error(message, "nothing was written; round it, or write it as text"));
        }
        self.rows[table] += rows as u64;
        Ok(())
    }

    /// All rows of all tables are there.
    fn complete(&mut self) -> Result<u64, OutputError> {
        if let Some(bytes) = self.bytes {
            return Ok(bytes);
        }
        for (table, key) in self.refill.tables.iter().zip(&self.keys) {
            if key.is_empty() {
                continue;
            }
            let columns: Vec<String> = key.iter().map(|name| quoted(name)).collect();
            let index = format!(
                "CREATE UNIQUE INDEX {} ON {} ({})",
                quoted(&format!("{table}_key")),
                quoted(table),
                columns.join(", ")
            );
            self.staged(|connection| connection.execute_batch(&index))?;
        }
        self.staged(|connection| connection.execute_batch("COMMIT"))?;
        if let Some(connection) = self.connection.take()
            && let Err((_, failed)) = connection.close()
        {
            return Err(wrong(&self.name, &failed));
        }
        self.file.complete()?;
        let bytes = std::fs::metadata(self.file.part()).map_or(0, |data| data.len());
        self.bytes = Some(bytes);
        Ok(bytes)
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        if !self.there {
            return self.file.publish();
        }
        refill(self.file.part(), &self.target, &self.refill)
            .map_err(|failed| wrong(&self.name, &failed))?;
        self.written = true;
        Ok(())
    }
}

/// What a database says, with what helps.
fn wrong(name: &str, failed: &rusqlite::Error) -> OutputError {
    let help = match failed.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            "nothing was written; another program holds it: run again when that has ended"
        }
        Some(ErrorCode::ConstraintViolation) => {
            "nothing was written; the table asks for something that not all rows have"
        }
        Some(ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt) => {
            "nothing was written; what stands there is no database, or a damaged one: write elsewhere"
        }
        Some(ErrorCode::DiskFull) => "nothing was written; make room, or write to another disk",
        _ => "nothing was written; look whether the file and its folder may be written to",
    };
    OutputError {
        path: name.to_owned(),
        message: format!("cannot be written: {failed}"),
        help: help.into(),
    }
}

struct TableOutput {
    database: Arc<Mutex<Database>>,
    table: usize,
    first: bool,
}

impl Output for TableOutput {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(AsTheyAre)
    }

    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        let mut database = locked(&self.database);
        let rows = rows_of(rows);
        let (columns, rows) =
            rows.map_err(|fault| database.error(fault.to_string(), "please report it"))?;
        database.take(self.table, &columns, rows)
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        locked(&self.database).complete()
    }

    fn is_final(&self) -> bool {
        locked(&self.database).there
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        if self.first { locked(&self.database).publish() } else { Ok(()) }
    }

    fn withdraw(&mut self) {
        let mut database = locked(&self.database);
        if self.first && !database.there {
            database.file.withdraw();
        }
    }

    fn settle(&mut self) {
        let mut database = locked(&self.database);
        if self.first && !database.there {
            database.file.settle();
        }
    }
}
