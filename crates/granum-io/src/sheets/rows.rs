//! Cells in the order of a file → whole rows.

use granum_core::port::SourceError;

use super::area::Area;
use super::book::Book;
use super::cell::{Shown, Value, write};

/// The cells of one row that show something, or should.
#[derive(Debug, Default, Clone)]
pub(super) struct Row {
    /// Its number, counted from 0.
    pub number: u32,
    text: String,
    /// Each by its column, counted from 0, where its text ends, and what it is.
    cells: Vec<(u32, usize, Shown)>,
}

impl Row {
    /// The cells: column, text, what it is.
    pub fn cells(&self) -> impl Iterator<Item = (u32, &str, Shown)> {
        let starts = std::iter::once(0).chain(self.cells.iter().map(|(_, end, _)| *end));
        self.cells
            .iter()
            .zip(starts)
            .map(|((column, end, shown), start)| (*column, &self.text[start..*end], *shown))
    }

    pub fn is_empty(&self) -> bool {
        self.cells.is_empty()
    }

    fn clear(&mut self, number: u32) {
        self.number = number;
        self.text.clear();
        self.cells.clear();
    }

    fn push(&mut self, column: u32, value: &Value<'_>) {
        let shown = write(value, &mut self.text);
        if shown != Shown::Blank {
            self.cells.push((column, self.text.len(), shown));
        }
    }
}

/// Gives the rows of a sheet that show something within an area, in their order, as long as more are wanted. A row is
/// taken, or left to be filled again.
///
/// # Errors
/// Why it cannot be read; or what `each` says.
pub(super) fn rows(
    book: &mut Book,
    sheet: &str,
    area: Area,
    each: &mut dyn FnMut(&mut Row) -> Result<bool, SourceError>,
) -> Result<(), SourceError> {
    let mut row = Row::default();
    let mut wanted = true;
    book.cells(sheet, &mut |number, column, value| {
        if number > area.rows.1 {
            return Ok(false);
        }
        if number < area.rows.0 || !area.has_column(column) {
            return Ok(true);
        }
        if number != row.number {
            if !row.is_empty() {
                wanted = each(&mut row)?;
            }
            row.clear(number);
        }
        if wanted {
            row.push(column, &value);
        }
        Ok(wanted)
    })?;
    if wanted && !row.is_empty() {
        each(&mut row)?;
    }
    Ok(())
}
