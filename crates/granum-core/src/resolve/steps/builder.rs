//! A table while its steps are resolved: columns and their versions, grain, amounts.

use super::super::plan::{
    Gather, GatherWhat, GrainCheck, GroupedPlan, GroupedPlans, Proof, SourceSlots, Step, StepPlan,
};
use super::super::scope::{Own, Paths, Pending, PendingKind, Row};
use super::super::worth::Worth;
use crate::aggregate::AggregateFunction;
use crate::expr::{Kind, Typed};
use crate::lang::Span;
use crate::resolve::ancestors::Ancestors;
use crate::table::{ColumnId, GatherId, SlotId, TableId};
use crate::value::Type;

/// A visible column while steps are resolved: its versions, the step before which each exists.
#[derive(Clone)]
pub(in crate::resolve) struct Named {
    pub name: String,
    pub versions: Vec<(usize, SlotId)>,
    pub base_name: Option<String>,
    /// Of an amount: the rows of another table that it is the sum of.
    pub gathered: Option<GatherId>,
    /// Of an amount: what keeps it apart, by the step before which each version of that exists.
    pub apart: Vec<(usize, SlotId)>,
}

impl Named {
    /// A column that is there from step `from` on.
    pub fn new(name: impl Into<String>, from: usize, slot: SlotId) -> Self {
        let versions = vec![(from, slot)];
        Self { name: name.into(), versions, base_name: None, gathered: None, apart: vec![] }
    }

    pub fn slot(&self) -> SlotId {
        self.versions[self.versions.len() - 1].1
    }
}

/// What is known of what one row is.
#[derive(Clone)]
pub(in crate::resolve) struct Known {
    pub slots: Vec<SlotId>,
    pub unique: bool,
    pub filled: bool,
}

/// A table while its steps are resolved.
pub(in crate::resolve) struct Builder {
    pub id: TableId,
    pub name: String,
    pub input: bool,
    pub types: Vec<Type>,
    pub worth: Vec<Worth>,
    /// For each slot the column of another table that it was looked up from.
    pub entity: Vec<Option<(TableId, usize)>>,
    /// For each slot what keeps its amounts apart.
    pub apart: Vec<Option<Typed>>,
    /// The step from which a slot can be worked with `add` alone.
    pub from_step: Vec<usize>,
    pub names: Vec<Named>,
    /// The visible columns where the step that is resolved begins.
    pub begins: Vec<(String, SlotId)>,
    /// Which of the written steps that is.
    pub written: usize,
    /// Columns of an input that are compared by their text: slot and column number.
    pub raw: Vec<(SlotId, usize)>,
    pub imports: Vec<(SlotId, ColumnId)>,
    pub fingerprints: Vec<(SlotId, Vec<usize>)>,
    /// The hidden slot that says of each row whether a cell sets it aside.
    pub aside: Option<SlotId>,
    /// The hidden slots that hold each row's file and line, where rows are still a file's.
    pub source: Option<SourceSlots>,
    pub steps: Vec<StepPlan>,
    pub tracked: Vec<Named>,
    pub ended: Vec<(Named, usize)>,
    pub grain: Option<Known>,
    /// The grain as a `grain` statement last said it.
    pub said: Option<Span>,
    pub ancestors: Ancestors,
    /// What columns were called before, and what they are called now.
    pub once: Vec<(String, String)>,
    /// Whether its rows are groups of what they began as.
    pub grouped: bool,
    /// Whether a total row stands at the end.
    pub total: bool,
}

impl Builder {
    pub fn slot(&mut self, ty: Type, worth: Worth, from_step: usize) -> SlotId {
        self.types.push(ty);
        self.worth.push(worth);
        self.entity.push(None);
        self.apart.push(None);
        self.from_step.push(from_step);
        SlotId(self.types.len() - 1)
    }

    pub fn row(&self) -> Row {
        let columns = self.names.iter().map(|named| {
            let slot = named.slot();
            (named.name.clone(), Kind::Slot(slot), self.types[slot.0], self.worth[slot.0])
        });
        Row {
            table: self.name.clone(),
            columns: columns.collect(),
            ancestors: self.ancestors.clone(),
            apart: self
                .apart
                .iter()
                .enumerate()
                .filter_map(|(slot, typed)| Some((Own::Slot(SlotId(slot)), typed.clone()?)))
                .collect(),
            paths: if self.input { Paths::NotInInputs } else { Paths::Allowed },
            next_slot: None,
            source: self.source.filter(|_| !self.grouped),
            once: self.once.clone(),
        }
    }

    /// The same for a step that can make values of groups for its expressions.
    pub fn row_with_groups(&self) -> Row {
        Row { next_slot: Some(self.types.len()), ..self.row() }
    }

    /// The column of another table that an expression looks up, by itself.
    pub fn looked_up(&self, typed: &Typed) -> Option<(TableId, usize)> {
        match &typed.kind {
            Kind::Path { target, column, .. } => Some((*target, column.0)),
            Kind::Slot(slot) => self.entity.get(slot.0).copied().flatten(),
            // A name for what is not known.
            Kind::OrElse { left, right } if right.constant().is_some() => self.looked_up(left),
            _ => None,
        }
    }

    /// The visible columns.
    pub fn visible(&self) -> Vec<(String, SlotId)> {
        self.names.iter().map(|named| (named.name.clone(), named.slot())).collect()
    }

    /// The columns of the grain.
    pub fn grain_slots(&self) -> &[SlotId] {
        self.grain.as_ref().map_or(&[], |grain| &grain.slots)
    }

    /// The same by name.
    pub fn grain_names(&self) -> Vec<String> {
        let name = |slot: &SlotId| {
            let named = self.names.iter().find(|named| named.slot() == *slot)?;
            Some(named.name.clone())
        };
        self.grain_slots().iter().filter_map(name).collect()
    }

    /// Makes what an expression needs made before: a step of its own.
    pub fn settle(&mut self, pending: Vec<Pending>) {
        let from = self.steps.len() + 1;
        let mut grouped = vec![];
        for pending in pending {
            let slot = self.slot(pending.ty, pending.worth, from);
            self.apart[slot.0] = pending.apart;
            if let PendingKind::Grouped(what, keys) = pending.kind {
                let grain = self.grain_slots().to_vec();
                grouped.push(GroupedPlan { what, keys, slot, grain });
            }
        }
        if !grouped.is_empty() {
            self.push(Step::Grouped(GroupedPlans(grouped)), "groups".into(), false);
        }
    }

    /// The rows of another table that a slot is the sum of.
    pub fn gathered(&self, slot: SlotId, gathers: &[Gather]) -> Option<GatherId> {
        let mut assigned = self.steps.iter().flat_map(|step| match &step.step {
            Step::Assign(assign) => assign.0.as_slice(),
            _ => &[],
        });
        let (_, value) = assigned.find(|(known, _)| *known == slot)?;
        let Kind::Gathered { id, .. } = value.kind else { return None };
        let sum = match &gathers[id.0].what {
            GatherWhat::Aggregate(plan) => plan.function == AggregateFunction::Sum,
            GatherWhat::Presence | GatherWhat::Rows(_) | GatherWhat::Each(_) => false,
        };
        sum.then_some(id)
    }

    pub fn find(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|named| named.name == name)
    }

    pub fn is_tracked(&self, slot: SlotId) -> bool {
        self.tracked.iter().any(|tracked| tracked.slot() == slot)
    }

    /// A new version of a visible column, from the next step on.
    pub fn renew(&mut self, at: usize, slot: SlotId) {
        let old = self.names[at].slot();
        let from = self.steps.len() + 1;
        if self.apart[slot.0].is_none() {
            self.apart[slot.0] = self.apart[old.0].clone();
        }
        self.names[at].versions.push((from, slot));
        for tracked in self.tracked.iter_mut().filter(|tracked| tracked.slot() == old) {
            tracked.versions.push((from, slot));
        }
        if let Some(grain) = &mut self.grain
            && let Some(column) = grain.slots.iter_mut().find(|column| **column == old)
        {
            *column = slot;
            grain.unique = false;
            grain.filled = false;
        }
    }

    /// The latest step at which one of the slots in an expression comes to exist, counting those
    /// made by `add` as early as they can be worked.
    pub fn workable_from(&self, typed: &Typed) -> usize {
        let mut from = 0;
        typed.visit(&mut |part| {
            if let Kind::Slot(slot) = &part.kind {
                from = from.max(self.from_step[slot.0]);
            }
        });
        from
    }

    /// A grain must still hold at the end: where a step changed its columns it is checked again.
    pub fn close_grain(&mut self) {
        let Some(grain) = &self.grain else { return };
        if grain.unique {
            return;
        }
        let columns = grain.slots.iter().filter_map(|slot| {
            let named = self.names.iter().find(|named| named.slot() == *slot)?;
            Some((named.name.clone(), *slot))
        });
        let columns: Vec<(String, SlotId)> = columns.collect();
        let names: Vec<&str> = columns.iter().map(|(name, _)| name.as_str()).collect();
        let text = format!("grain {}", names.join(", "));
        self.push(Step::Grain(GrainCheck { columns, proof: Proof::None }), text, false);
        if let Some(grain) = &mut self.grain {
            (grain.unique, grain.filled) = (true, true);
        }
    }

    pub fn push(&mut self, step: Step, text: String, numbered: bool) {
        let before = self.begins.clone();
        let written = self.written;
        self.steps.push(StepPlan { step, text, numbered, grain: None, before, written });
    }
}
