//! `allocate`: an amount that stands once for many rows, divided over them.

use super::super::Resolved;
use super::super::plan::{AllocateOver, AllocatePlan, Step};
use super::super::scope::{Resolver, Row};
use super::super::worth::{Worth, WorthKind};
use super::{Builder, Named};
use crate::expr::{Kind, Typed};
use crate::lang::{
    AllocateTree, Diagnostic, DiagnosticKind, Expr, ExprKind, format_expression, plan_name,
};
use crate::table::ColumnId;
use crate::value::{Scale, Type};

impl Resolver<'_> {
    pub(super) fn allocate(
        &mut self,
        builder: &mut Builder,
        tree: &AllocateTree,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        self.new_name(builder, &tree.name, "give the part of each row another name")?;
        let (amount, worth) = self.expression(&tree.amount, &row)?;
        let over = match &amount.kind {
            Kind::Path { .. } => self.over_link(tree, &amount)?,
            Kind::Slot(_) => self.over_keys(builder, tree, &amount, &row)?,
            _ => return self.no_amount(&tree.amount),
        };
        self.must_divide(&tree.amount, &amount, worth, tree.places)?;
        let weight = match &tree.weight {
            None => None,
            Some(weight) => {
                let (typed, _) = self.expression(weight, &row)?;
                let exact = |ty: Type| ty.scale().is_some() || ty == Type::Blank;
                self.must_be(&typed, exact, "an exact number")?;
                Some(typed)
            }
        };
        let apart = self.apart_here(builder, &amount)?;
        let weight_apart = match &weight {
            Some(weight) => self.apart_here(builder, weight)?,
            None => None,
        };
        self.look_apart(builder, &text);
        let tracked = match &over {
            AllocateOver::Link { target, column, .. } => {
                self.tables[target.0].columns[column.0].tracked
            }
            AllocateOver::Keys(_) => true,
        };
        let places = match tree.places {
            Some(places) => Scale(places),
            None => amount.ty.scale().unwrap_or_default().max(Scale(2)),
        };
        let from = builder.steps.len() + 1;
        let worth = Worth::column(WorthKind::Amount, false);
        let slot = builder.slot(Type::Decimal(places), worth, from);
        let named = Named::new(tree.name.text.clone(), from, slot);
        builder.names.push(named.clone());
        if tracked {
            builder.tracked.push(named);
        }
        builder.apart[slot.0].clone_from(&apart);
        if tracked {
            builder.tracked_apart(slot, &text);
        }
        let words = (format_expression(&tree.amount), tree.weight.as_ref().map(format_expression));
        let else_equally = tree.else_equally;
        let plan = AllocatePlan {
            amount,
            words,
            over,
            weight,
            apart,
            weight_apart,
            else_equally,
            slot,
            places,
        };
        builder.push(Step::Allocate(plan), text, true);
        Ok(())
    }

    /// The rows that lead to one row.
    fn over_link(&mut self, tree: &AllocateTree, amount: &Typed) -> Resolved<AllocateOver> {
        let Kind::Path { from, hops, target, column } = &amount.kind else {
            return self.no_amount(&tree.amount);
        };
        if let Some(key) = tree.per.first() {
            let message = "an amount that is looked up is divided over all rows that lead to it";
            return self.wrong(Diagnostic::new(DiagnosticKind::Step, key.span, message).help(
                format!(
                    "leave out  per  ; or bring it to each row first:  add NAME = {} ; \
                     allocate NAME as … per KEY",
                    format_expression(&tree.amount)
                ),
            ));
        }
        let entry = &self.tables[target.0];
        if entry.columns[column.0].worth.repeats().is_some() {
            let message = format!(
                "`{}` stands on several rows of `{}` already",
                entry.columns[column.0].name, entry.name.text
            );
            return self.wrong(
                Diagnostic::new(DiagnosticKind::CountedTwice, tree.amount.span, message)
                    .help("divide it there first, or where it stands once"),
            );
        }
        let of = self.tables[target.0].plan.as_ref();
        let columns = of.map_or_else(Vec::new, crate::resolve::TablePlan::grain_columns);
        let grain = columns.into_iter().map(|at| {
            let ty = self.tables[target.0].columns[at.0].ty;
            let (from, hops, target) = (*from, hops.clone(), *target);
            let kind = Kind::Path { from, hops, target, column: at };
            (Typed::new(kind, ty, amount.span), at)
        });
        let apart = self.tables[target.0].columns[column.0].apart.map(ColumnId);
        Ok(AllocateOver::Link {
            apart,
            from: *from,
            hops: hops.clone(),
            target: *target,
            column: *column,
            grain: grain.collect(),
        })
    }

    /// The rows with the same keys. What each of them repeats cannot be tracked.
    fn over_keys(
        &mut self,
        builder: &Builder,
        tree: &AllocateTree,
        amount: &Typed,
        row: &Row,
    ) -> Resolved<AllocateOver> {
        let name = format_expression(&tree.amount);
        if tree.per.is_empty() {
            let message = format!("over which rows `{name}` is divided is not said");
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, tree.amount.span, message).help(
                    "behind the weight:  per KEY, … ; or divide what a row leads to:  \
                     allocate orders.freight as freight by net",
                ),
            );
        }
        if let Kind::Slot(slot) = amount.kind
            && builder.is_tracked(slot)
        {
            let message = format!("`{name}` is tracked, so it stands on each row once already");
            return self.wrong(
                Diagnostic::new(DiagnosticKind::CountedTwice, tree.amount.span, message).help(
                    format!(
                        "if each row of a group repeats it, do not track it:  \
                         leave {} out of  track",
                        plan_name(&name)
                    ),
                ),
            );
        }
        let mut keys = vec![];
        for key in &tree.per {
            keys.push(self.expression(key, row)?.0);
        }
        Ok(AllocateOver::Keys(keys))
    }

    fn no_amount<T>(&mut self, amount: &Expr) -> Resolved<T> {
        let help = match &amount.kind {
            ExprKind::Path(_) => "a parameter is no amount of a row",
            _ => "give it a name with `add` before, and say  per KEY",
        };
        let message = "`allocate` takes an amount of a linked row, or a column";
        let diagnostic = Diagnostic::new(DiagnosticKind::Step, amount.span, message);
        self.wrong(diagnostic.help(help))
    }

    /// Refuses amounts that cannot be divided exactly.
    fn must_divide(
        &mut self,
        tree: &Expr,
        amount: &Typed,
        worth: Worth,
        places: Option<u8>,
    ) -> Resolved<()> {
        let name = format_expression(tree);
        if !matches!(amount.ty, Type::Integer | Type::Decimal(_) | Type::Blank) {
            let message = format!("`{name}` is {}; only exact numbers can be divided", amount.ty);
            return self.wrong(Diagnostic::new(DiagnosticKind::Type, tree.span, message));
        }
        if worth.divided && places.is_none() {
            let message =
                format!("`{name}` was made by `/` and has more places than an amount should");
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Type, tree.span, message)
                    .help("round it first:  round(…, 2) ; or say its places:  to 2 places"),
            );
        }
        Ok(())
    }
}
