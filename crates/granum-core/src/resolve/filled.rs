//! Parameters in paths and in titles of charts: `"data/{month}/orders.csv"`.

use std::collections::HashMap;
use std::path::{Component, Path};

use super::Parameter;
use super::scope::Resolver;
use crate::lang::{
    Diagnostic, DiagnosticKind, PlanTree, Quoted, Statement, StatementKind, nearest,
};
use crate::port::{WITHOUT_PASSWORD, is_address, password_in};
use crate::value::Scalar;

/// A plan whose paths have the values of parameters in them, those of its inputs, outputs and charts; so have the titles of
/// charts.
///
/// # Errors
/// A brace that names no parameter, a value that no path can have, a parameter that has no value.
pub fn with_paths(
    tree: &PlanTree,
    settings: &[(String, String)],
) -> Result<PlanTree, Vec<Diagnostic>> {
    let mut filled = tree.clone();
    let braces = |(text, _): (&mut Quoted, Place)| text.text.contains(['{', '}']);
    if !filled.statements.iter_mut().flat_map(texts_of).any(braces) {
        return Ok(filled);
    }
    let none = HashMap::new();
    let mut resolver = Resolver::new(tree, &none);
    resolver.declare_parameters(settings);
    if !resolver.diagnostics.is_empty() {
        return Err(resolver.diagnostics);
    }
    let mut wrong = vec![];
    for (text, place) in filled.statements.iter_mut().flat_map(texts_of) {
        match fill(text, place, &resolver.parameters) {
            Ok(filled) => text.text = filled,
            Err(diagnostic) => wrong.push(diagnostic),
        }
    }
    if wrong.is_empty() { Ok(filled) } else { Err(wrong) }
}

/// The addresses of a plan that a password stands in, from where it would get into messages, records and the history of
/// the plan.
pub fn passwords(tree: &PlanTree) -> Vec<Diagnostic> {
    let paths = tree.statements.iter().flat_map(|statement| match &statement.kind {
        StatementKind::Input(input) => input.sources.as_slice(),
        StatementKind::Output(output) => std::slice::from_ref(&output.path),
        _ => &[],
    });
    let said = paths.filter(|path| is_address(&path.text) && password_in(&path.text).is_some());
    let told = said.map(|path| {
        Diagnostic::new(DiagnosticKind::Secret, path.span, "a password stands in this address")
            .help(WITHOUT_PASSWORD)
    });
    told.collect()
}

/// A path as a plan has to say it, so that braces are themselves.
pub fn plain_path(path: &str) -> String {
    path.replace('{', "{{").replace('}', "}}")
}

/// What a text is that parameters stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Path,
    Title,
}

impl Place {
    fn word(self) -> &'static str {
        match self {
            Self::Path => "path",
            Self::Title => "title",
        }
    }
}

fn texts_of(statement: &mut Statement) -> Vec<(&mut Quoted, Place)> {
    let paths: Vec<&mut Quoted> = match &mut statement.kind {
        StatementKind::Input(input) => input.sources.iter_mut().collect(),
        StatementKind::Output(output) => vec![&mut output.path],
        StatementKind::Chart(chart) => {
            let path = chart.path.iter_mut().map(|path| (path, Place::Path));
            return path.chain([(&mut chart.title, Place::Title)]).collect();
        }
        _ => vec![],
    };
    paths.into_iter().map(|path| (path, Place::Path)).collect()
}

/// A path or title with the values of the parameters that stand in braces.
fn fill(
    of: &Quoted,
    place: Place,
    parameters: &[(String, Parameter)],
) -> Result<String, Diagnostic> {
    let wrong = |kind, message: String| Diagnostic::new(kind, of.span, message);
    let word = place.word();
    let mut out = String::new();
    let mut rest = of.text.as_str();
    while let Some(at) = rest.find(['{', '}']) {
        let (before, from) = rest.split_at(at);
        out.push_str(before);
        let brace = &from[..1];
        if from[1..].starts_with(brace) {
            out.push_str(brace);
            rest = &from[2..];
            continue;
        }
        let end = from.find('}').filter(|end| *end > 0);
        let Some(end) = end.filter(|_| brace == "{") else {
            let message = format!("this {word} has a `{brace}` without its other half");
            return Err(wrong(DiagnosticKind::Syntax, message).help(
                "a parameter stands as  {month} ; a brace that is part of a name is written twice",
            ));
        };
        let name = from[1..end].trim();
        let known = parameters.iter().find(|(known, _)| known == name);
        let Some((_, Parameter { value, .. })) = known else {
            let message = format!("the plan has no parameter called `{name}`");
            let names = parameters.iter().map(|(name, _)| name.as_str());
            let near = nearest(name, names).map(|near| format!("did you mean `{near}`?"));
            let help = near.unwrap_or_else(|| {
                "declare it:  param NAME text = \"VALUE\" ; a brace that is part of a name is \
                 written twice"
                    .into()
            });
            return Err(wrong(DiagnosticKind::UnknownName, message).help(help));
        };
        let text = match value {
            Scalar::Blank => {
                let message = format!("`{name}` is blank, and a {word} cannot have that in it");
                return Err(wrong(DiagnosticKind::Parameter, message)
                    .help(format!("give it a value:  --set {name}=\u{2026}")));
            }
            value => value.to_string(),
        };
        if place == Place::Path && leads_outside(&text) {
            let message =
                format!("`{name}` is \"{text}\", which would lead out of the path's folder");
            return Err(wrong(DiagnosticKind::Parameter, message)
                .help("write the folder into the path itself, and leave a name to the parameter"));
        }
        out.push_str(&text);
        rest = &from[end + 1..];
    }
    Ok(out + rest)
}

/// Whether a value leads out of the folder that its place in a path is in.
fn leads_outside(text: &str) -> bool {
    let parts = text.split(['/', '\\']);
    let up = parts.into_iter().any(|part| part.trim() == "..");
    let first = Path::new(text).components().next();
    up || text.starts_with(['/', '\\', '~'])
        || matches!(first, Some(Component::Prefix(_) | Component::RootDir))
}
