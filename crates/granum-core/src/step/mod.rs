//! The steps that are more than an expression.

pub(crate) mod dedupe;
pub(crate) mod units;

#[cfg(test)]
mod tests;
