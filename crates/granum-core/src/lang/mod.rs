//! The plan language: text → tokens → syntax tree, and the tree back to text in one layout.

mod ast;
mod diagnostic;
mod example;
pub(crate) mod foreign;
mod format;
mod lexer;
mod link;
mod parse;
mod pieces;
mod preference;
mod step;
mod terms;
mod token;

pub use ast::*;
pub use diagnostic::{Diagnostic, DiagnosticKind, nearest, nearest_or_longer};
pub use example::{ExampleTree, OutcomeTree, RowsTree};
pub use format::{format_expression, format_plan, format_step, plan_name};
pub(crate) use format::{quoted, table_head};
pub use link::{LinkKeyTree, LinkTree, PeriodEndTree, PeriodTree, RequiredTree};
pub(crate) use parse::cursor::{STATEMENTS, TYPES};
pub use parse::{Parsed, parse, parse_from};
pub use pieces::{PieceKind, pieces};
pub use preference::Preference;
pub use step::{
    AllocateTree, AllowTree, AssignTree, ColumnTree, DedupeKeep, ExpandTree, KeyTree, OddQuantity,
    Otherwise, ReadTree, RenameTree, SplitTree, StepKind, StepTree, TopCount, TrackTree, TurnTree,
    TurnedTree, UnitsPolicy,
};
pub(crate) use step::{STEPS, one_row};
pub use terms::*;
pub use token::Span;

#[cfg(test)]
mod tests;
