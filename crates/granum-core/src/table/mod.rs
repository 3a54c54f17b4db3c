//! Columns, batches of rows, whole tables, and where rows came from.

mod amount;
mod batch;
mod codes;
mod column;
mod gather;
mod growing;
mod place;

pub use amount::Amount;
pub(crate) use batch::Batch;
pub(crate) use codes::Codes;
pub use column::Column;
pub(crate) use column::INLINE;
pub(crate) use growing::Stack;
pub use growing::{ColumnBuilder, Texts, Values};
pub use place::{Lines, Place, Places};

use arrow_array::UInt32Array;

/// A table's number in its plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize)]
pub struct TableId(pub usize);

/// A finished table: all its rows, and those of its columns that something needs.
#[derive(Debug, Clone, Default)]
pub struct Table {
    /// How many rows it has.
    pub rows: usize,
    /// Its columns in order; `None` where nothing needs the column.
    pub columns: Vec<Option<Column>>,
    /// For each table it comes from whose links are still followed: the row of that table that
    /// each row came from.
    pub origins: Vec<(TableId, UInt32Array)>,
    /// For an input: where its rows stand in its files.
    pub places: Option<Places>,
}

impl Table {
    pub(crate) fn origin(&self, table: TableId) -> Option<&UInt32Array> {
        self.origins.iter().find(|(id, _)| *id == table).map(|(_, rows)| rows)
    }
}

#[cfg(test)]
mod tests;
