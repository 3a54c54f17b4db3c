//! Worked examples: a plan run over rows that stand in it, and what must come of them.

mod compare;
mod real;
mod rows;

use std::collections::{HashMap, HashSet};

use super::context::RunError;
use super::inputs::{Inputs, wrong_block};
use super::run::{Running, Want, run_with};
use super::show::{Showing, show};
use crate::lang::{ExampleTree, Name, OutcomeTree, PlanTree, RowsTree, Statement, StatementKind};
use crate::port::{InputShape, Silent, Sources};
use crate::resolve::{input_specs, resolve, unknown_columns};
use crate::tally::{ExampleTally, GivenTable, Report};
use crate::value::Type;
use compare::compare;
pub use real::{Differs, RealExample, real_example};
use rows::{ExampleRows, read_given};

/// The columns of inputs by name: those that are known from files.
pub(super) type Shapes = HashMap<String, InputShape>;

/// Runs the worked examples of a plan alone: no file need be there. What is there says which columns and
/// types inputs have.
///
/// # Errors
/// As [`run`](super::run).
pub fn run_examples(tree: &PlanTree, sources: &dyn Sources) -> Result<Report, RunError> {
    let mut known = Shapes::new();
    for spec in input_specs(tree) {
        if sources.at_rest(&spec)
            && let Ok(source) = sources.open(&spec)
        {
            known.insert(spec.name, source.shape());
        }
    }
    Ok(Report { examples: worked_examples(tree, &known, sources)?, ..Report::default() })
}

/// Works all examples of a plan whose inputs have these columns.
///
/// # Errors
/// [`RunError::Plan`] where an example's rows are not such as its tables have.
pub(super) fn worked_examples(
    tree: &PlanTree,
    known: &Shapes,
    sources: &dyn Sources,
) -> Result<Vec<ExampleTally>, RunError> {
    let examples = tree.statements.iter().filter_map(|statement| match &statement.kind {
        StatementKind::Example(example) => Some((statement, example)),
        _ => None,
    });
    examples.map(|example| worked_example(tree, example, known, sources)).collect()
}

fn worked_example(
    tree: &PlanTree,
    (statement, example): (&Statement, &ExampleTree),
    known: &Shapes,
    sources: &dyn Sources,
) -> Result<ExampleTally, RunError> {
    let plan = plan_of(tree, example);
    let rows = example_rows(&plan, (statement, example), known, sources)?;
    let none = |_: &Inputs| Ok(vec![]);
    let running = Running::default();
    let report = run_with((&plan, &[]), &rows, Want::Check, &Silent, running, none, None)
        .map_err(|error| in_blocks(error, example))?;
    let mut tally = ExampleTally {
        title: example.title.text.clone(),
        held: false,
        stops: None,
        problems: report.problems,
        gives: vec![],
    };
    match &example.outcome {
        OutcomeTree::Stops(kind) => {
            tally.stops = Some(kind.text.clone());
            tally.held = !tally.problems.is_empty()
                && tally.problems.iter().all(|problem| problem.kind() == kind.text);
        }
        OutcomeTree::Gives(gives) if tally.problems.is_empty() => {
            for given in gives {
                tally.gives.push(came_out(&plan, given, &rows)?);
            }
            tally.held = tally.gives.iter().all(|given| given.held);
        }
        OutcomeTree::Gives(_) => {}
    }
    Ok(tally)
}

/// The rows of an example in place of a plan's files, with all columns that the plan needs of them.
///
/// # Errors
/// A block that is not such as its table, and what else is wrong with the example.
fn example_rows<'a>(
    plan: &PlanTree,
    (statement, example): (&Statement, &'a ExampleTree),
    known: &'a Shapes,
    sources: &'a dyn Sources,
) -> Result<ExampleRows<'a>, RunError> {
    let mut rows = ExampleRows::new(example, known, sources);
    // Columns of inputs without a file are those that the plan names on them.
    loop {
        let shapes =
            rows.shapes(plan).map_err(|error| in_blocks(RunError::Source(error), example))?;
        let mut more = false;
        for (table, column) in unknown_columns(plan, &shapes) {
            for input in inputs_of(plan, &table) {
                more |= rows.add_column(&input, &column);
            }
        }
        if !more {
            // What it says itself may be wrong as well.
            let mut whole = plan.clone();
            whole.statements.push(statement.clone());
            resolve(&whole, &shapes, &[]).map_err(RunError::Plan)?;
            break;
        }
    }
    Ok(rows)
}

/// The plan as an example runs it: without what is asked of real data, and what is written.
fn plan_of(tree: &PlanTree, example: &ExampleTree) -> PlanTree {
    let statement = |statement: &Statement| -> Option<Statement> {
        let mut statement = statement.clone();
        match &mut statement.kind {
            StatementKind::Check(_)
            | StatementKind::Output(_)
            | StatementKind::Chart(_)
            | StatementKind::Example(_) => return None,
            StatementKind::Link(link) => link.required = None,
            StatementKind::Param(param) => {
                let set = example.set.iter().find(|(name, _)| name.text == param.name.text);
                if let Some((_, value)) = set {
                    param.value = value.clone();
                }
            }
            _ => {}
        }
        Some(statement)
    };
    PlanTree { statements: tree.statements.iter().filter_map(statement).collect() }
}

/// The inputs that a table's rows come from.
fn inputs_of(plan: &PlanTree, table: &str) -> Vec<String> {
    let (mut open, mut found) = (vec![table], vec![]);
    let mut seen = HashSet::new();
    while let Some(name) = open.pop() {
        if !seen.insert(name) {
            continue;
        }
        for statement in &plan.statements {
            match &statement.kind {
                StatementKind::Input(input) if input.name.text == name => {
                    found.push(name.to_owned());
                }
                StatementKind::Table(table) if table.name.text == name => {
                    open.push(&table.base.text);
                    open.extend(table.more.tables().iter().map(|table| table.text.as_str()));
                }
                _ => {}
            }
        }
    }
    found
}

/// What a table came out with, beside what is given.
fn came_out(
    plan: &PlanTree,
    given: &RowsTree,
    rows: &ExampleRows<'_>,
) -> Result<GivenTable, RunError> {
    let showing = Showing { table: given.table.text.clone(), ..Showing::default() };
    let shown = show(plan, &[], rows, &showing, &Silent)?;
    let types: Vec<(String, Type)> =
        shown.columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
    let expected = read_given(given, &types, rows.sources())?;
    let ordered = plan.statements.iter().any(|statement| match &statement.kind {
        StatementKind::Table(table) => {
            table.name.text == given.table.text && table.steps.iter().any(|step| step.kind.orders())
        }
        _ => false,
    });
    Ok(compare(given, &shown, &expected, ordered))
}

/// What messages call the rows of an example.
fn called(table: &Name) -> String {
    format!("block {}", table.text)
}

/// What is wrong with the rows of a block is wrong with the plan.
fn in_blocks(error: RunError, example: &ExampleTree) -> RunError {
    match error {
        RunError::Source(error) => {
            let block = example.with.iter().find(|rows| error.file == called(&rows.table));
            let span = block.map_or(example.title.span, |rows| rows.rows.span);
            RunError::Plan(vec![wrong_block(span, &error)])
        }
        other => other,
    }
}
