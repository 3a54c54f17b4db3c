//! How a finished column is held: by itself, as some rows of a column that another table holds, or away.

use std::sync::Arc;

use super::{Away, Bits, Column, ColumnId, RoomFile, Rows, TableId};

/// A finished column.
#[derive(Debug, Clone)]
pub(crate) enum Held {
    /// By itself.
    Own(Column),
    /// These rows of a column, none of them blank: a table that only leaves rows out of its base costs
    /// a number a row, however many columns it has.
    Seen { column: Column, rows: Rows },
    /// These rows, some of them perhaps blank, of a column that memory has no room for.
    Away { column: Away, rows: Rows },
}

impl Held {
    /// All rows of a column that is away.
    pub fn away(column: Away) -> Self {
        let rows = Rows::same(column.len());
        Self::Away { column, rows }
    }

    /// The same column, of which some rows are seen.
    fn with_rows(&self, rows: Rows) -> Self {
        match self {
            Self::Own(column) | Self::Seen { column, .. } => {
                Self::Seen { column: column.clone(), rows }
            }
            Self::Away { column, .. } => Self::Away { column: column.clone(), rows },
        }
    }

    /// What `work` makes of each one's rows, worked once for those that have the same; of one that is held by
    /// itself, what `own` makes of it.
    fn each(
        all: &[Option<Self>],
        own: impl Fn(&Column) -> Self,
        work: impl Fn(&Rows) -> Rows,
    ) -> Vec<Option<Self>> {
        let mut last: Option<(Rows, Rows)> = None;
        let one = |held: &Option<Self>| {
            let held = held.as_ref()?;
            let rows = match held {
                Self::Own(column) => return Some(own(column)),
                Self::Seen { rows, .. } | Self::Away { rows, .. } => rows,
            };
            let known = last.as_ref().filter(|(of, _)| of.is_same(rows));
            let made = match known {
                Some((_, made)) => made.clone(),
                None => work(rows),
            };
            last = Some((rows.clone(), made.clone()));
            Some(held.with_rows(made))
        };
        all.iter().map(one).collect()
    }

    /// `length` rows of each from `offset` on.
    pub fn each_sliced(all: &[Option<Self>], offset: usize, length: usize) -> Vec<Option<Self>> {
        let own = |column: &Column| Self::Own(column.slice(offset, length));
        Self::each(all, own, |rows| rows.slice(offset, length))
    }

    /// The rows of each where `keep` is true.
    pub fn each_filtered(all: &[Option<Self>], keep: &Bits) -> Vec<Option<Self>> {
        Self::each(all, |column| Self::Own(column.filter(keep)), |rows| rows.filter(keep))
    }

    /// Some rows of each, held as they are.
    pub fn each_of_rows(all: &[Option<Self>], to: &Rows) -> Vec<Option<Self>> {
        Self::each(all, |column| Self::Own(column.take(to)), |rows| to.follow(rows))
    }

    /// How many rows it has.
    pub fn len(&self) -> usize {
        match self {
            Self::Own(column) => column.len(),
            Self::Seen { rows, .. } | Self::Away { rows, .. } => rows.len(),
        }
    }

    /// Whether none of its rows is blank, as far as is known without getting it.
    pub fn is_full(&self) -> bool {
        match self {
            Self::Own(column) => column.blanks() == 0,
            Self::Seen { column, rows } => column.blanks() + rows.blanks() == 0,
            Self::Away { column, rows } => column.blanks() + rows.blanks() == 0,
        }
    }

    /// Whether it has to be got before it can be looked at.
    pub fn is_away(&self) -> bool {
        matches!(self, Self::Away { .. })
    }

    /// The file that it is in, if it is away.
    pub fn file(&self) -> Option<Arc<RoomFile>> {
        match self {
            Self::Own(_) | Self::Seen { .. } => None,
            Self::Away { column, .. } => Some(column.file()),
        }
    }

    /// All its values in one piece.
    pub fn whole(&self) -> Column {
        match self {
            Self::Own(column) => column.clone(),
            Self::Seen { column, rows } => column.take(rows),
            Self::Away { column, rows } => column.take(rows),
        }
    }

    /// The values of some rows; blank where `to` is.
    pub fn take(&self, to: &Rows) -> Column {
        match self {
            Self::Own(column) => column.take(to),
            Self::Seen { column, rows } => column.take(&to.follow(rows)),
            Self::Away { column, rows } => column.take(&to.follow(rows)),
        }
    }

    /// Some rows, held as they are where they are away.
    pub fn of_rows(&self, to: &Rows) -> Self {
        match self {
            Self::Own(_) | Self::Seen { .. } => Self::Own(self.take(to)),
            Self::Away { rows, .. } => self.with_rows(to.follow(rows)),
        }
    }

    /// `length` rows from `offset` on.
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        match self {
            Self::Own(column) => Self::Own(column.slice(offset, length)),
            Self::Seen { rows, .. } | Self::Away { rows, .. } => {
                self.with_rows(rows.slice(offset, length))
            }
        }
    }

    /// A row's value in words.
    pub fn text(&self, row: usize) -> String {
        match self {
            Self::Own(column) => column.scalar(row).to_string(),
            Self::Seen { column, rows } => column.scalar(rows.row(row)).to_string(),
            Self::Away { column, rows } => column.slice(rows.row(row), 1).scalar(0).to_string(),
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
