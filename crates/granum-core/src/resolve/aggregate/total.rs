//! Aggregates over whole tables, in checks.

use super::Called;
use super::paths::{rewrite_paths, visit_paths};
use crate::expr::{Kind, Typed};
use crate::lang::{Clauses, Diagnostic, DiagnosticKind, Expr, ExprKind, Name};
use crate::resolve::Resolved;
use crate::resolve::plan::{AggregatePlan, Total, TotalFunction, TotalId};
use crate::resolve::scope::{Paths, Resolver};

impl Resolver<'_> {
    /// An aggregate over a whole table, in a check: `sum(sales.net where sales.net > 0)`.
    pub(super) fn total(&mut self, called: Called<'_>) -> Resolved<Typed> {
        let (name, span) = (called.name, called.span);
        let function = match name.text.as_str() {
            "rows" => TotalFunction::Rows,
            "count" => TotalFunction::Count,
            "distinct" => TotalFunction::Distinct,
            "sum" => TotalFunction::Sum,
            "min" => TotalFunction::Min,
            "max" => TotalFunction::Max,
            other => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::NotYet,
                        span,
                        format!(
                            "`{other}` in a check about totals is part of the plan language, but \
                             this version does not run it"
                        ),
                    )
                    .help("gather it in a table, with  one row in all , and check that"),
                );
            }
        };
        let mut first: Option<Name> = None;
        for expr in called.args.iter().chain(&called.clauses.filter) {
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
        // Every name inside is the table's.
        let unnamed = |expr: &Expr| {
            let mut expr = expr.clone();
            rewrite_paths(&mut expr, &mut |parts| {
                if parts.len() > 1 && parts[0].text == first.text {
                    parts.remove(0);
                }
            });
            expr
        };
        let filter = called.clauses.filter.as_ref().map(&unnamed);
        let args: Vec<Expr> = called.args.iter().map(&unnamed).collect();
        let clauses = Clauses { filter, ..called.clauses.clone() };
        let named = [first.clone()];
        // `rows(orders)` names the rows; what is inside of others has lost their name.
        let strip: &[Name] = if function == TotalFunction::Rows { &named } else { &[] };
        let bare = args.iter().any(|arg| {
            matches!(&arg.kind, ExprKind::Path(parts) if parts.len() == 1 && parts[0].span == first.span)
        });
        if bare && function != TotalFunction::Rows {
            return self.needs_a_column(&name.text, &inside, &named, args[0].span);
        }
        let of_table = Called { args: &args, clauses: &clauses, ..called };
        let (plan, _) = self.aggregate_plan(of_table, &inside, strip)?;
        let AggregatePlan { value, filter, ty, .. } = plan;
        self.plan.totals.push(Total { table, function, value, filter, ty });
        let id = TotalId(self.plan.totals.len() - 1);
        Ok(Typed::new(Kind::Total(id), ty, span))
    }
}
