//! Tables → a database on a server, by a session that is its own.

use std::path::PathBuf;
use std::sync::{Arc, Mutex};

use granum_core::port::{Encoded, Encoder, Output, OutputError, Style};
use granum_core::tally::Taken;
use granum_core::value::Type;

use super::Wrong;
use crate::place::{Begun, locked};

/// What is to be written.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    pub named: String,
    pub columns: Vec<(String, Type)>,
    pub key: Vec<String>,
    pub adding: bool,
}

impl Wanted {
    /// Whether it has a column.
    pub fn writes(&self, name: &str) -> bool {
        self.columns.iter().any(|(own, _)| own == name)
    }

    /// That a table has all its columns, `own` being those that it has; and none of `needed` that are not filled here.
    ///
    /// # Errors
    /// In which columns they differ.
    pub fn goes_together<'n>(
        &self,
        shown: &str,
        own: &[&str],
        needed: impl Iterator<Item = &'n str>,
    ) -> Result<(), String> {
        let lacks = self.columns.iter().map(|(name, _)| name.as_str());
        let lacks: Vec<&str> = lacks.filter(|name| !own.contains(name)).collect();
        let more: Vec<&str> = needed.filter(|name| !self.writes(name)).collect();
        let mut differ = vec![];
        if !more.is_empty() {
            let why = if self.adding { "needs" } else { "has" };
            differ.push(format!("it {why} {}, which the output has not", more.join(", ")));
        }
        if !lacks.is_empty() {
            differ.push(format!("it lacks {}", lacks.join(", ")));
        }
        if differ.is_empty() {
            return Ok(());
        }
        Err(format!("has a table {shown} of other columns: {}", differ.join("; ")))
    }
}

/// Where a table goes.
pub(crate) struct Place {
    /// By what the table that is there is known again.
    pub known: Option<String>,
    /// What makes rows for it.
    pub encoder: Arc<dyn Encoder>,
}

/// A session that writes. Let go, it leaves no trace but what was committed.
pub(crate) trait Session: Send {
    /// Makes room for a table; they are numbered as they come.
    ///
    /// # Errors
    /// Why it cannot go where it is to.
    fn table(&mut self, wanted: Wanted) -> Result<Place, Wrong>;
    /// Takes rows of a table, as its encoder left them.
    ///
    /// # Errors
    /// Why the database does not take them.
    fn rows(&mut self, table: usize, rows: Vec<u8>) -> Result<(), Wrong>;
    /// All rows of all tables are there: makes ready all that can be refused. Gives what becomes of each.
    ///
    /// # Errors
    /// Why a table does not take its rows, or not all.
    fn fill(&mut self) -> Result<Vec<Taken>, Wrong>;
    /// Lets all be seen.
    ///
    /// # Errors
    /// Why that cannot be: then nothing is.
    fn commit(&mut self) -> Result<(), Wrong>;
}

/// Begins a session at an address, for a run.
pub(crate) type Begin = fn(address: &str, run: &str) -> Result<Box<dyn Session>, Wrong>;

/// Databases on their way.
#[derive(Default)]
pub(crate) struct Databases(Begun<Database>);

/// A database that is being written to.
struct Database {
    address: String,
    session: Box<dyn Session>,
    /// How many bytes of each table have been sent.
    sent: Vec<u64>,
    /// What became of each, once they are filled.
    taken: Option<Vec<Taken>>,
    committed: bool,
}

impl Database {
    fn error(&self, wrong: Wrong) -> OutputError {
        wrong.written(&self.address)
    }
}

impl Databases {
    /// Begins a table. `read` are the tables that are read, by what they are known by.
    ///
    /// # Errors
    /// What is in the way of it.
    pub fn begin(
        &self,
        address: &str,
        wanted: Wanted,
        (session, run, read): (Begin, &str, &[String]),
    ) -> Result<Box<dyn Output>, OutputError> {
        let begin = || {
            let session = session(address, run).map_err(|wrong| wrong.written(address))?;
            let address = address.to_owned();
            Ok(Database { address, session, sent: vec![], taken: None, committed: false })
        };
        let (database, first) = self.0.or_begin(PathBuf::from(address), begin)?;
        let (table, encoder) = {
            let mut database = locked(&database);
            let place = database.session.table(wanted);
            let place = place.map_err(|wrong| database.error(wrong))?;
            if place.known.is_some_and(|known| read.contains(&known)) {
                return Err(OutputError {
                    path: address.to_owned(),
                    message: "an input is read from this table".into(),
                    help: "write to another table:  named \"\u{2026}\"  behind the address".into(),
                });
            }
            database.sent.push(0);
            (database.sent.len() - 1, place.encoder)
        };
        Ok(Box::new(TableOutput { database, table, encoder, first }))
    }

    /// The databases that are being written to, by their addresses.
    pub fn addresses(&self) -> Vec<String> {
        self.0.all().iter().map(|database| locked(database).address.clone()).collect()
    }

    /// Those that have taken what was staged, and keep it.
    pub fn committed(&self) -> Vec<String> {
        let all = self.0.all();
        let committed = all.iter().map(|database| locked(database));
        committed.filter(|one| one.committed).map(|one| one.address.clone()).collect()
    }
}

/// What an output is to a database.
pub(crate) fn wanted(columns: &[(String, Type)], style: &Style) -> Wanted {
    Wanted {
        named: style.named.clone().unwrap_or_else(|| "rows".into()),
        columns: columns.to_vec(),
        key: style.key.clone(),
        adding: style.adding,
    }
}

/// A table on its way.
struct TableOutput {
    database: Arc<Mutex<Database>>,
    table: usize,
    encoder: Arc<dyn Encoder>,
    /// Whether it is the first of its database, and lets all be seen.
    first: bool,
}

impl Output for TableOutput {
    fn encoder(&self) -> Arc<dyn Encoder> {
        self.encoder.clone()
    }

    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        let mut database = locked(&self.database);
        let Encoded::Bytes(rows) = rows else {
            return Err(database.error(Wrong::bug("columns came in place of rows")));
        };
        if rows.is_empty() {
            return Ok(());
        }
        database.sent[self.table] += rows.len() as u64;
        let taken = database.session.rows(self.table, rows);
        taken.map_err(|wrong| database.error(wrong))
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        let mut database = locked(&self.database);
        if database.taken.is_none() {
            let taken = database.session.fill();
            database.taken = Some(taken.map_err(|wrong| database.error(wrong))?);
        }
        Ok(database.sent[self.table])
    }

    fn taken(&self) -> Option<Taken> {
        let database = locked(&self.database);
        database.taken.as_ref().and_then(|taken| taken.get(self.table)).copied()
    }

    fn is_final(&self) -> bool {
        true
    }

    fn decides(&self) -> bool {
        true
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        let mut database = locked(&self.database);
        if self.first {
            let committed = database.session.commit();
            committed.map_err(|wrong| database.error(wrong))?;
            database.committed = true;
        }
        Ok(())
    }

    fn withdraw(&mut self) {}

    fn settle(&mut self) {}
}
