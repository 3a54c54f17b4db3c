//! A database that is read, as it is at one moment.

use std::sync::Arc;

use granum_core::port::{SourceError, without_passwords};

use super::catalog;
use super::read::PostgresTable;
use super::snapshot::Database;
use super::table;
use crate::place::locked;
use crate::served::{Asked, Server, Table, Wrong};

/// Connects to a database that is to be read.
///
/// # Errors
/// That it cannot be reached, or does not let in.
pub(crate) fn open(address: &str) -> Result<Box<dyn Server>, Wrong> {
    Ok(Box::new(Shared(Arc::new(Database::open(address)?))))
}

/// A database that its tables hold, too.
struct Shared(Arc<Database>);

impl Server for Shared {
    fn called(&self) -> &'static str {
        "PostgreSQL"
    }

    fn tables(&self) -> Result<Vec<String>, Wrong> {
        Ok(catalog::tables(&catalog::relations(&mut locked(&self.0.holder))?))
    }

    fn table(&self, asked: &Asked<'_>) -> Result<Table, SourceError> {
        let mut holder = locked(&self.0.holder);
        let table = table::Table::of(&mut holder, asked)?;
        let bytes = table.bytes(&mut holder);
        let bytes = bytes.map_err(|wrong| wrong.read(&without_passwords(&table.shown)))?;
        Ok(Table {
            shown: table.shown.clone(),
            named: table.named.clone(),
            known: table.oid.map(|oid| format!("{}/{oid}", self.0.identity)),
            bytes,
            stored: Arc::new(PostgresTable { server: self.0.clone(), table: Arc::new(table) }),
        })
    }
}
