//! A database that is read, as it is at one moment, over one connection.

use std::sync::mpsc::SyncSender;
use std::sync::{Arc, Mutex};

use granum_core::port::{Declared, SourceError};
use granum_core::tally::Unread;
use granum_core::value::Type;
use mysql::Conn;
use mysql::prelude::Queryable;

use super::address::connect;
use super::catalog;
use super::table;
use crate::place::locked;
use crate::served::{Asked, Server, Table, Wrong, environment};
use crate::typed::{Filling, Pieces, Stored, Told, sent};

/// A database at one moment. Its tables are gone through one after the other.
struct Database {
    connection: Arc<Mutex<Conn>>,
    /// What it is known by, however it is addressed.
    identity: String,
}

/// Connects to a database that is to be read.
///
/// # Errors
/// That it cannot be reached, or does not let in.
pub(crate) fn open(address: &str) -> Result<Box<dyn Server>, Wrong> {
    let mut connection = connect(address, &environment)?;
    connection.query_drop("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")?;
    connection.query_drop("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")?;
    let identity = catalog::identity(&mut connection)?;
    Ok(Box::new(Database { connection: Arc::new(Mutex::new(connection)), identity }))
}

impl Server for Database {
    fn called(&self) -> &'static str {
        "MySQL"
    }

    fn tables(&self) -> Result<Vec<String>, Wrong> {
        catalog::tables(&mut locked(&self.connection))
    }

    fn table(&self, asked: &Asked<'_>) -> Result<Table, SourceError> {
        let mut connection = locked(&self.connection);
        let table = table::Table::of(&mut connection, asked)?;
        let bytes = table.bytes(&mut connection).map_err(|wrong| wrong.read(&table.shown))?;
        let table = Arc::new(table);
        Ok(Table {
            shown: table.shown.clone(),
            named: table.named.clone(),
            known: table.named.as_ref().map(|named| format!("{}/{named}", self.identity)),
            bytes,
            stored: Arc::new(MysqlTable { connection: self.connection.clone(), table }),
        })
    }
}

/// A table on a server.
struct MysqlTable {
    connection: Arc<Mutex<Conn>>,
    table: Arc<table::Table>,
}

impl Stored for MysqlTable {
    fn columns(&self) -> &[(String, Type)] {
        &self.table.columns
    }

    fn unread(&self) -> &[Unread] {
        &self.table.unread
    }

    fn declared(&self) -> Declared {
        self.table.declared.clone()
    }

    // How much of it goes over the line is known at the end.
    fn bytes(&self) -> u64 {
        0
    }

    fn pieces(&self, wanted: &[usize]) -> Result<Box<dyn Pieces>, SourceError> {
        let (connection, table, wanted) =
            (self.connection.clone(), self.table.clone(), wanted.to_vec());
        sent(&self.table.shown, move |to| {
            let mut connection = locked(&connection);
            read(&mut connection, &table, &wanted, to).map_err(|wrong| wrong.read(&table.shown))
        })
    }
}

/// Goes through all rows. Stops where nobody takes them any more.
fn read(
    connection: &mut Conn,
    table: &table::Table,
    wanted: &[usize],
    to: &SyncSender<Told>,
) -> Result<(), Wrong> {
    let statement = connection.prep(table.query(wanted))?;
    let mut rows = connection.exec_iter(&statement, ())?;
    let types = wanted.iter().map(|at| (table.columns[*at].1, table.utc[*at])).collect();
    let mut filling = Filling::new(types, to);
    for row in &mut rows {
        let row = row?;
        for at in 0..wanted.len() {
            let cell = row.as_ref(at);
            let lacks = || Wrong::bug("a row has not the columns that it says");
            filling.cell(at, cell.ok_or_else(lacks)?);
        }
        if !filling.row() {
            return Ok(());
        }
    }
    filling.end();
    Ok(())
}
