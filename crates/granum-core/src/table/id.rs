//! What stands for tables, columns and links: numbers in a plan.

use serde::Serialize;

/// A table's number in its plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TableId(pub usize);

/// A version of a column within a table's steps. `add` and `change` make a new one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct SlotId(pub usize);

/// A column of a finished table, or of the files of an input, by its place among them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct ColumnId(pub usize);

/// A link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct LinkId(pub usize);

/// What is gathered against a link for each row of the link's target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct GatherId(pub usize);

/// An aggregate over a whole table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct TotalId(pub usize);

/// One stretch of a path: along a link, or between a table's row and the row of its base.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Hop {
    /// To the row that a link leads to.
    Link(LinkId),
    /// To the row of its base that a row of a table came from.
    Origin { of: TableId, base: TableId },
    /// The other way: to the row that a row of the base became, if it is still there.
    Within { of: TableId, base: TableId },
}
