//! `columns`, `rename` and `track`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
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

/// `COLUMN, … [in COLUMN]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TrackTree {
    /// The amounts.
    pub names: Vec<Name>,
    /// What says in which currency, or other measure, each row of them is.
    pub apart: Option<Name>,
}

impl Parser {
    pub(super) fn track(&mut self) -> Found<StepKind> {
        let names = self.names("an amount to track")?;
        let apart = if self.take_word("in") {
            Some(self.name("the column that says in which currency, or the like, they are")?)
        } else {
            None
        };
        if apart.is_some() && self.is_sign(",") {
            let message = "all amounts of one `track` are in what stands behind `in`";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, self.span(), message)
                    .help("track the others by a step of their own:  track net, freight in currency  track quantity"),
            );
        }
        Ok(StepKind::Track(TrackTree { names, apart }))
    }

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

    pub(super) fn track(&mut self, span: Span, indent: usize, tree: &TrackTree) {
        let mut names: Vec<String> = tree.names.iter().map(name).collect();
        if let (Some(apart), Some(last)) = (&tree.apart, names.last_mut()) {
            last.push_str(&format!(" in {}", name(apart)));
        }
        self.list(span, "track", indent, &names);
    }

    pub(super) fn renames(&mut self, span: Span, indent: usize, renames: &[RenameTree]) {
        let items =
            renames.iter().map(|rename| format!("{} to {}", name(&rename.old), name(&rename.new)));
        self.list(span, "rename", indent, &items.collect::<Vec<_>>());
    }
}
