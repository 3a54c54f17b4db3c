//! `SQLite` files: tables of a database, in and out.
//!
//! A table is read in the order of its key, by a thread of its own that makes columns of its rows; if somebody changes the
//! file meanwhile, that is told. What is written is staged in a file beside the database and put into it at the end, in one
//! transaction.

mod kinds;
mod open;
mod read;
mod refill;
mod table;
mod values;
mod write;

pub(crate) use open::{copy, tables};
pub(crate) use read::{look, open};
pub(crate) use refill::refill;
pub(crate) use write::Databases;

#[cfg(test)]
mod tests;
