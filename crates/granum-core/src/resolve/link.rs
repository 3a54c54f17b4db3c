//! Links: keys, periods, and how complete they must be.

use super::Resolved;
use super::expression::Valued;
use super::plan::{LinkPlan, PeriodEnd, PeriodPlan, Required};
use super::scope::{LinkEntry, Paths, Resolver, Row};
use crate::expr::{Kind, Typed};
use crate::lang::{
    Diagnostic, DiagnosticKind, Expr, ExprKind, LinkKeyTree, Name, PeriodEndTree, PeriodTree,
    Preference, RequiredTree, format_expression, plan_name,
};
use crate::link::{LinkWords, PeriodWords};
use crate::table::{ColumnId, Hop, TableId};
use crate::value::Type;

impl Resolver<'_> {
    /// A link whose key follows a link that waits for it is a circle.
    pub(super) fn link_circles(&mut self) {
        let needed = |links: &[LinkEntry<'_>], at: usize| -> Vec<usize> {
            let mut needed = vec![];
            for left in links[at].plan.iter().flat_map(LinkPlan::left_parts) {
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

    pub(super) fn link(&mut self, at: usize) -> Resolved<LinkPlan> {
        let tree = self.links[at].tree;
        let (from, to) = (self.links[at].from, self.links[at].to);
        self.need_table(from, tree.from.span)?;
        self.need_table(to, tree.to.span)?;
        let left_row = self.finished_row(from, Paths::InKeys);
        let right_row = self.finished_row(to, Paths::NotInKeys);
        let mut keys = vec![];
        for key in &tree.keys {
            let left = self.expression(&key.left, &left_row);
            let right = self.expression(key.right.as_ref().unwrap_or(&key.left), &right_row);
            keys.push(self.key_pair(key, left?, right?, &left_row, &right_row)?);
        }
        let period = match &tree.period {
            Some(period) => Some(self.period(period, &tree.prefer, &left_row, &right_row)?),
            None => None,
        };
        let words = LinkWords {
            keys: tree.keys.iter().map(LinkKeyTree::words).collect(),
            period: tree.period.as_ref().map(period_words),
        };
        let required = self.required(tree.required.as_ref(), from, &left_row)?;
        Ok(LinkPlan {
            from,
            to,
            name: self.links[at].name.clone(),
            keys,
            keys_text: tree.keys_text(),
            words,
            period,
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

    /// How complete a link must be.
    fn required(
        &mut self,
        required: Option<&RequiredTree>,
        from: TableId,
        row: &Row,
    ) -> Resolved<Option<Required>> {
        let Some(required) = required else { return Ok(None) };
        Ok(Some(match required {
            RequiredTree::Complete(_) => Required::Complete,
            RequiredTree::Share { percent, of, .. } => {
                let of = match of {
                    None => None,
                    Some(name) => {
                        let own = &self.tables[from.0].columns;
                        let Some(at) = own.iter().position(|own| own.name == name.text) else {
                            return self.unknown_column(row, name);
                        };
                        if !own[at].tracked {
                            return self.wrong(
                                Diagnostic::new(
                                    DiagnosticKind::Type,
                                    name.span,
                                    format!("`{}` is not tracked in `{}`", name.text, row.table),
                                )
                                .help(format!("track it there:  track {}", name.text)),
                            );
                        }
                        Some((name.text.clone(), ColumnId(at)))
                    }
                };
                Required::Share { percent: *percent, of }
            }
        }))
    }

    /// A period: days throughout if one side has days, else times.
    fn period(
        &mut self,
        tree: &PeriodTree,
        prefer: &[(Preference, Name)],
        left_row: &Row,
        right_row: &Row,
    ) -> Resolved<PeriodPlan> {
        let when = self.moment(&tree.when, left_row);
        let starts = self.moment(&tree.starts, right_row);
        let said = match &tree.end {
            PeriodEndTree::Through(end) | PeriodEndTree::Until(end) => {
                Some(self.moment(end, right_row))
            }
            PeriodEndTree::Onward => None,
        };
        let (when, starts, said) = (when?, starts?, said.transpose()?);
        let is_day = |typed: &Typed| typed.ty == Type::Date;
        let by_day = is_day(&when) || is_day(&starts) || said.as_ref().is_some_and(is_day);
        let ty = if by_day { Type::Date } else { Type::DateTime };
        let end = match (&tree.end, said) {
            (PeriodEndTree::Through(_), Some(end)) => PeriodEnd::Through(end.into_type(ty)),
            (PeriodEndTree::Until(_), Some(end)) => PeriodEnd::Until(end.into_type(ty)),
            _ => PeriodEnd::Onward,
        };
        let mut columns = vec![];
        for (preference, name) in prefer {
            let found = right_row.columns.iter().find(|(known, ..)| *known == name.text);
            let Some((_, Kind::Column(column), ty, _)) = found.cloned() else {
                return self.unknown_column(right_row, name);
            };
            self.must_prefer(*preference, name, ty)?;
            columns.push((*preference, column));
        }
        // What could be preferred, if it is a column that has a latest.
        let could_prefer = match &tree.starts.kind {
            ExprKind::Path(parts) if parts.len() == 1 => Some(plan_name(&parts[0].text)),
            _ => None,
        };
        Ok(PeriodPlan {
            when: when.into_type(ty),
            starts: starts.into_type(ty),
            end,
            prefer: columns,
            could_prefer,
            choices: false,
        })
    }

    /// A day or a time of a period. A text names the `read` that mends it.
    fn moment(&mut self, expr: &Expr, row: &Row) -> Resolved<Typed> {
        let (typed, _) = self.expression(expr, row)?;
        if typed.ty.is_temporal() {
            return Ok(typed);
        }
        let message = format!(
            "this is {} in `{}`, but a period is made of days or times",
            typed.ty, row.table
        );
        let mut diagnostic = Diagnostic::new(DiagnosticKind::Type, expr.span, message);
        if typed.ty == Type::Text {
            diagnostic = diagnostic.help(match &expr.kind {
                ExprKind::Path(_) => {
                    "text falls into no period: `granum survey` of its file tells how its days are \
                     written, and the  read  that makes them days"
                }
                _ => "make it a day:  date(\u{2026}, \"%d/%m/%Y\")",
            });
        }
        self.wrong(diagnostic)
    }
}

fn period_words(tree: &PeriodTree) -> PeriodWords {
    PeriodWords {
        text: tree.to_string(),
        when: format_expression(&tree.when),
        starts: format_expression(&tree.starts),
        ends: match &tree.end {
            PeriodEndTree::Through(end) | PeriodEndTree::Until(end) => Some(format_expression(end)),
            PeriodEndTree::Onward => None,
        },
    }
}
