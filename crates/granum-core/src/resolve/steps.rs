//! Tables and their steps: which columns, which grain, which amounts, after each.

use super::plan::{
    DedupeRule, GrainPlan, InputPlan, Proof, SlotId, Source, Step, StepPlan, TablePlan, Tracked,
    UnitsPlan,
};
use super::scope::{FinishedColumn, Paths, Resolver, Row, TableState};
use super::worth::{Worth, WorthKind};
use super::{Resolved, Wrong};
use crate::expr::{Kind, Typed};
use crate::lang::{
    AssignTree, ColumnTree, DedupeKeep, Diagnostic, DiagnosticKind, Expr, ExprKind, Name, ReadTree,
    RenameTree, Span, StatementKind, StepKind, StepTree, format_step,
};
use crate::table::TableId;
use crate::value::{Scale, Type, day};

/// A visible column while steps are resolved: its versions, the step before which each exists.
#[derive(Clone)]
struct Named {
    name: String,
    versions: Vec<(usize, SlotId)>,
    base_name: Option<String>,
}

impl Named {
    fn slot(&self) -> SlotId {
        self.versions[self.versions.len() - 1].1
    }
}

/// What is known of what one row is.
#[derive(Clone)]
struct Known {
    slots: Vec<SlotId>,
    unique: bool,
    filled: bool,
}

/// A table while its steps are resolved.
struct Builder {
    id: TableId,
    name: String,
    input: bool,
    types: Vec<Type>,
    worth: Vec<Worth>,
    /// The step from which a slot can be worked with `add` alone.
    from_step: Vec<usize>,
    names: Vec<Named>,
    /// Columns of an input that are compared by their text: slot and column number.
    raw: Vec<(SlotId, usize)>,
    imports: Vec<(SlotId, usize)>,
    fingerprints: Vec<(SlotId, Vec<usize>)>,
    steps: Vec<StepPlan>,
    tracked: Vec<Named>,
    ended: Vec<(Named, usize)>,
    grain: Option<Known>,
    /// The grain as a `grain` statement last said it.
    said: Option<Span>,
    ancestors: Vec<(TableId, bool)>,
}

impl Builder {
    fn slot(&mut self, ty: Type, worth: Worth, from_step: usize) -> SlotId {
        self.types.push(ty);
        self.worth.push(worth);
        self.from_step.push(from_step);
        SlotId(self.types.len() - 1)
    }

    fn row(&self) -> Row {
        let columns = self.names.iter().map(|named| {
            let slot = named.slot();
            (named.name.clone(), slot, self.types[slot.0], self.worth[slot.0])
        });
        Row {
            table: self.name.clone(),
            columns: columns.collect(),
            ancestors: self.ancestors.clone(),
            paths: if self.input { Paths::NotInInputs } else { Paths::Allowed },
        }
    }

    fn find(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|named| named.name == name)
    }

    fn is_tracked(&self, slot: SlotId) -> bool {
        self.tracked.iter().any(|tracked| tracked.slot() == slot)
    }

    /// A new version of a visible column, from the next step on.
    fn renew(&mut self, at: usize, slot: SlotId) {
        let old = self.names[at].slot();
        let from = self.steps.len() + 1;
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
    fn workable_from(&self, typed: &Typed) -> usize {
        let mut from = 0;
        typed.visit(&mut |part| {
            if let Kind::Slot(slot) = &part.kind {
                from = from.max(self.from_step[slot.0]);
            }
        });
        from
    }

    /// A grain must still hold at the end: where a step changed its columns it is checked again.
    fn close_grain(&mut self) {
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
        self.push(Step::Grain { columns, proof: Proof::None }, text, false);
    }

    fn push(&mut self, step: Step, text: String, numbered: bool) {
        self.steps.push(StepPlan { step, text, numbered });
    }
}

impl Resolver<'_> {
    /// Resolves every table, each after what it needs.
    pub fn tables(&mut self) {
        for table in 0..self.tables.len() {
            let span = self.tables[table].name.span;
            let _ = self.need_table(TableId(table), span);
        }
    }

    pub(super) fn resolve_table(&mut self, id: TableId) -> Resolved<()> {
        self.open.push(id);
        self.tables[id.0].state = TableState::Open;
        let built = self.build_table(id);
        self.open.pop();
        self.tables[id.0].state =
            if built.is_ok() { TableState::Finished } else { TableState::Failed };
        built
    }

    fn build_table(&mut self, id: TableId) -> Resolved<()> {
        let statement = self.tables[id.0].statement;
        let name = self.tables[id.0].name.text.clone();
        let mut builder = Builder {
            id,
            name,
            input: false,
            types: vec![],
            worth: vec![],
            from_step: vec![],
            names: vec![],
            raw: vec![],
            imports: vec![],
            fingerprints: vec![],
            steps: vec![],
            tracked: vec![],
            ended: vec![],
            grain: None,
            said: None,
            ancestors: vec![],
        };
        let (source, steps) = match statement {
            StatementKind::Input(input) => {
                let spec = super::input_specs(self.tree)
                    .into_iter()
                    .find(|spec| spec.name == input.name.text)
                    .ok_or(Wrong)?;
                let shape = self.shapes.get(&builder.name).ok_or(Wrong)?.clone();
                builder.input = true;
                let mut read_columns = vec![];
                for (at, (column, found)) in shape.columns.iter().enumerate() {
                    let rule = spec.reads.iter().rev().find(|(name, _)| name == column);
                    if rule.is_some() {
                        read_columns.push(at);
                    }
                    let ty = rule.map_or(*found, |(_, rule)| rule.ty);
                    let slot = builder.slot(ty, Worth::column(WorthKind::Plain, false), 0);
                    builder.imports.push((slot, at));
                    if rule.is_none() {
                        builder.raw.push((slot, at));
                    }
                    builder.names.push(Named {
                        name: column.clone(),
                        versions: vec![(0, slot)],
                        base_name: None,
                    });
                }
                let plan = InputPlan { spec, read_columns, fingerprints: vec![] };
                (Source::Input(plan), &input.steps)
            }
            StatementKind::Table(table) => {
                let base = self.table_named(&table.base)?;
                self.need_table(base, table.base.span)?;
                self.tables[id.0].base = Some(base);
                self.import_base(&mut builder, base);
                (Source::Base(base), &table.steps)
            }
            _ => return Err(Wrong),
        };
        let mut whole = true;
        for step in steps {
            whole &= self.step(&mut builder, step).is_ok();
        }
        if !whole {
            return Err(Wrong);
        }
        builder.close_grain();
        self.finish_table(builder, source);
        Ok(())
    }

    fn import_base(&mut self, builder: &mut Builder, base: TableId) {
        let columns = self.tables[base.0].columns.clone();
        for (at, column) in columns.iter().enumerate() {
            let slot = builder.slot(column.ty, column.worth, 0);
            builder.imports.push((slot, at));
            let named = Named {
                name: column.name.clone(),
                versions: vec![(0, slot)],
                base_name: Some(column.name.clone()),
            };
            if column.tracked {
                builder.tracked.push(named.clone());
            }
            builder.names.push(named);
        }
        builder.ancestors.clone_from(&self.tables[base.0].ancestors);
        let grain = self.tables[base.0].plan.as_ref().and_then(|plan| plan.grain.clone());
        builder.grain = grain.and_then(|grain| {
            let slots = grain
                .columns
                .iter()
                .map(|name| builder.find(name).map(|at| builder.names[at].slot()));
            Some(Known { slots: slots.collect::<Option<_>>()?, unique: true, filled: true })
        });
        // `dedupe by` leaves rows with a blank key outside the grain until one is said.
        if let Some(grain) = &mut builder.grain {
            grain.filled = self.tables[base.0]
                .plan
                .as_ref()
                .is_some_and(|plan| !plan.steps.iter().any(leaves_blank_keys));
        }
    }

    fn finish_table(&mut self, builder: Builder, source: Source) {
        let mut source = source;
        if let Source::Input(input) = &mut source {
            input.fingerprints = builder.fingerprints;
        }
        let columns: Vec<FinishedColumn> = builder
            .names
            .iter()
            .map(|named| {
                let slot = named.slot();
                FinishedColumn {
                    name: named.name.clone(),
                    ty: builder.types[slot.0],
                    worth: builder.worth[slot.0],
                    tracked: builder.tracked.iter().any(|tracked| tracked.slot() == slot),
                }
            })
            .collect();
        let from_step = builder.from_step.clone();
        let tracked = |named: &Named, ends_at| Tracked {
            name: named.name.clone(),
            base_name: named.base_name.clone(),
            versions: named.versions.clone(),
            ends_at,
            from_step: from_step[named.versions[0].1.0],
        };
        let mut amounts: Vec<Tracked> =
            builder.tracked.iter().map(|named| tracked(named, None)).collect();
        amounts.extend(builder.ended.iter().map(|(named, at)| tracked(named, Some(*at))));
        let mut steps = builder.steps;
        for (at, step) in steps.iter_mut().enumerate() {
            let changes = |tracked: &Tracked| {
                tracked.versions.iter().skip(1).any(|(from, _)| *from == at + 1)
            };
            step.numbered |= amounts.iter().any(changes);
        }
        let grain = builder.grain.map(|grain| GrainPlan {
            columns: grain
                .slots
                .iter()
                .filter_map(|slot| {
                    let named = builder.names.iter().find(|named| named.slot() == *slot)?;
                    Some(named.name.clone())
                })
                .collect(),
        });
        let plan = TablePlan {
            name: builder.name,
            source,
            slots: builder.types,
            from_step: builder.from_step,
            imports: builder.imports,
            steps,
            columns: builder.names.iter().map(|named| (named.name.clone(), named.slot())).collect(),
            grain,
            tracked: amounts,
        };
        let mut ancestors = builder.ancestors;
        ancestors.push((builder.id, false));
        let entry = &mut self.tables[builder.id.0];
        entry.columns = columns;
        entry.ancestors = ancestors;
        entry.plan = Some(plan);
    }

    fn step(&mut self, builder: &mut Builder, tree: &StepTree) -> Resolved<()> {
        let text = format_step(tree);
        match &tree.kind {
            StepKind::Read(items) => self.read(builder, items, tree.span),
            StepKind::Add(items) => self.add(builder, items, text),
            StepKind::Change(items) => self.change(builder, items, text),
            StepKind::Keep(condition) => self.filter(builder, true, condition, text),
            StepKind::Drop(condition) => self.filter(builder, false, condition, text),
            StepKind::Dedupe => {
                let slots = compared(builder);
                builder.push(Step::Dedupe { slots }, text, true);
                Ok(())
            }
            StepKind::DedupeBy { keys, keep } => self.dedupe_by(builder, keys, keep, text),
            StepKind::Units { of, name, split } => self.units(builder, of, name, split, text),
            StepKind::Columns(columns) => self.columns(builder, columns, text),
            StepKind::Rename(renames) => self.rename(builder, renames, text),
            StepKind::Grain(names) => self.grain(builder, names, tree.span, text),
            StepKind::Track(names) => self.track(builder, names, text),
        }
    }

    fn read(&mut self, builder: &mut Builder, items: &[ReadTree], span: Span) -> Resolved<()> {
        if !builder.input {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, span, "`read` belongs to an input")
                    .help("in a table, convert with text(…), integer(…), decimal(…), date(…)"),
            );
        }
        if !builder.steps.is_empty() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    span,
                    "`read` stands before all other steps: it says what the cells are",
                )
                .help("move it up, right behind the input's files"),
            );
        }
        let mut whole = Ok(());
        let mut seen: Vec<&str> = vec![];
        for item in items {
            if builder.find(&item.column.text).is_none() {
                whole = self.unknown_column(&builder.row(), &item.column);
            } else if seen.contains(&item.column.text.as_str()) {
                whole = self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    item.column.span,
                    format!("`{}` is read twice", item.column.text),
                ));
            }
            seen.push(&item.column.text);
            let temporal = matches!(item.ty.ty, Type::Date | Type::DateTime);
            for format in &item.formats {
                let error = if temporal {
                    day::format_error(&format.text, item.ty.ty == Type::DateTime)
                } else {
                    Some(format!("{} has no formats, only date and datetime have", item.ty.ty))
                };
                if let Some(error) = error {
                    whole = self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Type,
                            format.span,
                            format!("this format does not say a {}: {error}", item.ty.ty),
                        )
                        .help("as in  \"%d/%m/%Y\"  or  \"%Y-%m-%dT%H:%M:%S\""),
                    );
                }
            }
        }
        whole
    }

    /// A name that nothing here has yet.
    fn new_name(&mut self, builder: &Builder, name: &Name, help: &str) -> Resolved<()> {
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

    fn add(&mut self, builder: &mut Builder, items: &[AssignTree], text: String) -> Resolved<()> {
        let mut assigned = vec![];
        let mut whole = Ok(());
        for item in items {
            let fresh = self.new_name(builder, &item.name, "to replace its values, use `change`");
            let value = self.expression(&item.value, &builder.row());
            let (Ok(()), Ok((value, worth))) = (fresh, value) else {
                whole = Err(Wrong);
                continue;
            };
            let from = builder.workable_from(&value);
            let slot = builder.slot(value.ty, as_column(worth), from);
            builder.names.push(Named {
                name: item.name.text.clone(),
                versions: vec![(builder.steps.len() + 1, slot)],
                base_name: None,
            });
            assigned.push((slot, value));
        }
        builder.push(Step::Assign(assigned), text, false);
        whole
    }

    fn change(
        &mut self,
        builder: &mut Builder,
        items: &[AssignTree],
        text: String,
    ) -> Resolved<()> {
        let mut assigned = vec![];
        let mut whole = Ok(());
        for item in items {
            let value = self.expression(&item.value, &builder.row());
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
            let from = builder.steps.len() + 1;
            let slot = builder.slot(value.ty, worth, from);
            builder.renew(at, slot);
            assigned.push((slot, value));
        }
        builder.push(Step::Assign(assigned), text, false);
        whole
    }

    fn filter(
        &mut self,
        builder: &mut Builder,
        keep: bool,
        condition: &Expr,
        text: String,
    ) -> Resolved<()> {
        let condition = self.condition(condition, &builder.row())?;
        builder.push(Step::Filter { keep, condition }, text, true);
        Ok(())
    }

    fn dedupe_by(
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
                    use crate::lang::Preference::{Earliest, Largest, Latest, Smallest};
                    let fits = match preference {
                        Latest | Earliest => ty.is_temporal(),
                        Largest | Smallest => ty.is_numeric(),
                    };
                    if !fits {
                        let help = match preference {
                            Latest | Earliest => {
                                "days and times are latest or earliest; say what it is in the \
                                 input:  read COLUMN as datetime"
                            }
                            Largest | Smallest => "numbers are largest or smallest",
                        };
                        return self.wrong(
                            Diagnostic::new(
                                DiagnosticKind::Type,
                                name.span,
                                format!(
                                    "`{}` is {ty}, which has no {}",
                                    name.text,
                                    preference.word()
                                ),
                            )
                            .help(help),
                        );
                    }
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
        let copies = if builder.input {
            // The whole record as it stood in the file.
            let all = builder.imports.iter().map(|(_, column)| *column).collect();
            vec![fingerprint(builder, all)]
        } else {
            builder.names.iter().map(Named::slot).collect()
        };
        builder.push(Step::DedupeBy { keys: typed, rule, copies }, text, true);
        Ok(())
    }

    fn units(
        &mut self,
        builder: &mut Builder,
        of: &Expr,
        name: &Name,
        split: &[Name],
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
        let mut divided: Vec<(SlotId, usize, Scale, String)> = vec![];
        for column in split {
            let (slot, ty) = self.column_of(&row, column)?;
            let places = match ty {
                Type::Integer | Type::Decimal(_) | Type::Blank => {
                    ty.scale().unwrap_or_default().max(Scale(2))
                }
                _ => {
                    return self.wrong(Diagnostic::new(
                        DiagnosticKind::Type,
                        column.span,
                        format!("`{}` is {ty}; only exact numbers can be split", column.text),
                    ));
                }
            };
            if builder.worth[slot.0].divided {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        column.span,
                        format!(
                            "`{}` was made by `/` and has more places than an amount should",
                            column.text
                        ),
                    )
                    .help("round it before it is split:  round(…, 2)"),
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
            divided.push((slot, at, places, column.text.clone()));
        }
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
        // Other amounts stay whole on each unit.
        let whole: Vec<usize> = (0..builder.names.len())
            .filter(|at| Some(*at) != counted_at && !divided.iter().any(|(_, o, ..)| o == at))
            .collect();
        for at in whole {
            let slot = builder.names[at].slot();
            builder.worth[slot.0] = builder.worth[slot.0].past_units();
        }
        let counted = counted_at.map(|at| {
            let old = builder.names[at].slot();
            let from = builder.steps.len() + 1;
            let new = builder.slot(builder.types[old.0], builder.worth[old.0], from);
            builder.renew(at, new);
            (old, new)
        });
        let mut parts = vec![];
        for (old, at, places, name) in divided {
            let from = builder.steps.len() + 1;
            let worth = Worth::column(WorthKind::Amount, false);
            let worth = match builder.worth[old.0].repeats() {
                Some(_) => builder.worth[old.0],
                None => worth,
            };
            let new = builder.slot(Type::Decimal(places), worth, from);
            builder.renew(at, new);
            parts.push((old, new, name));
        }
        let from = builder.steps.len() + 1;
        let unit = builder.slot(Type::Integer, Worth::column(WorthKind::Plain, false), from);
        builder.names.push(Named {
            name: name.text.clone(),
            versions: vec![(from, unit)],
            base_name: None,
        });
        if let Some(grain) = &mut builder.grain {
            grain.slots.push(unit);
        }
        for (_, repeated) in &mut builder.ancestors {
            *repeated = true;
        }
        let plan = UnitsPlan {
            of: typed,
            of_text: crate::lang::format_expression(of),
            counted,
            unit,
            split: parts,
        };
        builder.push(Step::Units(plan), text, true);
        Ok(())
    }

    fn columns(
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
        builder.push(Step::Names, text, ends);
        Ok(())
    }

    fn rename(
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
            for tracked in builder.tracked.iter_mut().filter(|tracked| tracked.slot() == slot) {
                tracked.name.clone_from(&rename.new.text);
            }
        }
        builder.push(Step::Names, text, false);
        Ok(())
    }

    fn grain(
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
        builder.push(Step::Grain { columns, proof }, text, false);
        Ok(())
    }

    fn track(&mut self, builder: &mut Builder, names: &[Name], text: String) -> Resolved<()> {
        let row = builder.row();
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
            if builder.worth[slot.0].repeats().is_some() {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::CountedTwice,
                        name.span,
                        format!("`{}` stands on several rows, so it does not add up", name.text),
                    )
                    .help("track it in the table where it lives"),
                );
            }
            if builder.is_tracked(slot) {
                continue;
            }
            let at = builder.find(&name.text).ok_or(Wrong)?;
            builder.worth[slot.0].kind = WorthKind::Amount;
            let named = builder.names[at].clone();
            builder.tracked.push(named);
        }
        builder.push(Step::Names, text, false);
        Ok(())
    }
}

/// Rows with a blank key stay after `dedupe by`, until a grain is said.
fn leaves_blank_keys(step: &StepPlan) -> bool {
    matches!(step.step, Step::DedupeBy { .. })
}

/// What plain `dedupe` compares: in an input, columns without `read` by their text.
fn compared(builder: &mut Builder) -> Vec<SlotId> {
    let mut by_text = vec![];
    let mut slots = vec![];
    for named in &builder.names {
        let slot = named.slot();
        match builder.raw.iter().find(|(raw, _)| *raw == slot) {
            Some((_, column)) => by_text.push(*column),
            None => slots.push(slot),
        }
    }
    if !by_text.is_empty() {
        slots.push(fingerprint(builder, by_text));
    }
    slots
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

/// What an expression's value is worth once it is a column of the row.
fn as_column(worth: Worth) -> Worth {
    Worth { own: worth.repeats().is_none(), ..worth }
}

pub(super) fn listed(names: &[String]) -> String {
    let quoted: Vec<String> = names.iter().map(|name| format!("`{name}`")).collect();
    match quoted.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => quoted.concat(),
    }
}
