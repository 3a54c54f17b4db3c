//! What is gathered against links, for each row that is led to.

use super::Called;
use super::paths::visit_paths;
use crate::aggregate::is_of_place;
use crate::expr::{Kind, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Name, Span};
use crate::resolve::Resolved;
use crate::resolve::ancestors::Ancestors;
use crate::resolve::expression::Valued;
use crate::resolve::plan::{AggregatePlan, Gather, GatherWhat};
use crate::resolve::scope::{Paths, Resolver, Row};
use crate::resolve::worth::Worth;
use crate::table::{GatherId, Hop, LinkId, TableId};
use crate::value::Type;

/// One step of it: how rows lead, from where, to where, and whether one row there is several here.
type StepBack = (Vec<Hop>, TableId, TableId, bool);

/// The way back over links that the first path of an aggregate begins with.
pub(in crate::resolve) struct Back {
    /// The names that it takes.
    pub names: Vec<Name>,
    pub from: TableId,
    pub hops: Vec<Hop>,
    pub to: TableId,
    pub repeated: bool,
}

impl Resolver<'_> {
    /// `sum(returns.quantity where …)`, `rows(returns)` for each row.
    pub(super) fn gather(
        &mut self,
        called: Called<'_>,
        back: &Back,
        row: &Row,
    ) -> Resolved<Valued> {
        let (plan, worth) = self.of_back(called, back, row)?;
        // A number of rows is no amount; a sum is one if what it sums is.
        let ty = plan.ty;
        let what = GatherWhat::Aggregate(Box::new(plan));
        let kind = self.gathered(back, what);
        Ok((Typed::new(kind, ty, called.span), worth))
    }

    /// The same for all rows that lead to the rows of a group, worked when the groups are known.
    pub(super) fn gather_rows(
        &mut self,
        called: Called<'_>,
        back: &Back,
        row: &Row,
    ) -> Resolved<(AggregatePlan, Worth)> {
        let (plan, worth) = self.of_back(called, back, row)?;
        let kind = self.gathered(back, GatherWhat::Rows(Box::new(plan.clone())));
        let value = Typed::new(kind, plan.ty, called.span);
        Ok((AggregatePlan::of(plan.function, plan.text, value), worth))
    }

    /// An aggregate over the rows at the other end of the way back.
    fn of_back(
        &mut self,
        called: Called<'_>,
        back: &Back,
        row: &Row,
    ) -> Resolved<(AggregatePlan, Worth)> {
        self.may_gather(called.span, back, row)?;
        if is_of_place(&called.name.text) || called.clauses.group.is_some() {
            return self.only_of_rows(called);
        }
        self.need_table(back.from, back.names[0].span)?;
        let inside = self.finished_row(back.from, Paths::Allowed);
        self.aggregate_plan(called, &inside, &back.names)
    }

    /// `has(returns)`, against links.
    pub(in crate::resolve) fn gather_presence(
        &mut self,
        parts: &[Name],
        span: Span,
        row: &Row,
    ) -> Resolved<Option<Valued>> {
        let Some(back) = self.back_over(parts, row)? else { return Ok(None) };
        if back.names.len() < parts.len() {
            return Ok(None);
        }
        self.may_gather(span, &back, row)?;
        self.need_table(back.from, parts[0].span)?;
        let kind = self.gathered(&back, GatherWhat::Presence);
        Ok(Some((Typed::new(kind, Type::Boolean, span), Worth::default())))
    }

    /// Refuses what is gathered where no links can be followed, or where one row there is several
    /// here.
    fn may_gather(&mut self, span: Span, back: &Back, row: &Row) -> Resolved<()> {
        if row.paths != Paths::Allowed {
            let what = match row.paths {
                Paths::NotInInputs => {
                    "an input's steps cannot follow links: links join finished tables"
                }
                _ => "an aggregate cannot stand here",
            };
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, what)
                    .help("gather in a table:  table NAME from BASE"),
            );
        }
        if back.repeated {
            let name = &back.names[0];
            return self.wrong(
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
            );
        }
        Ok(())
    }

    pub(in crate::resolve) fn gathered(&mut self, back: &Back, what: GatherWhat) -> Kind {
        let (from, hops, to) = (back.from, back.hops.clone(), back.to);
        self.plan.gathers.push(Gather { from, hops, to, what, told: false });
        Kind::Gathered { from: to, id: GatherId(self.plan.gathers.len() - 1) }
    }

    /// The way back that the first path in the brackets which goes against a link begins with.
    pub(super) fn back(&mut self, called: &Called<'_>, row: &Row) -> Resolved<Option<Back>> {
        let mut paths: Vec<Vec<Name>> = vec![];
        for expr in called.inside() {
            visit_paths(expr, &mut |parts| paths.push(parts.to_vec()));
        }
        for parts in paths {
            let column =
                parts.len() == 1 && row.columns.iter().any(|(name, ..)| *name == parts[0].text);
            if column || self.link_from(&row.ancestors, &parts[0].text).is_some() {
                continue;
            }
            if let Some(back) = self.back_over(&parts, row)? {
                return Ok(Some(back));
            }
        }
        Ok(None)
    }

    /// How far a path goes against links: each name one link, or a table built of rows that lead.
    pub(in crate::resolve) fn back_over(
        &mut self,
        parts: &[Name],
        row: &Row,
    ) -> Resolved<Option<Back>> {
        let mut way: Option<Back> = None;
        for name in parts {
            if let Some(way) = &way {
                self.need_table(way.from, name.span)?;
            }
            let ancestors = match &way {
                None => row.ancestors.clone(),
                // Links of a base lead to what is built from it as well.
                Some(way) => self.tables[way.from.0].ancestors.clone(),
            };
            let Some((hops, from, to, repeated)) = self.step_back(&ancestors, name)? else { break };
            match &mut way {
                None => way = Some(Back { names: vec![name.clone()], from, hops, to, repeated }),
                Some(way) => {
                    way.names.push(name.clone());
                    if to != way.from {
                        way.hops.insert(0, Hop::Within { of: way.from, base: to });
                        way.repeated |= repeated;
                    }
                    // The rows farthest away lead through those before them.
                    way.hops.splice(0..0, hops);
                    way.from = from;
                }
            }
        }
        Ok(way)
    }

    /// One name against a link: the link's way back, or a table built from what leads here.
    fn step_back(&mut self, ancestors: &Ancestors, name: &Name) -> Resolved<Option<StepBack>> {
        if let Some((link, to, repeated)) = self.link_back(ancestors, &name.text) {
            return Ok(Some((vec![Hop::Link(link)], self.links[link.0].from, to, repeated)));
        }
        let Some(derived) = self.find_table(&name.text) else { return Ok(None) };
        if self.open.contains(&derived) || ancestors.has(derived) {
            return Ok(None);
        }
        // Only tables whose base has a link to here are of interest, and are looked at.
        let leads = |table: TableId| {
            self.links.iter().position(|link| link.from == table && ancestors.has(link.to))
        };
        let mut base = self.base_named(derived);
        let mut found = None;
        while let Some(table) = base {
            if let Some(link) = leads(table) {
                found = Some((table, link));
                break;
            }
            base = self.base_named(table);
        }
        let Some((table, link)) = found else { return Ok(None) };
        self.need_table(derived, name.span)?;
        // `one row per` between them ends the way.
        if !self.tables[derived.0].ancestors.has(table) {
            return Ok(None);
        }
        let to = self.links[link].to;
        let repeated = ancestors.iter().any(|(here, repeated)| here == to && repeated);
        let hops = vec![Hop::Origin { of: derived, base: table }, Hop::Link(LinkId(link))];
        Ok(Some((hops, derived, to, repeated)))
    }
}
