//! Files of whole columns: Parquet, and Arrow's two kinds, a file and a stream.
//!
//! Their columns have types, which are taken over. Only those columns that are asked for are read, in pieces of so many rows,
//! and both cores make columns of pieces. Rows are told by their numbers, from 1 on in each file.

mod arrays;
mod blocks;
mod fields;
mod ipc;
mod made;
mod open;
mod parquet;
mod picked;
mod seen;
mod write;

pub(crate) use ipc::stream;
pub(crate) use open::{look, open};
pub(crate) use write::{ColumnsWriter, Kind};

#[cfg(test)]
mod tests;
