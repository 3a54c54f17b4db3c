//! Aggregates over whole tables, in checks.

use super::Called;
use super::paths::visit_paths;
use crate::aggregate::is_of_place;
use crate::expr::{Kind, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Name};
use crate::resolve::Resolved;
use crate::resolve::plan::Total;
use crate::resolve::scope::{Paths, Resolver};
use crate::table::TotalId;

impl Resolver<'_> {
    /// An aggregate over a whole table, in a check: `sum(sales.net where sales.net > 0)`.
    pub(super) fn total(&mut self, called: Called<'_>) -> Resolved<Typed> {
        let (name, span) = (called.name, called.span);
        if is_of_place(&name.text) || called.clauses.group.is_some() {
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
        // What is usually a mistake is noted for the table.
        self.open.push(table);
        let plan = self.aggregate_plan(called, &inside, &[first]);
        self.open.pop();
        let (plan, _) = plan?;
        let ty = plan.ty;
        self.plan.totals.push(Total { table, plan });
        let id = TotalId(self.plan.totals.len() - 1);
        Ok(Typed::new(Kind::Total(id), ty, span))
    }
}
