//! Rows of columns as lines of text.
//!
//! Cells are made column by column, and only those that are not as in the row above: units of one line, and lines of
//! one order, mostly repeat them. Then each line is put together of new cells and of runs of the line above.

mod line;
mod made;

use granum_core::table::Column;

use line::{Lines, WATCHED};
use made::{Cells, Place};

use super::signs::Signs;

/// Rows whose cells are made at a time: they stay in the processor's cache until their lines are put together.
const AT_ONCE: usize = if cfg!(test) { 7 } else { 1 << 9 };

/// The lines of rows.
#[cfg(test)]
pub(super) fn bytes_of(columns: &[Column], rows: usize, signs: Signs) -> Vec<u8> {
    Desk::default().lines(columns, rows, signs, vec![])
}

/// What lines are made on. It is kept for other rows, since memory that is had anew costs as much as the work.
#[derive(Default)]
pub(super) struct Desk {
    /// For each row a bit for each watched column whose value is not that of the row above.
    changes: Vec<u64>,
    /// For each row whether its value in one column is another one: 1 or 0. With rows that are not there, so
    /// that they are looked at in eights.
    marks: Vec<u8>,
    /// The rows that have another value in one column.
    changed: Vec<u32>,
    cells: Cells,
}

impl Desk {
    /// The lines of rows, in memory that was had before.
    pub fn lines(
        &mut self,
        columns: &[Column],
        rows: usize,
        signs: Signs,
        memory: Vec<u8>,
    ) -> Vec<u8> {
        let mut lines = Lines::new(memory, columns.len(), rows);
        for from in (0..rows).step_by(AT_ONCE) {
            let count = AT_ONCE.min(rows - from);
            // With the row above, that changes are seen.
            let above = from.min(1);
            let own = |column: &Column| column.slice(from - above, above + count);
            self.changes.clear();
            self.changes.resize((above + count).next_multiple_of(8), 0);
            self.fill(&columns.iter().map(own).collect::<Vec<_>>(), above + count, above, signs);
            lines.expect_cells(&self.cells);
            for changes in &self.changes[above..above + count] {
                lines.go_on(*changes, &mut self.cells);
            }
        }
        lines.finish()
    }

    /// Makes the cells of some rows that are not as those above them. The first `above` rows are looked at alone.
    fn fill(&mut self, columns: &[Column], rows: usize, above: usize, signs: Signs) {
        self.changed.resize(self.changes.len(), 0);
        self.cells.clear();
        for (at, column) in columns.iter().enumerate() {
            let count = if at < WATCHED {
                self.marks.clear();
                self.marks.resize(self.changes.len(), 0);
                column.mark_changes(&mut self.marks[..rows]);
                // A first row has none above it.
                self.marks[0] = u8::from(above == 0);
                take_marked(&self.marks, 1 << at, &mut self.changes, &mut self.changed)
            } else {
                let all = (above..rows).zip(&mut self.changed);
                all.map(|(row, changed)| *changed = row as u32).count()
            };
            let place = Place { alone: columns.len() == 1, last: at + 1 == columns.len() };
            self.cells.add(column, &self.changed[..count], place, signs);
        }
        self.cells.close();
    }
}

/// Sets `bit` for rows that are marked, and lists them; how many they are.
fn take_marked(marks: &[u8], bit: u64, changes: &mut [u64], rows: &mut [u32]) -> usize {
    let mut count = 0;
    for (at, eight) in marks.as_chunks::<8>().0.iter().enumerate() {
        let mut left = u64::from_le_bytes(*eight);
        while left != 0 {
            let row = 8 * at + left.trailing_zeros() as usize / 8;
            changes[row] |= bit;
            rows[count] = row as u32;
            count += 1;
            left &= left - 1;
        }
    }
    count
}
