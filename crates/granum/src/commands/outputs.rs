//! Outputs that would replace each other, an input, or the plan: refused before anything is read.

use std::path::{Path, PathBuf};

use granum_core::lang::{
    Diagnostic, DiagnosticKind, OutputTree, PlanTree, Quoted, Statement, StatementKind,
};
use granum_core::port::{Family, NamedAs};
use granum_io::{Files, is_database};

/// What is wrong with the places of a plan's outputs. `plans` are the plan and those that it uses, as
/// the system names them.
pub(super) fn clashes(tree: &PlanTree, files: &Files, plans: &[PathBuf]) -> Vec<Diagnostic> {
    let mut wrong = vec![];
    let mut known: Vec<(PathBuf, &Quoted)> = vec![];
    for statement in &tree.statements {
        let StatementKind::Output(output) = &statement.kind else { continue };
        // What is in the way of it is told when it is begun.
        let Ok(place) = files.place(&output.path.text) else { continue };
        // Sheets of one book are told apart where the plan is resolved, if they are of one path.
        let family = NamedAs::of(&output.path.text).written();
        let book = matches!(family, Some(Family::Book | Family::Database));
        let one = |(other, first): &&(PathBuf, &Quoted)| {
            *other == place && !(book && first.text == output.path.text)
        };
        if let Some((_, first)) = known.iter().find(one) {
            let message = format!("\"{}\" and \"{}\" are one file", first.text, output.path.text);
            wrong.push(
                Diagnostic::new(DiagnosticKind::NameTaken, output.path.span, message)
                    .also(first.span, "written here")
                    .help(if family == Some(Family::Book) {
                        "write its sheets by one path"
                    } else if book {
                        "write its tables by one path"
                    } else {
                        "write each table to a file of its own"
                    }),
            );
        } else if let Some(what) = read_from(tree, files, plans, (&place, output)) {
            let message = format!("\"{}\" would replace {what}", output.path.text);
            wrong.push(
                Diagnostic::new(DiagnosticKind::NameTaken, output.path.span, message)
                    .help("write to another path"),
            );
        }
        known.push((place, &output.path));
    }
    wrong
}

/// The places of a plan's outputs.
pub(super) fn places(tree: &PlanTree, files: &Files) -> Vec<PathBuf> {
    let place = |statement: &Statement| match &statement.kind {
        StatementKind::Output(output) => files.place(&output.path.text).ok(),
        _ => None,
    };
    tree.statements.iter().filter_map(place).collect()
}

/// What a run reads from a place, if anything.
fn read_from(
    tree: &PlanTree,
    files: &Files,
    plans: &[PathBuf],
    (place, output): (&Path, &OutputTree),
) -> Option<String> {
    if let Some(at) = plans.iter().position(|plan| plan == place) {
        return Some(if at == 0 { "the plan itself".into() } else { "a plan that is used".into() });
    }
    tree.statements.iter().find_map(|statement| {
        let StatementKind::Input(input) = &statement.kind else { return None };
        // Tables of one database are told apart where they are opened.
        let apart = is_database(&output.path.text);
        let reads =
            |source: &&Quoted| !apart && files.place(&source.text).is_ok_and(|read| read == place);
        input.sources.iter().find(reads)?;
        Some(format!("a file that `{}` is read from", input.name.text))
    })
}
