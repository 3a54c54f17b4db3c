//! Checks and outputs: what stands on finished tables.

use super::allow::Behind;
use super::plan::{CheckKind, CheckPlan, OutputPlan, WidePlan};
use super::scope::{Paths, Resolver, Row};
use super::{Resolved, Wrong};
use crate::bug::Sure;
use crate::expr::Kind;
use crate::lang::{
    CheckTree, Diagnostic, DiagnosticKind, ExprKind, Name, OutputTree, Span, StatementKind,
    WideTree, format_expression,
};
use crate::resolve::ancestors::Ancestors;
use crate::table::{ColumnId, TableId};

impl Resolver<'_> {
    pub fn statements(&mut self) {
        for link in 0..self.links.len() {
            if let Ok(plan) = self.link(link) {
                self.links[link].plan = Some(plan);
            }
        }
        self.link_circles();
        for statement in &self.tree.statements {
            match &statement.kind {
                StatementKind::Check(check) => {
                    let warned = self.plan.warnings.len();
                    if let Ok(plan) = self.check(check) {
                        let behind = Behind {
                            table: None,
                            step: plan.called(),
                            warnings: warned..self.plan.warnings.len(),
                            steps: 0..0,
                        };
                        self.plan.checks.push(plan);
                        let _ = self.allowances(&check.allow, &behind);
                    }
                }
                StatementKind::Output(output) => {
                    let _ = self.output(output);
                }
                StatementKind::Chart(chart) => {
                    let _ = self.chart(chart);
                }
                StatementKind::Example(example) => {
                    let _ = self.example(example);
                }
                _ => {}
            }
        }
    }

    fn check(&mut self, tree: &CheckTree) -> Resolved<CheckPlan> {
        let condition_text = format_expression(&tree.condition);
        let title =
            tree.title.as_ref().map_or_else(|| condition_text.clone(), |title| title.text.clone());
        let (condition, kind) = match &tree.table {
            Some(name) => {
                let table = self.table_named(name)?;
                self.need_table(table, name.span)?;
                let row = self.finished_row(table, Paths::Allowed);
                let condition = self.condition(&tree.condition, &row)?;
                self.apart_of(&row, &condition)?;
                let mut shown = vec![];
                for column in condition.columns() {
                    if !shown.contains(&column) {
                        shown.push(column);
                    }
                }
                (condition, CheckKind::Rows { table, at_least: tree.at_least, shown })
            }
            None => {
                let row = Row {
                    table: "a check".into(),
                    columns: vec![],
                    ancestors: Ancestors::default(),
                    paths: Paths::Totals,
                    apart: vec![],
                    next_slot: None,
                    source: None,
                    once: vec![],
                };
                let condition = self.condition(&tree.condition, &row)?;
                let sides = match (&tree.condition.kind, &condition.kind) {
                    (
                        ExprKind::Binary { op, left, right },
                        Kind::Compare { left: typed_left, right: typed_right, .. },
                    ) if op.compares() => vec![
                        (format_expression(left), (**typed_left).clone()),
                        (format_expression(right), (**typed_right).clone()),
                    ],
                    _ => vec![],
                };
                (condition, CheckKind::Totals { sides })
            }
        };
        Ok(CheckPlan { severity: tree.severity, title, condition_text, condition, kind })
    }

    fn output(&mut self, tree: &OutputTree) -> Resolved<()> {
        let table: TableId = self.table_named(&tree.table)?;
        let style = self.style(tree)?;
        self.written_apart(tree, &style)?;
        self.need_table(table, tree.table.span).map_err(|_| Wrong)?;
        let wide = tree.wide.as_ref().map(|wide| self.wide(table, wide)).transpose()?;
        if let Some(span) = tree.style.adding {
            self.adds(table, tree, span)?;
        }
        self.plan.outputs.push(OutputPlan { table, path: tree.path.text.clone(), wide, style });
        Ok(())
    }

    /// That rows can be added by what one row is: the table says it, and the output has those columns.
    fn adds(&mut self, table: TableId, tree: &OutputTree, span: Span) -> Resolved<()> {
        let name = &tree.table.text;
        let plan = self.tables[table.0].plan.as_ref().sure("a table that an output needs");
        let (message, help) = if tree.wide.is_some() {
            let message =
                "rows with a column for each value have no grain to be added by".to_owned();
            (message, "write all rows, without  columns from".to_owned())
        } else if plan.grain.is_none() {
            let message = format!("`{name}` has no grain that its rows could be added by");
            (
                message,
                format!(
                    "say what one row is, in the table:  grain KEY ; or write all rows of `{name}`"
                ),
            )
        } else {
            return Ok(());
        };
        self.wrong(Diagnostic::new(DiagnosticKind::Grain, span, message).help(help))
    }

    /// An output with a column for each value of one: which is a part of what one row is, so that no two rows
    /// come into one cell.
    fn wide(&mut self, table: TableId, tree: &WideTree) -> Resolved<WidePlan> {
        let row = self.finished_row(table, Paths::Allowed);
        let mut place = |name: &Name| match row.columns.iter().position(|(of, ..)| *of == name.text)
        {
            Some(at) => Ok(ColumnId(at)),
            None => self.unknown_column(&row, name),
        };
        let (from, value) = (place(&tree.from)?, place(&tree.value)?);
        let plan = self.tables[table.0].plan.as_ref().ok_or(Wrong)?;
        let id = |name: &String| plan.columns.iter().position(|(of, _)| of == name).map(ColumnId);
        let grain = plan.grain.as_ref().map(|grain| &grain.columns);
        let keys: Vec<ColumnId> = grain.into_iter().flatten().filter_map(id).collect();
        let total = plan
            .steps
            .iter()
            .any(|step| step.step.work().groups().is_some_and(|groups| groups.total.is_some()));
        let columns = plan.columns.len();
        let (of, span) = (row.table.clone(), tree.from.span);
        let words = |names: Option<&Vec<String>>| match names {
            Some(names) if !names.is_empty() => format!("one row per {}", names.join(", ")),
            _ => "not known".to_owned(),
        };
        let known = words(grain);
        if !keys.contains(&from) {
            let message = format!(
                "`{}` is no part of what one row of `{of}` is, so several rows may come into one cell",
                tree.from.text
            );
            let help = format!(
                "what one row is: {known} ; say it, or group before:  one row per \u{2026}, {}",
                tree.from.text
            );
            return self.wrong(Diagnostic::new(DiagnosticKind::Grain, span, message).help(help));
        }
        if keys.contains(&value) {
            let message = format!(
                "`{}` is a part of what one row is, and cannot stand in cells",
                tree.value.text
            );
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Grain, tree.value.span, message)
                    .help("name a column of values"),
            );
        }
        if total {
            let message = format!("`{of}` has a total row, which has no place among columns");
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, span, message)
                    .help("write the table without it, and its total as another output"),
            );
        }
        let beside = (0..columns).map(ColumnId).filter(|id| *id != from && *id != value).collect();
        let keys = keys.into_iter().filter(|id| *id != from).collect();
        Ok(WidePlan { from, value, keys, beside })
    }
}
