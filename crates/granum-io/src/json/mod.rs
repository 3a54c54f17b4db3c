//! JSON as web shops export it: objects one a line, or one list of all, with what lies in them named by its path.

mod cells;
mod file;
mod objects;
mod read;
mod seen;
mod write;

pub(crate) use read::{JsonSource, look};
pub(crate) use write::JsonWriter;

#[cfg(test)]
mod tests;
