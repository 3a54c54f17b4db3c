//! How a finished column is held: by itself, or as some rows of a column that another table holds.

use super::{Bits, Column, ColumnId, Rows, TableId};

/// A finished column.
#[derive(Debug, Clone)]
pub(crate) enum Held {
    /// By itself.
    Own(Column),
    /// These rows of a column, none of them blank: a table that only leaves rows out of its base costs
    /// a number a row, however many columns it has.
    Seen { column: Column, rows: Rows },
}

impl Held {
    /// All its values in one piece.
    pub fn whole(&self) -> Column {
        match self {
            Self::Own(column) => column.clone(),
            Self::Seen { column, rows } => column.take(rows),
        }
    }

    /// The values of some rows; blank where `to` is.
    pub fn take(&self, to: &Rows) -> Column {
        match self {
            Self::Own(column) => column.take(to),
            Self::Seen { column, rows } => column.take(&to.follow(rows)),
        }
    }

    /// `length` rows from `offset` on.
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        match self {
            Self::Own(column) => Self::Own(column.slice(offset, length)),
            Self::Seen { column, rows } => {
                Self::Seen { column: column.clone(), rows: rows.slice(offset, length) }
            }
        }
    }

    /// The rows where `keep` is true.
    pub fn filter(&self, keep: &Bits) -> Self {
        match self {
            Self::Own(column) => Self::Own(column.filter(keep)),
            Self::Seen { column, rows } => {
                Self::Seen { column: column.clone(), rows: rows.filter(keep) }
            }
        }
    }

    /// Some rows of it, held as it is.
    pub fn of_rows(&self, to: &Rows) -> Self {
        match self {
            Self::Own(column) => Self::Own(column.take(to)),
            Self::Seen { column, rows } => {
                Self::Seen { column: column.clone(), rows: to.follow(rows) }
            }
        }
    }

    /// A row's value in words.
    pub fn text(&self, row: usize) -> String {
        match self {
            Self::Own(column) => column.scalar(row).to_string(),
            Self::Seen { column, rows } => column.scalar(rows.row(row)).to_string(),
        }
    }
}

/// A finished table: all its rows, and those of its columns that something needs.
#[derive(Debug, Clone, Default)]
pub(crate) struct Table {
    pub rows: usize,
    /// In their order; `None` where nothing needs the column, or nothing needs it any more.
    pub columns: Vec<Option<Held>>,
    /// For each table it comes from whose links are still followed: the row of that table that
    /// each row came from.
    pub origins: Vec<(TableId, Rows)>,
}

impl Table {
    /// A column that is there.
    pub fn column(&self, column: ColumnId) -> Option<&Held> {
        self.columns[column.0].as_ref()
    }

    pub fn origin(&self, table: TableId) -> Option<&Rows> {
        self.origins.iter().find(|(id, _)| *id == table).map(|(_, rows)| rows)
    }
}
