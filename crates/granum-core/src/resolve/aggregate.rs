//! Aggregates: against a link for each row, and over whole tables in checks.

use super::Resolved;
use super::expression::Valued;
use super::plan::{Gather, GatherId, LinkId, Total, TotalFunction, TotalId};
use super::scope::{Paths, Resolver, Row};
use super::worth::{Repeat, Worth};
use crate::expr::{Kind, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Expr, ExprKind, Name, Span};
use crate::table::TableId;
use crate::value::Type;

impl Resolver<'_> {
    /// `sum(returns.quantity where …)`, `rows(returns)` for each row.
    pub(super) fn gather(
        &mut self,
        name: &Name,
        args: &[Expr],
        filter: Option<&Expr>,
        span: Span,
        row: &Row,
    ) -> Resolved<Valued> {
        let function = name.text.as_str();
        if row.paths != Paths::Allowed {
            let what = match row.paths {
                Paths::NotInInputs => "an input's steps cannot follow links",
                _ => "an aggregate cannot stand here",
            };
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, what)
                    .help("gather in a table:  table NAME from BASE"),
            );
        }
        let Some(back) = args.iter().find_map(|arg| self.first_back(arg, row)) else {
            return self.not_against_a_link(function, args, span, row);
        };
        let (link, target) = self.link_for_gather(&back, row)?;
        if !matches!(function, "sum" | "rows") {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::NotYet,
                    span,
                    format!(
                        "`{function}` against a link is part of the plan language, but this \
                         version does not run it"
                    ),
                )
                .help("docs/language.md lists what is missing"),
            );
        }
        let gathered = self.links[link.0].from;
        self.need_table(gathered, back.span)?;
        let inside = self.finished_row(gathered, Paths::Allowed);
        let filter = filter.map(|filter| self.condition(filter, &inside)).transpose()?;
        let value = self.aggregated(function, args, span, &inside, &mut |parts| {
            let stripped = parts[0].text == back.text && parts[0].span == back.span;
            stripped.then(|| parts[1..].to_vec())
        })?;
        let ty = value.as_ref().map_or(Type::Integer, |(value, _)| summed_type(value.ty));
        // A number of rows is no amount; a sum is one if what it sums is.
        let worth = match &value {
            Some((_, worth)) if worth.is_amount() => Worth::summed(),
            _ => Worth { own: true, ..Worth::default() },
        };
        let value = value.map(|(value, _)| value.into_type(ty));
        let id = self.gathered(Gather { link, value, filter, presence: false, ty });
        Ok((Typed::new(Kind::Gathered { from: target, id }, ty, span), worth))
    }

    /// `has(returns)`, against a link.
    pub(super) fn gather_presence(
        &mut self,
        name: &Name,
        span: Span,
        row: &Row,
    ) -> Resolved<Valued> {
        if row.paths != Paths::Allowed {
            return self.wrong(Diagnostic::new(
                DiagnosticKind::Path,
                span,
                "an input's steps cannot follow links: links join finished tables",
            ));
        }
        let (link, target) = self.link_for_gather(name, row)?;
        let gathered = self.links[link.0].from;
        self.need_table(gathered, name.span)?;
        let ty = Type::Boolean;
        let id = self.gathered(Gather { link, value: None, filter: None, presence: true, ty });
        let kind = Kind::Gathered { from: target, id };
        Ok((Typed::new(kind, ty, span), Worth::default()))
    }

    fn gathered(&mut self, gather: Gather) -> GatherId {
        self.plan.gathers.push(gather);
        GatherId(self.plan.gathers.len() - 1)
    }

    /// The link that a name leads back over, refused where one row there is several here.
    fn link_for_gather(&mut self, name: &Name, row: &Row) -> Resolved<(LinkId, TableId)> {
        match self.link_back(&row.ancestors, &name.text) {
            Some((link, target, false)) => Ok((link, target)),
            _ => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::CountedTwice,
                    name.span,
                    format!(
                        "after `units` one row is several: what `{}` gathers would stand on each",
                        name.text
                    ),
                )
                .help(
                    "gather it with `add` before the units, in the table that they are made from",
                ),
            ),
        }
    }

    /// The name of the first path in an expression that goes against a link.
    fn first_back(&self, expr: &Expr, row: &Row) -> Option<Name> {
        let mut found = None;
        visit_paths(expr, &mut |parts| {
            let name = &parts[0];
            let column = parts.len() == 1 && row.columns.iter().any(|(n, ..)| *n == name.text);
            if found.is_none()
                && !column
                && self.link_from(&row.ancestors, &name.text).is_none()
                && self.link_back(&row.ancestors, &name.text).is_some()
            {
                found = Some(name.clone());
            }
        });
        found
    }

    fn not_against_a_link(
        &mut self,
        function: &str,
        args: &[Expr],
        span: Span,
        row: &Row,
    ) -> Resolved<Valued> {
        // A wrong path inside is the better thing to say.
        for arg in args {
            if let ExprKind::Path(parts) = &arg.kind
                && parts.len() > 1
            {
                self.expression(arg, row)?;
            }
        }
        if function == "rows"
            && let Some(ExprKind::Path(parts)) = args.first().map(|arg| &arg.kind)
            && parts.len() == 1
        {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    parts[0].span,
                    format!("no link called `{}` leads to `{}`", parts[0].text, row.table),
                )
                .help("`rows` counts what leads here by a link:  rows(lines)"),
            );
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::NotYet,
                span,
                format!(
                    "`{function}` over rows of the same table is part of the plan language, but \
                     this version does not run it"
                ),
            )
            .help(format!(
                "for each row, gather what leads to it:  {function}(LINK.COLUMN) ; for a whole \
                 table, use a check:  check: {function}(TABLE.COLUMN) > 0"
            )),
        )
    }

    /// The argument of an aggregate, resolved in the rows that it works on. `strip` takes the name
    /// of those rows off a path.
    fn aggregated(
        &mut self,
        function: &str,
        args: &[Expr],
        span: Span,
        inside: &Row,
        strip: &mut dyn FnMut(&[Name]) -> Option<Vec<Name>>,
    ) -> Resolved<Option<Valued>> {
        let [arg] = args else {
            return self.wrong(Diagnostic::new(
                DiagnosticKind::Type,
                span,
                format!("`{function}` takes one value, not {}", args.len()),
            ));
        };
        let mut arg = arg.clone();
        let mut bare = false;
        rewrite_paths(&mut arg, &mut |parts| {
            if let Some(rest) = strip(parts) {
                bare |= rest.is_empty();
                *parts = if rest.is_empty() { vec![parts[0].clone()] } else { rest };
            }
        });
        if function == "rows" {
            if bare {
                return Ok(None);
            }
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    arg.span,
                    "`rows` counts rows, so it takes no column",
                )
                .help("to count what is not blank, use `count`"),
            );
        }
        if bare {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    arg.span,
                    format!("`{function}` needs a column of `{}`", inside.table),
                )
                .help(format!(
                    "as in  {function}({}.COLUMN) ; rows are counted by `rows`",
                    inside.table
                )),
            );
        }
        let (value, worth) = self.expression(&arg, inside)?;
        if function == "sum" {
            self.must_be(&value, Type::is_numeric, "a number")?;
            if let Some(repeat) = worth.repeats() {
                return self.counted_twice(&value, repeat);
            }
        }
        Ok(Some((value, worth)))
    }

    /// An amount that stands on several rows cannot be summed over them.
    fn counted_twice<T>(&mut self, value: &Typed, repeat: Repeat) -> Resolved<T> {
        let (message, help) = match repeat {
            Repeat::OverLink => (
                "this amount came over a link and stands on every row that leads there, so \
                 summing it here would count it more than once",
                "sum it in the table where it lives, or give each row its part of it before",
            ),
            Repeat::PastUnits => (
                "this amount was carried past `units` unsplit and stands on every unit of its \
                 row, so summing it here would count it more than once",
                "name it under `split` in the units step, or sum it in the table before",
            ),
        };
        self.wrong(Diagnostic::new(DiagnosticKind::CountedTwice, value.span, message).help(help))
    }

    /// An aggregate over a whole table, in a check: `sum(sales.net where sales.net > 0)`.
    pub(super) fn total(
        &mut self,
        name: &Name,
        args: &[Expr],
        filter: Option<&Expr>,
        span: Span,
    ) -> Resolved<Typed> {
        let function = match name.text.as_str() {
            "rows" => TotalFunction::Rows,
            "count" => TotalFunction::Count,
            "distinct" => TotalFunction::Distinct,
            "sum" => TotalFunction::Sum,
            "min" => TotalFunction::Min,
            _ => TotalFunction::Max,
        };
        let mut first: Option<Name> = None;
        for expr in args.iter().chain(filter) {
            visit_paths(expr, &mut |parts| {
                if first.is_none() && !self.parameters.iter().any(|(p, _)| *p == parts[0].text) {
                    first = Some(parts[0].clone());
                }
            });
        }
        let Some(first) = first else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::UnknownName,
                    span,
                    format!("`{}` needs a table here", name.text),
                )
                .help("as in  sum(sales.net)  or  rows(orders)"),
            );
        };
        let table = self.table_named(&first)?;
        self.need_table(table, first.span)?;
        let inside = self.finished_row(table, Paths::Allowed);
        let mut strip = |parts: &[Name]| (parts[0].text == first.text).then(|| parts[1..].to_vec());
        let filter = match filter {
            Some(filter) => {
                let mut filter = filter.clone();
                rewrite_paths(&mut filter, &mut |parts| {
                    if let Some(rest) = strip(parts).filter(|rest| !rest.is_empty()) {
                        *parts = rest;
                    }
                });
                Some(self.condition(&filter, &inside)?)
            }
            None => None,
        };
        let value = self.aggregated(&name.text, args, span, &inside, &mut strip)?;
        let value = value.map(|(value, _)| value);
        let ty = match (function, &value) {
            (TotalFunction::Sum, Some(value)) => summed_type(value.ty),
            (TotalFunction::Min | TotalFunction::Max, Some(value)) => value.ty,
            _ => Type::Integer,
        };
        let value = if function == TotalFunction::Sum {
            value.map(|value| value.into_type(ty))
        } else {
            value
        };
        self.plan.totals.push(Total { table, function, value, filter, ty });
        let id = TotalId(self.plan.totals.len() - 1);
        Ok(Typed::new(Kind::Total(id), ty, span))
    }
}

fn summed_type(ty: Type) -> Type {
    if ty == Type::Blank { Type::Integer } else { ty }
}

/// Calls `see` on every path of an expression, in the order of the text.
fn visit_paths(expr: &Expr, see: &mut dyn FnMut(&[Name])) {
    let mut copy = expr.clone();
    rewrite_paths(&mut copy, &mut |parts| see(parts));
}

/// Calls `change` on every path of an expression, in the order of the text.
fn rewrite_paths(expr: &mut Expr, change: &mut dyn FnMut(&mut Vec<Name>)) {
    match &mut expr.kind {
        ExprKind::Path(parts) => change(parts),
        ExprKind::Text(_) | ExprKind::Number { .. } | ExprKind::Boolean(_) | ExprKind::Blank => {}
        ExprKind::Negate(inner) | ExprKind::Not(inner) => rewrite_paths(inner, change),
        ExprKind::IsBlank { value, .. } => rewrite_paths(value, change),
        ExprKind::Binary { left, right, .. } => {
            rewrite_paths(left, change);
            rewrite_paths(right, change);
        }
        ExprKind::In { value, items, .. } => {
            rewrite_paths(value, change);
            items.iter_mut().for_each(|item| rewrite_paths(item, change));
        }
        ExprKind::If { condition, then, otherwise } => {
            rewrite_paths(condition, change);
            rewrite_paths(then, change);
            rewrite_paths(otherwise, change);
        }
        ExprKind::Call { args, filter, .. } => {
            args.iter_mut().for_each(|arg| rewrite_paths(arg, change));
            if let Some(filter) = filter {
                rewrite_paths(filter, change);
            }
        }
    }
}
