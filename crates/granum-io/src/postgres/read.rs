//! A table's rows, fetched by several connections in pieces of their order.

use std::collections::VecDeque;
use std::io::Read;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};
use std::sync::{Arc, Mutex};

use granum_core::port::{Declared, SourceError, SourceErrorKind};
use granum_core::tally::Unread;
use granum_core::value::Type;
use postgres::Client;

use super::decode::{BEGIN, Rows, natives};
use super::snapshot::Database;
use super::table::Table;
use super::wrong::broken;
use crate::place::locked;
use crate::served::Wrong;
use crate::typed::{Native, Piece, Pieces, Stored};

/// So many bytes are fetched before they are made into columns.
const FETCHED: usize = 4 << 20;

/// So many connections fetch one table at most.
const CONNECTIONS: usize = 4;

/// So much is fetched ahead of whoever takes it: of one piece of the order, and pieces.
const AHEAD: usize = 4;
const PIECES_AHEAD: usize = 6;

/// A table on a server.
pub(super) struct PostgresTable {
    pub server: Arc<Database>,
    pub table: Arc<Table>,
}

impl Stored for PostgresTable {
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
        let pieces = self.table.order.pieces.iter();
        let queries: Arc<Vec<String>> =
            Arc::new(pieces.map(|piece| self.table.query(wanted, piece)).collect());
        let mut open = VecDeque::new();
        let mut fed = vec![];
        for _ in queries.iter() {
            let (to, from) = sync_channel(AHEAD);
            fed.push(Mutex::new(Some(to)));
            open.push_back(from);
        }
        let (fed, next) = (Arc::new(fed), Arc::new(AtomicUsize::new(0)));
        // Whoever takes a piece lets another be begun.
        let (lets, let_go) = channel();
        (0..PIECES_AHEAD).for_each(|_| {
            let _ = lets.send(());
        });
        let let_go = Arc::new(Mutex::new(let_go));
        // One connection there must be; where the server has no more, it does with those that it has.
        let mut first =
            Some(self.server.connection_or_wait().map_err(|wrong| wrong.read(&self.table.shown))?);
        for _ in 0..queries.len().min(CONNECTIONS) {
            let first = first.take();
            let (server, table) = (self.server.clone(), self.table.clone());
            let (queries, fed, next) = (queries.clone(), fed.clone(), next.clone());
            let let_go = let_go.clone();
            let fetch = move || {
                let Some(mut client) = first.or_else(|| server.connection().ok()) else { return };
                // Pieces are fetched in their order, each as soon as a connection is free.
                while next.load(Ordering::Relaxed) < fed.len() && locked(&let_go).recv().is_ok() {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(to) = fed.get(at).and_then(|to| locked(to).take()) else { break };
                    let told = fetch(&mut client, &queries[at], &to);
                    if let Err(wrong) = told {
                        let _ = to.send(Err(wrong.read(&table.shown)));
                        return;
                    }
                    if told.is_ok_and(|go_on| !go_on) {
                        return;
                    }
                }
                server.give_back(client);
            };
            let begun = std::thread::Builder::new().name("a table".into()).spawn(fetch);
            begun.map_err(|failed| SourceError {
                kind: SourceErrorKind::System,
                file: self.table.shown.clone(),
                line: None,
                message: format!("cannot be read: {failed}"),
                help: "try again".into(),
            })?;
        }
        let coming = wanted.iter().map(|at| self.table.coming[*at]).collect();
        let name = self.table.shown.clone().into();
        Ok(Box::new(Fetching { open, lets, wanted: Arc::new(Wanted { coming, name }) }))
    }
}

/// Fetches what a query gives. False where nobody takes it any more.
fn fetch(client: &mut Client, query: &str, to: &SyncSender<Told>) -> Result<bool, Wrong> {
    let mut sent = client.copy_out(&format!("COPY ({query}) TO STDOUT (FORMAT binary)"))?;
    let torn = || Wrong::bug("sent what are no rows");
    let mut header = [0; BEGIN.len()];
    sent.read_exact(&mut header).map_err(broken)?;
    let mut bytes = Vec::with_capacity(FETCHED + (FETCHED >> 4));
    let mut rows = Rows::default();
    let mut filled = 0;
    loop {
        if bytes.len() - filled < 1 << 16 {
            bytes.resize(filled + (1 << 18), 0);
        }
        let length = sent.read(&mut bytes[filled..]).map_err(broken)?;
        filled += length;
        rows.go_on(&bytes[..filled]).map_err(|_| torn())?;
        if length == 0 && !rows.ended {
            return Err(torn());
        }
        if rows.ended || filled >= FETCHED && rows.count > 0 {
            let rest = bytes[rows.at..filled].to_vec();
            let ended = rows.ended;
            bytes.truncate(rows.at);
            let piece = Fetched { bytes: std::mem::take(&mut bytes), rows: rows.count };
            if piece.rows > 0 && to.send(Ok(Some(piece))).is_err() {
                return Ok(false);
            }
            if ended {
                // What is left is the end of the message.
                while sent.read(&mut header).map_err(broken)? > 0 {}
                return Ok(to.send(Ok(None)).is_ok());
            }
            bytes = Vec::with_capacity(FETCHED + (FETCHED >> 4));
            bytes.extend_from_slice(&rest);
            (filled, rows) = (rest.len(), Rows::default());
        }
    }
}

/// Rows as they were sent.
struct Fetched {
    bytes: Vec<u8>,
    rows: usize,
}

/// Some rows, or that there are no more of a piece of the order.
type Told = Result<Option<Fetched>, SourceError>;

/// What is wanted of each row.
struct Wanted {
    coming: Vec<super::kinds::Coming>,
    name: Arc<str>,
}

struct Fetching {
    /// For each piece of the order that is not over.
    open: VecDeque<Receiver<Told>>,
    lets: Sender<()>,
    wanted: Arc<Wanted>,
}

impl Pieces for Fetching {
    fn next(&mut self) -> Result<Option<Box<dyn Piece>>, SourceError> {
        while let Some(first) = self.open.front() {
            // A connection that ended without a word had a fault of the program, or another has told why.
            match first.recv() {
                Ok(Ok(Some(fetched))) => {
                    let wanted = self.wanted.clone();
                    return Ok(Some(Box::new(FetchedPiece { fetched, wanted })));
                }
                Ok(Ok(None)) => {
                    self.open.pop_front();
                    // Where nobody waits for it, all have been begun.
                    let _ = self.lets.send(());
                }
                Ok(Err(wrong)) => return Err(wrong),
                Err(_) => return Err(self.silent()),
            }
        }
        Ok(None)
    }
}

impl Fetching {
    /// What another connection has told, where the first ended without a word.
    fn silent(&self) -> SourceError {
        let told = self.open.iter().flat_map(Receiver::try_iter).find_map(Result::err);
        told.unwrap_or_else(|| SourceError {
            kind: SourceErrorKind::Server,
            file: self.wanted.name.to_string(),
            line: None,
            message: "cannot be read: a connection has ended".into(),
            help: "look whether the server runs, and run again".into(),
        })
    }
}

struct FetchedPiece {
    fetched: Fetched,
    wanted: Arc<Wanted>,
}

impl Piece for FetchedPiece {
    fn rows(&self) -> usize {
        self.fetched.rows
    }

    fn bytes(&self) -> u64 {
        self.fetched.bytes.len() as u64
    }

    fn natives(&self) -> Result<Vec<Native>, SourceError> {
        let Fetched { bytes, rows } = &self.fetched;
        natives(bytes, *rows, &self.wanted.coming).map_err(|_| SourceError {
            kind: SourceErrorKind::System,
            file: self.wanted.name.to_string(),
            line: None,
            message: "cannot be read: its rows have not the columns that it says".into(),
            help: "this is a fault of the program; please report it".into(),
        })
    }
}
