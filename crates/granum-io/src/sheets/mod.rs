//! Books of sheets, as spreadsheets keep them: Office Open XML and `OpenDocument`, and what came before.
//!
//! A sheet is gone through once. What its cells show becomes text with signs between, in a temporary file, which is then
//! read as such text is: by both cores, and without the sheet in memory. Cells that have no value (errors, formulas that
//! nobody worked, what a merged cell covers) are blank there, and are known by their places.

mod area;
mod book;
mod cell;
mod look;
mod rows;
mod sheet;
mod source;
mod translate;
mod typed;
mod write;

pub(crate) use book::tables;
pub(crate) use look::look;
pub(crate) use source::SheetSource;
pub(crate) use write::Books;

#[cfg(test)]
mod tests;
