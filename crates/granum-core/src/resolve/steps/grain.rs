//! `grain`: what one row is, as far as it is known before the rows are seen.

use super::super::Resolved;
use super::super::plan::{GrainCheck, Proof, Step};
use super::super::scope::Resolver;
use super::{Builder, Known};
use crate::lang::{Name, Span};
use crate::table::SlotId;

impl Resolver<'_> {
    pub(super) fn grain(
        &mut self,
        builder: &mut Builder,
        names: &[Name],
        span: Span,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let mut columns = vec![];
        for name in names {
            let (slot, _) = self.column_of(&row, name)?;
            columns.push((name.text.clone(), slot));
        }
        let slots: Vec<SlotId> = columns.iter().map(|(_, slot)| *slot).collect();
        let unique = builder.grain.as_ref().is_some_and(|grain| {
            grain.unique && grain.slots.iter().all(|slot| slots.contains(slot))
        });
        let filled = builder.grain.as_ref().is_some_and(|grain| {
            grain.filled && slots.iter().all(|slot| grain.slots.contains(slot))
        });
        let proof = match (unique, filled) {
            (true, true) => Proof::Follows,
            (true, false) => Proof::Unique,
            _ => Proof::None,
        };
        builder.grain = Some(Known { slots, unique: true, filled: true });
        builder.said = Some(span);
        builder.push(Step::Grain(GrainCheck { columns, proof }), text, false);
        Ok(())
    }
}
