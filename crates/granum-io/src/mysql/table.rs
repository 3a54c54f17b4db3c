//! A table that is read, or what a query gives: its columns, its order, what it says of itself.

use granum_core::port::{Declared, SourceError};
use granum_core::tally::{Unread, part_name};
use granum_core::value::Type;
use mysql::prelude::Queryable;
use mysql::{Conn, params};

use super::catalog::{self, quoted};
use super::kinds::{Kind, kind};
use crate::served::{Asked, Wrong, each_once, ordering, orders, table_meant};

/// A table, or what a query gives.
#[derive(Debug)]
pub(super) struct Table {
    /// As messages name it: `mysql://db/shop#orders`.
    pub shown: String,
    /// Nothing of what a query gives.
    pub named: Option<String>,
    /// What stands behind `FROM`.
    from: String,
    /// Those that hold values.
    pub columns: Vec<(String, Type)>,
    /// Which of them hold moments of UTC.
    pub utc: Vec<bool>,
    pub unread: Vec<Unread>,
    order: String,
    pub declared: Declared,
}

impl Table {
    /// Looks at a table: the one that is named, or the only one; or at what a query gives.
    ///
    /// # Errors
    /// That it is not there, or that it is not clear which is meant; a column that it is to be ordered by and lacks; a
    /// query that the database refuses.
    pub fn of(connection: &mut Conn, asked: &Asked<'_>) -> Result<Self, SourceError> {
        let read = |wrong: Wrong| wrong.read(asked.address);
        let (from, named) = match asked.query_in_brackets() {
            Some(query) => (query, None),
            None => {
                let named = chosen(connection, asked)?;
                (quoted(&named), Some(named))
            }
        };
        let shown = named
            .as_ref()
            .map_or_else(|| asked.address.to_owned(), |named| part_name(asked.address, named));
        let read_of = |wrong: Wrong| wrong.read(&shown);
        let statement = connection.prep(format!("SELECT * FROM {from}"));
        let statement = statement.map_err(|failed| read(failed.into()))?;
        let (mut declared, mut types) = (Declared::default(), vec![]);
        if let Some(named) = &named {
            declared.key = catalog::key(connection, named).map_err(read_of)?;
            declared.leads = catalog::leads(connection, named, asked.address).map_err(read_of)?;
            types = catalog::declared(connection, named).map_err(read_of)?;
        }
        let all: Vec<String> =
            statement.columns().iter().map(|column| column.name_str().into_owned()).collect();
        each_once(&shown, &all)?;
        let (mut columns, mut utc, mut unread) = (vec![], vec![], vec![]);
        for (own, name) in statement.columns().iter().zip(&all) {
            let truths = types.iter().any(|said| said.name == *name && said.ty == "tinyint(1)");
            let truths = truths && are_truths(connection, &from, name).map_err(read_of)?;
            match kind(own, truths) {
                Kind::Of(ty, of_utc) => {
                    columns.push((name.clone(), ty));
                    utc.push(of_utc);
                }
                Kind::No(what) => unread.push(Unread { column: name.clone(), what: what.into() }),
            }
        }
        let by = ordering(&shown, &all, (&declared.key, asked.ordered))?;
        let by: Vec<String> = by.iter().map(|name| compared(name, &columns, &types)).collect();
        let order = by.join(", ");
        if !asked.ordered.is_empty() {
            let query = format!(
                "SELECT count(*) FROM (SELECT 1 FROM {from} GROUP BY {order} HAVING count(*) > 1) repeated"
            );
            let repeated =
                connection.query_first(query).map_err(|failed| read_of(failed.into()))?;
            orders(&shown, asked.ordered, repeated.unwrap_or(0))?;
        }
        Ok(Self { shown, named, from, columns, utc, unread, order, declared })
    }

    /// How many bytes it takes, about; none of what a query gives.
    pub fn bytes(&self, connection: &mut Conn) -> Result<u64, Wrong> {
        let Some(table) = &self.named else { return Ok(0) };
        let query = "SELECT coalesce(data_length + index_length, 0) FROM information_schema.tables \
                     WHERE table_schema = database() AND table_name = :table";
        Ok(connection.exec_first(query, params! { table })?.unwrap_or(0))
    }

    /// What is asked, to have some columns of all rows in their order.
    pub fn query(&self, wanted: &[usize]) -> String {
        let columns: Vec<String> = wanted.iter().map(|at| quoted(&self.columns[*at].0)).collect();
        let columns = if columns.is_empty() { "NULL".into() } else { columns.join(", ") };
        format!("SELECT {columns} FROM {} ORDER BY {}", self.from, self.order)
    }
}

/// Whether a column has no numbers but 0 and 1: what is declared as truth values may hold others.
fn are_truths(connection: &mut Conn, from: &str, name: &str) -> Result<bool, Wrong> {
    let query = format!("SELECT 1 FROM {from} WHERE {} NOT IN (0, 1) LIMIT 1", quoted(name));
    Ok(connection.query_first::<i64, _>(query)?.is_none())
}

/// A column as rows are ordered by it: texts byte by byte, whatever the language of the database. What is kept in that
/// order has an index that has it, too.
fn compared(name: &str, columns: &[(String, Type)], declared: &[catalog::Declared]) -> String {
    let bytewise = declared.iter().any(|said| said.name == name && said.bytewise);
    let own = columns.iter().find(|(own, _)| own == name).map(|(_, ty)| *ty);
    match own {
        Some(Type::Text) if !bytewise => {
            format!("CAST(CONVERT({} USING utf8mb4) AS BINARY)", quoted(name))
        }
        _ => quoted(name),
    }
}

/// The table that is meant.
fn chosen(connection: &mut Conn, asked: &Asked<'_>) -> Result<String, SourceError> {
    let read = |wrong: Wrong| wrong.read(asked.address);
    let all = catalog::relations(connection).map_err(read)?;
    let tables = all.iter().filter(|(_, view)| !view);
    let tables: Vec<String> = tables.map(|(name, _)| name.clone()).collect();
    let find = |said: &str| all.iter().find(|(name, _)| name == said).map(|(name, _)| name.clone());
    table_meant(asked.address, asked.named, &tables, find)
}
