//! What a database says of its tables.

use granum_core::port::Leads;
use granum_core::tally::part_name;
use postgres::Client;

use crate::served::{RUNS, Wrong};

/// A name as it stands in a query.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A text as it stands in a query.
pub(super) fn text(text: &str) -> String {
    // With a backslash in it, it would mean another where old rules hold.
    if text.contains('\\') {
        format!(" E'{}'", text.replace('\\', "\\\\").replace('\'', "''"))
    } else {
        format!("'{}'", text.replace('\'', "''"))
    }
}

/// By what a database is known again, whatever it is called by: when its server began, and its number there.
pub(super) fn identity(client: &mut Client) -> Result<String, Wrong> {
    let query = "SELECT extract(epoch FROM pg_postmaster_start_time())::text || '/' || oid::text \
                 FROM pg_database WHERE datname = current_database()";
    Ok(client.query_one(query, &[])?.get(0))
}

/// What a relation is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Relation {
    /// Rows of its own.
    Table,
    /// The rows of its parts.
    Parted,
    /// What a query gives.
    View,
    /// What another server has.
    Foreign,
}

/// A table of a database.
#[derive(Debug, Clone)]
pub(super) struct Found {
    pub oid: u32,
    pub schema: String,
    pub name: String,
    pub relation: Relation,
    /// Whether it is found without its schema.
    pub visible: bool,
    /// About how many rows it has; less than none where nobody has counted.
    pub rows: f32,
}

impl Found {
    /// As people name it: with its schema where it is not found without.
    pub fn shown(&self) -> String {
        if self.visible { self.name.clone() } else { format!("{}.{}", self.schema, self.name) }
    }

    /// As a query names it.
    pub fn quoted(&self) -> String {
        format!("{}.{}", quoted(&self.schema), quoted(&self.name))
    }
}

/// All tables and views but what the server keeps for itself.
pub(super) fn relations(client: &mut Client) -> Result<Vec<Found>, Wrong> {
    let query = "SELECT c.oid, n.nspname::text, c.relname::text, c.relkind::text, \
                 pg_table_is_visible(c.oid), c.reltuples \
                 FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
                 WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition \
                 AND n.nspname <> 'information_schema' AND n.nspname NOT LIKE 'pg\\_%' \
                 ORDER BY n.nspname::text COLLATE \"C\", c.relname::text COLLATE \"C\"";
    let rows = client.query(query, &[])?;
    let found = rows.iter().map(|row| Found {
        oid: row.get(0),
        schema: row.get(1),
        name: row.get(2),
        relation: match row.get::<_, &str>(3) {
            "r" => Relation::Table,
            "p" => Relation::Parted,
            "f" => Relation::Foreign,
            _ => Relation::View,
        },
        visible: row.get(4),
        rows: row.get(5),
    });
    Ok(found.collect())
}

/// The tables among relations, as people name them; not views, nor what is noted of runs.
pub(super) fn tables(all: &[Found]) -> Vec<String> {
    let tables = all.iter().filter(|found| found.relation != Relation::View && found.name != RUNS);
    tables.map(Found::shown).collect()
}

/// The relation that a name means: with its schema, or found without.
pub(super) fn named<'f>(all: &'f [Found], said: &str) -> Option<&'f Found> {
    let whole = |found: &&Found| format!("{}.{}", found.schema, found.name) == said;
    let visible = all.iter().find(|found| found.visible && found.name == said);
    visible.or_else(|| all.iter().find(whole))
}

/// A key: columns that no two rows share, and that are never blank.
pub(super) fn key(client: &mut Client, oid: u32) -> Result<Vec<String>, Wrong> {
    let query = "SELECT (SELECT array_agg(a.attname::text ORDER BY k.place) \
                 FROM unnest(i.indkey::int2[]) WITH ORDINALITY k(number, place) \
                 JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.number \
                 WHERE k.place <= i.indnkeyatts) \
                 FROM pg_index i WHERE i.indrelid = $1 AND i.indisunique AND i.indisvalid \
                 AND i.indpred IS NULL AND i.indexprs IS NULL AND i.indimmediate \
                 AND NOT EXISTS (SELECT 1 FROM unnest(i.indkey::int2[]) WITH ORDINALITY k(number, place) \
                 JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.number \
                 WHERE k.place <= i.indnkeyatts AND NOT a.attnotnull) \
                 ORDER BY i.indisprimary DESC, i.indnkeyatts, i.indexrelid LIMIT 1";
    let row = client.query_opt(query, &[&oid])?;
    Ok(row.map(|row| row.get(0)).unwrap_or_default())
}

/// The tables that a table is declared to lead to, each as an input of it is called.
pub(super) fn leads(
    client: &mut Client,
    all: &[Found],
    (oid, address): (u32, &str),
) -> Result<Vec<Leads>, Wrong> {
    let query = "SELECT c.confrelid, (SELECT array_agg(a.attname::text ORDER BY k.place) \
                 FROM unnest(c.conkey) WITH ORDINALITY k(number, place) \
                 JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = k.number), \
                 (SELECT array_agg(a.attname::text ORDER BY k.place) \
                 FROM unnest(c.confkey) WITH ORDINALITY k(number, place) \
                 JOIN pg_attribute a ON a.attrelid = c.confrelid AND a.attnum = k.number) \
                 FROM pg_constraint c WHERE c.conrelid = $1 AND c.contype = 'f' \
                 ORDER BY c.conname::text COLLATE \"C\"";
    let mut leads = vec![];
    for row in client.query(query, &[&oid])? {
        let to: u32 = row.get(0);
        let (from, key): (Vec<String>, Vec<String>) = (row.get(1), row.get(2));
        // What leads to a part of a table is not told.
        let Some(to) = all.iter().find(|found| found.oid == to) else { continue };
        let to = part_name(address, &to.shown());
        leads.push(Leads { to, keys: from.into_iter().zip(key).collect() });
    }
    Ok(leads)
}
