//! Aggregates: of each group, against a link for each row, and over whole tables in checks.

mod back;
mod each_row;
mod paths;
mod total;
mod values;

use crate::table::SlotId;
pub(super) use back::Back;

use super::Resolved;
use super::apart::sole_of;
use super::expression::Valued;
use super::plan::AggregatePlan;
use super::scope::{Paths, Pending, PendingKind, Resolver, Row};
use super::worth::Worth;
use crate::aggregate::{Aggregate, AggregateFunction, is_of_place, named};
use crate::expr::{Kind, Typed};
use crate::lang::{
    Clauses, Diagnostic, DiagnosticKind, Expr, ExprKind, GroupTree, Name, OrderTree, Span,
    format_expression,
};
use crate::value::Type;

/// An aggregate as it was called.
#[derive(Clone, Copy)]
pub(in crate::resolve) struct Called<'e> {
    pub name: &'e Name,
    pub args: &'e [Expr],
    pub clauses: &'e Clauses,
    pub span: Span,
}

impl Called<'_> {
    pub(super) fn aggregate(&self) -> Option<&'static Aggregate> {
        named(&self.name.text)
    }

    pub(super) fn text(&self) -> String {
        let kind = ExprKind::Call {
            function: self.name.clone(),
            args: self.args.to_vec(),
            clauses: Box::new(self.clauses.clone()),
        };
        format_expression(&Expr { kind, span: self.span })
    }

    /// Every expression in the brackets.
    pub(super) fn inside(&self) -> impl Iterator<Item = &Expr> {
        let by = self.clauses.by.iter().map(|order| &order.value);
        self.args.iter().chain(&self.clauses.filter).chain(by)
    }
}

impl Resolver<'_> {
    /// An aggregate in an expression of a row.
    pub(in crate::resolve) fn aggregate(
        &mut self,
        called: Called<'_>,
        row: &Row,
    ) -> Resolved<Valued> {
        if called.clauses.over.is_some() {
            self.may_have_window(&called)?;
        }
        if row.paths == Paths::Totals {
            return Ok((self.total(called)?, Worth::default()));
        }
        if row.paths == Paths::Results {
            return self.of_group(called, row);
        }
        if let Some(back) = self.back(&called, row)? {
            return self.gather(called, &back, row);
        }
        if called.clauses.group.is_some() {
            return self.of_each_row(called, row);
        }
        self.not_grouped(called, row)
    }

    /// In `one row per`: of the rows of each group.
    fn of_group(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let Some(inner) = self.inner.clone() else { return Err(super::Wrong) };
        if let Some(group) = &called.clauses.group {
            let words = if *group == GroupTree::All { "in all" } else { "per" };
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    called.span,
                    format!(
                        "`{words}` gives each row its group's value, and here rows are gathered"
                    ),
                )
                .help("do it with `add` before, and gather the new column"),
            );
        }
        if is_of_place(&called.name.text) {
            return self.only_of_rows(called);
        }
        if let Some(back) = self.back(&called, &inner)? {
            return self.of_group_over_links(called, &back, &inner, row);
        }
        let (plan, worth) = self.aggregate_plan(called, &inner, &[])?;
        Ok((self.pend_result(plan, worth, row, called.span), worth))
    }

    /// The result of a group, and what its values are in, if they count apart.
    fn pend_result(
        &mut self,
        mut plan: AggregatePlan,
        worth: Worth,
        row: &Row,
        span: Span,
    ) -> Typed {
        let ty = plan.ty;
        let Some(apart) = plan.apart.clone() else {
            let kind = PendingKind::Result(plan);
            return self.pend(Pending { kind, ty, worth, apart: None }, row, span);
        };
        let mut keys = self.group_keys.iter();
        let key = keys.find(|(key, _)| self.same_apart(key, &apart));
        if let Some((key, slot)) = key {
            let apart = Typed::new(Kind::Slot(*slot), key.ty, span);
            // Groups are of one of them each; the total is of all.
            plan.apart = plan.apart.filter(|_| self.group_total);
            let kind = PendingKind::Result(plan);
            return self.pend(Pending { kind, ty, worth, apart: Some(apart) }, row, span);
        }
        let sole = sole_of(&plan, apart);
        let at = row.next_slot.unwrap_or_default() + self.pending.len() + 1;
        let typed = Typed::new(Kind::Slot(SlotId(at)), sole.ty, span);
        let kind = PendingKind::Result(plan);
        let value = self.pend(Pending { kind, ty, worth, apart: Some(typed) }, row, span);
        let ty = sole.ty;
        let kind = PendingKind::Result(sole);
        self.pend(Pending { kind, ty, worth: Worth::default(), apart: None }, row, span);
        value
    }

    /// In `one row per`: of all rows that lead to the rows of each group. Each of them leads to one
    /// row only, so for most what is gathered for each row can be put together; others see the rows
    /// that lead here themselves.
    fn of_group_over_links(
        &mut self,
        called: Called<'_>,
        back: &Back,
        inner: &Row,
        row: &Row,
    ) -> Resolved<Valued> {
        let together = called.aggregate().and_then(|aggregate| aggregate.over_links);
        let known = self.plan.gathers.len();
        let (plan, worth) = match together {
            Some(function) => {
                let (value, worth) = self.gather(called, back, inner)?;
                if value.ty == Type::Number && function == AggregateFunction::Sum {
                    // Rounded once: all rows are added up together.
                    self.plan.gathers.truncate(known);
                    self.gather_rows(called, back, inner)?
                } else {
                    // What was gathered of rows in one currency is in that.
                    let apart = self.apart_of(inner, &value)?.of();
                    (
                        AggregatePlan {
                            apart,
                            ..AggregatePlan::of(function, called.text(), value)
                        },
                        worth,
                    )
                }
            }
            None => self.gather_rows(called, back, inner)?,
        };
        Ok((self.pend_result(plan, worth, row, called.span), worth))
    }

    /// A slot that the step makes before the expression is worked.
    fn pend(&mut self, pending: Pending, row: &Row, span: Span) -> Typed {
        let ty = pending.ty;
        let at = row.next_slot.unwrap_or_default() + self.pending.len();
        self.pending.push(pending);
        Typed::new(Kind::Slot(SlotId(at)), ty, span)
    }

    /// What rows are ordered by, and whether the greatest comes first.
    pub(in crate::resolve) fn orders(
        &mut self,
        orders: &[OrderTree],
        row: &Row,
    ) -> Resolved<Vec<(Typed, bool)>> {
        let mut typed = vec![];
        for order in orders {
            let (by, _) = self.expression(&order.value, row)?;
            typed.push((by, order.descending));
        }
        Ok(typed)
    }

    fn only_of_rows<T>(&mut self, called: Called<'_>) -> Resolved<T> {
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Step,
                called.span,
                format!("`{}` gives each row of one table its own value", called.name.text),
            )
            .help("use it with `add`, with  per KEY  or  in all"),
        )
    }

    fn not_grouped(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let (function, span) = (called.name.text.as_str(), called.span);
        // A wrong path inside is the better thing to say.
        for arg in called.args {
            if let ExprKind::Path(parts) = &arg.kind
                && parts.len() > 1
            {
                self.expression(arg, row)?;
            }
        }
        if function == "rows"
            && let Some(ExprKind::Path(parts)) = called.args.first().map(|arg| &arg.kind)
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
        if row.paths != Paths::Allowed && row.next_slot.is_none() {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, "an aggregate cannot stand here")
                    .help("gather in a table:  table NAME from BASE"),
            );
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Step,
                span,
                format!("`{function}` needs to know which rows are meant"),
            )
            .help(format!(
                "those of a group:  {function}(… per KEY) ; all:  {function}(… in all) ; those that \
                 lead here:  {function}(LINK.COLUMN) ; fewer rows:  one row per KEY"
            )),
        )
    }
}
