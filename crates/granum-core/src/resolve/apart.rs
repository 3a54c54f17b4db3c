//! Amounts that count apart: what keeps the values of an expression apart (the currency that each row is in),
//! and where two of them meet.
//!
//! What keeps them apart is an expression itself, over the same rows: `currency` beside `net`, `orders.currency`
//! beside `orders.net`. Where both sides of `+ - < =` have the same, nothing needs to be looked at; else each row is.

use super::plan::{AggregatePlan, ApartPair, Gather, GatherWhat};
use super::scope::{Own, Resolver, Row};
use super::{Resolved, Wrong};
use crate::aggregate::AggregateFunction;
use crate::expr::{Arithmetic, Kind, Logic, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Span, plan_name};
use crate::table::{ColumnId, GatherId, Hop, TableId};
use crate::value::Type;

/// What keeps the values of an expression apart.
#[derive(Debug, Clone)]
pub(super) enum Apart {
    /// It is no amount, or one of which that is not known.
    Plain,
    /// It is an amount that nothing keeps apart.
    Bare,
    Of(Typed),
}

impl Apart {
    /// What keeps them apart, if anything does.
    pub fn of(self) -> Option<Typed> {
        match self {
            Self::Of(typed) => Some(typed),
            Self::Plain | Self::Bare => None,
        }
    }
}

impl Resolver<'_> {
    /// What keeps the values of an expression over a row apart. Where two that differ meet in it, that is noted in
    /// [`Resolver::meets`].
    pub(super) fn apart_of(&mut self, row: &Row, typed: &Typed) -> Resolved<Apart> {
        self.apart_where(row, typed, &mut vec![])
    }

    /// The same of a part that is worked only where all of `guards` are true.
    fn apart_where(
        &mut self,
        row: &Row,
        typed: &Typed,
        guards: &mut Vec<Typed>,
    ) -> Resolved<Apart> {
        let span = typed.span;
        match &typed.kind {
            Kind::Slot(slot) => Ok(self.apart_of_own(row, Own::Slot(*slot))),
            Kind::Column(column) => Ok(self.apart_of_own(row, Own::Column(*column))),
            Kind::Path { from, hops, target, column } => {
                let entry = &self.tables[target.0];
                let known = &entry.columns[column.0];
                Ok(match known.apart {
                    Some(at) => {
                        let (from, hops, target) = (*from, hops.clone(), *target);
                        let kind = Kind::Path { from, hops, target, column: ColumnId(at) };
                        Apart::Of(Typed::new(kind, entry.columns[at].ty, span))
                    }
                    None if known.worth.is_amount() => Apart::Bare,
                    None => Apart::Plain,
                })
            }
            Kind::Gathered { from, id } => Ok(self.apart_of_gathered(*from, *id, span)),
            Kind::Convert(inner) | Kind::Negate(inner) => self.apart_where(row, inner, guards),
            Kind::Arithmetic { op, left, right } => {
                let own = self.apart_where(row, left, guards)?;
                let other = self.apart_where(row, right, guards)?;
                match op {
                    Arithmetic::Add | Arithmetic::Subtract => {
                        self.meet((left, own), (right, other), span, guards)
                    }
                    Arithmetic::Multiply if is_constant(left) => Ok(other),
                    Arithmetic::Multiply | Arithmetic::Divide if is_constant(right) => Ok(own),
                    Arithmetic::Multiply | Arithmetic::Divide | Arithmetic::Days => {
                        Ok(Apart::Plain)
                    }
                }
            }
            Kind::Compare { left, right, .. } => {
                let own = self.apart_where(row, left, guards)?;
                let other = self.apart_where(row, right, guards)?;
                self.meet((left, own), (right, other), span, guards)?;
                Ok(Apart::Plain)
            }
            Kind::OrElse { left, right } => {
                let own = self.apart_where(row, left, guards)?;
                let blank = is_blank(left, false);
                guards.push(blank.clone());
                let other = self.apart_where(row, right, guards);
                guards.pop();
                self.chosen(&blank, other?, own, span)
            }
            Kind::If { condition, then, otherwise } => {
                self.apart_where(row, condition, guards)?;
                guards.push((**condition).clone());
                let then = self.apart_where(row, then, guards);
                guards.pop();
                let not = Kind::Not(condition.clone());
                guards.push(Typed::new(not, Type::Boolean, condition.span));
                let otherwise = self.apart_where(row, otherwise, guards);
                guards.pop();
                self.chosen(condition, then?, otherwise?, span)
            }
            Kind::Call { args, .. } => {
                let mut all = Apart::Plain;
                let mut before = typed;
                for arg in args {
                    let own = self.apart_where(row, arg, guards)?;
                    if typed.ty.is_numeric() {
                        all = self.meet((before, all), (arg, own), span, guards)?;
                        before = arg;
                    }
                }
                Ok(all)
            }
            Kind::Logic { left, right, .. } | Kind::Join { left, right } => {
                self.apart_where(row, left, guards)?;
                self.apart_where(row, right, guards)?;
                Ok(Apart::Plain)
            }
            Kind::Not(inner) | Kind::IsBlank { value: inner, .. } => {
                self.apart_where(row, inner, guards)?;
                Ok(Apart::Plain)
            }
            Kind::In { value, items } => {
                let own = self.apart_where(row, value, guards)?;
                for item in items {
                    let other = self.apart_where(row, item, guards)?;
                    self.meet((value, own.clone()), (item, other), span, guards)?;
                }
                Ok(Apart::Plain)
            }
            Kind::Constant(_)
            | Kind::Pattern(_)
            | Kind::Leads { .. }
            | Kind::Choices { .. }
            | Kind::Total(_) => Ok(Apart::Plain),
        }
    }

    fn apart_of_own(&self, row: &Row, own: Own) -> Apart {
        if let (Own::Slot(slot), Some(next)) = (own, row.next_slot)
            && let Some(pending) = slot.0.checked_sub(next).and_then(|at| self.pending.get(at))
        {
            return pending.apart.clone().map_or(Apart::Plain, Apart::Of);
        }
        if let Some((_, typed)) = row.apart.iter().find(|(known, _)| *known == own) {
            return Apart::Of(typed.clone());
        }
        let amount = row.columns.iter().any(|(_, kind, _, worth)| {
            let is = match (kind, own) {
                (Kind::Slot(a), Own::Slot(b)) => *a == b,
                (Kind::Column(a), Own::Column(b)) => *a == b,
                _ => false,
            };
            is && worth.is_amount()
        });
        if amount { Apart::Bare } else { Apart::Plain }
    }

    /// What is gathered of rows in one currency is in that.
    fn apart_of_gathered(&mut self, from: TableId, id: GatherId, span: Span) -> Apart {
        let gather = &self.plan.gathers[id.0];
        let GatherWhat::Aggregate(plan) = &gather.what else { return Apart::Plain };
        let Some(apart) = plan.apart.clone() else { return Apart::Plain };
        let ty = apart.ty;
        let known = self.gathered_apart.iter().find(|(known, _)| *known == id);
        let sole = match known {
            Some((_, sole)) => *sole,
            None => {
                let what = GatherWhat::Aggregate(Box::new(sole_of(plan, apart)));
                let (from, hops, to) = (gather.from, gather.hops.clone(), gather.to);
                self.plan.gathers.push(Gather { from, hops, to, what, told: false });
                let sole = GatherId(self.plan.gathers.len() - 1);
                self.gathered_apart.push((id, sole));
                sole
            }
        };
        Apart::Of(Typed::new(Kind::Gathered { from, id: sole }, ty, span))
    }

    /// Two values that are added or compared.
    fn meet(
        &mut self,
        (left, own): (&Typed, Apart),
        (right, other): (&Typed, Apart),
        span: Span,
        guards: &[Typed],
    ) -> Resolved<Apart> {
        match (own, other) {
            (Apart::Of(own), Apart::Of(other)) => {
                if self.same_apart(&own, &other) {
                    return Ok(Apart::Of(own));
                }
                let finished = |typed: &Typed| {
                    let mut is = false;
                    typed.visit(&mut |part| is |= matches!(part.kind, Kind::Column(_)));
                    is
                };
                if finished(&own) || finished(&other) || own.ty.common(other.ty).is_none() {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::CountedApart,
                            span,
                            "these two amounts may be in different currencies, or other measures",
                        )
                        .help("work it with `add` in their own table, where each row is looked at"),
                    );
                }
                let ty = own.ty.common(other.ty).ok_or(Wrong)?;
                self.meets.push(ApartPair {
                    left: (left.clone(), own.clone().into_type(ty)),
                    right: (right.clone(), other.into_type(ty)),
                    guard: all_of(guards),
                });
                Ok(Apart::Of(own))
            }
            (Apart::Of(_), Apart::Bare) => self.one_is_bare(left, right),
            (Apart::Bare, Apart::Of(_)) => self.one_is_bare(right, left),
            (Apart::Of(typed), Apart::Plain) | (Apart::Plain, Apart::Of(typed)) => {
                Ok(Apart::Of(typed))
            }
            (Apart::Bare, _) | (_, Apart::Bare) => Ok(Apart::Bare),
            (Apart::Plain, Apart::Plain) => Ok(Apart::Plain),
        }
    }

    /// One of two values, by a condition.
    fn chosen(
        &mut self,
        condition: &Typed,
        then: Apart,
        otherwise: Apart,
        span: Span,
    ) -> Resolved<Apart> {
        Ok(match (then, otherwise) {
            (Apart::Of(a), Apart::Of(b)) if self.same_apart(&a, &b) => Apart::Of(a),
            (Apart::Of(a), Apart::Of(b)) => {
                let Some(ty) = a.ty.common(b.ty) else {
                    let message = "these two amounts are in different measures";
                    return self.wrong(Diagnostic::new(
                        DiagnosticKind::CountedApart,
                        span,
                        message,
                    ));
                };
                let kind = Kind::If {
                    condition: Box::new(condition.clone()),
                    then: Box::new(a.into_type(ty)),
                    otherwise: Box::new(b.into_type(ty)),
                };
                Apart::Of(Typed::new(kind, ty, span))
            }
            (Apart::Of(typed), _) | (_, Apart::Of(typed)) => Apart::Of(typed),
            (Apart::Bare, _) | (_, Apart::Bare) => Apart::Bare,
            (Apart::Plain, Apart::Plain) => Apart::Plain,
        })
    }

    fn one_is_bare<T>(&mut self, apart: &Typed, bare: &Typed) -> Resolved<T> {
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::CountedApart,
                apart.span.to(bare.span),
                "one of these amounts counts apart by its currency, or another measure, and of the other none is known",
            )
            .help("track the other in the same column:  track NAME in COLUMN"),
        )
    }

    /// Whether two expressions over one row are the same, as far as can be seen without the rows.
    pub(super) fn same_apart(&self, a: &Typed, b: &Typed) -> bool {
        let gathered = |typed: &Typed| match typed.kind {
            Kind::Gathered { id, .. } => Some(&self.plan.gathers[id.0]),
            _ => None,
        };
        a.is_like(b)
            || gathered(a).zip(gathered(b)).is_some_and(|(a, b)| match (&a.what, &b.what) {
                (GatherWhat::Aggregate(own), GatherWhat::Aggregate(other)) => {
                    (a.from, &a.hops, a.to) == (b.from, &b.hops, b.to) && same_sole(own, other)
                }
                _ => false,
            })
    }

    /// The words of a plan for what keeps amounts apart, where it is a column or a path.
    pub(super) fn apart_words(&self, row: &Row, apart: &Typed) -> Option<String> {
        match &apart.kind {
            Kind::Slot(_) | Kind::Column(_) => {
                let own = row.columns.iter().find(|(_, kind, ..)| match (kind, &apart.kind) {
                    (Kind::Slot(a), Kind::Slot(b)) => a == b,
                    (Kind::Column(a), Kind::Column(b)) => a == b,
                    _ => false,
                });
                own.map(|(name, ..)| plan_name(name))
            }
            Kind::Path { hops, target, column, .. } => {
                let name = &self.tables[target.0].columns[column.0].name;
                let links = hops.iter().filter_map(|hop| match hop {
                    Hop::Link(link) => Some(plan_name(&self.links[link.0].name)),
                    Hop::Origin { .. } | Hop::Within { .. } => None,
                });
                let path: Vec<String> = links.chain([plan_name(name)]).collect();
                Some(path.join("."))
            }
            _ => None,
        }
    }
}

/// Whether two aggregates are the one value of rows of which one sees at least what the other does.
pub(super) fn same_sole(a: &AggregatePlan, b: &AggregatePlan) -> bool {
    let sole = |plan: &AggregatePlan| plan.function == AggregateFunction::Sole;
    let same = match (&a.value, &b.value) {
        (Some(a), Some(b)) => a.is_like(b),
        _ => false,
    };
    let (own, other) = (a.filter.as_ref(), b.filter.as_ref());
    sole(a) && sole(b) && same && (follows(own, other) || follows(other, own))
}

/// Whether a condition holds wherever another does.
fn follows(wide: Option<&Typed>, narrow: Option<&Typed>) -> bool {
    let Some(wide) = wide else { return true };
    let Some(narrow) = narrow else { return false };
    wide.is_like(narrow)
        || matches!(&narrow.kind, Kind::Logic { op: Logic::And, left, right }
            if follows(Some(wide), Some(left)) || follows(Some(wide), Some(right)))
}

/// What the values of an aggregate are in, where they are all in one.
pub(super) fn sole_of(plan: &AggregatePlan, apart: Typed) -> AggregatePlan {
    let there = plan.value.as_ref().map(|value| is_blank(value, true));
    let filter = match (plan.filter.clone(), there) {
        (Some(filter), Some(there)) => all_of(&[filter, there]),
        (filter, there) => filter.or(there),
    };
    let text = format!("what {} is in", plan.text);
    AggregatePlan { filter, ..AggregatePlan::of(AggregateFunction::Sole, text, apart) }
}

fn is_blank(value: &Typed, negated: bool) -> Typed {
    let kind = Kind::IsBlank { value: Box::new(value.clone()), negated };
    Typed::new(kind, Type::Boolean, value.span)
}

/// Whether all conditions are true; nothing of none.
fn all_of(conditions: &[Typed]) -> Option<Typed> {
    let both = |left: Typed, right: Typed| {
        let span = left.span;
        let kind = Kind::Logic { op: Logic::And, left: Box::new(left), right: Box::new(right) };
        Typed::new(kind, Type::Boolean, span)
    };
    conditions.iter().cloned().reduce(both)
}

/// Whether an expression looks at no row.
fn is_constant(typed: &Typed) -> bool {
    let mut constant = true;
    typed.visit(&mut |part| {
        constant &= !matches!(
            part.kind,
            Kind::Slot(_)
                | Kind::Column(_)
                | Kind::Path { .. }
                | Kind::Leads { .. }
                | Kind::Choices { .. }
                | Kind::Gathered { .. }
                | Kind::Total(_)
        );
    });
    constant
}
