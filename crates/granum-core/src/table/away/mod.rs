//! Columns that are away: on a disk, while memory has no room for them.
//!
//! A column that grows, or that a finished table holds, is put away in blocks of rows, each block as few bytes as its
//! array. Where rows are looked at, their blocks are got again, so that what reads them sees columns as ever.

mod bytes;
mod column;
mod kept;
mod room;
mod scattered;
mod scratch;

pub(crate) use column::{Away, AwayBuilder};
pub use room::Room;
pub(crate) use room::RoomFile;
pub(crate) use scattered::{InOrder, Scattered, parts, parts_of};
pub use scratch::{Scratch, ScratchError, ScratchFile};

#[cfg(test)]
mod tests;
