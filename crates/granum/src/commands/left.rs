//! What runs that were killed left: finished by the next run, told by what only looks.

use std::path::{Path, PathBuf};

use granum_core::lang::{PlanTree, StatementKind};
use granum_io::LeftRun;

use super::Printer;
use super::outputs::path_of;
use super::plan::Plan;
use crate::render;

/// The paths of a plan's outputs.
fn outputs(tree: &PlanTree) -> impl Iterator<Item = &str> {
    tree.statements.iter().filter_map(path_of).map(|path| path.text.as_str())
}

/// The paths of a plan's inputs.
fn inputs(tree: &PlanTree) -> impl Iterator<Item = &str> {
    let sources = tree.statements.iter().filter_map(|statement| match &statement.kind {
        StatementKind::Input(input) => Some(&input.sources),
        _ => None,
    });
    sources.flatten().map(|source| source.text.as_str())
}

/// Finishes what killed runs had begun to put into the places of a plan's outputs, and says so.
pub(super) fn finish(printer: &mut Printer, plan: &Plan) {
    let runs = plan.files.finish_runs(outputs(&plan.tree));
    let text: String = runs.iter().map(|run| render::finished(&shown(run))).collect();
    printer.diagnostic(&text);
    let waiting = plan.files.unfinished_runs(inputs(&plan.tree));
    tell_of(printer, &waiting);
}

/// Says what killed runs wait to have finished among the files of a plan.
pub(super) fn tell(printer: &mut Printer, plan: &Plan) {
    let files = outputs(&plan.tree).chain(inputs(&plan.tree));
    let waiting = plan.files.unfinished_runs(files);
    tell_of(printer, &waiting);
}

fn tell_of(printer: &mut Printer, waiting: &[LeftRun]) {
    let text: String = waiting.iter().map(|run| render::waiting(&shown(run))).collect();
    printer.diagnostic(&text);
}

/// The paths as they are seen from the current folder.
fn shown(run: &LeftRun) -> LeftRun {
    let here = std::env::current_dir().and_then(|here| here.canonicalize()).unwrap_or_default();
    let seen = |path: &PathBuf| -> PathBuf {
        path.strip_prefix(&here).map_or_else(|_| path.clone(), Path::to_path_buf)
    };
    LeftRun {
        outputs: run.outputs.iter().map(seen).collect(),
        changed: run.changed.iter().map(seen).collect(),
    }
}
