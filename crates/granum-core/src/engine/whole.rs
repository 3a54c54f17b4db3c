//! A plan's run with its worked examples.

use super::context::RunError;
use super::example::worked_examples;
use super::inputs::Inputs;
use super::run::{LooksBack, Running, Want, run_with};
use super::trace::keys_taken_out;
use crate::lang::PlanTree;
use crate::port::{Observer, Sources};
use crate::tally::Report;

/// Runs a plan.
///
/// Everything that does not hold is in the report, which then says that nothing was written.
/// `settings` are the values given to parameters.
///
/// # Errors
/// [`RunError::Plan`] with every diagnostic if the plan is wrong, [`RunError::Source`] if a file
/// cannot be read, [`RunError::Output`] if an output cannot be written: then none is.
pub fn run(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    want: Want<'_>,
    observer: &dyn Observer,
) -> Result<Report, RunError> {
    run_as(tree, settings, sources, want, observer, Running::default())
}

/// The same, as is said.
///
/// # Errors
/// As [`run`].
pub fn run_as(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    want: Want<'_>,
    observer: &dyn Observer,
    running: Running<'_>,
) -> Result<Report, RunError> {
    let examples = |inputs: &Inputs| worked_examples(tree, &inputs.shapes(), sources);
    let looks_back = Some(keys_taken_out as LooksBack);
    run_with((tree, settings), sources, want, observer, running, examples, looks_back)
}
