//! A table as it stood after one of the steps that its tally numbers: the plan with that table cut off there.

use super::context::RunError;
use super::inputs::Inputs;
use super::named::{find_table, unknown};
use crate::lang::{
    Name, Otherwise, PlanTree, Statement, StatementKind, StepKind, StepTree, TableTree,
};
use crate::resolve::{Plan, Source};
use crate::table::TableId;

/// What a table is called that ends at a step.
const CUT: &str = "shown_after";

/// Where a table is cut: the table on its way that has the step, and how many of the steps that are written
/// there come before. Of an input's rows as they are read, whether its set-aside rows are still there.
struct Cut {
    table: TableId,
    written: usize,
    aside: bool,
}

/// The plan in which a table's name leads to what it was after the step of a number; 0 is what the first
/// table on its way begins with. Tables called `beside` are made from that. Gives the step in words too.
///
/// # Errors
/// A number that the table's tally does not have.
pub(super) fn after(
    (tree, settings): (&PlanTree, &[(String, String)]),
    inputs: &mut Inputs,
    (table, number): (&str, usize),
    beside: &str,
) -> Result<(PlanTree, String, String), RunError> {
    let mut own = tree.clone();
    own.statements.retain(|statement| {
        !matches!(&statement.kind, StatementKind::Table(table) if table.name.text == beside)
    });
    let plan = inputs.resolve(&own, settings)?;
    let (cut, words) = find(&plan, find_table(&plan, table)?, number)?;
    let name = plan.tables[cut.table.0].name.clone();
    let mut tree = tree.clone();
    let input = matches!(plan.tables[cut.table.0].source, Source::Input(_) | Source::Calendar(_));
    let called = if input { name.clone() } else { CUT.to_owned() };
    if input {
        // What is made from it may need what is cut off.
        let stays = |statement: &Statement| match &statement.kind {
            StatementKind::Plan(_) | StatementKind::Param(_) => true,
            StatementKind::Input(input) => input.name.text == name,
            StatementKind::Table(table) => table.name.text == beside,
            _ => false,
        };
        tree.statements.retain(stays);
    }
    let mut more = vec![];
    for statement in &mut tree.statements {
        match &mut statement.kind {
            StatementKind::Input(input) if input.name.text == name => {
                cut_steps(&mut input.steps, &cut);
            }
            StatementKind::Table(table) if table.name.text == beside => {
                table.base.text.clone_from(&called);
            }
            StatementKind::Table(table) if table.name.text == name => {
                let mut steps = table.steps.clone();
                cut_steps(&mut steps, &cut);
                let own = Name { text: CUT.into(), ..table.name.clone() };
                let kind = StatementKind::Table(TableTree { name: own, steps, ..table.clone() });
                more.push(Statement { kind, ..statement.clone() });
            }
            _ => {}
        }
    }
    tree.statements.extend(more);
    Ok((tree, called, words))
}

/// The steps before the cut. What `read` says stays said: without it cells would be other values.
fn cut_steps(steps: &mut Vec<StepTree>, cut: &Cut) {
    let mut at = 0;
    steps.retain(|step| {
        at += 1;
        at <= cut.written || matches!(step.kind, StepKind::Read(_))
    });
    if cut.aside {
        return;
    }
    for step in steps {
        let StepKind::Read(reads) = &mut step.kind else { continue };
        for read in reads.iter_mut().filter(|read| read.otherwise == Otherwise::Aside) {
            read.otherwise = Otherwise::Blank;
        }
    }
}

/// Where the step of a number stands on the way to a table, and how it is written.
fn find(plan: &Plan, table: TableId, number: usize) -> Result<(Cut, String), RunError> {
    let mut way = vec![table];
    while let Source::Base(base) = plan.tables[way[way.len() - 1].0].source {
        way.push(base);
    }
    way.reverse();
    let mut count = 0;
    if number == 0 {
        let cut = Cut { table: way[0], written: 0, aside: false };
        return Ok((cut, "as it begins".into()));
    }
    for id in &way {
        for step in plan.tables[id.0].steps.iter().filter(|step| step.numbered) {
            count += 1;
            if count == number {
                let cut = Cut { table: *id, written: step.written + 1, aside: true };
                return Ok((cut, format!("after {number}  {}", step.text)));
            }
        }
    }
    let name = &plan.tables[table.0].name;
    let steps: Vec<String> = way
        .iter()
        .flat_map(|id| plan.tables[id.0].steps.iter().filter(|step| step.numbered))
        .zip(1..)
        .map(|(step, number)| format!("{number} {}", step.text))
        .collect();
    let known: Vec<&str> = steps.iter().map(String::as_str).collect();
    Err(unknown(format!("the tally of `{name}` has no step {number}"), None, &known))
}
