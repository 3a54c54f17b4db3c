//! Reading and writing the formats that tables come from and go to. Knows files, and no plans.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

#[cfg(feature = "columnar")]
mod columnar;
pub mod csv;
mod files;
mod find;
mod format;
mod formats;
#[cfg(any(feature = "sheets", feature = "columnar"))]
mod guarded;
mod json;
mod packed;
mod parts;
mod place;
#[cfg(feature = "sheets")]
mod sheets;
mod spool;
#[cfg(feature = "sqlite")]
mod sqlite;
mod stream;
#[cfg(any(feature = "columnar", feature = "sqlite"))]
mod typed;
mod unfinished;
mod zstandard;

pub use csv::{LineEnds, Look};
pub use files::{Files, write_file};
pub use find::shown_name;
pub use formats::{copy_database, file_and_part, is_database, write_stream};
pub use granum_core::tally::part_name;
pub use place::LeftRun;
pub use unfinished::take_back;

#[cfg(test)]
mod round_trips;
#[cfg(test)]
mod tests;
