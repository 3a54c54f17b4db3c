//! What is known of a plan's files by their beginnings alone: for whoever must answer at once.

use std::collections::HashMap;

use super::inputs::wrong_block;
use super::outline::{TableOutline, outlined};
use crate::lang::{Diagnostic, DiagnosticKind, PlanTree, Span};
use crate::port::{InputShape, InputSpec, SourceErrorKind, Sources};
use crate::resolve::{input_specs, passwords, resolve};

/// The beginnings of files that were looked at, by input.
#[derive(Debug, Clone, Default)]
pub struct Beginnings {
    inputs: HashMap<String, (InputSpec, Looked)>,
}

/// What came of a look.
#[derive(Debug, Clone)]
struct Looked {
    /// Nothing where it cannot be read, for that reason.
    shape: Result<InputShape, Diagnostic>,
    /// Whether its types are those of all cells.
    settled: bool,
}

impl Beginnings {
    /// Looks at the inputs of a plan that are asked for otherwise than before, and forgets those that are no more.
    pub fn look(&mut self, tree: &PlanTree, sources: &dyn Sources) {
        let mut before = std::mem::take(&mut self.inputs);
        if !passwords(tree).is_empty() {
            return;
        }
        for spec in input_specs(tree) {
            let span = spec.span;
            let mut asked = spec.clone();
            (asked.span, asked.encoding_span) = (Span::default(), Span::default());
            let known = before.remove(&spec.name).filter(|(known, _)| *known == asked);
            let mut looked = known.map_or_else(|| looked(&spec, sources), |(_, looked)| looked);
            if let Err(diagnostic) = &mut looked.shape {
                diagnostic.span = span;
            }
            self.inputs.insert(spec.name.clone(), (asked, looked));
        }
    }

    /// Forgets all that was seen: files may be others.
    pub fn forget(&mut self) {
        self.inputs.clear();
    }

    /// The columns of each input that could be looked at.
    pub fn columns(&self) -> HashMap<String, Vec<String>> {
        let own = |(name, (_, looked)): (&String, &(InputSpec, Looked))| {
            let shape = looked.shape.as_ref().ok()?;
            let columns = shape.columns.iter().map(|(column, _)| column.clone());
            Some((name.clone(), columns.collect()))
        };
        self.inputs.iter().filter_map(own).collect()
    }

    /// Whether all types of an input are known, and not only those of the beginnings of its files.
    pub fn is_settled(&self, input: &str) -> bool {
        self.inputs.get(input).is_some_and(|(_, looked)| looked.settled)
    }

    /// The tables of a plan, as far as beginnings tell.
    ///
    /// # Errors
    /// What is wrong with the plan, or with a file. Types of which only beginnings were seen may be others: what is wrong
    /// because of them is told all the same.
    pub fn outline(&self, tree: &PlanTree) -> Result<Vec<TableOutline>, Vec<Diagnostic>> {
        let wrong = passwords(tree);
        if !wrong.is_empty() {
            return Err(wrong);
        }
        let mut shapes = HashMap::new();
        let mut wrong = vec![];
        for (name, (_, looked)) in &self.inputs {
            match &looked.shape {
                Ok(shape) => drop(shapes.insert(name.clone(), shape.clone())),
                Err(diagnostic) => wrong.push(diagnostic.clone()),
            }
        }
        if !wrong.is_empty() {
            wrong.sort_by_key(|diagnostic| diagnostic.span.start);
            return Err(wrong);
        }
        resolve(tree, &shapes, &[]).map(|plan| outlined(&plan))
    }
}

fn looked(spec: &InputSpec, sources: &dyn Sources) -> Looked {
    match sources.open(spec) {
        Ok(source) => Looked { shape: Ok(source.shape()), settled: source.settled() },
        Err(error) => {
            let diagnostic = match error.kind {
                _ if spec.rows.is_some() => wrong_block(spec.span, &error),
                SourceErrorKind::UnknownEncoding => {
                    Diagnostic::new(DiagnosticKind::UnknownName, spec.span, error.message.clone())
                        .help(error.help.clone())
                }
                _ => Diagnostic::new(DiagnosticKind::UnknownName, spec.span, error.to_string())
                    .help(error.help.clone()),
            };
            Looked { shape: Err(diagnostic), settled: true }
        }
    }
}
