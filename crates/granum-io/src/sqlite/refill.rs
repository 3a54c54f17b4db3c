//! What was staged → the tables of a database that is there: in one transaction, which also writes down whose run it was.

use std::path::Path;

use rusqlite::{Connection, OpenFlags, OptionalExtension, TransactionBehavior};

use super::open::{PATIENCE, RUNS, quoted};
use crate::place::Refill;

/// Empties tables and fills them with what was staged; makes those that are not there. Done once for each run, however
/// often it is asked.
///
/// # Errors
/// What the database says; then it is as it was.
pub(crate) fn refill(stage: &Path, target: &Path, refill: &Refill) -> rusqlite::Result<()> {
    let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let mut connection = Connection::open_with_flags(target, flags)?;
    connection.busy_timeout(PATIENCE)?;
    connection.execute("ATTACH DATABASE ?1 AS stage", [stage.to_string_lossy()])?;
    let transaction = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
    transaction.execute_batch(&format!(
        "CREATE TABLE IF NOT EXISTS main.{RUNS} (run TEXT PRIMARY KEY NOT NULL, \
         written_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP)"
    ))?;
    let known = format!("SELECT 1 FROM main.{RUNS} WHERE run = ?1");
    if transaction.query_row(&known, [&refill.run], |_| Ok(())).optional()?.is_some() {
        return Ok(());
    }
    for table in &refill.tables {
        let named = quoted(table);
        let there =
            "SELECT 1 FROM main.sqlite_schema WHERE type = 'table' AND name = ?1 COLLATE NOCASE";
        let there = transaction.query_row(there, [table], |_| Ok(())).optional()?.is_some();
        let schema = |kind: &str| -> rusqlite::Result<Vec<String>> {
            let query = "SELECT sql FROM stage.sqlite_schema WHERE type = ?1 AND tbl_name = ?2";
            let mut statement = transaction.prepare(query)?;
            let rows = statement.query_map([kind, table.as_str()], |row| row.get(0))?;
            rows.collect()
        };
        if there {
            transaction.execute(&format!("DELETE FROM main.{named}"), [])?;
        } else {
            schema("table")?.iter().try_for_each(|made| transaction.execute_batch(made))?;
        }
        let columns = columns(&transaction, "stage", table)?;
        let columns: Vec<String> = columns.iter().map(|name| quoted(name)).collect();
        let columns = columns.join(", ");
        transaction.execute(
            &format!(
                "INSERT INTO main.{named} ({columns}) SELECT {columns} FROM stage.{named} ORDER BY rowid"
            ),
            [],
        )?;
        if !there {
            schema("index")?.iter().try_for_each(|made| transaction.execute_batch(made))?;
        }
    }
    transaction.execute(&format!("INSERT INTO main.{RUNS} (run) VALUES (?1)"), [&refill.run])?;
    transaction.commit()
}

/// The columns of a table that can be written.
pub(super) fn columns(
    connection: &Connection,
    schema: &str,
    table: &str,
) -> rusqlite::Result<Vec<String>> {
    let query = format!("PRAGMA {schema}.table_info({})", quoted(table));
    let mut statement = connection.prepare(&query)?;
    let rows = statement.query_map([], |row| row.get(1))?;
    rows.collect()
}
