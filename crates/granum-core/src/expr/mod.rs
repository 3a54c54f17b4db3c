//! Typed expressions, worked over whole columns.

mod arithmetic;
pub(crate) mod calendar;
mod compare;
mod convert;
mod evaluate;
mod function;
mod kernel;
mod pattern;
mod search;
mod typed;
mod world;

pub(crate) use evaluate::{Scope, evaluate, evaluate_all, evaluate_noting, truth};
pub(crate) use function::find as find_function;
pub use function::{FUNCTIONS, Function, Gives, Takes};
pub(crate) use kernel::{Failing, FailureKind, RowFailure, texts};
pub(crate) use pattern::{NoPattern, Pattern, wrong_group};
pub(crate) use typed::{Arithmetic, Kind, Logic, Typed};
pub(crate) use world::{Gathered, LeadingRows, World};

#[cfg(test)]
mod tests;
