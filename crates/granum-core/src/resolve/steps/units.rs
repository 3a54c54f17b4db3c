//! `units`: one row for each unit, with every amount counted or divided.

use super::super::plan::{SplitPlan, Step, UnitsPlan};
use super::super::scope::{Resolver, Row};
use super::super::worth::{Past, Worth, WorthKind};
use super::super::{Resolved, Wrong};
use super::{Builder, Named};
use crate::lang::{Diagnostic, DiagnosticKind, Expr, ExprKind, Name, SplitTree, UnitsPolicy};
use crate::table::SlotId;
use crate::value::{Scale, Type};

/// An amount that is split: its slot, its place among the names, the places of its parts.
type Divided = (SlotId, usize, Scale);

impl Resolver<'_> {
    pub(super) fn units(
        &mut self,
        builder: &mut Builder,
        (of, name): (&Expr, &Name),
        split: &[SplitTree],
        policy: &UnitsPolicy,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let (typed, _) = self.expression(of, &row)?;
        self.must_be(&typed, |ty| ty.scale().is_some() || ty == Type::Blank, "an exact number")?;
        let counted_at = match &of.kind {
            ExprKind::Path(parts) if parts.len() == 1 => builder.find(&parts[0].text),
            _ => None,
        };
        self.new_name(builder, name, "give the unit's number another name")?;
        let divided = self.divided(builder, &row, counted_at, split)?;
        self.none_repeats(builder, name, counted_at, &divided)?;
        // Other amounts stay whole on each unit.
        let whole: Vec<usize> = (0..builder.names.len())
            .filter(|at| Some(*at) != counted_at && !divided.iter().any(|(_, o, ..)| o == at))
            .collect();
        for at in whole {
            let slot = builder.names[at].slot();
            builder.worth[slot.0] = builder.worth[slot.0].past(Past::Units);
        }
        let counted = counted_at.map(|at| {
            let old = builder.names[at].slot();
            let from = builder.steps.len() + 1;
            let new = builder.slot(builder.types[old.0], builder.worth[old.0], from);
            builder.renew(at, new);
            (old, new)
        });
        let mut parts = vec![];
        for (old, at, places) in divided {
            let from = builder.steps.len() + 1;
            let worth = Worth::column(WorthKind::Amount, false);
            let worth = match builder.worth[old.0].repeats() {
                Some(_) => builder.worth[old.0],
                None => worth,
            };
            let new = builder.slot(Type::Decimal(places), worth, from);
            builder.renew(at, new);
            parts.push(SplitPlan { old, new, places });
        }
        let from = builder.steps.len() + 1;
        let unit = builder.slot(Type::Integer, Worth::column(WorthKind::Plain, false), from);
        builder.names.push(Named::new(name.text.clone(), from, unit));
        if let Some(grain) = &mut builder.grain {
            grain.slots.push(unit);
        }
        builder.ancestors.repeat();
        let plan = UnitsPlan {
            of: typed,
            of_text: crate::lang::format_expression(of),
            counted,
            unit,
            split: parts,
            policy: policy.clone(),
        };
        builder.push(Step::Units(plan), text, true);
        Ok(())
    }

    /// The amounts that are split: slot, place among the names, places of the parts.
    pub(super) fn divided(
        &mut self,
        builder: &Builder,
        row: &Row,
        counted_at: Option<usize>,
        split: &[SplitTree],
    ) -> Resolved<Vec<Divided>> {
        let mut divided: Vec<Divided> = vec![];
        for SplitTree { column, places: said } in split {
            let (slot, ty) = self.column_of(row, column)?;
            let places = match ty {
                Type::Integer | Type::Decimal(_) | Type::Blank => match said {
                    Some(places) => Scale(*places),
                    None => ty.scale().unwrap_or_default().max(Scale(2)),
                },
                _ => {
                    return self.wrong(Diagnostic::new(
                        DiagnosticKind::Type,
                        column.span,
                        format!("`{}` is {ty}; only exact numbers can be split", column.text),
                    ));
                }
            };
            if builder.worth[slot.0].divided && said.is_none() {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        column.span,
                        format!(
                            "`{}` was made by `/` and has more places than an amount should",
                            column.text
                        ),
                    )
                    .help(format!(
                        "round it before it is split:  round(…, 2) ; or say its places:  split {} to 2 places",
                        column.text
                    )),
                );
            }
            let at = builder.find(&column.text).ok_or(Wrong)?;
            if counted_at == Some(at) || divided.iter().any(|(_, other, ..)| *other == at) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::Step,
                    column.span,
                    format!("`{}` is counted or split already", column.text),
                ));
            }
            divided.push((slot, at, places));
        }
        Ok(divided)
    }

    /// Refuses tracked amounts that would stand on every unit.
    fn none_repeats(
        &mut self,
        builder: &Builder,
        name: &Name,
        counted_at: Option<usize>,
        divided: &[Divided],
    ) -> Resolved<()> {
        let left: Vec<String> = builder
            .tracked
            .iter()
            .filter(|tracked| {
                let at = builder.names.iter().position(|named| named.slot() == tracked.slot());
                at != counted_at && !divided.iter().any(|(_, other, ..)| Some(*other) == at)
            })
            .map(|tracked| tracked.name.clone())
            .collect();
        if !left.is_empty() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::CountedTwice,
                    name.span,
                    format!(
                        "`units` would repeat {}, which {} tracked, on every unit",
                        listed(&left),
                        if left.len() == 1 { "is" } else { "are" }
                    ),
                )
                .help(format!(
                    "divide over the units:  split {} ; or leave out before:  columns …",
                    left.join(", ")
                )),
            );
        }
        Ok(())
    }
}

pub(super) fn listed(names: &[String]) -> String {
    let quoted: Vec<String> = names.iter().map(|name| format!("`{name}`")).collect();
    match quoted.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => quoted.concat(),
    }
}
