//! `keep`, `drop`, `dedupe`: which rows stay.

use super::super::Resolved;
use super::super::plan::{DedupeByPlan, DedupeRule, FilterPlan, Step};
use super::super::scope::Resolver;
use super::super::worth::Worth;
use super::{Builder, Known, Named};
use crate::lang::{DedupeKeep, Diagnostic, DiagnosticKind, Expr, ExprKind, Name, Preference};
use crate::table::SlotId;
use crate::value::{Scale, Type};

impl Resolver<'_> {
    pub(super) fn filter(
        &mut self,
        builder: &mut Builder,
        keep: bool,
        condition: &Expr,
        text: String,
    ) -> Resolved<()> {
        self.pending.clear();
        let condition = self.condition(condition, &builder.row_with_groups());
        builder.settle(std::mem::take(&mut self.pending));
        let condition = condition?;
        self.apart_here(builder, &condition)?;
        self.look_apart(builder, &text);
        builder.push(Step::Filter(FilterPlan { keep, condition }), text, true);
        Ok(())
    }

    pub(super) fn dedupe_by(
        &mut self,
        builder: &mut Builder,
        keys: &[Expr],
        keep: &DedupeKeep,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let mut typed = vec![];
        for key in keys {
            typed.push(self.expression(key, &row)?.0);
        }
        let rule = match keep {
            DedupeKeep::First => DedupeRule::First,
            DedupeKeep::Last => DedupeRule::Last,
            DedupeKeep::Best(best) => {
                let mut slots = vec![];
                for (preference, name) in best {
                    let (slot, ty) = self.column_of(&row, name)?;
                    self.must_prefer(*preference, name, ty)?;
                    slots.push((*preference, slot));
                }
                DedupeRule::Best(slots)
            }
        };
        let plain: Option<Vec<SlotId>> = keys
            .iter()
            .map(|key| match &key.kind {
                ExprKind::Path(parts) if parts.len() == 1 => {
                    Some(builder.names[builder.find(&parts[0].text)?].slot())
                }
                _ => None,
            })
            .collect();
        if let Some(slots) = plain {
            let filled = builder
                .grain
                .as_ref()
                .is_some_and(|grain| grain.filled && slots.iter().all(|s| grain.slots.contains(s)));
            builder.grain = Some(Known { slots, unique: true, filled });
        }
        let copies = if builder.input && !builder.grouped {
            // The whole record as it stood in the file.
            let all = builder.imports.iter().map(|(_, column)| column.0).collect();
            vec![fingerprint(builder, all)]
        } else {
            builder.names.iter().map(Named::slot).collect()
        };
        builder.push(Step::DedupeBy(DedupeByPlan { keys: typed, rule, copies }), text, true);
        Ok(())
    }

    /// Whether a column has a value that is the latest, the earliest, the largest or the smallest.
    pub(in crate::resolve) fn must_prefer(
        &mut self,
        preference: Preference,
        name: &Name,
        ty: Type,
    ) -> Resolved<()> {
        use Preference::{Earliest, Largest, Latest, Smallest};
        let (fits, help) = match preference {
            Latest | Earliest => (
                ty.is_temporal(),
                "days and times are latest or earliest; say what it is in the input:  read COLUMN \
                 as datetime",
            ),
            Largest | Smallest => (ty.is_numeric(), "numbers are largest or smallest"),
        };
        if fits {
            return Ok(());
        }
        let message = format!("`{}` is {ty}, which has no {}", name.text, preference.word());
        self.wrong(Diagnostic::new(DiagnosticKind::Type, name.span, message).help(help))
    }
}

/// What plain `dedupe` compares: in an input, columns without `read` by their text; and the slots of those.
pub(super) fn compared(builder: &mut Builder) -> (Vec<SlotId>, Vec<SlotId>) {
    let (mut by_text, mut of_text) = (vec![], vec![]);
    let mut slots = vec![];
    for named in &builder.names {
        let slot = named.slot();
        match builder.raw.iter().find(|(raw, _)| *raw == slot) {
            Some((_, column)) => {
                by_text.push(*column);
                of_text.push(slot);
            }
            None => slots.push(slot),
        }
    }
    if !by_text.is_empty() {
        slots.push(fingerprint(builder, by_text));
    }
    (slots, of_text)
}

/// The hidden slot that stands for the text of some of an input's columns.
fn fingerprint(builder: &mut Builder, mut columns: Vec<usize>) -> SlotId {
    columns.sort_unstable();
    if let Some((slot, _)) = builder.fingerprints.iter().find(|(_, known)| *known == columns) {
        return *slot;
    }
    let slot = builder.slot(Type::Decimal(Scale(0)), Worth::default(), 0);
    builder.fingerprints.push((slot, columns));
    slot
}
