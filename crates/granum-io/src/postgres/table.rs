//! A table that is read, or what a query gives: its columns, its order, what it says of itself.

use granum_core::port::{Declared, SourceError};
use granum_core::tally::{Unread, part_name};
use granum_core::value::Type;
use postgres::{Client, Statement};

use super::catalog::{self, Relation, quoted};
use super::kinds::{Column, Coming, Kind, kind, numeric};
use super::order::{self, Order};
use crate::served::{Asked, Wrong, each_once, table_meant};

/// A table, or what a query gives.
#[derive(Debug)]
pub(super) struct Table {
    /// As messages name it: `postgres://db/shop#sales.orders`.
    pub shown: String,
    /// As people name it; nothing of what a query gives.
    pub named: Option<String>,
    pub oid: Option<u32>,
    /// What stands behind `FROM`.
    pub from: String,
    /// Those that hold values, with how each is asked for.
    pub columns: Vec<(String, Type)>,
    pub coming: Vec<Coming>,
    pub asked: Vec<String>,
    pub unread: Vec<Unread>,
    pub order: Order,
    pub declared: Declared,
}

impl Table {
    /// Looks at a table: the one that is named, or the only one; or at what a query gives.
    ///
    /// # Errors
    /// That it is not there, or that it is not clear which is meant; a column that it is to be ordered by and lacks; a
    /// query that the database refuses.
    pub fn of(client: &mut Client, asked: &Asked<'_>) -> Result<Self, SourceError> {
        let read = |wrong: Wrong| wrong.read(asked.address);
        let all = catalog::relations(client).map_err(read)?;
        let (from, found) = match asked.query_in_brackets() {
            Some(query) => (query, None),
            None => {
                let find = |said: &str| catalog::named(&all, said).cloned();
                let tables = catalog::tables(&all);
                let found = table_meant(asked.address, asked.named, &tables, find)?;
                (found.quoted(), Some(found))
            }
        };
        let shown = match &found {
            Some(found) => part_name(asked.address, &found.shown()),
            None => asked.address.to_owned(),
        };
        let read_of = |wrong: Wrong| wrong.read(&shown);
        let statement = client
            .prepare(&format!("SELECT * FROM {from}"))
            .map_err(|failed| read(failed.into()))?;
        let mut columns = columns(client, &from, &statement).map_err(read_of)?;
        let mut declared = Declared::default();
        if let Some(found) = &found {
            told_of(client, found.oid, &mut columns).map_err(read_of)?;
            let key = catalog::key(client, found.oid).map_err(read_of)?;
            let leads =
                catalog::leads(client, &all, (found.oid, asked.address)).map_err(read_of)?;
            declared = Declared { key, leads };
        }
        let names: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
        each_once(&shown, &names)?;
        let by = order::order(client, (&shown, &from), &columns, (&declared.key, asked.ordered))?;
        let order_by = if by.is_empty() { "(SELECT NULL)".into() } else { by.join(", ") };
        let mut order = Order { by: order_by, pieces: vec!["true".into()] };
        let first = asked.ordered.first().or(declared.key.first());
        let first = first.and_then(|name| columns.iter().find(|column| column.name == *name));
        if let (Some(found), Some(first)) = (&found, first)
            && found.relation == Relation::Table
            && asked.ordered.first().is_none_or(|said| declared.key.first() == Some(said))
        {
            order.pieces =
                order::pieces(client, &from, (&by[0], first), found.rows).map_err(read_of)?;
        }
        let unread = unread(&columns, &statement);
        let held: Vec<(&Column, Coming)> =
            columns.iter().filter_map(|column| Some((column, column.coming?))).collect();
        Ok(Self {
            named: found.as_ref().map(catalog::Found::shown),
            oid: found.map(|found| found.oid),
            columns: held.iter().map(|(own, coming)| (own.name.clone(), coming.ty())).collect(),
            coming: held.iter().map(|(_, coming)| *coming).collect(),
            asked: held.iter().map(|(own, _)| own.asked()).collect(),
            shown,
            from,
            unread,
            order,
            declared,
        })
    }

    /// How many bytes it takes; none of what a query gives.
    pub fn bytes(&self, client: &mut Client) -> Result<u64, Wrong> {
        let Some(oid) = self.oid else { return Ok(0) };
        let row = client.query_one("SELECT pg_total_relation_size($1::oid::regclass)", &[&oid])?;
        Ok(row.get::<_, Option<i64>>(0).and_then(|bytes| u64::try_from(bytes).ok()).unwrap_or(0))
    }

    /// What a query asks for, to have some columns of some rows in their order.
    pub fn query(&self, wanted: &[usize], piece: &str) -> String {
        let columns: Vec<&str> = wanted.iter().map(|at| self.asked[*at].as_str()).collect();
        let columns = if columns.is_empty() { "NULL::text".into() } else { columns.join(", ") };
        format!("SELECT {columns} FROM {} WHERE {piece} ORDER BY {}", self.from, self.order.by)
    }
}

/// The columns of what is read. How many places a number has that is declared without, its values tell.
fn columns(client: &mut Client, from: &str, statement: &Statement) -> Result<Vec<Column>, Wrong> {
    let own = statement.columns();
    let kinds: Vec<Kind> =
        own.iter().map(|column| kind(column.type_(), column.type_modifier())).collect();
    let open: Vec<usize> = (0..own.len()).filter(|at| kinds[*at] == Kind::Open).collect();
    let mut found = vec![0; own.len()];
    if !open.is_empty() {
        let scales = open.iter().map(|at| format!("max(scale({}))", quoted(own[*at].name())));
        let scales: Vec<String> = scales.collect();
        let row = client.query_one(&format!("SELECT {} FROM {from}", scales.join(", ")), &[])?;
        for (place, at) in open.iter().enumerate() {
            found[*at] = row.get::<_, Option<i32>>(place).unwrap_or(0);
        }
    }
    let columns = own.iter().zip(kinds).zip(found).map(|((own, kind), places)| {
        let kind = if kind == Kind::Open { numeric(places) } else { kind };
        let (coming, as_text) = match kind {
            Kind::Comes { coming, as_text } => (Some(coming), as_text),
            Kind::Open | Kind::No(_) => (None, false),
        };
        Column { name: own.name().to_owned(), coming, as_text, bytewise: false, blank: true }
    });
    Ok(columns.collect())
}

/// What a table says of its columns: which are never blank, which are kept in the order of their bytes.
fn told_of(client: &mut Client, oid: u32, columns: &mut [Column]) -> Result<(), Wrong> {
    let query = "SELECT a.attname::text, NOT a.attnotnull, \
                 coalesce((CASE WHEN c.collname = 'default' THEN d.datcollate ELSE c.collcollate END) \
                 IN ('C', 'POSIX', 'C.UTF-8', 'C.utf8'), false) \
                 FROM pg_attribute a LEFT JOIN pg_collation c ON c.oid = a.attcollation \
                 CROSS JOIN pg_database d WHERE d.datname = current_database() \
                 AND a.attrelid = $1 AND a.attnum > 0 AND NOT a.attisdropped";
    for row in client.query(query, &[&oid])? {
        let name: &str = row.get(0);
        if let Some(column) = columns.iter_mut().find(|column| column.name == name) {
            (column.blank, column.bytewise) = (row.get(1), row.get(2));
        }
    }
    Ok(())
}

/// The columns that hold no values, with what they do hold.
fn unread(columns: &[Column], statement: &Statement) -> Vec<Unread> {
    let without = columns.iter().zip(statement.columns());
    let without = without.filter(|(column, _)| column.coming.is_none());
    let told = without.map(|(column, own)| Unread {
        column: column.name.clone(),
        what: match kind(own.type_(), own.type_modifier()) {
            Kind::No(what) => what,
            Kind::Open | Kind::Comes { .. } => "a decimal of more than 20 places".into(),
        },
    });
    told.collect()
}
