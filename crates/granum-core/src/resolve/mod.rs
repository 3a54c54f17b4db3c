//! Syntax tree → typed plan: names, types, grains, link paths; every diagnostic.

mod aggregate;
mod allow;
mod ancestors;
mod apart;
mod calendar;
mod chart;
mod declare;
mod example;
mod expression;
mod filled;
mod foreseen;
mod function;
mod link;
mod operators;
mod path;
mod plan;
mod scope;
mod several;
mod statement;
mod steps;
mod table;
mod ways;
mod worth;
mod written;

pub(crate) use plan::{
    AggregatePlan, AllocateOver, AllocatePlan, Allowance, ApartAlone, ApartPair, ApartPlan,
    AssignPlan, CalendarPlan, ChartPlan, CheckKind, CheckPlan, DedupeByPlan, DedupePlan,
    DedupeRule, ExpandPlan, FilterPlan, ForeseenPlan, Gather, GatherWhat, GrainCheck, GroupedPlan,
    GroupedPlans, GroupedWhat, Lay, LinkPlan, MistakePlan, NamesPlan, OneRowPlan, OutputPlan,
    PeriodEnd, PeriodPlan, Plan, Proof, Required, SeveralPlan, SortPlan, Source, SplitPlan, Step,
    TablePlan, TopPlan, Total, Tracked, TurnPlan, Turned, UnitsPlan, WidePlan,
};

use std::collections::HashMap;

use crate::lang::{Diagnostic, PlanTree};
use crate::port::{InputShape, InputSpec};
use crate::value::{Scalar, Type};

pub use filled::{passwords, plain_path, with_paths};

/// A diagnostic has been noted.
struct Wrong;

type Resolved<T> = Result<T, Wrong>;

/// Resolves a plan against the columns of its inputs (by input name) and the values given to its
/// parameters. Gives the plan, or everything that is wrong with it.
pub(crate) fn resolve(
    tree: &PlanTree,
    shapes: &HashMap<String, InputShape>,
    settings: &[(String, String)],
) -> Result<Plan, Vec<Diagnostic>> {
    let mut resolver = scope::Resolver::new(tree, shapes);
    resolver.declare(settings);
    resolver.tables();
    resolver.statements();
    resolver.foresee();
    resolver.finish()
}

/// The columns that a plan names and that are not there, each with its table.
pub(crate) fn unknown_columns(
    tree: &PlanTree,
    shapes: &HashMap<String, InputShape>,
) -> Vec<(String, String)> {
    let mut resolver = scope::Resolver::new(tree, shapes);
    resolver.declare(&[]);
    resolver.tables();
    resolver.statements();
    resolver.unknown
}

/// What the inputs of a plan ask of their files, from the tree alone.
pub(crate) fn input_specs(tree: &PlanTree) -> Vec<InputSpec> {
    declare::input_specs(tree)
}

/// The value of a parameter, as the plan or `--set` has it.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Parameter {
    pub value: Scalar,
    pub ty: Type,
}

#[cfg(test)]
mod tests;

/// An expression over some columns alone, for tests: the columns' slots are numbered as they stand.
#[cfg(test)]
pub(crate) fn resolve_alone(
    columns: &[(&str, crate::table::Column)],
    text: &str,
) -> Result<crate::expr::Typed, String> {
    use crate::lang::{StatementKind, StepKind};
    let parsed = crate::lang::parse(&format!("table t from a\n  add it = {text}\n"));
    if let Some(diagnostic) = parsed.diagnostics.first() {
        return Err(diagnostic.message.clone());
    }
    let StatementKind::Table(table) = &parsed.tree.statements[0].kind else {
        return Err(String::new());
    };
    let StepKind::Add(items) = &table.steps[0].kind else { return Err(String::new()) };
    let row = scope::Row {
        table: "t".into(),
        columns: columns
            .iter()
            .enumerate()
            .map(|(at, (name, column))| {
                let worth = worth::Worth::column(worth::WorthKind::Plain, false);
                (
                    (*name).to_owned(),
                    crate::expr::Kind::Slot(crate::table::SlotId(at)),
                    column.ty(),
                    worth,
                )
            })
            .collect(),
        ancestors: ancestors::Ancestors::default(),
        paths: scope::Paths::Allowed,
        apart: vec![],
        next_slot: None,
        source: None,
        once: vec![],
    };
    let shapes = HashMap::new();
    let mut resolver = scope::Resolver::new(&parsed.tree, &shapes);
    match resolver.expression(&items[0].value, &row) {
        Ok((typed, _)) => Ok(typed),
        Err(_) => Err(resolver.diagnostics[0].message.clone()),
    }
}
