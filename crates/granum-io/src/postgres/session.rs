//! The session that writes into a database: one connection, one transaction, in a thread of its own.

use std::io::Write;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};

use granum_core::port::SourceErrorKind;
use granum_core::tally::Taken;
use postgres::Client;

use super::address::Address;
use super::catalog::{identity, quoted, text};
use super::decode::{BEGIN, Rows};
use super::encode::{END, RowEncoder};
use super::refill::fill;
use super::stage::Staged;
use super::wrong::broken;
use crate::served::{Place, RUNS, Session, Wanted, Wrong, environment};

/// So many batches of rows wait for the server.
const WAITING: usize = 4;

/// What a session is told to do, and where it says how that went.
enum Order {
    /// Make room for an output. It says by what its table is known, if that is there.
    Begin(Wanted, Sender<Result<Option<String>, Wrong>>),
    /// Rows of an output, by its number.
    Rows(usize, Vec<u8>),
    /// Fill all tables.
    Fill(Sender<Result<Vec<Taken>, Wrong>>),
    /// Let all be seen.
    Commit(Sender<Result<(), Wrong>>),
}

/// A session, for whoever gives it orders. Let go, it leaves no trace but what was committed.
struct Orders {
    to: SyncSender<Order>,
    failed: Receiver<Wrong>,
    known: Option<Wrong>,
}

/// Begins a session.
///
/// # Errors
/// Why that cannot be.
pub(crate) fn begin(address: &str, run: &str) -> Result<Box<dyn Session>, Wrong> {
    let address = Address::of(address, &environment)?;
    let mut client = address.connect(&environment)?;
    client.batch_execute("BEGIN")?;
    let known = identity(&mut client)?;
    let (orders, work) = sync_channel(WAITING);
    let (tell, failed) = channel();
    let run = run.to_owned();
    let begun = std::thread::Builder::new().name("a session".into()).spawn(move || {
        let mut session = Worker { client, known, run, staged: vec![] };
        if let Err(wrong) = session.work(&work) {
            let _ = tell.send(wrong);
        }
    });
    begun.map_err(|failed| Wrong::new(SourceErrorKind::System, failed.to_string(), "try again"))?;
    Ok(Box::new(Orders { to: orders, failed, known: None }))
}

impl Orders {
    /// Why the session has ended.
    fn ended(&mut self) -> Wrong {
        if let Ok(wrong) = self.failed.recv() {
            self.known = Some(wrong);
        }
        self.known.clone().unwrap_or_else(|| Wrong::bug("the session has ended"))
    }

    fn asked<T>(
        &mut self,
        order: impl FnOnce(Sender<Result<T, Wrong>>) -> Order,
    ) -> Result<T, Wrong> {
        let (answer, told) = channel();
        if self.to.send(order(answer)).is_err() {
            return Err(self.ended());
        }
        told.recv().unwrap_or_else(|_| Err(self.ended()))
    }
}

impl Session for Orders {
    fn table(&mut self, wanted: Wanted) -> Result<Place, Wrong> {
        let known = self.asked(|answer| Order::Begin(wanted, answer))?;
        Ok(Place { known, encoder: Arc::new(RowEncoder) })
    }

    fn rows(&mut self, table: usize, rows: Vec<u8>) -> Result<(), Wrong> {
        if self.to.send(Order::Rows(table, rows)).is_err() {
            return Err(self.ended());
        }
        Ok(())
    }

    fn fill(&mut self) -> Result<Vec<Taken>, Wrong> {
        self.asked(Order::Fill)
    }

    fn commit(&mut self) -> Result<(), Wrong> {
        self.asked(Order::Commit)
    }
}

/// Who does it.
struct Worker {
    client: Client,
    /// What the database is known by.
    known: String,
    run: String,
    staged: Vec<Staged>,
}

impl Worker {
    /// Does what it is told until nobody tells it any more.
    fn work(&mut self, orders: &Receiver<Order>) -> Result<(), Wrong> {
        let mut next = orders.recv().ok();
        while let Some(order) = next {
            next = match order {
                Order::Rows(table, rows) => self.take(table, rows, orders)?,
                Order::Begin(wanted, answer) => {
                    let _ = answer.send(self.begin(wanted));
                    orders.recv().ok()
                }
                Order::Fill(answer) => {
                    let _ = answer.send(self.fill());
                    orders.recv().ok()
                }
                Order::Commit(answer) => {
                    let _ = answer.send(self.client.batch_execute("COMMIT").map_err(Wrong::from));
                    orders.recv().ok()
                }
            };
        }
        Ok(())
    }

    fn begin(&mut self, wanted: Wanted) -> Result<Option<String>, Wrong> {
        let staged = Staged::begin(&mut self.client, wanted, self.staged.len() + 1)?;
        let twice = self.staged.iter().any(|other| other.target.quoted == staged.target.quoted);
        if twice {
            let message = format!("is to be written twice, to its table {}", staged.target.name);
            let help = "give each a table of its own:  named \"\u{2026}\"  behind the address";
            return Err(Wrong::new(SourceErrorKind::Table, message, help));
        }
        let oid = staged.target.there.as_ref().map(|there| there.oid);
        self.staged.push(staged);
        Ok(oid.map(|oid| format!("{}/{oid}", self.known)))
    }

    /// Takes rows of an output for as long as they come. Gives what is to be done next.
    fn take(
        &mut self,
        table: usize,
        rows: Vec<u8>,
        orders: &Receiver<Order>,
    ) -> Result<Option<Order>, Wrong> {
        let staged = &mut self.staged[table];
        let columns: Vec<String> =
            staged.wanted.columns.iter().map(|(name, _)| quoted(name)).collect();
        let query =
            format!("COPY {} ({}) FROM STDIN (FORMAT binary)", staged.quoted(), columns.join(", "));
        let mut copy = self.client.copy_in(&query)?;
        let mut sent = 0;
        let mut rows = Some(rows);
        let mut next = None;
        copy.write_all(BEGIN).map_err(broken)?;
        while let Some(some) = rows.take() {
            let mut counted = Rows::default();
            if counted.go_on(&some).is_err() || counted.at != some.len() {
                return Err(Wrong::bug("what was to be written are no rows"));
            }
            sent += counted.count as u64;
            copy.write_all(&some).map_err(broken)?;
            next = orders.recv().ok();
            if let Some(Order::Rows(same, _)) = &next
                && *same == table
                && let Some(Order::Rows(_, more)) = next.take()
            {
                rows = Some(more);
            }
        }
        copy.write_all(END).map_err(broken)?;
        let taken = copy.finish()?;
        if taken != sent {
            let message = format!("took {taken} of {sent} rows");
            let help = "nothing is known of why; look into the log of the database";
            return Err(Wrong::new(SourceErrorKind::System, message, help));
        }
        staged.rows += taken;
        Ok(next)
    }

    /// Fills all tables, and notes the run. All that can be refused is refused here.
    fn fill(&mut self) -> Result<Vec<Taken>, Wrong> {
        let taken = self.staged.iter().map(|staged| fill(&mut self.client, staged));
        let taken = taken.collect::<Result<Vec<_>, _>>()?;
        if let Some(first) = self.staged.first() {
            note(&mut self.client, &first.target.schema, &self.run)?;
        }
        self.client.batch_execute("SET CONSTRAINTS ALL IMMEDIATE")?;
        Ok(taken)
    }
}

/// Notes in a schema that a run has written there.
fn note(client: &mut Client, schema: &str, run: &str) -> Result<(), Wrong> {
    let table = format!("{schema}.{}", quoted(RUNS));
    let made = format!(
        "{table} (run text PRIMARY KEY, written timestamp with time zone NOT NULL DEFAULT now())"
    );
    let there: bool = client.query_one("SELECT to_regclass($1) IS NOT NULL", &[&table])?.get(0);
    let noted = if there {
        Ok(())
    } else {
        client.batch_execute(&format!("CREATE TABLE {made}")).map_err(Wrong::from)
    };
    let insert = format!("INSERT INTO {table} (run) VALUES ({})", text(run));
    let noted = noted.and_then(|()| client.batch_execute(&insert).map_err(Wrong::from));
    noted.map_err(|wrong| Wrong {
        message: format!("{} (runs are noted in {table})", wrong.message),
        help: format!("whoever keeps the database makes it once, and grants INSERT and SELECT:  CREATE TABLE {made}"),
        ..wrong
    })
}

/// Whether a database says that a run has written into it; nothing where it cannot be asked.
pub(crate) fn was_written(address: &str, run: &str) -> Option<bool> {
    let address = Address::of(address, &environment).ok()?;
    let mut client = address.connect(&environment).ok()?;
    let query = "SELECT n.nspname::text FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
                 WHERE c.relname = $1 AND c.relkind = 'r'";
    for row in client.query(query, &[&RUNS]).ok()? {
        let table = format!("{}.{}", quoted(row.get(0)), quoted(RUNS));
        let query = format!("SELECT 1 FROM {table} WHERE run = $1");
        if client.query_opt(&query, &[&run]).ok()?.is_some() {
            return Some(true);
        }
    }
    Some(false)
}
