//! The core of Granum: values, tables, links, steps, the plan language, the engine and the tally.
//!
//! Nothing here knows files, terminals or clocks. A program gives the engine a plan's text, a
//! [`port::Sources`] that reads inputs and [`port::Outputs`] that take results, and gets
//! back a report of what happened to every row and amount.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod aggregate;
mod bug;
mod by_hash;
mod by_order;
pub mod compare;
pub mod draft;
pub mod engine;
pub mod expr;
mod grain;
pub mod lang;
pub mod likeness;
pub mod link;
pub mod names;
#[cfg(feature = "parts")]
pub mod parts;
pub mod port;
pub mod relate;
pub mod resolve;
mod step;
pub mod survey;
pub mod table;
pub mod tally;
pub mod value;

pub use bug::{Bug, Sure};
