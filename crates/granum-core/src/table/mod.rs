//! Columns, batches of rows, whole tables, and where rows came from.

mod amount;
mod array;
mod away;
mod batch;
mod codes;
mod column;
mod growing;
mod held;
mod id;
mod packed;
mod place;
mod rows;
mod stack;

pub use amount::{Amount, InWhat};
pub use array::{
    Bits, BitsBuilder, Fixed, Native, Present, PresentBuilder, TextBuilder, Texts, Truths, Whole,
    Wide,
};
pub(crate) use array::{PIECE, View};
pub(crate) use away::{Away, AwayBuilder, InOrder, RoomFile, Scattered, parts, parts_of};
pub use away::{Room, Scratch, ScratchError, ScratchFile};
pub(crate) use batch::Batch;
pub(crate) use codes::{AwayCodes, Codes};
pub use column::Column;
pub(crate) use growing::GrowingColumn;
pub use growing::{ColumnBuilder, GrowingUnits, GrowingValues};
pub(crate) use held::{Held, Table};
pub use id::TableId;
pub(crate) use id::{ColumnId, GatherId, Hop, LinkId, SlotId, TotalId};
pub use place::{Counted, Lines, Origin, Place, Places};
pub use rows::Rows;
pub(crate) use rows::RowsBuilder;
pub(crate) use stack::Stack;

#[cfg(test)]
mod tests;
