//! Amounts that count apart, while a table's steps are resolved: what keeps each of its columns apart, and what
//! must be looked at where that is left behind.

use super::super::Resolved;
use super::super::apart::{Apart, same_sole};
use super::super::plan::{AggregatePlan, ApartAlone, ApartPair, ApartPlan, AssignPlan, Step};
use super::super::scope::Resolver;
use super::super::worth::Worth;
use super::{Builder, Named};
use crate::expr::{Kind, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Name, Span, plan_name};
use crate::table::SlotId;
use crate::value::Type;

impl Builder {
    /// What columns are in that a table starts with: for each the place of another among them, if it is in one.
    pub fn keep_apart(&mut self, slots: &[SlotId], apart: impl Iterator<Item = Option<usize>>) {
        for (slot, apart) in slots.iter().zip(apart) {
            let Some(apart) = apart.map(|at| slots[at]) else { continue };
            self.apart[slot.0] =
                Some(Typed::new(Kind::Slot(apart), self.types[apart.0], Span::default()));
            for tracked in self.tracked.iter_mut().filter(|tracked| tracked.slot() == *slot) {
                tracked.apart = vec![(0, apart)];
            }
        }
    }

    /// The expression that a slot was made of, if it is one.
    fn made_of(&self, slot: SlotId) -> Option<&Typed> {
        let mut assigned = self.steps.iter().flat_map(|step| step.step.work().assigned());
        assigned.find(|(known, _)| *known == slot).map(|(_, value)| value)
    }

    /// What a slot is of the rows of a group, if it is worked of such.
    fn result(&self, slot: SlotId) -> Option<&AggregatePlan> {
        let mut results = self.steps.iter().flat_map(|step| match &step.step {
            Step::OneRow(plan) => plan.results.as_slice(),
            _ => &[],
        });
        results.find(|(_, known)| *known == slot).map(|(plan, _)| plan)
    }

    /// The slot of an expression that keeps amounts apart, made if it is none; from the next step on.
    fn apart_slot(&mut self, typed: &Typed, text: &str) -> SlotId {
        if let Kind::Slot(slot) = typed.kind {
            return slot;
        }
        let from = self.workable_from(typed);
        let slot = self.slot(typed.ty, Worth::default(), from);
        self.push(Step::Assign(AssignPlan(vec![(slot, typed.clone())])), text.to_owned(), false);
        slot
    }

    /// Notes what keeps a tracked amount apart from here on.
    pub fn tracked_apart(&mut self, amount: SlotId, text: &str) {
        let Some(typed) = self.apart[amount.0].clone() else { return };
        let slot = self.apart_slot(&typed, text);
        self.apart[amount.0] = Some(Typed::new(Kind::Slot(slot), typed.ty, typed.span));
        let versions = match self.names.iter().find(|named| named.slot() == slot) {
            Some(named) => named.versions.clone(),
            None => vec![(self.steps.len(), slot)],
        };
        for tracked in self.tracked.iter_mut().filter(|tracked| tracked.slot() == amount) {
            tracked.apart.clone_from(&versions);
        }
    }
}

impl Resolver<'_> {
    /// What keeps an expression's values apart; where two that differ meet in it, each row is looked at by the next
    /// [`Resolver::look_apart`].
    pub(super) fn apart_here(
        &mut self,
        builder: &Builder,
        typed: &Typed,
    ) -> Resolved<Option<Typed>> {
        let apart = self.apart_of(&builder.row(), typed)?;
        Ok(match apart {
            Apart::Of(typed) => Some(self.shown(builder, &typed).unwrap_or(typed)),
            Apart::Plain | Apart::Bare => None,
        })
    }

    /// Has the rows looked at in which amounts meet that may differ.
    pub(super) fn look_apart(&mut self, builder: &mut Builder, text: &str) {
        let pairs = std::mem::take(&mut self.meets);
        if !pairs.is_empty() {
            let plan = ApartPlan { pairs, alone: vec![] };
            builder.push(Step::Apart(plan), text.to_owned(), false);
        }
    }

    /// The column of the table that has the values of an expression, if one can be seen to.
    fn shown(&self, builder: &Builder, typed: &Typed) -> Option<Typed> {
        let is = |named: &&Named| {
            let slot = named.slot();
            match &typed.kind {
                Kind::Path { target, column, .. } => {
                    builder.entity[slot.0] == Some((*target, column.0))
                        && builder.made_of(slot).is_some_and(|own| self.same_apart(own, typed))
                }
                Kind::Slot(known) => {
                    let both = builder.result(*known).zip(builder.result(slot));
                    *known == slot || both.is_some_and(|(a, b)| same_sole(a, b))
                }
                _ => builder.made_of(slot).is_some_and(|own| self.same_apart(own, typed)),
            }
        };
        let named = builder.names.iter().find(is)?;
        let slot = named.slot();
        Some(Typed::new(Kind::Slot(slot), builder.types[slot.0], typed.span))
    }

    /// The finished column that keeps a column's amounts apart.
    pub(in crate::resolve) fn kept_apart(&self, builder: &Builder, slot: SlotId) -> Option<usize> {
        let typed = builder.apart[slot.0].as_ref()?;
        let Kind::Slot(shown) = self.shown(builder, typed)?.kind else { return None };
        builder.names.iter().position(|named| named.slot() == shown)
    }

    /// Amounts whose currency, or other measure, no column of the table says must all be in one.
    pub(in crate::resolve) fn close_apart(&mut self, builder: &mut Builder) {
        let mut alone = vec![];
        for named in &builder.names {
            let slot = named.slot();
            let Some(apart) = builder.apart[slot.0].clone() else { continue };
            if self.shown(builder, &apart).is_none() {
                let amount = Typed::new(Kind::Slot(slot), builder.types[slot.0], Span::default());
                let add = self.says(builder, &apart);
                alone.push(ApartAlone { name: named.name.clone(), amount, apart, add });
            }
        }
        if !alone.is_empty() {
            let plan = ApartPlan { pairs: vec![], alone };
            builder.push(Step::Apart(plan), String::new(), false);
        }
    }

    /// What would say, as a column, what rows are in.
    fn says(&self, builder: &Builder, apart: &Typed) -> Option<String> {
        // It may have been a column before.
        let name = |typed: &Typed| {
            let Kind::Slot(slot) = typed.kind else { return None };
            let mut before = builder.steps.iter().rev().flat_map(|step| &step.before);
            before.find(|(_, known)| *known == slot).map(|(name, _)| plan_name(name))
        };
        match &apart.kind {
            Kind::Path { target, column, .. } => {
                let name = plan_name(&self.tables[target.0].columns[column.0].name);
                Some(format!("add {name} = {}", self.apart_words(&builder.row(), apart)?))
            }
            Kind::Slot(slot) => {
                if let Some(made) = builder.made_of(*slot) {
                    return self.says(builder, made);
                }
                if let Some(name) = name(apart) {
                    return Some(format!("columns \u{2026}, {name}"));
                }
                // Where rows are left out of the sum, they are left out here too.
                let plan = builder.result(*slot)?;
                let Kind::IsBlank { value, .. } = &plan.filter.as_ref()?.kind else { return None };
                let (of, value) = (name(plan.value.as_ref()?)?, name(value)?);
                Some(format!("{of} = sole({of} where {value} is not blank)"))
            }
            _ => None,
        }
    }

    /// The column that `track … in` names.
    pub(super) fn keeps_apart(
        &mut self,
        builder: &Builder,
        names: &[Name],
        name: &Name,
    ) -> Resolved<Typed> {
        let (slot, ty) = self.column_of(&builder.row(), name)?;
        if names.iter().any(|amount| amount.text == name.text) {
            let message = format!("`{}` cannot be in itself", name.text);
            return self.wrong(Diagnostic::new(DiagnosticKind::Type, name.span, message));
        }
        if builder.worth[slot.0].is_amount() {
            let message =
                format!("`{}` is an amount, and says of no other what it is in", name.text);
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Type, name.span, message)
                    .help("a column that says so has few values, such as EUR and GBP"),
            );
        }
        Ok(Typed::new(Kind::Slot(slot), ty, name.span))
    }

    /// Notes what an amount is in. What is known of it already must say the same of each row.
    pub(super) fn declare_apart(
        &mut self,
        builder: &mut Builder,
        (slot, ty): (SlotId, Type),
        apart: &Typed,
        span: Span,
    ) {
        if let Some(known) = builder.apart[slot.0].clone()
            && !self.same_apart(&known, apart)
            && let Some(common) = known.ty.common(apart.ty)
        {
            let amount = Typed::new(Kind::Slot(slot), ty, span);
            self.meets.push(ApartPair {
                left: (amount.clone(), known.into_type(common)),
                right: (amount, apart.clone().into_type(common)),
                guard: None,
            });
        }
        builder.apart[slot.0] = Some(apart.clone());
        // What was tracked without it begins anew.
        let step = builder.steps.len();
        let (again, stay): (Vec<Named>, Vec<Named>) = std::mem::take(&mut builder.tracked)
            .into_iter()
            .partition(|tracked| tracked.slot() == slot);
        builder.tracked = stay;
        builder.ended.extend(again.into_iter().map(|named| (named, step)));
    }

    /// Refuses to change what amounts are in.
    pub(super) fn may_change(
        &mut self,
        builder: &Builder,
        slot: SlotId,
        name: &Name,
    ) -> Resolved<()> {
        let of = builder.names.iter().find(|named| {
            let apart = builder.apart[named.slot().0].as_ref();
            apart.is_some_and(|apart| matches!(apart.kind, Kind::Slot(own) if own == slot))
        });
        let Some(of) = of else { return Ok(()) };
        let (of, name_text) = (&of.name, &name.text);
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::CountedApart,
                name.span,
                format!("`{of}` is in `{name_text}`: to change that would make other money of it"),
            )
            .help(format!(
                "change it before  track {0} in {1} ; or convert:  add NAME = {0} * RATE  and track that",
                plan_name(of),
                plan_name(name_text)
            )),
        )
    }

    /// Refuses values that are not in what their column is in.
    pub(super) fn stays_apart(
        &mut self,
        builder: &Builder,
        slot: SlotId,
        apart: Option<&Typed>,
        name: &Name,
        span: Span,
    ) -> Resolved<()> {
        let Some(own) = &builder.apart[slot.0] else { return Ok(()) };
        if apart.is_some_and(|apart| self.same_apart(own, apart)) {
            return Ok(());
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::CountedApart,
                span,
                format!("`{}` counts apart, and what it would become is not known to be in the same", name.text),
            )
            .help(format!(
                "give it a name of its own, and track that:  add NAME = \u{2026}  track NAME  columns \u{2026} without {}",
                plan_name(&name.text)
            )),
        )
    }
}
