//! The session that writes into a database: tables beside its own, which take their names at the end.

use std::sync::Arc;

use granum_core::port::SourceErrorKind;
use granum_core::tally::Taken;
use mysql::prelude::Queryable;
use mysql::{Conn, params};

use super::address::connect;
use super::catalog::{OWN, identity, quoted, text};
use super::encode::{RowEncoder, UNHELD};
use super::target::{Target, declarations, key};
use crate::served::{Place, RUNS, Session, Wanted, Wrong, environment};

/// A query has about so many bytes of rows.
const QUERY: usize = 1 << 19;

/// A table on its way.
struct Staged {
    wanted: Wanted,
    target: Target,
    /// What it is called until the end.
    stage: String,
    rows: u64,
}

/// A session.
struct Writing {
    connection: Conn,
    /// What the database is known by.
    known: String,
    run: String,
    staged: Vec<Staged>,
    /// All tables that were made and are not yet what they will be.
    made: Vec<String>,
}

/// Begins a session, and takes away what killed ones left.
///
/// # Errors
/// Why that cannot be.
pub(crate) fn begin(address: &str, run: &str) -> Result<Box<dyn Session>, Wrong> {
    let mut connection = connect(address, &environment)?;
    let known = identity(&mut connection)?;
    let query = "SELECT table_name FROM information_schema.tables WHERE table_schema = database() \
                 AND LEFT(table_name, :length) = :own";
    let left: Vec<String> =
        connection.exec(query, params! { "length" => OWN.len(), "own" => OWN })?;
    for table in left {
        let free: Option<i64> =
            connection.exec_first("SELECT IS_FREE_LOCK(:of)", params! { "of" => owner(&table) })?;
        if free == Some(1) {
            connection.query_drop(format!("DROP TABLE IF EXISTS {}", quoted(&table)))?;
        }
    }
    // As long as it is held, nobody takes this session's tables away.
    let own = owner(&format!("{OWN}{}_", &run[..8]));
    let _: Option<i64> = connection.exec_first("SELECT GET_LOCK(:own, 0)", params! { own })?;
    Ok(Box::new(Writing { connection, known, run: run.to_owned(), staged: vec![], made: vec![] }))
}

/// What says that the session of a table lives.
fn owner(table: &str) -> String {
    let run = table.strip_prefix(OWN).and_then(|rest| rest.split('_').next()).unwrap_or_default();
    format!("granum {run}")
}

impl Writing {
    fn stage(&self, number: usize) -> String {
        format!("{OWN}{}_{number}", &self.run[..8])
    }

    /// Makes a table that others do not know.
    fn make(&mut self, name: &str, what: &str) -> Result<(), Wrong> {
        self.connection.query_drop(format!("CREATE TABLE {} {what}", quoted(name)))?;
        self.made.push(name.to_owned());
        Ok(())
    }

    /// Puts rows in, and asks whether all of each was kept.
    fn insert(&mut self, table: usize, rows: &[&[u8]]) -> Result<(), Wrong> {
        let staged = &mut self.staged[table];
        let columns: Vec<String> =
            staged.wanted.columns.iter().map(|(name, _)| quoted(name)).collect();
        let mut query =
            format!("INSERT INTO {} ({}) VALUES ", quoted(&staged.stage), columns.join(", "))
                .into_bytes();
        query.extend_from_slice(&rows.join(&b','));
        let query = String::from_utf8(query).map_err(|_| Wrong::bug("rows that are no text"))?;
        let warned = self.connection.query_iter(query)?.warnings();
        if warned > 0 {
            let said: Option<(String, u64, String)> =
                self.connection.query_first("SHOW WARNINGS LIMIT 1")?;
            let said = said.map(|(.., said)| said).unwrap_or_default();
            // It counts the rows of the query.
            let said = match said.rsplit_once(" at row ") {
                Some((what, row)) => {
                    let row = row.parse::<u64>().unwrap_or(1);
                    format!("{what} in row {}", staged.rows + row)
                }
                None => said,
            };
            return Err(Wrong::new(
                SourceErrorKind::Table,
                format!("would not keep all of {}: {said}", staged.target.name),
                "round it in the plan, or give that column a type that holds it",
            ));
        }
        staged.rows += rows.len() as u64;
        Ok(())
    }

    /// Makes a table ready to take its name. Gives what becomes of it.
    fn finish(&mut self, table: usize) -> Result<Taken, Wrong> {
        let staged = &self.staged[table];
        let (stage, sent) = (quoted(&staged.stage), staged.rows);
        let count = |connection: &mut Conn, of: &str| -> Result<u64, Wrong> {
            let count: Option<u64> =
                connection.query_first(format!("SELECT count(*) FROM {of}"))?;
            Ok(count.unwrap_or(0))
        };
        let there = count(&mut self.connection, &stage)?;
        if there != sent {
            return Err(Wrong::new(
                SourceErrorKind::Table,
                format!("has {there} of {sent} rows of {}", staged.target.name),
                "nothing is known of why; look into the log of the database",
            ));
        }
        if staged.target.there.is_some() {
            let before = count(&mut self.connection, &quoted(&staged.target.name))?;
            return Ok(Taken::Refilled { before });
        }
        if !staged.wanted.key.is_empty() {
            let blank: Vec<String> =
                staged.wanted.key.iter().map(|name| format!("{} IS NULL", quoted(name))).collect();
            let query = format!("SELECT 1 FROM {stage} WHERE {} LIMIT 1", blank.join(" OR "));
            let blank: Option<i64> = self.connection.query_first(query)?;
            let key = key(&staged.wanted, blank.is_some());
            self.connection.query_drop(format!("ALTER TABLE {stage} ADD {key}"))?;
        }
        Ok(Taken::Made)
    }

    /// Prepares the table that notes runs, with this one. Gives the names that are to change.
    fn note(&mut self) -> Result<(), Wrong> {
        let wait = "SELECT GET_LOCK(concat('granum_run ', left(database(), 40)), 30)";
        if self.connection.query_first::<i64, _>(wait)? != Some(1) {
            let help = "run again when that has ended";
            let message = "is being written to by another run";
            return Err(Wrong::new(SourceErrorKind::Locked, message, help));
        }
        let stage = self.stage(0);
        self.make(&stage, "(run varchar(64) PRIMARY KEY, written datetime NOT NULL)")?;
        if is_there(&mut self.connection, RUNS)? {
            self.connection
                .query_drop(format!("INSERT INTO {} SELECT * FROM {RUNS}", quoted(&stage)))?;
        }
        let run = text(&self.run);
        self.connection.query_drop(format!(
            "INSERT INTO {} VALUES ({run}, utc_timestamp())",
            quoted(&stage)
        ))?;
        Ok(())
    }
}

fn is_there(connection: &mut Conn, table: &str) -> Result<bool, Wrong> {
    let query = "SELECT 1 FROM information_schema.tables WHERE table_schema = database() AND table_name = :table";
    Ok(connection.exec_first::<i64, _, _>(query, params! { table })?.is_some())
}

impl Session for Writing {
    fn table(&mut self, wanted: Wanted) -> Result<Place, Wrong> {
        let target = Target::of(&mut self.connection, &wanted)?;
        if self.staged.iter().any(|other| other.target.name == target.name) {
            let message = format!("is to be written twice, to its table {}", target.name);
            let help = "give each a table of its own:  named \"\u{2026}\"  behind the address";
            return Err(Wrong::new(SourceErrorKind::Table, message, help));
        }
        let stage = self.stage(self.staged.len() + 1);
        let like = format!("LIKE {}", quoted(&target.name));
        let what = match target.there {
            Some(_) => like,
            None => format!("({})", declarations(&wanted)),
        };
        self.make(&stage, &what)?;
        let known = target.there.as_ref().map(|_| format!("{}/{}", self.known, target.name));
        let names = wanted.columns.iter().map(|(name, _)| name.clone()).collect();
        let encoder = Arc::new(RowEncoder { places: target.places(&wanted), names });
        self.staged.push(Staged { wanted, target, stage, rows: 0 });
        Ok(Place { known, encoder })
    }

    fn rows(&mut self, table: usize, rows: Vec<u8>) -> Result<(), Wrong> {
        let mut rest = rows.as_slice();
        let (mut waiting, mut bytes) = (vec![], 0);
        self.connection.query_drop("START TRANSACTION")?;
        while !rest.is_empty() {
            let mut length = || {
                let (length, more) = rest.split_first_chunk::<4>()?;
                rest = more;
                Some(u32::from_le_bytes(*length))
            };
            let Some(first) = length() else { return Err(Wrong::bug("torn rows")) };
            let size = if first == UNHELD { length() } else { Some(first) };
            let size = size.and_then(|size| usize::try_from(size).ok());
            let Some((row, more)) = size.and_then(|size| rest.split_at_checked(size)) else {
                return Err(Wrong::bug("torn rows"));
            };
            rest = more;
            if first == UNHELD {
                let row_number = self.staged[table].rows + waiting.len() as u64 + 1;
                return Err(Wrong::new(
                    SourceErrorKind::Table,
                    format!("{} in row {row_number}", String::from_utf8_lossy(row)),
                    "cut it off in the plan, or give that column more places:  datetime(6)",
                ));
            }
            waiting.push(row);
            bytes += row.len() + 1;
            if bytes > QUERY {
                self.insert(table, &waiting)?;
                (waiting, bytes) = (vec![], 0);
            }
        }
        if !waiting.is_empty() {
            self.insert(table, &waiting)?;
        }
        self.connection.query_drop("COMMIT")?;
        Ok(())
    }

    fn fill(&mut self) -> Result<Vec<Taken>, Wrong> {
        let taken = (0..self.staged.len()).map(|table| self.finish(table));
        let taken = taken.collect::<Result<Vec<_>, _>>()?;
        self.note()?;
        Ok(taken)
    }

    fn commit(&mut self) -> Result<(), Wrong> {
        let (mut renames, mut old) = (vec![], vec![]);
        let tables = self.staged.iter().map(|staged| {
            (staged.stage.clone(), staged.target.name.clone(), staged.target.there.is_some())
        });
        let runs = is_there(&mut self.connection, RUNS)?;
        let tables: Vec<_> = tables.chain([(self.stage(0), RUNS.to_owned(), runs)]).collect();
        for (stage, name, there) in &tables {
            if *there {
                old.push(format!("{stage}_old"));
                renames.push(format!("{} TO {}", quoted(name), quoted(&format!("{stage}_old"))));
            }
            renames.push(format!("{} TO {}", quoted(stage), quoted(name)));
        }
        self.connection.query_drop(format!("RENAME TABLE {}", renames.join(", ")))?;
        self.made = old;
        Ok(())
    }
}

impl Drop for Writing {
    fn drop(&mut self) {
        // What cannot go now goes with the next run.
        for table in &self.made {
            let _ = self.connection.query_drop(format!("DROP TABLE IF EXISTS {}", quoted(table)));
        }
    }
}

/// Whether a database says that a run has written into it; nothing where it cannot be asked.
pub(crate) fn was_written(address: &str, run: &str) -> Option<bool> {
    let mut connection = connect(address, &environment).ok()?;
    if !is_there(&mut connection, RUNS).ok()? {
        return Some(false);
    }
    let query = format!("SELECT 1 FROM {RUNS} WHERE run = :run");
    Some(connection.exec_first::<i64, _, _>(query, params! { run }).ok()?.is_some())
}
