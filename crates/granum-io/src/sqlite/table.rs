//! What a database says of a table: columns, key, what it leads to.

use std::path::Path;

use granum_core::port::{Declared, Leads, SourceError};
use granum_core::tally::part_name;
use granum_core::value::{Found, Type};
use rusqlite::Connection;

use super::kinds::declared;
use super::open::{TABLES, TABLES_AND_VIEWS, named, open, quoted, wrong};
use super::values::{fits, text_of};
use crate::csv::settled_type;
use crate::served::{ordering, orders, table_meant};

/// So many rows show whether cells are what their column is declared as.
const SAMPLE: usize = 1_000;

/// A table of a database.
#[derive(Debug)]
pub(super) struct Table {
    pub name: String,
    /// As messages name it: `shop.db#orders`.
    pub shown: String,
    pub columns: Vec<(String, Type)>,
    /// What rows are ordered by, as a query says it.
    pub order: String,
    pub declared: Declared,
    /// Which version of the file was looked at, and who tells whether it is still that.
    pub watch: Watch,
}

/// Tells whether somebody has changed a database.
#[derive(Debug)]
pub(super) struct Watch {
    connection: std::sync::Mutex<Connection>,
    version: i64,
}

impl Watch {
    fn begin(path: &Path, name: &str) -> Result<Self, SourceError> {
        let connection = open(path, name)?;
        let version = version(&connection).map_err(|failed| wrong(name, &failed))?;
        Ok(Self { connection: connection.into(), version })
    }

    /// That the database is as it was.
    ///
    /// # Errors
    /// That it is not.
    pub fn unchanged(&self, name: &str) -> Result<(), SourceError> {
        let connection = self.connection.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let now = version(&connection).map_err(|failed| wrong(name, &failed))?;
        if now == self.version { Ok(()) } else { Err(crate::csv::changed(name)) }
    }
}

fn version(connection: &Connection) -> rusqlite::Result<i64> {
    connection.query_row("PRAGMA data_version", [], |row| row.get(0))
}

/// A column as a database declares it.
struct Declaration {
    name: String,
    words: String,
    /// Its place in the key, from 1; 0 where it is in none.
    key: i64,
    blank: bool,
}

impl Table {
    /// Looks at a table: the one that is named, or the only one.
    ///
    /// # Errors
    /// That it is not there, or that it is not clear which is meant; a column that it is to be ordered by and lacks.
    pub fn of(
        path: &Path,
        file: &str,
        said: Option<&str>,
        ordered: &[String],
    ) -> Result<Self, SourceError> {
        let watch = Watch::begin(path, file)?;
        let connection = open(path, file)?;
        let name = chosen(&connection, file, said)?;
        let shown = part_name(file, &name);
        let failed = |failed| wrong(&shown, &failed);
        let columns = declarations(&connection, &name).map_err(failed)?;
        let key = key(&connection, &name, &columns).map_err(failed)?;
        let leads = leads(&connection, file, &name).map_err(failed)?;
        let order = order(&connection, &shown, &name, (&columns, &key, ordered))?;
        let types = types(&connection, &name, &columns).map_err(failed)?;
        let names = columns.into_iter().map(|column| column.name);
        let columns = names.zip(types).collect();
        let declared = Declared { key, leads };
        Ok(Self { name, shown, columns, order, declared, watch })
    }
}

/// The table that is meant.
fn chosen(connection: &Connection, file: &str, said: Option<&str>) -> Result<String, SourceError> {
    let tables = named(connection, file, TABLES)?;
    let all = named(connection, file, TABLES_AND_VIEWS)?;
    table_meant(file, said, &tables, |said| all.iter().find(|own| *own == said).cloned())
}

fn declarations(connection: &Connection, name: &str) -> rusqlite::Result<Vec<Declaration>> {
    // Some are there only to be asked with.
    let query = format!(
        "SELECT name, type, \"notnull\", pk FROM pragma_table_xinfo({}) WHERE hidden <> 1 ORDER BY cid",
        text(name)
    );
    let mut statement = connection.prepare(&query)?;
    let rows = statement.query_map([], |row| {
        Ok(Declaration {
            name: row.get(0)?,
            words: row.get::<_, Option<String>>(1)?.unwrap_or_default(),
            blank: row.get::<_, i64>(2)? == 0,
            key: row.get(3)?,
        })
    })?;
    rows.collect()
}

/// The columns of the key; without one those of the first index that no two rows share, if they are never blank.
fn key(
    connection: &Connection,
    name: &str,
    columns: &[Declaration],
) -> rusqlite::Result<Vec<String>> {
    let mut key: Vec<&Declaration> = columns.iter().filter(|column| column.key > 0).collect();
    key.sort_by_key(|column| column.key);
    if !key.is_empty() {
        return Ok(key.into_iter().map(|column| column.name.clone()).collect());
    }
    let query = format!(
        "SELECT name FROM pragma_index_list({}) WHERE \"unique\" = 1 AND partial = 0 ORDER BY seq DESC",
        text(name)
    );
    let mut statement = connection.prepare(&query)?;
    let indexes: Vec<String> =
        statement.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
    for index in indexes {
        let query = format!("SELECT name FROM pragma_index_info({}) ORDER BY seqno", text(&index));
        let mut statement = connection.prepare(&query)?;
        let names: Vec<Option<String>> =
            statement.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
        // An expression has no name.
        let Some(names) = names.into_iter().collect::<Option<Vec<String>>>() else { continue };
        let blank = |own: &String| columns.iter().any(|column| column.name == *own && column.blank);
        let may_be: Vec<String> = names.iter().filter(|name| blank(name)).cloned().collect();
        let any: Vec<String> =
            may_be.iter().map(|own| format!("{} IS NULL", quoted(own))).collect();
        let query = format!("SELECT 1 FROM {} WHERE {} LIMIT 1", quoted(name), any.join(" OR "));
        if any.is_empty() || !connection.prepare(&query)?.exists([])? {
            return Ok(names);
        }
    }
    Ok(vec![])
}

/// A text as it stands in a query.
fn text(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// The tables that a table is declared to lead to.
fn leads(connection: &Connection, file: &str, name: &str) -> rusqlite::Result<Vec<Leads>> {
    let query = format!(
        "SELECT id, \"table\", \"from\", \"to\" FROM pragma_foreign_key_list({}) ORDER BY id, seq",
        text(name)
    );
    let mut statement = connection.prepare(&query)?;
    let rows: Vec<(i64, String, String, Option<String>)> = statement
        .query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)))?
        .collect::<Result<_, _>>()?;
    let mut leads: Vec<(i64, Leads)> = vec![];
    for (id, table, from, to) in rows {
        let to_key = match to {
            Some(to) => to,
            // Not said, it is the key of the other table.
            None => {
                let columns = declarations(connection, &table)?;
                let place =
                    leads.iter().filter(|(own, _)| *own == id).flat_map(|(_, l)| &l.keys).count();
                let key = key(connection, &table, &columns)?;
                let Some(column) = key.get(place) else { continue };
                column.clone()
            }
        };
        match leads.last_mut().filter(|(own, _)| *own == id) {
            Some((_, leads)) => leads.keys.push((from, to_key)),
            None => {
                leads.push((id, Leads { to: part_name(file, &table), keys: vec![(from, to_key)] }));
            }
        }
    }
    Ok(leads.into_iter().map(|(_, leads)| leads).collect())
}

/// What rows are ordered by: what is said, which must tell them apart; else the key; else all columns.
fn order(
    connection: &Connection,
    shown: &str,
    name: &str,
    (columns, key, ordered): (&[Declaration], &[String], &[String]),
) -> Result<String, SourceError> {
    let all: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
    let by = ordering(shown, &all, (key, ordered))?;
    let by: Vec<String> =
        by.iter().map(|name| format!("{} COLLATE BINARY", quoted(name))).collect();
    let by = by.join(", ");
    if !ordered.is_empty() {
        let query = format!(
            "SELECT count(*) FROM (SELECT 1 FROM {} GROUP BY {by} HAVING count(*) > 1)",
            quoted(name)
        );
        let repeated: i64 = connection
            .query_row(&query, [], |row| row.get(0))
            .map_err(|failed| wrong(shown, &failed))?;
        orders(shown, ordered, repeated)?;
    }
    Ok(by)
}

/// The types of columns: as they are declared, if that is what most cells of the first rows are; else what all cells
/// are found to be.
fn types(
    connection: &Connection,
    name: &str,
    columns: &[Declaration],
) -> rusqlite::Result<Vec<Type>> {
    let mut types: Vec<Option<Type>> =
        columns.iter().map(|column| declared(&column.words)).collect();
    let mut counts = vec![(0_usize, 0_usize); columns.len()];
    let mut statement =
        connection.prepare(&format!("SELECT * FROM {} LIMIT {SAMPLE}", quoted(name)))?;
    // A view may have other columns by now than it was made with.
    let width = statement.column_count().min(columns.len());
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        for (at, ty) in types.iter().enumerate().take(width) {
            let Some(ty) = ty else { continue };
            match fits(row.get_ref(at)?, *ty) {
                None => {}
                Some(true) => counts[at].0 += 1,
                Some(false) => counts[at].1 += 1,
            }
        }
    }
    for (ty, (fitting, others)) in types.iter_mut().zip(counts) {
        if others > fitting {
            *ty = None;
        }
    }
    let open: Vec<usize> = (0..columns.len()).filter(|at| types[*at].is_none()).collect();
    let found = found(connection, name, &open.iter().map(|at| &columns[*at]).collect::<Vec<_>>())?;
    for (at, found) in open.into_iter().zip(found) {
        types[at] = Some(found);
    }
    Ok(types.into_iter().flatten().collect())
}

/// What all cells of some columns are found to be.
fn found(
    connection: &Connection,
    name: &str,
    columns: &[&Declaration],
) -> rusqlite::Result<Vec<Type>> {
    if columns.is_empty() {
        return Ok(vec![]);
    }
    let names: Vec<String> = columns.iter().map(|column| quoted(&column.name)).collect();
    let query = format!("SELECT {} FROM {}", names.join(", "), quoted(name));
    let mut found = vec![Found::default(); columns.len()];
    let mut statement = connection.prepare(&query)?;
    let mut rows = statement.query([])?;
    let mut text = vec![];
    while let Some(row) = rows.next()? {
        for (at, found) in found.iter_mut().enumerate() {
            text.clear();
            if text_of(row.get_ref(at)?, &mut text) && !text.is_empty() {
                found.cell(&text);
            }
        }
    }
    Ok(found.into_iter().map(|found| settled_type(Some(found))).collect())
}
