//! Columns, batches of rows, whole tables, and where rows came from.

mod amount;
mod array;
mod batch;
mod codes;
mod column;
mod growing;
mod id;
mod place;
mod rows;

pub use amount::Amount;
pub(crate) use array::View;
pub use array::{
    Bits, BitsBuilder, Fixed, Native, Present, PresentBuilder, TextBuilder, Texts, Truths,
};
pub(crate) use batch::Batch;
pub(crate) use codes::Codes;
pub use column::Column;
pub(crate) use growing::Stack;
pub use growing::{ColumnBuilder, GrowingValues};
pub use id::TableId;
pub(crate) use id::{GatherId, Hop, LinkId, SlotId, TotalId};
pub use place::{Lines, Place, Places};
pub use rows::Rows;
pub(crate) use rows::RowsBuilder;

/// A finished table: all its rows, and those of its columns that something needs.
#[derive(Debug, Clone, Default)]
pub struct Table {
    /// How many rows it has.
    pub rows: usize,
    /// Its columns in order; `None` where nothing needs the column.
    pub columns: Vec<Option<Column>>,
    /// For each table it comes from whose links are still followed: the row of that table that
    /// each row came from.
    pub origins: Vec<(TableId, Rows)>,
}

impl Table {
    pub(crate) fn origin(&self, table: TableId) -> Option<&Rows> {
        self.origins.iter().find(|(id, _)| *id == table).map(|(_, rows)| rows)
    }
}

#[cfg(test)]
mod tests;
