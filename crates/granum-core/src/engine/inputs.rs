//! The files of all inputs, and the plan as their columns have it.

use std::collections::HashMap;

use super::context::RunError;
use crate::lang::{Diagnostic, DiagnosticKind, PlanTree};
use crate::port::{InputShape, InputSource, SourceErrorKind, Sources};
use crate::resolve::{Plan, input_specs, resolve};
use crate::table::TableId;

/// The files of all inputs.
pub(super) struct Inputs {
    sources: Vec<(String, Box<dyn InputSource>)>,
}

impl Inputs {
    pub fn open(tree: &PlanTree, sources: &dyn Sources) -> Result<Self, RunError> {
        let mut opened = vec![];
        for spec in input_specs(tree) {
            let source = sources.open(&spec).map_err(|error| match error.kind {
                SourceErrorKind::UnknownEncoding => RunError::Plan(vec![
                    Diagnostic::new(DiagnosticKind::UnknownName, spec.encoding_span, error.message)
                        .help(error.help),
                ]),
                _ => RunError::Source(error),
            })?;
            opened.push((spec.name, source));
        }
        Ok(Self { sources: opened })
    }

    /// Resolves the plan. If it seems wrong while types are only known from the beginnings of
    /// files, all cells are looked at before that is said.
    pub fn resolve(
        &mut self,
        tree: &PlanTree,
        settings: &[(String, String)],
    ) -> Result<Plan, RunError> {
        match resolve(tree, &self.shapes(), settings) {
            Ok(plan) => Ok(plan),
            Err(diagnostics) if self.sources.iter().all(|(_, source)| source.settled()) => {
                Err(RunError::Plan(diagnostics))
            }
            Err(_) => {
                for (_, source) in &mut self.sources {
                    if !source.settled() {
                        source.settle().map_err(RunError::Source)?;
                    }
                }
                resolve(tree, &self.shapes(), settings).map_err(RunError::Plan)
            }
        }
    }

    pub fn shapes(&self) -> HashMap<String, InputShape> {
        self.sources.iter().map(|(name, source)| (name.clone(), source.shape())).collect()
    }

    pub fn settle(&mut self, plan: &Plan, input: TableId) -> Result<(), RunError> {
        let name = &plan.tables[input.0].name;
        for (_, source) in self.sources.iter_mut().filter(|(known, _)| known == name) {
            source.settle().map_err(RunError::Source)?;
        }
        Ok(())
    }

    pub fn source(&self, name: &str) -> Option<&dyn InputSource> {
        self.sources.iter().find(|(known, _)| known == name).map(|(_, source)| source.as_ref())
    }
}
