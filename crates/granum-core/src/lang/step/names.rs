//! `columns` and `rename`.

use serde::{Deserialize, Serialize};

use super::super::format::layout::{Layout, name};
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::Name;
use super::super::token::Span;
use super::StepKind;

/// `NAME [as NEW]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ColumnTree {
    /// The column that stays.
    pub column: Name,
    /// Its new name.
    pub new: Option<Name>,
}

/// `OLD to NEW`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RenameTree {
    /// The name it has.
    pub old: Name,
    /// The name it gets.
    pub new: Name,
}

impl Parser {
    pub(super) fn columns(&mut self) -> Found<StepKind> {
        let mut columns = vec![];
        loop {
            let column = self.name("a column to keep")?;
            let new = if self.take_word("as") { Some(self.name("its new name")?) } else { None };
            columns.push(ColumnTree { column, new });
            if !self.take_sign(",") {
                return Ok(StepKind::Columns(columns));
            }
        }
    }

    pub(super) fn rename(&mut self) -> Found<StepKind> {
        let mut renames = vec![];
        loop {
            let old = self.name("a column to rename")?;
            self.need_word("to", "`to` and the new name")?;
            let new = self.name("the new name")?;
            renames.push(RenameTree { old, new });
            if !self.take_sign(",") {
                return Ok(StepKind::Rename(renames));
            }
        }
    }
}

impl Layout<'_> {
    pub(super) fn columns(&mut self, span: Span, indent: usize, columns: &[ColumnTree]) {
        let items = columns.iter().map(|column| match &column.new {
            Some(new) => format!("{} as {}", name(&column.column), name(new)),
            None => name(&column.column),
        });
        self.list(span, "columns", indent, &items.collect::<Vec<_>>());
    }

    pub(super) fn renames(&mut self, span: Span, indent: usize, renames: &[RenameTree]) {
        let items =
            renames.iter().map(|rename| format!("{} to {}", name(&rename.old), name(&rename.new)));
        self.list(span, "rename", indent, &items.collect::<Vec<_>>());
    }
}
