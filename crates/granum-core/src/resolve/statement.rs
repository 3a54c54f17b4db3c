//! Links, checks and outputs: what stands on finished tables.

use super::allow::Behind;
use super::expression::Valued;
use super::plan::{CheckKind, CheckPlan, LinkPlan, OutputPlan, Required};
use super::scope::{LinkEntry, Paths, Resolver, Row};
use super::{Resolved, Wrong};
use crate::expr::{Kind, Typed};
use crate::lang::{
    CheckTree, Diagnostic, DiagnosticKind, Expr, ExprKind, LinkKeyTree, OutputTree, RequiredTree,
    StatementKind, format_expression,
};
use crate::resolve::ancestors::Ancestors;
use crate::table::{ColumnId, Hop, TableId};
use crate::value::Type;

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
                _ => {}
            }
        }
    }

    /// A link whose key follows a link that waits for it is a circle.
    fn link_circles(&mut self) {
        let needed = |links: &[LinkEntry<'_>], at: usize| -> Vec<usize> {
            let mut needed = vec![];
            for (left, _) in links[at].plan.iter().flat_map(|plan| &plan.keys) {
                left.visit(&mut |part| {
                    if let Kind::Path { hops, .. } | Kind::Leads { hops, .. } = &part.kind {
                        needed.extend(hops.iter().filter_map(|hop| match hop {
                            Hop::Link(link) => Some(link.0),
                            Hop::Origin { .. } | Hop::Within { .. } => None,
                        }));
                    }
                });
            }
            needed
        };
        for first in 0..self.links.len() {
            let mut open = vec![first];
            let mut seen = vec![];
            while let Some(at) = open.pop() {
                for next in needed(&self.links, at) {
                    if next == first {
                        let link = &self.links[first];
                        let span = link.tree.from.span.to(link.tree.to.span);
                        let diagnostic = Diagnostic::new(
                            DiagnosticKind::Circle,
                            span,
                            format!(
                                "the key of the link to `{}` follows that link itself",
                                link.name
                            ),
                        );
                        self.diagnostics.push(diagnostic.help("follow another link, or none"));
                        return;
                    }
                    if !seen.contains(&next) {
                        seen.push(next);
                        open.push(next);
                    }
                }
            }
        }
    }

    fn link(&mut self, at: usize) -> Resolved<LinkPlan> {
        let tree = self.links[at].tree;
        let (from, to) = (self.links[at].from, self.links[at].to);
        self.need_table(from, tree.from.span)?;
        self.need_table(to, tree.to.span)?;
        let left_row = self.finished_row(from, Paths::InKeys);
        let right_row = self.finished_row(to, Paths::NotInKeys);
        let mut keys = vec![];
        let (mut texts, mut key_words) = (vec![], vec![]);
        for key in &tree.keys {
            let left = self.expression(&key.left, &left_row);
            let right = self.expression(key.right.as_ref().unwrap_or(&key.left), &right_row);
            keys.push(self.key_pair(key, left?, right?, &left_row, &right_row)?);
            let left = format_expression(&key.left);
            let right = key.right.as_ref().map(format_expression);
            texts.push(right.as_ref().map_or(left.clone(), |right| format!("{left} = {right}")));
            key_words.push((left.clone(), right.unwrap_or(left)));
        }
        let required = match &tree.required {
            None => None,
            Some(RequiredTree::Complete(_)) => Some(Required::Complete),
            Some(RequiredTree::Share { percent, of, .. }) => {
                let of = match of {
                    None => None,
                    Some(name) => {
                        let own = &self.tables[from.0].columns;
                        let Some(at) = own.iter().position(|own| own.name == name.text) else {
                            return self.unknown_column(&left_row, name);
                        };
                        if !own[at].tracked {
                            return self.wrong(
                                Diagnostic::new(
                                    DiagnosticKind::Type,
                                    name.span,
                                    format!(
                                        "`{}` is not tracked in `{}`",
                                        name.text, left_row.table
                                    ),
                                )
                                .help(format!("track it there:  track {}", name.text)),
                            );
                        }
                        Some((name.text.clone(), ColumnId(at)))
                    }
                };
                Some(Required::Share { percent: *percent, of })
            }
        };
        Ok(LinkPlan {
            from,
            to,
            name: self.links[at].name.clone(),
            keys,
            keys_text: texts.join(", "),
            key_words,
            required,
            blank_allowed: tree.blank_allowed,
        })
    }

    /// Both sides of a key in one type. Text against a number names the `read` that mends it.
    fn key_pair(
        &mut self,
        key: &LinkKeyTree,
        (left, _): Valued,
        (right, _): Valued,
        left_row: &Row,
        right_row: &Row,
    ) -> Resolved<(Typed, Typed)> {
        if let Some(ty) = left.ty.common(right.ty) {
            return Ok((left.into_type(ty), right.into_type(ty)));
        }
        if let (Type::Date, Type::DateTime) | (Type::DateTime, Type::Date) = (left.ty, right.ty) {
            return Ok((left.into_type(Type::Date), right.into_type(Type::Date)));
        }
        let span = key.right.as_ref().map_or(key.left.span, |right| key.left.span.to(right.span));
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::Type,
            span,
            format!(
                "the keys have two types: {} in `{}` and {} in `{}`",
                left.ty, left_row.table, right.ty, right_row.table
            ),
        );
        let side = |expr: &Expr, row: &Row| match &expr.kind {
            ExprKind::Path(parts) => {
                format!("in the input of `{}`:  read {} as text", row.table, parts[0].text)
            }
            _ => "convert it:  text(…)".to_owned(),
        };
        if left.ty == Type::Text {
            let right = key.right.as_ref().unwrap_or(&key.left);
            diagnostic = diagnostic.help(side(right, right_row));
        } else if right.ty == Type::Text {
            diagnostic = diagnostic.help(side(&key.left, left_row));
        } else {
            diagnostic = diagnostic.help("convert one side: text(…), integer(…), date(…)");
        }
        self.wrong(diagnostic)
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
                let mut shown = vec![];
                condition.visit(&mut |part| {
                    if let Kind::Column(column) = &part.kind
                        && !shown.contains(column)
                    {
                        shown.push(*column);
                    }
                });
                (condition, CheckKind::Rows { table, at_least: tree.at_least, shown })
            }
            None => {
                let row = Row {
                    table: "a check".into(),
                    columns: vec![],
                    ancestors: Ancestors::default(),
                    paths: Paths::Totals,
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
        let ending = std::path::Path::new(&tree.path.text).extension();
        if !ending.is_some_and(|ending| ending.eq_ignore_ascii_case("csv")) {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::NotYet,
                    tree.path.span,
                    "this version writes CSV only",
                )
                .help("end the path in .csv"),
            );
        }
        if let Some(other) = self.plan.outputs.iter().find(|other| other.path == tree.path.text) {
            let message = format!("`{}` is written to this path already", {
                &self.tables[other.table.0].name.text
            });
            return self.wrong(Diagnostic::new(DiagnosticKind::NameTaken, tree.path.span, message));
        }
        self.need_table(table, tree.table.span).map_err(|_| Wrong)?;
        self.plan.outputs.push(OutputPlan { table, path: tree.path.text.clone() });
        Ok(())
    }
}
