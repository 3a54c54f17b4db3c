//! Plans that a plan uses: their statements, outputs apart, as if they stood in it.

use std::collections::VecDeque;
use std::path::{Path, PathBuf};

use granum_core::lang::{
    Diagnostic, DiagnosticKind, PlanTree, Quoted, Statement, StatementKind, parse_from,
};
use granum_core::port::is_address;
use granum_core::resolve::plain_path;

use crate::render::Texts;

/// A `use` that is still to be taken in.
struct Use {
    path: Quoted,
    /// The folder of the plan that says it, as seen from the first plan's.
    folder: PathBuf,
    /// The plans that led to it, the first first.
    way: Vec<PathBuf>,
}

/// Takes in the statements of all plans that a plan uses, and of those that they use. A plan that is
/// reached twice is taken in once. Gives what is wrong, and the files of all those plans.
///
/// `folder` is the plan's, `own` its path if it has one.
pub(super) fn take_in(
    tree: &mut PlanTree,
    texts: &mut Texts,
    folder: &Path,
    own: Option<&Path>,
) -> (Vec<Diagnostic>, Vec<PathBuf>) {
    let mut wrong = vec![];
    let real = |path: &Path| path.canonicalize().unwrap_or_else(|_| path.to_path_buf());
    let way: Vec<PathBuf> = own.map(real).into_iter().collect();
    let mut known = way.clone();
    let mut open: VecDeque<Use> = uses(&mut tree.statements, Path::new(""), &way).into();
    while let Some(Use { path, folder: from, way }) = open.pop_front() {
        let name = from.join(&path.text);
        let file = folder.join(&name);
        let file = real(&file);
        if way.contains(&file) {
            wrong.push(circle(&path, &way, &file));
            continue;
        }
        if known.contains(&file) {
            continue;
        }
        known.push(file.clone());
        let text = match std::fs::read(&file).map(String::from_utf8) {
            Ok(Ok(text)) => text,
            Ok(Err(_)) => {
                wrong.push(unreadable(&path, "is not UTF-8, as plans are"));
                continue;
            }
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                wrong.push(unreadable(&path, "is not there"));
                continue;
            }
            Err(error) if error.kind() == std::io::ErrorKind::IsADirectory => {
                wrong.push(unreadable(&path, "is a folder, not a plan"));
                continue;
            }
            Err(error) => {
                wrong.push(unreadable(&path, &format!("cannot be read: {error}")));
                continue;
            }
        };
        let start = texts.add(name.to_string_lossy().into_owned(), &text);
        let mut parsed = parse_from(&texts.all, start);
        wrong.append(&mut parsed.diagnostics);
        let inner = name.parent().map_or_else(PathBuf::new, Path::to_path_buf);
        let mut way = way;
        way.push(file);
        let mut statements = parsed.tree.statements;
        open.extend(uses(&mut statements, &inner, &way));
        statements.retain(|statement| {
            use StatementKind::{Chart, Output, Plan};
            !matches!(statement.kind, Output(_) | Chart(_) | Plan(_))
        });
        statements.iter_mut().for_each(|statement| seen_from(statement, &inner));
        tree.statements.append(&mut statements);
    }
    (wrong, known)
}

/// Takes the `use`s out of some statements.
fn uses(statements: &mut Vec<Statement>, folder: &Path, way: &[PathBuf]) -> Vec<Use> {
    let mut found = vec![];
    statements.retain(|statement| {
        let StatementKind::Use(path) = &statement.kind else { return true };
        let (path, folder, way) = (path.clone(), folder.to_path_buf(), way.to_vec());
        found.push(Use { path, folder, way });
        false
    });
    found
}

/// The paths of an input as seen from the first plan's folder.
fn seen_from(statement: &mut Statement, folder: &Path) {
    let StatementKind::Input(input) = &mut statement.kind else { return };
    for source in &mut input.sources {
        if source.text != "-" && !is_address(&source.text) {
            // Of the folder's own name braces are themselves.
            let folder = PathBuf::from(plain_path(&folder.to_string_lossy()));
            source.text = folder.join(&source.text).to_string_lossy().into_owned();
        }
    }
}

fn unreadable(path: &Quoted, what: &str) -> Diagnostic {
    Diagnostic::new(
        DiagnosticKind::UnknownName,
        path.span,
        format!("the plan \"{}\" {what}", path.text),
    )
    .help("its path is relative to the plan that uses it")
}

fn circle(path: &Quoted, way: &[PathBuf], file: &Path) -> Diagnostic {
    let from = way.iter().position(|known| known == file).unwrap_or(0);
    let name = |path: &PathBuf| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let mut names: Vec<String> = way[from..].iter().map(name).collect();
    names.push(name(&file.to_path_buf()));
    Diagnostic::new(
        DiagnosticKind::Circle,
        path.span,
        format!("these plans use each other: {}", names.join(" \u{2192} ")),
    )
    .help("put what both need into a plan that uses neither")
}
