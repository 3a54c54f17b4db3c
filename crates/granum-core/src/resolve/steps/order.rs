//! `sort`, `top` and `bottom`: the order of rows, and which of them stay.

use super::super::Resolved;
use super::super::plan::{SortPlan, Step, TopPlan};
use super::super::scope::Resolver;
use super::Builder;
use crate::lang::{Expr, OrderTree, TopCount};

impl Resolver<'_> {
    pub(super) fn sort(
        &mut self,
        builder: &mut Builder,
        orders: &[OrderTree],
        text: String,
    ) -> Resolved<()> {
        let by = self.orders(orders, &builder.row())?;
        builder.push(Step::Sort(SortPlan { by }), text, false);
        Ok(())
    }

    pub(super) fn top(
        &mut self,
        builder: &mut Builder,
        (bottom, count, ties): (bool, TopCount, bool),
        by: &Expr,
        per: &[Expr],
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let (by, _) = self.expression(by, &row)?;
        let apart = self.apart_here(builder, &by)?;
        self.look_apart(builder, &text);
        let mut keys = vec![];
        for key in per {
            keys.push(self.expression(key, &row)?.0);
        }
        let grain = builder.grain_slots().to_vec();
        builder.push(
            Step::Top(TopPlan { bottom, count, by, apart, per: keys, ties, grain }),
            text,
            true,
        );
        Ok(())
    }
}
