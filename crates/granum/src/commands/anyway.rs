//! `run --anyway-to DIR`: what could be built of a run that stopped, somewhere else and marked so.

use std::path::Path;

use granum_core::engine::{RunError, Running, Want, run_as};
use granum_core::lang::{Name, PlanTree, Statement, StatementKind};
use granum_core::port::{OutputError, is_address};
use granum_core::table::Room;
use granum_core::tally::{LinkTally, Report, Written};
use granum_io::Files;

use super::plan::Plan;
use crate::progress::Progress;

/// What the names of such files begin with.
const MARK: &str = "STOPPED-";

/// Writes the outputs whose tables could be built, without asking what did not hold. Gives what was written.
///
/// # Errors
/// Why it cannot be written.
pub(super) fn write(
    plan: &Plan,
    (settings, room): (&[(String, String)], &Room),
    stopped: &Report,
    folder: &Path,
    progress: &Progress,
) -> Result<Vec<Written>, RunError> {
    let here = std::env::current_dir().unwrap_or_default();
    let folder = here.join(folder);
    let mut tree = plan.tree.clone();
    tree.statements.retain_mut(|statement| keeps(statement, stopped, &folder));
    if let Some(refused) = refused(plan, &tree) {
        return Err(RunError::Output(refused));
    }
    let want = Want::Outputs(&plan.files);
    let running = Running { room: Some(room), ..Running::default() };
    let report = run_as(&tree, settings, &plan.files, want, progress, running)?;
    Ok(report.written)
}

/// Whether a statement is of use where nothing is asked, and what failed is left out; outputs go elsewhere.
fn keeps(statement: &mut Statement, stopped: &Report, folder: &Path) -> bool {
    let built = |table: &Name| !stopped.not_built.contains(&table.text);
    match &mut statement.kind {
        StatementKind::Check(_) | StatementKind::Example(_) => false,
        StatementKind::Input(input) => built(&input.name),
        StatementKind::Table(table) => built(&table.name),
        StatementKind::Link(link) => {
            link.required = None;
            let name = link.name.as_ref().unwrap_or(&link.to);
            let known = |told: &&LinkTally| told.from == link.from.text && told.name == name.text;
            stopped.links.iter().any(|told| known(&told))
        }
        StatementKind::Output(output) => {
            if is_address(&output.path.text) {
                // What stopped goes into no database.
                let style = std::mem::take(&mut output.style);
                let name = style.named.as_ref().map_or(&output.table.text, |name| &name.text);
                output.path.text = format!("{name}.csv");
            }
            output.path.text = aside(&output.path.text, folder);
            built(&output.table)
        }
        StatementKind::Chart(chart) => {
            let Some(path) = chart.path.as_mut() else { return false };
            path.text = aside(&path.text, folder);
            // What cannot be drawn holds nothing else up.
            built(&chart.table)
                && !stopped.problems.iter().any(|problem| problem.is_of_chart(&chart.title.text))
        }
        StatementKind::Plan(_) | StatementKind::Use(_) | StatementKind::Param(_) => true,
    }
}

/// The path of a file in the folder, marked.
fn aside(path: &str, folder: &Path) -> String {
    let name = Path::new(path).file_name().unwrap_or_default().to_string_lossy();
    folder.join(format!("{MARK}{name}")).to_string_lossy().into_owned()
}

/// Why outputs cannot go into the folder: two of one name, or one that is read from or is a plan.
fn refused(plan: &Plan, tree: &PlanTree) -> Option<OutputError> {
    let clashes = super::outputs::clashes(tree, &Files::new(""), &plan.plans);
    let clash = clashes.into_iter().next()?;
    Some(OutputError {
        path: "--anyway-to".into(),
        message: clash.message,
        help: "name another folder".into(),
    })
}
