//! Names before meanings: parameters, tables and links are known before any is resolved.

use super::scope::{LinkEntry, Paths, Resolver, Row, TableEntry, TableState};
use super::{Parameter, Resolved};
use crate::bug::bug;
use crate::expr::{Failing, Kind, Scope, World, evaluate};
use crate::lang::{
    Diagnostic, DiagnosticKind, Expr, LinkTree, Name, ParamTree, PlanTree, Span, StatementKind,
    StepKind, nearest,
};
use crate::port::{Each, InputSpec, ReadRule, Written};
use crate::resolve::ancestors::Ancestors;
use crate::table::{Batch, SlotId};
use crate::value::{Scalar, Type, Zone};

pub(super) fn input_specs(tree: &PlanTree) -> Vec<InputSpec> {
    let mut specs = vec![];
    for statement in &tree.statements {
        let StatementKind::Input(input) = &statement.kind else { continue };
        // A calendar has no files.
        if input.calendar.is_some() {
            continue;
        }
        let reads = input.steps.iter().filter_map(|step| match &step.kind {
            StepKind::Read(items) => Some(items),
            _ => None,
        });
        let reads = reads.flatten().map(|item| {
            let rule = ReadRule {
                ty: item.ty.ty,
                formats: item.formats.iter().map(|format| format.text.clone()).collect(),
                // One that is not known is told where the `read` is resolved.
                zone: item.zone.as_ref().and_then(|zone| Zone::named(&zone.text)),
                otherwise: item.otherwise,
                span: item.column.span,
            };
            (item.column.text.clone(), rule)
        });
        let places = input.sources.iter().chain(&input.rows).map(|source| source.span);
        let span = places.reduce(Span::to).unwrap_or(input.name.span);
        specs.push(InputSpec {
            name: input.name.text.clone(),
            sources: input.sources.iter().map(|source| source.text.clone()).collect(),
            rows: input.rows.as_ref().map(|rows| rows.text.clone()),
            span,
            written: Written {
                delimiter: input.delimiter.as_ref().and_then(|sign| sign.text.bytes().next()),
                encoding: input.encoding.as_ref().map(|encoding| encoding.text.clone()),
                header_at: input.header_at,
                footer: input.footer,
                sheet: input.sheet.as_ref().map(|sheet| sheet.text.clone()),
                range: input.range.as_ref().map(|range| range.text.clone()),
                named: input.named.as_ref().map(|named| named.text.clone()),
                query: input.query.as_ref().map(|query| query.text.clone()),
                ordered: input.ordered.iter().map(|column| column.text.clone()).collect(),
            },
            encoding_span: input.encoding.as_ref().map_or(input.name.span, |named| named.span),
            apart: vec![],
            filling_blanks: input.filling_blanks,
            each: input.each.as_ref().map(|each| Each {
                list: each.list.text.clone(),
                with: each.with.iter().map(|name| name.text.clone()).collect(),
            }),
            reads: reads.collect(),
        });
    }
    specs
}

impl<'a> Resolver<'a> {
    pub fn declare(&mut self, settings: &[(String, String)]) {
        self.declare_parameters(settings);
        let tree = self.tree;
        let mut title: Option<Span> = None;
        for statement in &tree.statements {
            match &statement.kind {
                StatementKind::Plan(text) => {
                    if let Some(first) = title {
                        self.diagnostics.push(
                            Diagnostic::new(
                                DiagnosticKind::NameTaken,
                                text.span,
                                "the plan has a title already",
                            )
                            .also(first, "the first"),
                        );
                    }
                    title = Some(text.span);
                    self.plan.title = Some(text.text.clone());
                }
                kind @ StatementKind::Input(input) => self.declare_table(&input.name, kind),
                kind @ StatementKind::Table(table) => self.declare_table(&table.name, kind),
                _ => {}
            }
        }
        for statement in &tree.statements {
            if let StatementKind::Link(link) = &statement.kind {
                let _ = self.declare_link(link);
            }
        }
    }

    /// The parameters with their values, as the plan or `--set` has them.
    pub(super) fn declare_parameters(&mut self, settings: &[(String, String)]) {
        for statement in &self.tree.statements {
            if let StatementKind::Param(param) = &statement.kind {
                self.declare_parameter(param, settings);
            }
        }
        for (name, _) in settings {
            if !self.parameters.iter().any(|(known, _)| known == name) {
                let known = self.parameters.iter().map(|(name, _)| name.as_str());
                let near = nearest(name, known.clone());
                let help = match near {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => "a parameter is declared with `param NAME TYPE = VALUE`".into(),
                };
                self.diagnostics.push(
                    Diagnostic::new(
                        DiagnosticKind::Parameter,
                        Span::default(),
                        format!("--set names `{name}`, which the plan has no parameter for"),
                    )
                    .help(help),
                );
            }
        }
    }

    fn declare_parameter(&mut self, param: &ParamTree, settings: &[(String, String)]) {
        let ty = param.ty.ty;
        if self.parameters.iter().any(|(name, _)| *name == param.name.text) {
            self.diagnostics.push(Diagnostic::new(
                DiagnosticKind::NameTaken,
                param.name.span,
                format!("there is a parameter called `{}` already", param.name.text),
            ));
            return;
        }
        let set = settings.iter().rev().find(|(name, _)| *name == param.name.text);
        let value = match set {
            Some((name, text)) => {
                let value = Scalar::parse(text, ty);
                if value.is_none() {
                    self.diagnostics.push(
                        Diagnostic::new(
                            DiagnosticKind::Parameter,
                            param.name.span,
                            format!("--set {name}: `{text}` is not of type {ty}"),
                        )
                        .label(format!("declared as {ty} here")),
                    );
                }
                value
            }
            None => self.constant(&param.value, ty, &param.name.text).ok(),
        };
        let value = value.unwrap_or(Scalar::Blank);
        self.parameters.push((param.name.text.clone(), Parameter { value, ty }));
    }

    /// A value that sees no columns, in the type of what it is for.
    pub(super) fn constant(&mut self, value: &Expr, ty: Type, name: &str) -> Resolved<Scalar> {
        let row = Row {
            table: String::new(),
            columns: vec![],
            ancestors: Ancestors::default(),
            paths: Paths::NotInParameters,
            apart: vec![],
            next_slot: None,
            source: None,
            once: vec![],
        };
        let (typed, _) = self.expression(value, &row)?;
        if typed.ty.common(ty) != Some(ty) {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    value.span,
                    format!("this is {}, but `{name}` is {ty}", typed.ty),
                )
                .help(match ty {
                    Type::Date | Type::DateTime => "a day is written  date(\"2026-06-30\")",
                    Type::Text => "text is written in quotes:  \"x\"",
                    Type::Boolean => "write  true  or  false",
                    _ => "a number is written without quotes:  12  or  2.50",
                }),
            );
        }
        let batch = Batch { rows: 1, ..Batch::default() };
        let scope = Scope {
            batch: &batch,
            world: &World::default(),
            zero_divisions: &std::sync::atomic::AtomicU64::new(0),
            failing: Failing::Stops,
        };
        match evaluate(&typed.into_type(ty), &scope) {
            Ok(column) => Ok(column.scalar(0)),
            Err(_) => self.wrong(Diagnostic::new(
                DiagnosticKind::Parameter,
                value.span,
                format!("this cannot be worked out as {ty}"),
            )),
        }
    }

    fn declare_table(&mut self, name: &'a Name, statement: &'a StatementKind) {
        if let Some(first) = self.tables.iter().find(|entry| entry.name.text == name.text) {
            let diagnostic = Diagnostic::new(
                DiagnosticKind::NameTaken,
                name.span,
                format!("there is a table or input called `{}` already", name.text),
            )
            .also(first.name.span, "the first");
            self.diagnostics.push(diagnostic);
            return;
        }
        self.tables.push(TableEntry {
            name,
            statement,
            base: None,
            state: TableState::Waiting,
            columns: vec![],
            ancestors: Ancestors::default(),
            once: vec![],
            plan: None,
        });
    }

    fn declare_link(&mut self, tree: &'a LinkTree) -> Resolved<()> {
        let from = self.table_named(&tree.from);
        let to = self.table_named(&tree.to);
        let (from, to) = (from?, to?);
        let name = tree.name.as_ref().unwrap_or(&tree.to);
        let back = tree.back.as_ref().unwrap_or(&tree.from);
        for other in &self.links {
            let same_way = other.from == from && other.name == name.text;
            let same_back = other.to == to && other.back == back.text;
            let crossing = (other.to == from && other.back == name.text)
                || (other.from == to && other.name == back.text);
            if same_way || same_back || crossing {
                let taken = if same_way { name } else { back };
                let diagnostic = Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    taken.span,
                    format!("another link of these tables is called `{}` already", taken.text),
                )
                .also(other.tree.from.span, "the other link")
                .help("give this one a name with  as NAME back NAME");
                return self.wrong(diagnostic);
            }
        }
        self.links.push(LinkEntry {
            tree,
            from,
            to,
            name: name.text.clone(),
            back: back.text.clone(),
            plan: None,
            choices: false,
        });
        Ok(())
    }

    /// The slot of a column of a table on its way.
    pub(super) fn column_of(&mut self, row: &Row, name: &Name) -> Resolved<(SlotId, Type)> {
        match row.columns.iter().find(|(known, ..)| *known == name.text) {
            Some((_, Kind::Slot(slot), ty, _)) => Ok((*slot, *ty)),
            Some(_) => bug("a finished column among those of a table on its way"),
            None => self.unknown_column(row, name),
        }
    }
}
