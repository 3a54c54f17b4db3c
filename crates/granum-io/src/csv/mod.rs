//! CSV as it is met in life: strict about quotes and row lengths, exact about lines, and parsed in
//! parallel parts.

mod cells;
mod footer;
mod foreign;
mod grid;
mod letters;
mod lines;
mod look;
mod numbers;
mod part;
mod quotes;
mod reader;
mod records;
mod scan;
mod signs;
mod source;
mod write;

#[cfg(feature = "sheets")]
pub(crate) use footer::totals;
pub(crate) use look::look;
pub use look::{LineEnds, Look};
pub(crate) use part::WithoutValue;
#[cfg(feature = "sheets")]
pub(crate) use part::cell;
pub(crate) use part::{CsvPart, Layout, MadeOf, settled_type};
pub use reader::Splitter;
pub(crate) use reader::{changed, not_kept, system_error};
pub use scan::{Fault, Field, Scanner};
pub(crate) use source::CsvSource;
pub(crate) use source::stacked;
pub(crate) use write::{CsvWriter, write_row};

#[cfg(test)]
mod tests;
