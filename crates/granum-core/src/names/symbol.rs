//! A name of a plan, and where it stands.

use crate::lang::Span;

/// What a name is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Meaning {
    /// An input.
    Input,
    /// A table.
    Table,
    /// A parameter.
    Parameter,
    /// A link that has a name of its own, or its way back.
    Link,
    /// A column.
    Column,
}

/// Something that has a name.
#[derive(Debug, Clone)]
pub struct Symbol {
    /// What it is.
    pub meaning: Meaning,
    /// Its name.
    pub name: String,
    /// Of a column and a link the table where it is made.
    pub table: Option<String>,
    /// Where the plan makes it; of a column of files nowhere.
    pub made: Option<Span>,
    /// All places where it stands, that among them, in their order.
    pub uses: Vec<Use>,
    /// Whether files give it its name.
    pub of_files: bool,
    /// Whether its name becomes a value of rows: of a column that `turn` turns, of a table of a labelled stack.
    pub is_value: bool,
}

impl Symbol {
    /// The place of its name that a byte of the text is at, or just behind.
    pub fn at(&self, byte: usize) -> Option<&Use> {
        self.uses.iter().find(|one| one.span.start <= byte && byte <= one.span.end)
    }
}

/// A place where a name stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Use {
    /// The place.
    pub span: Span,
    /// How it stands there.
    pub stands: Stands,
}

/// How a name stands in a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stands {
    /// As a name.
    Plain,
    /// As a key of a link that both tables call so, of the left table: the right one's name.
    LeftOf(String),
    /// The same of the right table: the left one's name.
    RightOf(String),
    /// Between braces in a text.
    InText,
    /// At the head of rows that stand in the plan.
    InRows,
}
