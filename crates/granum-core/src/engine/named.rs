//! Tables and links by the names that a call gives them.

use super::context::RunError;
use crate::lang::{Diagnostic, DiagnosticKind, Span, nearest_or_longer};
use crate::resolve::Plan;
use crate::table::{LinkId, TableId};

/// A name that is not there, with the nearest that is, or all that are.
pub(super) fn unknown(message: String, near: Option<&str>, known: &[&str]) -> RunError {
    let help = match near {
        Some(near) => format!("did you mean `{near}`?"),
        None if known.is_empty() => "there is none".into(),
        None => format!("there is {}", known.join(", ")),
    };
    let diagnostic = Diagnostic::new(DiagnosticKind::UnknownName, Span::default(), message);
    RunError::Plan(vec![diagnostic.help(help)])
}

/// The table of a name.
///
/// # Errors
/// There is none.
pub(super) fn find_table(plan: &Plan, name: &str) -> Result<TableId, RunError> {
    let at = plan.tables.iter().position(|table| table.name == name);
    at.map(TableId).ok_or_else(|| {
        let known: Vec<&str> = plan.tables.iter().map(|table| table.name.as_str()).collect();
        let message = format!("the plan has no table called `{name}`");
        unknown(message, nearest_or_longer(name, known.iter().copied()), &known)
    })
}

/// The link of a name that leads from a table.
///
/// # Errors
/// There is none.
pub(super) fn find_link(plan: &Plan, table: TableId, name: &str) -> Result<LinkId, RunError> {
    let of_table = |link: &&crate::resolve::LinkPlan| link.from == table;
    let at = plan.links.iter().position(|link| link.from == table && link.name == name);
    at.map(LinkId).ok_or_else(|| {
        let known: Vec<&str> =
            plan.links.iter().filter(of_table).map(|link| link.name.as_str()).collect();
        let message = format!("no link called `{name}` leads from `{}`", plan.tables[table.0].name);
        unknown(message, nearest_or_longer(name, known.iter().copied()), &known)
    })
}
