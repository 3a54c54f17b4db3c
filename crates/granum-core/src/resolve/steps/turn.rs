//! `turn`: columns, or the parts of a cell, become rows; nothing is repeated unseen.

use super::super::Resolved;
use super::super::plan::{Step, TurnPlan, Turned};
use super::super::scope::Resolver;
use super::super::worth::{Past, Worth};
use super::{Builder, Named};
use crate::expr::{Kind, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Name, TurnTree, TurnedTree};
use crate::table::SlotId;
use crate::value::Type;

impl Resolver<'_> {
    pub(super) fn turn(
        &mut self,
        builder: &mut Builder,
        tree: &TurnTree,
        text: String,
    ) -> Resolved<()> {
        let columns = self.turned_columns(builder, tree)?;
        self.may_turn(builder, &columns)?;
        let slots: Vec<SlotId> = columns.iter().map(|(_, slot, _)| *slot).collect();
        let parts = matches!(tree.what, TurnedTree::Parts(..));
        let (typed, worth) = self.one_type_of(builder, &columns)?;
        // They are gone, and so are amounts that they were.
        builder.names.retain(|named| !slots.contains(&named.slot()));
        let step = builder.steps.len();
        let (ended, stay): (Vec<Named>, Vec<Named>) = std::mem::take(&mut builder.tracked)
            .into_iter()
            .partition(|tracked| slots.contains(&tracked.slot()));
        builder.tracked = stay;
        builder.ended.extend(ended.into_iter().map(|named| (named, step)));
        for named in &builder.names {
            let worth = &mut builder.worth[named.slot().0];
            *worth = worth.past(Past::Turn);
        }
        self.new_name(builder, &tree.name, "give it another name")?;
        let plain = Worth::column(super::super::worth::WorthKind::Plain, false);
        let from = step + 1;
        let name = builder.slot(Type::Text, plain, from);
        builder.names.push(Named::new(tree.name.text.clone(), from, name));
        let what = match (&tree.what, &tree.value) {
            (TurnedTree::Parts(_, separator), _) => {
                Turned::Parts { column: slots[0], separator: separator.text.clone() }
            }
            (_, Some(called)) => {
                self.new_name(builder, called, "give the values another name")?;
                let value = builder.slot(typed[0].1.ty, worth, from);
                // What is wrong there has been told; the columns are known all the same.
                builder.apart[value.0] = self.apart_of_all(builder, &columns).unwrap_or(None);
                builder.names.push(Named::new(called.text.clone(), from, value));
                Turned::Columns { columns: typed, value }
            }
            (_, None) => return Err(super::super::Wrong),
        };
        if let Some(grain) = &mut builder.grain {
            grain.slots.push(name);
            // A part may stand in a cell twice.
            grain.unique &= !parts;
            grain.filled &= !(parts && tree.keeping_blanks);
        }
        builder.ancestors.repeat();
        let plan = TurnPlan { what, name, keeping_blanks: tree.keeping_blanks };
        builder.push(Step::Turn(plan), text, true);
        Ok(())
    }

    /// The columns that become rows: what each is called, its slot, and where the plan names it.
    fn turned_columns(
        &mut self,
        builder: &Builder,
        tree: &TurnTree,
    ) -> Resolved<Vec<(String, SlotId, Name)>> {
        let row = builder.row();
        let mut found: Vec<(String, SlotId, Name)> = vec![];
        match &tree.what {
            TurnedTree::Columns(names) => {
                for name in names {
                    let (slot, _) = self.column_of(&row, name)?;
                    if found.iter().any(|(_, known, _)| *known == slot) {
                        let message = format!("`{}` is turned already", name.text);
                        return self.wrong(Diagnostic::new(
                            DiagnosticKind::Step,
                            name.span,
                            message,
                        ));
                    }
                    found.push((name.text.clone(), slot, name.clone()));
                }
            }
            TurnedTree::Range(first, last) => {
                let (from, _) = self.column_of(&row, first)?;
                let (to, _) = self.column_of(&row, last)?;
                let place = |slot| builder.names.iter().position(|named| named.slot() == slot);
                let (Some(from), Some(to)) = (place(from), place(to)) else {
                    return Err(super::super::Wrong);
                };
                if from > to {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Step,
                            first.span.to(last.span),
                            format!("`{}` stands behind `{}`", first.text, last.text),
                        )
                        .help(format!("columns {} through {}", last.text, first.text)),
                    );
                }
                for named in &builder.names[from..=to] {
                    let name = Name { text: named.name.clone(), span: first.span.to(last.span) };
                    found.push((named.name.clone(), named.slot(), name));
                }
            }
            TurnedTree::Parts(column, _) => {
                let (slot, ty) = self.column_of(&row, column)?;
                if !matches!(ty, Type::Text | Type::Blank) {
                    let message = format!("`{}` is {ty}, and only a text has parts", column.text);
                    return self
                        .wrong(Diagnostic::new(DiagnosticKind::Type, column.span, message).help(
                            format!("make a text of it:  add NAME = text({})", column.text),
                        ));
                }
                found.push((column.text.clone(), slot, column.clone()));
            }
        }
        Ok(found)
    }

    /// Refuses a part of the grain, and tracked amounts that would stand on every row.
    fn may_turn(&mut self, builder: &Builder, columns: &[(String, SlotId, Name)]) -> Resolved<()> {
        let of_grain =
            |slot: SlotId| builder.grain.as_ref().is_some_and(|grain| grain.slots.contains(&slot));
        if let Some((name, _, at)) = columns.iter().find(|(_, slot, _)| of_grain(*slot)) {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Grain,
                    at.span,
                    format!("`{name}` is a part of what one row is, and would be gone"),
                )
                .help("turn other columns, or say another grain before"),
            );
        }
        let repeated = builder
            .tracked
            .iter()
            .filter(|tracked| !columns.iter().any(|(_, slot, _)| *slot == tracked.slot()));
        let repeated: Vec<String> = repeated.map(|tracked| tracked.name.clone()).collect();
        let Some(first) = repeated.first() else { return Ok(()) };
        let span = columns.iter().map(|(.., name)| name.span).reduce(crate::lang::Span::to);
        let (listed, is) = match repeated.as_slice() {
            [_] => (format!("`{first}`"), "is"),
            several => (
                several.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", "),
                "are",
            ),
        };
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::CountedTwice,
                span.unwrap_or_default(),
                format!("`turn` would repeat {listed}, which {is} tracked, on every row"),
            )
            .help(format!(
                "leave it out before the step:  columns \u{2026} ; or turn it as well:  turn {first}, \u{2026}"
            )),
        )
    }

    /// What keeps values apart that come into one column: the same for all.
    fn apart_of_all(
        &mut self,
        builder: &Builder,
        columns: &[(String, SlotId, Name)],
    ) -> Resolved<Option<Typed>> {
        let first = builder.apart[columns[0].1.0].clone();
        for (name, slot, at) in &columns[1..] {
            let same = match (&first, &builder.apart[slot.0]) {
                (None, None) => true,
                (Some(a), Some(b)) => self.same_apart(a, b),
                _ => false,
            };
            if !same {
                let message =
                    format!("`{}` and `{name}` count apart by different columns", columns[0].0);
                let diagnostic = Diagnostic::new(DiagnosticKind::CountedApart, at.span, message);
                return self.wrong(diagnostic.help("turn each by a step of its own"));
            }
        }
        Ok(first)
    }

    /// The values that are turned in one type, and what they are worth.
    #[allow(clippy::type_complexity)]
    fn one_type_of(
        &mut self,
        builder: &Builder,
        columns: &[(String, SlotId, Name)],
    ) -> Resolved<(Vec<(String, Typed)>, Worth)> {
        let mut ty = builder.types[columns[0].1.0];
        let mut worth = builder.worth[columns[0].1.0];
        for (name, slot, at) in &columns[1..] {
            let own = builder.types[slot.0];
            worth = worth.with(builder.worth[slot.0]);
            ty = match ty.common(own) {
                Some(ty) => ty,
                None => {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Type,
                            at.span,
                            format!("`{name}` is {own}, and `{}` is {ty}", columns[0].0),
                        )
                        .help("values of one column have one type: text(…), decimal(…, 2)"),
                    );
                }
            };
        }
        let typed = columns.iter().map(|(name, slot, at)| {
            let typed = Typed::new(Kind::Slot(*slot), builder.types[slot.0], at.span);
            (name.clone(), typed.into_type(ty))
        });
        Ok((typed.collect(), worth))
    }
}
