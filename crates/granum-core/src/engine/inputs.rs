//! The files of all inputs, and the plan as their columns have it.

use std::collections::HashMap;

use rayon::prelude::*;

use super::context::RunError;
use super::demand::Demand;
use crate::lang::{Diagnostic, DiagnosticKind, PlanTree, Span};
use crate::port::{
    InputShape, InputSource, InputSpec, ReadRequest, SourceError, SourceErrorKind, Sources,
};
use crate::resolve::{Plan, Source, input_specs, passwords, resolve};
use crate::table::TableId;

/// The files of all inputs.
pub(super) struct Inputs {
    sources: Vec<(String, Box<dyn InputSource>)>,
}

impl Inputs {
    pub fn open(tree: &PlanTree, sources: &dyn Sources) -> Result<Self, RunError> {
        let wrong = passwords(tree);
        if !wrong.is_empty() {
            return Err(RunError::Plan(wrong));
        }
        let specs = input_specs(tree);
        // What only comes is opened in its turn: a program may write one after the other.
        let at_rest = specs.iter().all(|spec| sources.at_rest(spec));
        let open = |spec: &InputSpec| opened_whole(spec, sources);
        let mut beside = if at_rest {
            specs.par_iter().with_max_len(1).map(open).collect::<Vec<_>>().into_iter()
        } else {
            vec![].into_iter()
        };
        let mut opened = vec![];
        for spec in specs {
            let source = beside.next().unwrap_or_else(|| open(&spec));
            let source = source.map_err(|error| match error.kind {
                _ if spec.rows.is_some() => RunError::Plan(vec![wrong_block(spec.span, &error)]),
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

    /// Whether no cell can contradict the type that its column was found to have, after which all would be read again:
    /// of each column that is wanted the plan says the type, or all cells have been looked at.
    pub fn are_read_once(&self, plan: &Plan, demand: &Demand) -> bool {
        plan.tables.iter().zip(&demand.tables).all(|(table, demand)| {
            let Source::Input(input) = &table.source else { return true };
            let Some(source) = self.source(&table.name) else { return false };
            let columns = source.shape().columns;
            let mut wanted =
                table.imports.iter().filter(|(slot, _)| demand.last_use[slot.0].is_some());
            source.settled()
                || wanted.all(|(_, column)| input.spec.rule_of(&columns[column.0].0).is_some())
        })
    }

    pub fn source(&self, name: &str) -> Option<&dyn InputSource> {
        self.sources.iter().find(|(known, _)| known == name).map(|(_, source)| source.as_ref())
    }
}

/// Opens an input. Rows that stand in the plan are looked at whole, for what is wrong with them is wrong with it.
fn opened_whole(
    spec: &InputSpec,
    sources: &dyn Sources,
) -> Result<Box<dyn InputSource>, SourceError> {
    let source = sources.open(spec)?;
    if spec.rows.is_some() {
        let mut reader = source.read(ReadRequest::default())?;
        loop {
            let parts = reader.next(1)?;
            if parts.is_empty() {
                break;
            }
            parts.iter().try_for_each(|part| part.parse().map(|_| ()))?;
        }
    }
    Ok(source)
}

/// A block that is no CSV, or has other columns.
pub(super) fn wrong_block(span: Span, error: &SourceError) -> Diagnostic {
    let line = error.line.map_or(String::new(), |line| format!(" (line {line} of the block)"));
    let kind = match error.kind {
        SourceErrorKind::Columns => DiagnosticKind::UnknownName,
        _ => DiagnosticKind::Syntax,
    };
    // The first line is enough to find it.
    let span = Span { start: span.start, end: (span.start + 3).min(span.end) };
    let message = format!("these rows cannot be read: {}{line}", error.message);
    let help = match error.kind {
        SourceErrorKind::RowLength | SourceErrorKind::OpenQuote | SourceErrorKind::AfterQuote => {
            "between cells stands a comma; a cell that has one stands in quotes:  \"a, b\""
        }
        SourceErrorKind::Header => "each column stands in the first line once",
        _ => &error.help,
    };
    Diagnostic::new(kind, span, message).help(help)
}
