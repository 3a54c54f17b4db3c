//! `expand`: each row becomes the rows that lead to what it leads to, with every amount split or multiplied.

use super::super::aggregate::Back;
use super::super::ancestors::Ancestors;
use super::super::path::Way;
use super::super::plan::{ExpandPlan, GatherWhat, MultiplyPlan, SplitPlan, Step};
use super::super::scope::{Paths, Resolver};
use super::super::worth::{Past, Worth, WorthKind};
use super::super::{Resolved, Wrong};
use super::units::listed;
use super::{Builder, Named};
use crate::expr::{Kind, Typed};
use crate::lang::{
    Diagnostic, DiagnosticKind, ExpandTree, ExprKind, LinkKeyTree, Name, Operator, Span,
    nearest_or_longer, plan_name,
};
use crate::table::{ColumnId, GatherId, Hop, SlotId, TableId};
use crate::value::Type;

/// A column that is renewed: its slot, its place among the names, and how it was called where it is asked for.
type Multiplied<'t> = (SlotId, usize, &'t crate::lang::AssignTree);

/// Where a row's own rows are found.
struct Parts {
    /// The row that it leads to.
    way: Way,
    /// How rows lead there.
    back: Back,
}

impl Resolver<'_> {
    pub(super) fn expand(
        &mut self,
        builder: &mut Builder,
        tree: &ExpandTree,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let parts = self.parts(builder, tree)?;
        let divided = self.divided(builder, &row, None, &tree.split)?;
        let multiplied = self.multiplied(builder, tree, &|at| divided.iter().any(|d| d.1 == at))?;
        let renewed = |at: usize| {
            divided.iter().any(|d| d.1 == at) || multiplied.iter().any(|(_, own, _)| *own == at)
        };
        self.none_whole(builder, tree, &renewed)?;
        let columns = self.incoming(builder, &parts, tree)?;
        for at in (0..builder.names.len()).filter(|at| !renewed(*at)) {
            let slot = builder.names[at].slot();
            builder.worth[slot.0] = builder.worth[slot.0].past(Past::Expand);
        }
        let from = builder.steps.len() + 1;
        let plain = Worth::column(WorthKind::Plain, false);
        let is_part = builder.slot(Type::Boolean, plain, from);
        let of = parts.back.from;
        let came: Vec<(SlotId, ColumnId)> = columns
            .into_iter()
            .map(|at| {
                let column = self.tables[of.0].columns[at.0].clone();
                let slot = builder.slot(column.ty, column.worth.over_link(), from);
                builder.entity[slot.0] = Some((of, at.0));
                builder.names.push(Named::new(column.name, from, slot));
                (slot, at)
            })
            .collect();
        let weight = self.weight(builder, tree)?;
        let multiply = self.products(builder, &multiplied, is_part)?;
        let mut split = vec![];
        for (old, at, places) in divided {
            let worth = match builder.worth[old.0].repeats() {
                Some(_) => builder.worth[old.0],
                None => Worth::column(WorthKind::Amount, false),
            };
            let new = builder.slot(Type::Decimal(places), worth, from);
            builder.renew(at, new);
            split.push(SplitPlan { old, new, places });
        }
        self.gains_grain(builder, of, &came);
        builder.ancestors.repeat();
        let gather = self.each_of(&parts.back, &came);
        let Way { from, hops, .. } = parts.way;
        let plan = ExpandPlan {
            to: Typed::new(Kind::Leads { from, hops }, Type::Boolean, tree.path[0].span),
            gather,
            of,
            of_name: self.tables[of.0].name.text.clone(),
            columns: came,
            is_part,
            split,
            weight,
            else_equally: tree.else_equally,
            multiply,
        };
        builder.push(Step::Expand(plan), text, true);
        Ok(())
    }

    /// The rows that lead to what a row leads to: names of links forward, then back.
    fn parts(&mut self, builder: &Builder, tree: &ExpandTree) -> Resolved<Parts> {
        let row = builder.row();
        let span = tree.path[0].span.to(tree.path[tree.path.len() - 1].span);
        if row.paths != Paths::Allowed {
            let message = "an input's steps cannot follow links: links join finished tables";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, message)
                    .help(format!("do this in a table:  table NAME from {}", row.table)),
            );
        }
        let mut ancestors = row.ancestors.clone();
        let mut forward = 0;
        for name in &tree.path {
            let Some((link, _)) = self.link_from(&ancestors, &name.text) else { break };
            let target = self.links[link.0].to;
            self.need_table(target, name.span)?;
            ancestors.clone_from(&self.tables[target.0].ancestors);
            forward += 1;
        }
        let (ahead, rest) = tree.path.split_at(forward);
        let mut way = match ahead {
            [] => None,
            _ => Some(self.way(ahead, span, &row)?),
        };
        let here = match &way {
            Some(way) => self.finished_row(way.target, Paths::Allowed),
            None => row,
        };
        let back = if rest.is_empty() { None } else { self.back_over(rest, &here)? };
        let Some(back) = back.filter(|back| back.names.len() == rest.len()) else {
            return self.no_parts(tree, rest.first(), &here.ancestors);
        };
        match &mut way {
            Some(way) if way.target != back.to => {
                way.hops.push(Hop::Origin { of: way.target, base: back.to });
                way.target = back.to;
            }
            _ => {}
        }
        let way = way.unwrap_or(Way { from: back.to, hops: vec![], target: back.to });
        self.need_table(back.from, span)?;
        Ok(Parts { way, back })
    }

    /// Why a path does not end at rows that lead back.
    fn no_parts<T>(
        &mut self,
        tree: &ExpandTree,
        name: Option<&Name>,
        ancestors: &Ancestors,
    ) -> Resolved<T> {
        let nearest = ancestors.iter().next();
        let table = nearest.map_or("", |(table, _)| self.tables[table.0].name.text.as_str());
        let backs = self.links.iter().filter(|link| ancestors.has(link.to));
        let backs: Vec<String> = backs.map(|link| link.back.clone()).collect();
        let last = &tree.path[tree.path.len() - 1];
        let message = match name {
            None => format!(
                "`{}` leads each row to one row at most: it is one of nothing more",
                last.text
            ),
            Some(name) => format!("no link leads from `{}` back to `{table}`", name.text),
        };
        let near = name.and_then(|name| {
            nearest_or_longer(&name.text, backs.iter().map(String::as_str)).map(str::to_owned)
        });
        let help = match (near, backs.as_slice()) {
            (Some(near), _) => format!("did you mean `{near}`?"),
            (None, []) => format!(
                "rows that {table} consists of lead to it:  link PARTS to {table} on KEY = KEY"
            ),
            (None, backs) => format!("rows that lead to {table} are {}", backs.join(", ")),
        };
        let at = name.unwrap_or(last).span;
        self.wrong(Diagnostic::new(DiagnosticKind::Path, at, message).help(help))
    }

    /// The columns that are multiplied, each once.
    fn multiplied<'t>(
        &mut self,
        builder: &Builder,
        tree: &'t ExpandTree,
        split: &dyn Fn(usize) -> bool,
    ) -> Resolved<Vec<Multiplied<'t>>> {
        let row = builder.row();
        let mut found: Vec<Multiplied<'t>> = vec![];
        for item in &tree.multiply {
            let (slot, ty) = self.column_of(&row, &item.name)?;
            let name = &item.name;
            if !matches!(ty, Type::Integer | Type::Decimal(_) | Type::Blank) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::Type,
                    name.span,
                    format!("`{}` is {ty}; only exact numbers can be multiplied", name.text),
                ));
            }
            let at = builder.find(&name.text).ok_or(Wrong)?;
            if split(at) || found.iter().any(|(_, other, _)| *other == at) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::Step,
                    name.span,
                    format!("`{}` is split or multiplied already", name.text),
                ));
            }
            found.push((slot, at, item));
        }
        Ok(found)
    }

    /// Refuses tracked amounts that would stand whole on every row.
    fn none_whole(
        &mut self,
        builder: &Builder,
        tree: &ExpandTree,
        renewed: &dyn Fn(usize) -> bool,
    ) -> Resolved<()> {
        let whole = builder.tracked.iter().filter(|tracked| {
            let at = builder.names.iter().position(|named| named.slot() == tracked.slot());
            !at.is_some_and(renewed)
        });
        let whole: Vec<String> = whole.map(|tracked| tracked.name.clone()).collect();
        let Some(first) = whole.first() else { return Ok(()) };
        let are = if whole.len() == 1 { "is" } else { "are" };
        let names = whole.iter().map(|name| plan_name(name)).collect::<Vec<_>>().join(", ");
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::CountedTwice,
                tree.path[0].span.to(tree.path[tree.path.len() - 1].span),
                format!(
                    "`expand` would repeat {}, which {are} tracked, on every row",
                    listed(&whole)
                ),
            )
            .help(format!(
                "divide what is worth something:  split {names} by WEIGHT ; count what is a number of \
                 pieces:  multiply {} by PIECES ; or leave out before:  columns \u{2026}",
                plan_name(first)
            )),
        )
    }

    /// The columns of the rows that come in: all but those that say where they lead.
    fn incoming(
        &mut self,
        builder: &Builder,
        parts: &Parts,
        tree: &ExpandTree,
    ) -> Resolved<Vec<ColumnId>> {
        let Back { from: of, hops, .. } = &parts.back;
        let keys: &[LinkKeyTree] = match hops.as_slice() {
            [Hop::Link(link)] => &self.links[link.0].tree.keys,
            _ => &[],
        };
        let is_key = |name: &str| {
            keys.iter().any(|key| {
                matches!(&key.left.kind, ExprKind::Path(path) if path.len() == 1 && path[0].text == name)
            })
        };
        let entry = &self.tables[of.0];
        let name = entry.name.text.clone();
        let grain = entry.plan.as_ref().and_then(|plan| plan.grain.clone());
        let columns =
            (0..entry.columns.len()).map(ColumnId).filter(|at| !is_key(&entry.columns[at.0].name));
        let columns: Vec<ColumnId> = columns.collect();
        let taken: Vec<String> = columns
            .iter()
            .map(|at| entry.columns[at.0].name.clone())
            .filter(|name| builder.find(name).is_some())
            .collect();
        let span = tree.path[0].span.to(tree.path[tree.path.len() - 1].span);
        if grain.is_none() && builder.grain.is_some() {
            let message = format!("`{name}` says no grain, so what one row is here would be lost");
            return self.wrong(Diagnostic::new(DiagnosticKind::Grain, span, message).help(
                format!("say what one row of {name} is, in its steps:  grain COLUMN, \u{2026}"),
            ));
        }
        if taken.is_empty() {
            return Ok(columns);
        }
        let free = |column: &String| {
            let mut new = format!("{name}_{column}");
            while builder.find(&new).is_some() {
                new.push('_');
            }
            format!("{} to {}", plan_name(column), plan_name(&new))
        };
        let renames: Vec<String> = taken.iter().map(free).collect();
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::NameTaken,
                span,
                format!(
                    "`{name}` brings {}, and `{}` has {} already",
                    listed(&taken),
                    builder.name,
                    if taken.len() == 1 { "one that is called so" } else { "such columns" }
                ),
            )
            .help(format!("in the steps of {name}:  rename {}", renames.join(", "))),
        )
    }

    /// What amounts are divided by, as a row that has come in sees it.
    fn weight(&mut self, builder: &Builder, tree: &ExpandTree) -> Resolved<Option<Typed>> {
        let Some(weight) = &tree.weight else { return Ok(None) };
        let (typed, _) = self.expression(weight, &builder.row())?;
        let exact = |ty: Type| ty.scale().is_some() || ty == Type::Blank;
        self.must_be(&typed, exact, "an exact number")?;
        Ok(Some(typed))
    }

    /// Columns that become their products on rows that have come in.
    fn products(
        &mut self,
        builder: &mut Builder,
        multiplied: &[Multiplied<'_>],
        is_part: SlotId,
    ) -> Resolved<Vec<MultiplyPlan>> {
        let row = builder.row();
        let mut worked = vec![];
        for (old, at, item) in multiplied {
            let (factor, worth) = self.expression(&item.value, &row)?;
            let exact = |ty: Type| ty.scale().is_some() || ty == Type::Blank;
            self.must_be(&factor, exact, "an exact number")?;
            let span = item.name.span.to(item.value.span);
            let own = Typed::new(Kind::Slot(*old), builder.types[old.0], item.name.span);
            let of = (own.clone(), builder.worth[old.0]);
            let (product, _) =
                self.arithmetic(Operator::Multiply, of, (factor.clone(), worth), span)?;
            let ty = product.ty;
            let kind = Kind::If {
                condition: Box::new(Typed::new(Kind::Slot(is_part), Type::Boolean, span)),
                then: Box::new(product),
                otherwise: Box::new(own.into_type(ty)),
            };
            worked.push((*old, *at, factor, Typed::new(kind, ty, span)));
        }
        let from = builder.steps.len() + 1;
        let plans = worked.into_iter().map(|(old, at, factor, product)| {
            let new = builder.slot(product.ty, builder.worth[old.0], from);
            let name = builder.names[at].name.clone();
            builder.renew(at, new);
            MultiplyPlan { name, old, new, factor, product }
        });
        Ok(plans.collect())
    }

    /// What one row is: what it was, and what one row is that came in.
    fn gains_grain(&mut self, builder: &mut Builder, of: TableId, came: &[(SlotId, ColumnId)]) {
        let Some(plan) = &self.tables[of.0].plan else { return };
        let columns = plan.grain_columns();
        let gained = came.iter().filter(|(_, column)| columns.contains(column));
        let filled = plan.grain.as_ref().is_some_and(|grain| grain.filled);
        if let Some(grain) = &mut builder.grain {
            grain.slots.extend(gained.map(|(slot, _)| *slot));
            // Rows with a blank key may stand beside their grain; and rows that nothing leads to have none of it.
            grain.unique &= filled;
            grain.filled = false;
        }
    }

    /// The rows that lead to each row, one by one.
    fn each_of(&mut self, back: &Back, came: &[(SlotId, ColumnId)]) -> GatherId {
        let typed = |(_, at): &(SlotId, ColumnId)| {
            let ty = self.tables[back.from.0].columns[at.0].ty;
            Typed::new(Kind::Column(*at), ty, Span::default())
        };
        let columns = came.iter().map(typed).collect();
        match self.gathered(back, GatherWhat::Each(columns)) {
            Kind::Gathered { id, .. } => id,
            _ => crate::bug::bug("what is gathered is no gathering"),
        }
    }
}
