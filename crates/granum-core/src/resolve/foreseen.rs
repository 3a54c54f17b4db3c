//! Amounts that begin where their columns first stand, though a table further on makes them: what `sales`
//! works of the columns of `lines` is followed through the steps of `lines`.

use super::plan::{AssignPlan, ForeseenPlan, Source, Step, StepPlan, TablePlan, Tracked};
use super::scope::Resolver;
use crate::expr::{Kind, Typed};
use crate::table::{SlotId, TableId};

impl Resolver<'_> {
    /// Lets each table follow what those built from it make of its columns and track.
    pub fn foresee(&mut self) {
        for at in 0..self.tables.len() {
            let tracked = self.tables[at].plan.as_ref().map_or(0, |plan| plan.tracked.len());
            for amount in 0..tracked {
                let mut here = Some((TableId(at), amount));
                while let Some((table, amount)) = here {
                    here = self.foresee_in_base(table, amount);
                }
            }
        }
    }

    /// The same amount in the table that one is built from, if that does not follow it yet and can.
    fn foresee_in_base(&mut self, table: TableId, amount: usize) -> Option<(TableId, usize)> {
        let plan = self.tables[table.0].plan.as_ref()?;
        let Source::Base(base) = plan.source else { return None };
        let tracked = &plan.tracked[amount];
        let base_plan = self.tables[base.0].plan.as_ref()?;
        let goes_on = |name: &String| {
            let mut own = base_plan.tracked.iter();
            own.any(|own| own.name == *name && own.ends_at.is_none())
        };
        if tracked.gathered.is_some()
            || tracked.from_step > 0
            || tracked.base_name.as_ref().is_some_and(goes_on)
        {
            return None;
        }
        let value = over_base(plan, base_plan, tracked.versions[0].1)?;
        let apart = match tracked.apart.first() {
            Some((_, slot)) => Some(over_base(plan, base_plan, *slot)?),
            None => None,
        };
        let mut name = tracked.name.clone();
        while base_plan.tracked.iter().any(|own| own.name == name) {
            name.push('_');
        }
        let plan = self.tables[table.0].plan.as_mut()?;
        plan.tracked[amount].base_name = Some(name.clone());
        let base_plan = self.tables[base.0].plan.as_mut()?;
        follow(base_plan, name, value, apart);
        Some((base, base_plan.tracked.len() - 1))
    }
}

/// The value of a slot over the finished columns of the table that its own is built from.
fn over_base(plan: &TablePlan, base: &TablePlan, slot: SlotId) -> Option<Typed> {
    let import = plan.imports.iter().find(|(known, _)| *known == slot);
    if let Some((_, column)) = import {
        let own = base.columns[column.0].1;
        return Some(Typed::new(Kind::Slot(own), base.slots[own.0], crate::lang::Span::default()));
    }
    let mut assigned = plan.steps.iter().flat_map(|step| match &step.step {
        Step::Assign(AssignPlan(made)) | Step::Foreseen(ForeseenPlan(made)) => made.as_slice(),
        _ => &[],
    });
    let (_, value) = assigned.find(|(known, _)| *known == slot)?;
    value.with_slots(&|slot| over_base(plan, base, slot))
}

/// Lets a table follow an amount that is made at its end, for the tally alone.
fn follow(plan: &mut TablePlan, name: String, value: Typed, apart: Option<Typed>) {
    let all = value.slots().into_iter().chain(apart.iter().flat_map(Typed::slots));
    let from_step = all.map(|slot| plan.from_step[slot.0]).max().unwrap_or(0);
    let slot = SlotId(plan.slots.len());
    let before = plan.columns.clone();
    let written = plan.steps.last().map_or(0, |step| step.written + 1);
    plan.slots.push(value.ty);
    plan.from_step.push(from_step);
    let mut made = vec![(slot, value)];
    let apart = apart.map(|apart| {
        let slot = SlotId(plan.slots.len());
        plan.slots.push(apart.ty);
        plan.from_step.push(from_step);
        made.push((slot, apart));
        slot
    });
    plan.steps.push(StepPlan {
        step: Step::Foreseen(ForeseenPlan(made)),
        text: name.clone(),
        numbered: false,
        grain: None,
        before,
        written,
    });
    plan.tracked.push(Tracked {
        name,
        base_name: None,
        versions: vec![(plan.steps.len(), slot)],
        ends_at: None,
        from_step,
        gathered: None,
        foreseen: true,
        apart: apart.map(|slot| (plan.steps.len(), slot)).into_iter().collect(),
    });
}
