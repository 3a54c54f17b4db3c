//! `add`, `change`, `columns`, `rename`, `track`: which columns there are and what they are worth.

use super::super::expression::Valued;
use super::super::plan::{AssignPlan, NamesPlan, Step};
use super::super::scope::Resolver;
use super::super::worth::{Past, Repeat, Worth, WorthKind};
use super::super::{Resolved, Wrong};
use super::{Builder, Named};
use crate::bug::bug;
use crate::expr::{Kind, Typed};
use crate::lang::{
    AssignTree, ColumnTree, Diagnostic, DiagnosticKind, Expr, Name, RenameTree, TrackTree,
};
use crate::table::SlotId;
use crate::value::{Scalar, Type};

impl Resolver<'_> {
    /// A name that nothing here has yet.
    pub(super) fn new_name(&mut self, builder: &Builder, name: &Name, help: &str) -> Resolved<()> {
        if builder.find(&name.text).is_none() {
            return Ok(());
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::NameTaken,
                name.span,
                format!("`{}` has a column called `{}` already", builder.name, name.text),
            )
            .help(help),
        )
    }

    /// The value of a column. Where it needs values of groups, what was assigned above is worked
    /// first, then those.
    fn worked(
        &mut self,
        builder: &mut Builder,
        value: &Expr,
        assigned: &mut Vec<(SlotId, Typed)>,
        text: &str,
    ) -> Resolved<Valued> {
        self.pending.clear();
        let value = self.expression(value, &builder.row_with_groups());
        let pending = std::mem::take(&mut self.pending);
        if !pending.is_empty() {
            if !assigned.is_empty() {
                builder.push(
                    Step::Assign(AssignPlan(std::mem::take(assigned))),
                    text.to_owned(),
                    false,
                );
            }
            builder.settle(pending);
            self.look_apart(builder, text);
        }
        value
    }

    pub(super) fn add(
        &mut self,
        builder: &mut Builder,
        items: &[AssignTree],
        text: String,
    ) -> Resolved<()> {
        let mut assigned = vec![];
        let mut whole = Ok(());
        for item in items {
            let fresh = self.new_name(builder, &item.name, "to replace its values, use `change`");
            let value = self.worked(builder, &item.value, &mut assigned, &text);
            whole = whole.and(fresh.as_ref().copied().map_err(|_| Wrong));
            let (value, worth) = value.unwrap_or_else(|_| {
                whole = Err(Wrong);
                // A column that goes with everything, so that one mistake is told once.
                let nothing = Kind::Constant(Scalar::Blank);
                (Typed::new(nothing, Type::Blank, item.name.span), Worth::default())
            });
            if fresh.is_err() {
                continue;
            }
            let from = builder.workable_from(&value);
            let entity = builder.looked_up(&value);
            let apart = self.apart_here(builder, &value);
            whole = whole.and(apart.as_ref().map(|_| ()).map_err(|_| Wrong));
            let slot = builder.slot(value.ty, as_column(worth), from);
            builder.entity[slot.0] = entity;
            builder.apart[slot.0] = apart.unwrap_or_default();
            let step = builder.steps.len() + 1;
            builder.names.push(Named::new(item.name.text.clone(), step, slot));
            assigned.push((slot, value));
        }
        builder.push(Step::Assign(AssignPlan(assigned)), text.clone(), false);
        self.look_apart(builder, &text);
        whole
    }

    pub(super) fn change(
        &mut self,
        builder: &mut Builder,
        items: &[AssignTree],
        text: String,
    ) -> Resolved<()> {
        let mut assigned = vec![];
        let mut whole = Ok(());
        for item in items {
            let value = self.worked(builder, &item.value, &mut assigned, &text);
            let Some(at) = builder.find(&item.name.text) else {
                let row = builder.row();
                whole = self.unknown_column(&row, &item.name);
                continue;
            };
            let Ok((value, worth)) = value else {
                whole = Err(Wrong);
                continue;
            };
            let mut worth = as_column(worth);
            let tracked = builder.is_tracked(builder.names[at].slot());
            if tracked && !value.ty.is_numeric() {
                whole = self.wrong(Diagnostic::new(
                    DiagnosticKind::Type,
                    item.value.span,
                    format!("`{}` is tracked, so it stays a number", item.name.text),
                ));
                continue;
            }
            if tracked && worth.kind == WorthKind::Plain {
                worth.kind = WorthKind::Amount;
            }
            let old = builder.names[at].slot();
            let apart = self.apart_here(builder, &value).and_then(|apart| {
                self.may_change(builder, old, &item.name)?;
                self.stays_apart(builder, old, apart.as_ref(), &item.name, item.value.span)?;
                Ok(apart)
            });
            let Ok(apart) = apart else {
                whole = Err(Wrong);
                continue;
            };
            let from = builder.steps.len() + 1;
            let slot = builder.slot(value.ty, worth, from);
            builder.apart[slot.0] = apart;
            builder.renew(at, slot);
            assigned.push((slot, value));
        }
        builder.push(Step::Assign(AssignPlan(assigned)), text.clone(), false);
        self.look_apart(builder, &text);
        whole
    }

    pub(super) fn columns(
        &mut self,
        builder: &mut Builder,
        columns: &[ColumnTree],
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let mut kept: Vec<Named> = vec![];
        for column in columns {
            self.column_of(&row, &column.column)?;
            let at = builder.find(&column.column.text).ok_or(Wrong)?;
            let name = column.new.as_ref().unwrap_or(&column.column);
            if kept.iter().any(|named| named.name == name.text) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    name.span,
                    format!("`{}` stands twice among the columns", name.text),
                ));
            }
            let mut named = builder.names[at].clone();
            named.name.clone_from(&name.text);
            if let Some(new) = &column.new {
                builder.once.push((column.column.text.clone(), new.text.clone()));
            }
            kept.push(named);
        }
        if let Some(grain) = &builder.grain {
            let lost = builder.names.iter().find(|named| {
                grain.slots.contains(&named.slot())
                    && !kept.iter().any(|kept| kept.slot() == named.slot())
            });
            if let Some(lost) = lost {
                let name = lost.name.clone();
                let span = columns[0].column.span.to(columns[columns.len() - 1].column.span);
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Grain,
                        span,
                        format!("this leaves out `{name}`, which is part of the grain"),
                    )
                    .help(format!("keep `{name}` among the columns")),
                );
            }
        }
        let step = builder.steps.len();
        let (stay, ended): (Vec<Named>, Vec<Named>) = std::mem::take(&mut builder.tracked)
            .into_iter()
            .partition(|tracked| kept.iter().any(|named| named.slot() == tracked.slot()));
        builder.tracked = stay;
        for tracked in &mut builder.tracked {
            if let Some(named) = kept.iter().find(|named| named.slot() == tracked.slot()) {
                tracked.name.clone_from(&named.name);
            }
        }
        let ends = !ended.is_empty();
        builder.ended.extend(ended.into_iter().map(|named| (named, step)));
        builder.names = kept;
        builder.push(Step::Names(NamesPlan), text, ends);
        Ok(())
    }

    pub(super) fn rename(
        &mut self,
        builder: &mut Builder,
        renames: &[RenameTree],
        text: String,
    ) -> Resolved<()> {
        for rename in renames {
            let row = builder.row();
            self.column_of(&row, &rename.old)?;
            self.new_name(builder, &rename.new, "choose a name that is free")?;
            let at = builder.find(&rename.old.text).ok_or(Wrong)?;
            let slot = builder.names[at].slot();
            builder.names[at].name.clone_from(&rename.new.text);
            builder.once.push((rename.old.text.clone(), rename.new.text.clone()));
            for tracked in builder.tracked.iter_mut().filter(|tracked| tracked.slot() == slot) {
                tracked.name.clone_from(&rename.new.text);
            }
        }
        builder.push(Step::Names(NamesPlan), text, false);
        Ok(())
    }

    pub(super) fn track(
        &mut self,
        builder: &mut Builder,
        tree: &TrackTree,
        text: String,
    ) -> Resolved<()> {
        let row = builder.row();
        let names = &tree.names;
        let apart = match &tree.apart {
            Some(name) => Some(self.keeps_apart(builder, names, name)?),
            None => None,
        };
        for name in names {
            let (slot, ty) = self.column_of(&row, name)?;
            if !ty.is_numeric() {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        name.span,
                        format!("`{}` is {ty}; only numbers add up and can be tracked", name.text),
                    )
                    .help("if its cells are numbers, say so:  read COLUMN as decimal(2)"),
                );
            }
            if let Some(repeat) = builder.worth[slot.0].repeats() {
                let help = match repeat {
                    Repeat::Past(Past::Each) => {
                        "track it in an input of the same file without `each`"
                    }
                    _ => "track it in the table where it lives",
                };
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::CountedTwice,
                        name.span,
                        format!("`{}` stands on several rows, so it does not add up", name.text),
                    )
                    .help(help),
                );
            }
            if let Some(past) = builder.worth[slot.0].carried {
                let (message, help) = carried_past(past, &name.text);
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::CountedTwice,
                        names[0].span.to(names[names.len() - 1].span),
                        message,
                    )
                    .help(help),
                );
            }
            let mut again = false;
            if builder.is_tracked(slot) {
                let known = builder.apart[slot.0].as_ref();
                match &apart {
                    Some(apart) if !known.is_some_and(|known| self.same_apart(known, apart)) => {
                        again = true;
                    }
                    _ => continue,
                }
            }
            if let Some(apart) = &apart {
                self.declare_apart(builder, (slot, ty), apart, name.span);
            }
            let at = builder.find(&name.text).ok_or(Wrong)?;
            builder.worth[slot.0].kind = WorthKind::Amount;
            let gathered = builder.gathered(slot, &self.plan.gathers);
            if let Some(id) = gathered {
                self.plan.gathers[id.0].told = true;
            }
            let named = builder.names[at].clone();
            let base_name = named.base_name.clone().filter(|_| !again);
            builder.tracked.push(Named { base_name, gathered, ..named });
            builder.tracked_apart(slot, &text);
        }
        self.look_apart(builder, &text);
        builder.push(Step::Names(NamesPlan), text, false);
        Ok(())
    }
}

/// What an expression's value is worth once it is a column of the row.
fn as_column(worth: Worth) -> Worth {
    Worth { own: worth.repeats().is_none() && worth.carried.is_none(), ..worth }
}

/// That a column was carried whole past a step that made several rows of one, and what to do.
fn carried_past(past: Past, name: &str) -> (String, String) {
    match past {
        Past::Units => (
            format!(
                "`{name}` stood here before `units` and was not split, so every unit \
                             has all of it"
            ),
            format!(
                "divide it over the units:  split {name} ; if it is a price of one unit, \
                             add what it makes:  add NAME = {name} * QUANTITY"
            ),
        ),
        Past::Expand => (
            format!(
                "`{name}` stood here before `expand` and was neither split nor \
                             multiplied, so every row that came of its own has all of it"
            ),
            format!(
                "in the expand step:  split {name} by \u{2026}  , or  multiply {name} by \u{2026}"
            ),
        ),
        Past::Each => bug("a number around a list is no amount that stands on several rows"),
        Past::Turn => (
            format!(
                "`{name}` stood here before `turn`, so every row that came of its own \
                             has all of it"
            ),
            "track it in the table before, or divide it:  allocate COLUMN as NAME \
                         equally per KEY"
                .to_owned(),
        ),
    }
}
