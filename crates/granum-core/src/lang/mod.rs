//! The plan language: text → tokens → syntax tree, and the tree back to text in one layout.

mod ast;
mod diagnostic;
mod format;
mod lexer;
mod parse;
mod token;

pub use ast::*;
pub use diagnostic::{Diagnostic, DiagnosticKind, nearest};
pub(crate) use format::quoted;
pub use format::{format_expression, format_plan, format_step, plan_name};
pub use parse::{Parsed, parse};
pub use token::Span;

#[cfg(test)]
mod tests;
