//! What a database says of its tables.

use granum_core::port::Leads;
use granum_core::tally::part_name;
use mysql::prelude::Queryable;
use mysql::{Conn, params};

use crate::served::{RUNS, Wrong};

/// How the names of tables begin that are on their way, or on their way out.
pub(super) const OWN: &str = "granum_stage_";

/// A name as it stands in a query.
pub(super) fn quoted(name: &str) -> String {
    format!("`{}`", name.replace('`', "``"))
}

/// A text as it stands in a query, where no sign but the quote means another.
pub(super) fn text(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// By what a database is known again, whatever it is called by: its server and its name there.
pub(super) fn identity(connection: &mut Conn) -> Result<String, Wrong> {
    let known: Option<String> =
        connection.query_first("SELECT concat(@@hostname, ':', @@port, '/', database())")?;
    Ok(known.unwrap_or_default())
}

/// The tables and the views of a database, by their names; not what runs keep there for themselves.
pub(super) fn relations(connection: &mut Conn) -> Result<Vec<(String, bool)>, Wrong> {
    let query = "SELECT table_name, table_type LIKE '%VIEW%' FROM information_schema.tables \
                 WHERE table_schema = database() ORDER BY CAST(table_name AS BINARY)";
    let all: Vec<(String, bool)> = connection.query(query)?;
    let own = |name: &str| name == RUNS || name.starts_with(OWN);
    Ok(all.into_iter().filter(|(name, _)| !own(name)).collect())
}

/// The tables alone.
pub(super) fn tables(connection: &mut Conn) -> Result<Vec<String>, Wrong> {
    let all = relations(connection)?.into_iter();
    Ok(all.filter(|(_, view)| !view).map(|(name, _)| name).collect())
}

/// A column as its table declares it.
#[derive(Debug, Clone)]
pub(super) struct Declared {
    pub name: String,
    /// The type in small letters: `tinyint(1)`, `decimal(12,2)`.
    pub ty: String,
    /// Whether its texts are kept in the order of their bytes.
    pub bytewise: bool,
    /// Whether it fills itself where nothing is put in; and whether nothing may be.
    pub fills_itself: bool,
    pub always: bool,
}

/// The columns of a table.
pub(super) fn declared(connection: &mut Conn, table: &str) -> Result<Vec<Declared>, Wrong> {
    let query = "SELECT column_name, LOWER(column_type), coalesce(RIGHT(collation_name, 4) = '_bin', false), \
                 (column_default IS NOT NULL AND column_default <> 'NULL') OR extra LIKE '%auto_increment%' \
                 OR extra LIKE '%GENERATED%', extra LIKE '%GENERATED%' AND extra NOT LIKE '%DEFAULT_GENERATED%' \
                 FROM information_schema.columns WHERE table_schema = database() AND table_name = :table \
                 ORDER BY ordinal_position";
    let rows: Vec<(String, String, bool, bool, bool)> =
        connection.exec(query, params! { table })?;
    let columns = rows.into_iter().map(|(name, ty, bytewise, fills_itself, always)| Declared {
        name,
        ty,
        bytewise,
        fills_itself,
        always,
    });
    Ok(columns.collect())
}

/// A key: columns that no two rows share, and that are never blank.
pub(super) fn key(connection: &mut Conn, table: &str) -> Result<Vec<String>, Wrong> {
    let query = "SELECT index_name, column_name, sub_part IS NULL AND nullable <> 'YES' \
                 FROM information_schema.statistics WHERE table_schema = database() AND table_name = :table \
                 AND non_unique = 0 ORDER BY index_name <> 'PRIMARY', CAST(index_name AS BINARY), seq_in_index";
    let rows: Vec<(String, Option<String>, bool)> = connection.exec(query, params! { table })?;
    let mut indexes: Vec<(&str, Vec<String>, bool)> = vec![];
    for (index, column, whole) in &rows {
        if indexes.last().is_none_or(|(own, ..)| own != index) {
            indexes.push((index, vec![], true));
        }
        if let Some((_, columns, all_whole)) = indexes.last_mut() {
            // What is worked has no name.
            *all_whole &= *whole && column.is_some();
            columns.extend(column.clone());
        }
    }
    let first = indexes.into_iter().find(|(.., whole)| *whole);
    Ok(first.map(|(_, columns, _)| columns).unwrap_or_default())
}

/// The tables that a table is declared to lead to, each as an input of it is called.
pub(super) fn leads(
    connection: &mut Conn,
    table: &str,
    address: &str,
) -> Result<Vec<Leads>, Wrong> {
    let query = "SELECT constraint_name, column_name, referenced_table_name, referenced_column_name \
                 FROM information_schema.key_column_usage WHERE table_schema = database() \
                 AND table_name = :table AND referenced_table_schema = database() \
                 ORDER BY CAST(constraint_name AS BINARY), ordinal_position";
    let rows: Vec<(String, String, String, String)> = connection.exec(query, params! { table })?;
    let mut leads: Vec<(String, Leads)> = vec![];
    for (constraint, from, to, key) in rows {
        if leads.last().is_none_or(|(own, _)| *own != constraint) {
            leads.push((constraint, Leads { to: part_name(address, &to), keys: vec![] }));
        }
        if let Some((_, leads)) = leads.last_mut() {
            leads.keys.push((from, key));
        }
    }
    Ok(leads.into_iter().map(|(_, leads)| leads).collect())
}
