//! Databases on a `PostgreSQL` server: tables in and out.
//!
//! All that a run reads of a database it sees at one moment: whoever reads shares a snapshot. Rows come as the server keeps
//! them, in pieces of the order of their key that several connections fetch, and are made into columns on any thread. What
//! is written is staged in the session that writes it and takes its place in one transaction.

mod address;
mod catalog;
mod decode;
mod encode;
mod kinds;
mod numeric;
mod order;
mod password;
mod read;
mod refill;
mod server;
mod session;
mod snapshot;
mod stage;
mod table;
mod target;
mod tls;
mod wrong;

pub(crate) use server::open;
pub(crate) use session::{begin, was_written};

#[cfg(test)]
mod tests;
