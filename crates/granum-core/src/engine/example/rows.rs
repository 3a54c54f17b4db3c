//! The rows of an example in place of files.

use std::collections::HashMap;

use super::{Shapes, called, wrong_block};
use crate::engine::context::RunError;
use crate::lang::{ExampleTree, PlanTree, RowsTree};
use crate::port::{
    InputColumn, InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest,
    ReadRule, SourceError, SourceErrorKind, Sources,
};
use crate::resolve::input_specs;
use crate::table::Column;
use crate::value::Type;

/// Inputs that have the rows of an example, or none.
pub(super) struct ExampleRows<'a> {
    example: &'a ExampleTree,
    known: &'a Shapes,
    sources: &'a dyn Sources,
    /// Columns that the plan names on inputs of which no file is known.
    named: HashMap<String, Vec<String>>,
}

impl<'a> ExampleRows<'a> {
    pub fn new(example: &'a ExampleTree, known: &'a Shapes, sources: &'a dyn Sources) -> Self {
        Self { example, known, sources, named: HashMap::new() }
    }

    pub fn sources(&self) -> &'a dyn Sources {
        self.sources
    }

    /// The columns of all inputs, as far as they are known.
    pub fn shapes(&self, plan: &PlanTree) -> Result<Shapes, SourceError> {
        let shape = |spec: InputSpec| Ok((spec.name.clone(), self.open(&spec)?.shape()));
        input_specs(plan).into_iter().map(shape).collect()
    }

    /// Gives an input without a file one column more; says whether it has not had it.
    pub fn add_column(&mut self, input: &str, column: &str) -> bool {
        if self.known.contains_key(input) {
            return false;
        }
        let named = self.named.entry(input.to_owned()).or_default();
        let new = !named.iter().any(|known| known == column);
        if new {
            named.push(column.to_owned());
        }
        new
    }

    /// All columns of an input that do not stand in its block, with their types.
    fn others(&self, spec: &InputSpec, there: &[(String, Type)]) -> Vec<(String, Type)> {
        let mut others: Vec<(String, Type)> = vec![];
        let known = self.known.get(&spec.name).into_iter().flat_map(|shape| shape.columns.clone());
        let reads = spec.reads.iter().map(|(name, rule)| (name.clone(), rule.ty));
        let named = self.named.get(&spec.name).into_iter().flatten();
        let named = named.map(|name| (name.clone(), Type::Blank));
        for (name, ty) in known.chain(reads).chain(named) {
            if !there.iter().chain(&others).any(|(known, _)| *known == name) {
                others.push((name, ty));
            }
        }
        others
    }
}

impl Sources for ExampleRows<'_> {
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError> {
        let block = self.example.with.iter().find(|rows| rows.table.text == spec.name);
        let Some(block) = block else {
            // What stands in the plan stays as it is.
            if spec.rows.is_some() {
                return self.sources.open(spec);
            }
            return Ok(Box::new(Blanks { columns: self.others(spec, &[]), rows: None }));
        };
        let called = called(&block.table);
        let mut own = InputSpec::of_files(spec.name.clone(), vec![]);
        own.reads.clone_from(&spec.reads);
        let rows = self.sources.rows(&own, &block.rows.text, &called)?;
        let there = rows.shape().columns;
        if let Some(known) = self.known.get(&spec.name)
            && let Some((odd, _)) =
                there.iter().find(|(name, _)| !known.columns.iter().any(|(own, _)| own == name))
        {
            return Err(no_column(called, &spec.name, odd, &known.columns));
        }
        // What the real file says of a column's type holds here too.
        let typed = |(name, ty): (String, Type)| {
            let known = self.known.get(&spec.name).and_then(|shape| {
                shape.columns.iter().find(|(own, _)| *own == name).map(|(_, ty)| *ty)
            });
            let known = known.filter(|known| *known != Type::Blank);
            (name, known.unwrap_or(ty))
        };
        let mut columns: Vec<(String, Type)> = there.into_iter().map(typed).collect();
        columns.extend(self.others(spec, &columns));
        Ok(Box::new(Blanks { columns, rows: Some(rows) }))
    }

    fn at_rest(&self, _: &InputSpec) -> bool {
        true
    }

    fn rows(
        &self,
        spec: &InputSpec,
        rows: &str,
        called: &str,
    ) -> Result<Box<dyn InputSource>, SourceError> {
        self.sources.rows(spec, rows, called)
    }
}

/// Rows with more columns behind their own, which are blank; or no rows.
struct Blanks {
    columns: Vec<(String, Type)>,
    rows: Option<Box<dyn InputSource>>,
}

impl Blanks {
    /// How many columns the rows have themselves.
    fn own(&self) -> usize {
        self.rows.as_ref().map_or(0, |rows| rows.shape().columns.len())
    }
}

impl InputSource for Blanks {
    fn shape(&self) -> InputShape {
        InputShape { columns: self.columns.clone(), ..InputShape::default() }
    }

    fn settled(&self) -> bool {
        true
    }

    fn settle(&mut self) -> Result<(), SourceError> {
        Ok(())
    }

    fn bytes(&self) -> u64 {
        0
    }

    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        let own = self.own();
        let blank: Vec<(usize, Type)> = request
            .columns
            .iter()
            .enumerate()
            .filter(|(_, column)| column.column >= own)
            .map(|(at, column)| (at, column.ty))
            .collect();
        let there = request.columns.into_iter().filter(|column| column.column < own);
        // A cell that is not of the type is told as one that cannot be read.
        let ruled = |column: InputColumn| InputColumn {
            rule: Some(column.rule.unwrap_or_else(|| ReadRule::plain(column.ty))),
            ..column
        };
        let fingerprints = request.fingerprints.iter();
        let fingerprints =
            fingerprints.map(|set| set.iter().copied().filter(|at| *at < own).collect());
        let inner = ReadRequest {
            columns: there.map(ruled).collect(),
            fingerprints: fingerprints.collect(),
            aside: request.aside,
            last: false,
        };
        let parts = self.rows.as_ref().map(|rows| rows.read(inner)).transpose()?;
        Ok(Box::new(BlanksReader { parts, blank }))
    }
}

struct BlanksReader {
    parts: Option<Box<dyn PartReader>>,
    /// The places of blank columns in the request, and their types.
    blank: Vec<(usize, Type)>,
}

impl PartReader for BlanksReader {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let Some(parts) = &mut self.parts else { return Ok(vec![]) };
        let wider =
            |part| -> Box<dyn RawPart> { Box::new(BlanksPart { part, blank: self.blank.clone() }) };
        Ok(parts.next(count)?.into_iter().map(wider).collect())
    }
}

struct BlanksPart {
    part: Box<dyn RawPart>,
    blank: Vec<(usize, Type)>,
}

impl RawPart for BlanksPart {
    fn bytes(&self) -> u64 {
        self.part.bytes()
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let mut part = self.part.parse()?;
        for (at, ty) in &self.blank {
            part.columns.insert(*at, Column::all_blank(*ty, part.rows));
            for trouble in part.troubles.iter_mut().filter(|trouble| trouble.column >= *at) {
                trouble.column += 1;
            }
            for odd in part.odd_hours.iter_mut().filter(|odd| odd.column >= *at) {
                odd.column += 1;
            }
        }
        Ok(part)
    }
}

/// A block whose header names a column that its table has not.
fn no_column(file: String, table: &str, column: &str, columns: &[(String, Type)]) -> SourceError {
    let names: Vec<&str> = columns.iter().map(|(name, _)| name.as_str()).collect();
    SourceError {
        kind: SourceErrorKind::Columns,
        file,
        line: Some(1),
        message: format!("`{table}` has no column called `{column}`"),
        help: format!("its columns are {}", names.join(", ")),
    }
}

/// The rows that a table must come out with: the columns that are given, in the table's types, each with its
/// place among the table's own.
///
/// # Errors
/// A column that the table has not, a cell that is not of its type.
pub(super) fn read_given(
    given: &RowsTree,
    types: &[(String, Type)],
    sources: &dyn Sources,
) -> Result<Vec<(usize, Column)>, RunError> {
    let plan_error =
        |error: &SourceError| RunError::Plan(vec![wrong_block(given.rows.span, error)]);
    let mut spec = InputSpec::of_files(given.table.text.clone(), vec![]);
    spec.reads = types.iter().map(|(name, ty)| (name.clone(), ReadRule::plain(*ty))).collect();
    let called = format!("gives {}", given.table.text);
    let source =
        sources.rows(&spec, &given.rows.text, &called).map_err(|error| plan_error(&error))?;
    let mut columns = vec![];
    for (at, (name, _)) in source.shape().columns.iter().enumerate() {
        let Some(own) = types.iter().position(|(known, _)| known == name) else {
            return Err(plan_error(&no_column(called, &given.table.text, name, types)));
        };
        let rule = spec.reads[own].1.clone();
        columns.push((own, InputColumn { column: at, ty: rule.ty, rule: Some(rule) }));
    }
    let request = ReadRequest {
        columns: columns.iter().map(|(_, column)| column.clone()).collect(),
        ..ReadRequest::default()
    };
    let mut found: Vec<Vec<Column>> =
        columns.iter().map(|(_, column)| vec![Column::all_blank(column.ty, 0)]).collect();
    let mut reader = source.read(request).map_err(|error| plan_error(&error))?;
    loop {
        let parts = reader.next(16).map_err(|error| plan_error(&error))?;
        if parts.is_empty() {
            break;
        }
        for part in parts {
            let part = part.parse().map_err(|error| plan_error(&error))?;
            if let Some(trouble) = part.troubles.first() {
                let (own, column) = &columns[trouble.column];
                let name = &types[*own].0;
                let (text, place) = &trouble.examples[0];
                let message = format!("\"{text}\" is no {}, which `{name}` is", column.ty);
                let help = "cells are written as outputs have them: 5.00, 2026-03-01, true".into();
                return Err(plan_error(&SourceError {
                    kind: SourceErrorKind::Format,
                    file: called,
                    line: Some(place.line),
                    message,
                    help,
                }));
            }
            for (all, column) in found.iter_mut().zip(part.columns) {
                all.push(column);
            }
        }
    }
    let places = columns.into_iter().map(|(own, _)| own);
    Ok(places.zip(found.iter().map(|parts| Column::concat(parts))).collect())
}
