//! The tables of a plan, without their rows.

use serde::Serialize;

use super::context::RunError;
use super::inputs::Inputs;
use super::named::find_table;
use crate::lang::PlanTree;
use crate::port::Sources;
use crate::resolve::{Plan, Source};

/// What is known of a table before it is built.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TableOutline {
    /// The table.
    pub name: String,
    /// Whether it is an input.
    pub input: bool,
    /// Its grain; empty where each row stands for itself.
    pub grain: Vec<String>,
    /// Whether it is one row in all.
    pub one_row: bool,
    /// Its columns with their types in words.
    pub columns: Vec<(String, String)>,
    /// The links that lead from it.
    pub links: Vec<String>,
}

/// The inputs and tables of a plan, in its order. No more is read of the files than types need. `of` is a table that
/// is asked for.
///
/// # Errors
/// As [`run`](super::run); that there is no such table is a diagnostic without a place in the plan.
pub fn outline(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    of: Option<&str>,
) -> Result<Vec<TableOutline>, RunError> {
    let plan = Inputs::open(tree, sources)?.resolve(tree, settings)?;
    of.map_or(Ok(()), |of| find_table(&plan, of).map(drop))?;
    Ok(outlined(&plan))
}

/// The inputs and tables of a resolved plan.
pub(super) fn outlined(plan: &Plan) -> Vec<TableOutline> {
    let tables = plan.tables.iter().enumerate().map(|(at, table)| {
        let links = plan.links.iter().filter(|link| link.from.0 == at);
        TableOutline {
            name: table.name.clone(),
            input: matches!(table.source, Source::Input(_) | Source::Calendar(_)),
            grain: table.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()),
            one_row: table.is_one_row(),
            columns: table
                .columns
                .iter()
                .map(|(name, slot)| (name.clone(), table.slots[slot.0].to_string()))
                .collect(),
            links: links.map(|link| link.name.clone()).collect(),
        }
    });
    tables.collect()
}
