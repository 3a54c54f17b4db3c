//! Rows as they come → blocks of one size, so that a file has the same bytes whatever they came in.

use granum_core::table::Column;

/// Rows that wait for their block to be full.
pub(super) struct Blocks {
    size: usize,
    waiting: Vec<Vec<Column>>,
    rows: usize,
}

impl Blocks {
    pub fn new(size: usize) -> Self {
        Self { size, waiting: vec![], rows: 0 }
    }

    /// Adds rows; gives the blocks that are full.
    pub fn take(&mut self, columns: Vec<Column>, rows: usize) -> Vec<Vec<Column>> {
        let mut full = vec![];
        let mut from = 0;
        while rows - from >= self.size - self.rows {
            let count = self.size - self.rows;
            self.waiting.push(columns.iter().map(|column| column.slice(from, count)).collect());
            from += count;
            full.extend(self.rest());
        }
        if from < rows {
            let count = rows - from;
            self.waiting.push(columns.iter().map(|column| column.slice(from, count)).collect());
            self.rows += count;
        }
        full
    }

    /// The rows that wait, if any.
    pub fn rest(&mut self) -> Option<Vec<Column>> {
        self.rows = 0;
        let waiting = std::mem::take(&mut self.waiting);
        (!waiting.is_empty()).then(|| Column::concat_each(&waiting))
    }
}
