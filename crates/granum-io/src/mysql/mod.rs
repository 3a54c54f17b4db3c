//! Databases on a `MySQL` or `MariaDB` server: tables in and out.
//!
//! All that a run reads of a database comes over one connection, whose transaction sees it at one moment; a thread makes
//! columns of the rows. What is written goes into tables beside its own, which take their names at the end, all at once.

mod address;
mod catalog;
mod cells;
mod encode;
mod kinds;
mod read;
mod session;
mod table;
mod target;
mod wrong;

pub(crate) use read::open;
pub(crate) use session::{begin, was_written};

#[cfg(test)]
mod tests;
