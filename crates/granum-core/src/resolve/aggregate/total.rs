//! Aggregates over whole tables, in checks.

use super::paths::{rewrite_paths, visit_paths};
use super::{Called, OF_ROWS};
use crate::aggregate::AggregateFunction;
use crate::expr::{Kind, Typed};
use crate::lang::{Clauses, Diagnostic, DiagnosticKind, Expr, ExprKind, Name, OrderTree};
use crate::resolve::Resolved;
use crate::resolve::plan::{AggregatePlan, Total, TotalId};
use crate::resolve::scope::{Paths, Resolver};

impl Resolver<'_> {
    /// An aggregate over a whole table, in a check: `sum(sales.net where sales.net > 0)`.
    pub(super) fn total(&mut self, called: Called<'_>) -> Resolved<Typed> {
        let (name, span) = (called.name, called.span);
        if OF_ROWS.contains(&name.text.as_str()) || called.clauses.group.is_some() {
            let message =
                "a check about totals is of all rows of a table, not of each row or group";
            return self
                .wrong(Diagnostic::new(DiagnosticKind::Step, span, message).help(
                    "give a table the column with `add` and check its rows:  check TABLE: …",
                ));
        }
        let mut first: Option<Name> = None;
        for expr in called.inside() {
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
        let args: Vec<Expr> = called.args.iter().map(&unnamed).collect();
        let filter = called.clauses.filter.as_ref().map(&unnamed);
        let by = called
            .clauses
            .by
            .iter()
            .map(|order| OrderTree { value: unnamed(&order.value), descending: order.descending });
        let clauses = Clauses { filter, by: by.collect(), ..called.clauses.clone() };
        let named = [first.clone()];
        let rows = called.function() == Some(AggregateFunction::Rows);
        // `rows(orders)` names the rows; what is inside of others has lost their name.
        let strip: &[Name] = if rows { &named } else { &[] };
        let bare = args.iter().any(|arg| {
            matches!(&arg.kind, ExprKind::Path(parts) if parts.len() == 1 && parts[0].span == first.span)
        });
        if bare && !rows {
            return self.needs_a_column(&name.text, &inside, &named, args[0].span);
        }
        let of_table = Called { args: &args, clauses: &clauses, ..called };
        self.open.push(table);
        let warned = self.plan.warnings.len();
        let plan = self.aggregate_plan(of_table, &inside, strip);
        self.open.pop();
        let (plan, _) = plan?;
        let ty = plan.ty;
        // What is said of it has it as it stands in the plan.
        self.plan.warnings[warned..].iter_mut().for_each(|warning| warning.step = called.text());
        let plan = AggregatePlan { text: called.text(), ..plan };
        self.plan.totals.push(Total { table, plan });
        let id = TotalId(self.plan.totals.len() - 1);
        Ok(Typed::new(Kind::Total(id), ty, span))
    }
}
