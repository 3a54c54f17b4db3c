//! Rows whose values have types already, as files of columns and databases hold them.
//!
//! What a plan asks for is mostly what is there, and goes over as it is. What it asks otherwise (a text read as a day, a
//! moment by the clock of a zone) is written as text and read as the cells of text are: there is one way to read a cell.

#[cfg(any(feature = "sqlite", feature = "mysql"))]
mod cells;
mod keys;
mod native;
mod part;
mod prints;
#[cfg(any(feature = "sqlite", feature = "mysql"))]
mod sent;
mod source;

#[cfg(any(feature = "sqlite", feature = "mysql"))]
pub(crate) use cells::{Cell, Growing};
pub(crate) use keys::Keys;
pub(crate) use native::Native;
pub(crate) use part::{Typed, needed};
#[cfg(any(feature = "sqlite", feature = "mysql"))]
pub(crate) use sent::{Filling, Told, sent};
pub(crate) use source::{Opened, Piece, Pieces, Stored, TypedSource};

#[cfg(test)]
mod tests;
