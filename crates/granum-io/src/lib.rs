//! Reading and writing the formats that tables come from and go to. Knows files, and no plans.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod ahead;
mod at;
#[cfg(feature = "columnar")]
mod columnar;
mod coming;
pub mod csv;
mod files;
mod find;
mod format;
mod formats;
#[cfg(any(feature = "sheets", feature = "columnar"))]
mod guarded;
mod json;
#[cfg(feature = "mysql")]
mod mysql;
mod packed;
mod parts;
mod picture;
mod place;
#[cfg(feature = "postgres")]
mod postgres;
mod scratch;
// What only some databases need is there for all.
#[cfg_attr(not(all(feature = "postgres", feature = "mysql")), allow(dead_code, unused_imports))]
mod served;
mod servers;
#[cfg(feature = "sheets")]
mod sheets;
mod spool;
#[cfg(feature = "sqlite")]
mod sqlite;
mod stream;
#[cfg_attr(not(all(feature = "columnar", feature = "sqlite")), allow(dead_code, unused_imports))]
mod typed;
mod unfinished;
mod zstandard;

pub use csv::{LineEnds, Look};
pub use files::{Files, Painter, write_file};
pub use find::shown_name;
pub use formats::{copy_database, file_and_part, has_tables, is_database, write_stream};
pub use granum_core::tally::part_name;
pub use place::LeftRun;
pub use scratch::ScratchFolder;
pub use unfinished::take_back;

#[cfg(test)]
mod round_trips;
#[cfg(test)]
mod tests;
