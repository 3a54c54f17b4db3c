//! What can be called in expressions.

use crate::aggregate::AGGREGATES;
use crate::expr::FUNCTIONS;
use crate::lang::{STATEMENTS, STEPS, TYPES};

/// A function or an aggregate.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Call {
    /// Its name.
    pub name: &'static str,
    /// How it is called.
    pub signature: &'static str,
    /// What it gives, in one sentence.
    pub says: &'static str,
    /// A call, and what it gives.
    pub example: (&'static str, &'static str),
}

/// All functions, then all aggregates, as the reference lists them.
pub fn calls() -> impl Iterator<Item = Call> {
    let functions = FUNCTIONS.iter().map(|function| Call {
        name: function.name,
        signature: function.signature,
        says: function.doc,
        example: function.example,
    });
    let aggregates = AGGREGATES.iter().map(|aggregate| Call {
        name: aggregate.name,
        signature: aggregate.signature,
        says: aggregate.says,
        example: aggregate.example,
    });
    functions.chain(aggregates)
}

/// The words that statements begin with, those that steps begin with, and those of types.
pub fn words() -> [&'static [&'static str]; 3] {
    [STATEMENTS, STEPS, TYPES]
}
