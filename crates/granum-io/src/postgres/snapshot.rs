//! A database at one moment, for as many connections as need it.

use std::sync::Mutex;
use std::time::{Duration, Instant};

use granum_core::port::SourceErrorKind;
use postgres::Client;

use super::address::Address;
use super::catalog::identity;
use crate::place::locked;
use crate::served::{Wrong, environment};

/// So long is waited for a connection that is about to be free, and so long between two looks.
const WAIT: Duration = Duration::from_millis(500);
const PAUSE: Duration = Duration::from_millis(50);

/// A database, at the moment when it was first looked at.
pub(super) struct Database {
    address: Address,
    /// The connection whose transaction holds the moment.
    pub holder: Mutex<Client>,
    /// By what others come to see the same.
    snapshot: String,
    /// Connections that see it and are free.
    free: Mutex<Vec<Client>>,
    /// What the database is known by, however it is addressed.
    pub identity: String,
}

impl Database {
    /// Connects, and holds the moment.
    ///
    /// # Errors
    /// That it cannot be reached, or does not let in.
    pub fn open(address: &str) -> Result<Self, Wrong> {
        let address = Address::of(address, &environment)?;
        let mut holder = address.connect(&environment)?;
        holder.batch_execute("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")?;
        let identity = identity(&mut holder)?;
        let snapshot = holder.query_one("SELECT pg_export_snapshot()", &[])?.get(0);
        let (holder, free) = (Mutex::new(holder), Mutex::default());
        Ok(Self { address, holder, snapshot, free, identity })
    }

    /// A connection that sees what all others see.
    pub fn connection(&self) -> Result<Client, Wrong> {
        if let Some(free) = locked(&self.free).pop() {
            return Ok(free);
        }
        let mut client = self.address.connect(&environment)?;
        client.batch_execute(&format!(
            "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; SET TRANSACTION SNAPSHOT '{}'; \
             SELECT set_config('work_mem', '64MB', true) \
             WHERE pg_size_bytes(current_setting('work_mem')) < 67108864",
            self.snapshot
        ))?;
        Ok(client)
    }

    /// The same, waiting a little for one that is about to be given back, where there can be no more.
    pub fn connection_or_wait(&self) -> Result<Client, Wrong> {
        let until = Instant::now() + WAIT;
        loop {
            match self.connection() {
                Err(wrong) if wrong.kind == SourceErrorKind::Server && Instant::now() < until => {
                    std::thread::sleep(PAUSE);
                }
                told => return told,
            }
        }
    }

    /// A connection is not needed any more.
    pub fn give_back(&self, client: Client) {
        locked(&self.free).push(client);
    }
}
