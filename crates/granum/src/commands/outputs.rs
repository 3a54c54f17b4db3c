//! Outputs that would replace each other, an input, or the plan: refused before anything is read.

use std::path::{Path, PathBuf};

use granum_core::lang::{Diagnostic, DiagnosticKind, PlanTree, Quoted, Statement, StatementKind};
use granum_core::port::{Family, NamedAs};
use granum_io::{Files, is_database};

/// What is wrong with the places of a plan's outputs. `plans` are the plan and those that it uses, as
/// the system names them.
pub(super) fn clashes(tree: &PlanTree, files: &Files, plans: &[PathBuf]) -> Vec<Diagnostic> {
    let mut wrong = vec![];
    let mut known: Vec<(PathBuf, &Quoted)> = vec![];
    for statement in &tree.statements {
        let Some(path) = path_of(statement) else { continue };
        // What is in the way of it is told when it is begun.
        let Ok(place) = files.place(&path.text) else { continue };
        // Sheets of one book are told apart where the plan is resolved, if they are of one path.
        let family = NamedAs::of(&path.text).written();
        let book = matches!(family, Some(Family::Book | Family::Database));
        let one = |(other, first): &&(PathBuf, &Quoted)| {
            *other == place && !(book && first.text == path.text)
        };
        if let Some((_, first)) = known.iter().find(one) {
            let message = format!("\"{}\" and \"{}\" are one file", first.text, path.text);
            wrong.push(
                Diagnostic::new(DiagnosticKind::NameTaken, path.span, message)
                    .also(first.span, "written here")
                    .help(if family == Some(Family::Book) {
                        "write its sheets by one path"
                    } else if book {
                        "write its tables by one path"
                    } else {
                        "write each table to a file of its own"
                    }),
            );
        } else if let Some(what) = read_from(tree, files, plans, (&place, path)) {
            let message = format!("\"{}\" would replace {what}", path.text);
            wrong.push(
                Diagnostic::new(DiagnosticKind::NameTaken, path.span, message)
                    .help("write to another path"),
            );
        }
        known.push((place, path));
    }
    wrong
}

/// The places of a plan's outputs.
pub(super) fn places(tree: &PlanTree, files: &Files) -> Vec<PathBuf> {
    let paths = tree.statements.iter().filter_map(path_of);
    paths.filter_map(|path| files.place(&path.text).ok()).collect()
}

/// Where a statement has something written, or drawn.
pub(super) fn path_of(statement: &Statement) -> Option<&Quoted> {
    match &statement.kind {
        StatementKind::Output(output) => Some(&output.path),
        StatementKind::Chart(chart) => chart.path.as_ref(),
        _ => None,
    }
}

/// What a run reads from a place, if anything.
fn read_from(
    tree: &PlanTree,
    files: &Files,
    plans: &[PathBuf],
    (place, path): (&Path, &Quoted),
) -> Option<String> {
    if let Some(at) = plans.iter().position(|plan| plan == place) {
        return Some(if at == 0 { "the plan itself".into() } else { "a plan that is used".into() });
    }
    tree.statements.iter().find_map(|statement| {
        let StatementKind::Input(input) = &statement.kind else { return None };
        // Tables of one database are told apart where they are opened.
        let apart = is_database(&path.text);
        let reads =
            |source: &&Quoted| !apart && files.place(&source.text).is_ok_and(|read| read == place);
        input.sources.iter().find(reads)?;
        Some(format!("a file that `{}` is read from", input.name.text))
    })
}
