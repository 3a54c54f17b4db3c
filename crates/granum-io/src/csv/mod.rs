//! CSV as it is met in life: strict about quotes and row lengths, exact about lines, and parsed in
//! parallel parts.

mod cells;
mod footer;
mod foreign;
mod grid;
mod look;
mod part;
mod reader;
mod records;
mod scan;
mod source;
mod stream;
mod write;
mod zstandard;

pub(crate) use look::look;
pub use look::{LineEnds, Look};
pub use reader::Splitter;
pub use scan::{Fault, Field, Scanner};
pub(crate) use source::CsvSource;
pub(crate) use write::CsvWriter;

#[cfg(test)]
mod tests;
