//! Inputs and tables: what they start as, their steps, and what they end as.

use super::plan::{GrainPlan, InputPlan, Source, SourceSlots, TablePlan, Tracked};
use super::scope::{FinishedColumn, Resolver, TableState};
use super::steps::{Builder, Known, Named};
use super::worth::{Past, Repeat, Worth, WorthKind};
use super::{Resolved, Wrong};
use crate::lang::{Diagnostic, DiagnosticKind, InputTree, MoreTree, StatementKind, table_head};
use crate::resolve::ancestors::Ancestors;
use crate::table::{ColumnId, SlotId, TableId};
use crate::value::Type;

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
            entity: vec![],
            apart: vec![],
            from_step: vec![],
            names: vec![],
            begins: vec![],
            written: 0,
            raw: vec![],
            imports: vec![],
            fingerprints: vec![],
            aside: None,
            source: None,
            steps: vec![],
            tracked: vec![],
            ended: vec![],
            grain: None,
            said: None,
            ancestors: Ancestors::default(),
            once: vec![],
            grouped: false,
            total: false,
        };
        let (source, steps) = match statement {
            StatementKind::Input(input) if input.calendar.is_some() => {
                let calendar = input.calendar.as_ref().ok_or(Wrong)?;
                (Source::Calendar(self.calendar(&mut builder, calendar)?), &input.steps)
            }
            StatementKind::Input(input) => (self.read_input(&mut builder, input)?, &input.steps),
            StatementKind::Table(table) => {
                if let Some(allow) = table.allow.first()
                    && !matches!(table.more, MoreTree::Stacked { .. })
                {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Step,
                            allow.kind.span,
                            "nothing here is warned of: rows repeat in stacks, the rest in steps",
                        )
                        .help("leave it out, or put it behind the step that is warned of"),
                    );
                }
                let source = if table.more == MoreTree::None {
                    let base = self.table_named(&table.base)?;
                    self.need_table(base, table.base.span)?;
                    self.tables[id.0].base = Some(base);
                    self.import_base(&mut builder, base);
                    Source::Base(base)
                } else {
                    let mut several = self.several(&mut builder, &table.base, &table.more)?;
                    if matches!(table.more, MoreTree::Stacked { .. }) {
                        let words = table_head(table);
                        several.allows = self.stack_allows(id, &words, &table.allow)?;
                    }
                    Source::Several(several)
                };
                (source, &table.steps)
            }
            _ => return Err(Wrong),
        };
        for (written, step) in steps.iter().enumerate() {
            builder.written = written;
            // What was wrong has been noted. The table is finished all the same, so that what is
            // wrong in those built on it is told in the same run.
            let _ = self.step(&mut builder, step);
        }
        (builder.begins, builder.written) = (builder.visible(), steps.len());
        self.close_apart(&mut builder);
        builder.close_grain();
        self.finish_table(builder, source);
        Ok(())
    }

    /// The columns of an input's files, as they are read.
    fn read_input(&mut self, builder: &mut Builder, input: &InputTree) -> Resolved<Source> {
        let spec = super::input_specs(self.tree)
            .into_iter()
            .find(|spec| spec.name == input.name.text)
            .ok_or(Wrong)?;
        let shape = self.shapes.get(&builder.name).ok_or(Wrong)?.clone();
        builder.input = true;
        let plain = Worth::column(WorthKind::Plain, false);
        builder.source = Some(SourceSlots {
            file: builder.slot(Type::Text, plain, 0),
            line: builder.slot(Type::Integer, plain, 0),
        });
        let mut read_columns = vec![];
        for (at, (column, found)) in shape.columns.iter().enumerate() {
            let rule = spec.rule_of(column);
            if rule.is_some() {
                read_columns.push(ColumnId(at));
            }
            let ty = rule.map_or(*found, |rule| rule.ty);
            let around = spec.each.as_ref().is_some_and(|each| each.with.contains(column));
            let kind = match ty.scale() {
                Some(_) if around => WorthKind::Repeats(Repeat::Past(Past::Each)),
                _ => WorthKind::Plain,
            };
            let slot = builder.slot(ty, Worth::column(kind, false), 0);
            builder.imports.push((slot, ColumnId(at)));
            if rule.is_none() {
                builder.raw.push((slot, at));
            }
            builder.names.push(Named::new(column.clone(), 0, slot));
        }
        let plan =
            InputPlan { spec, read_columns, fingerprints: vec![], aside: None, source: None };
        Ok(Source::Input(plan))
    }

    fn import_base(&mut self, builder: &mut Builder, base: TableId) {
        let columns = self.tables[base.0].columns.clone();
        for (at, column) in columns.iter().enumerate() {
            let slot = builder.slot(column.ty, column.worth, 0);
            builder.entity[slot.0] = column.entity;
            builder.imports.push((slot, ColumnId(at)));
            let base_name = Some(column.name.clone());
            let named = Named { base_name, ..Named::new(column.name.clone(), 0, slot) };
            if column.tracked {
                builder.tracked.push(named.clone());
            }
            builder.names.push(named);
        }
        let slots: Vec<SlotId> = builder.imports.iter().map(|(slot, _)| *slot).collect();
        builder.keep_apart(&slots, columns.iter().map(|column| column.apart));
        builder.ancestors.clone_from(&self.tables[base.0].ancestors);
        builder.once.clone_from(&self.tables[base.0].once);
        let grain = self.tables[base.0].plan.as_ref().and_then(|plan| plan.grain.clone());
        builder.grain = grain.and_then(|grain| {
            let slots = grain
                .columns
                .iter()
                .map(|name| builder.find(name).map(|at| builder.names[at].slot()));
            let slots = slots.collect::<Option<_>>()?;
            Some(Known { slots, unique: true, filled: grain.filled })
        });
    }

    fn finish_table(&mut self, builder: Builder, source: Source) {
        let visible = builder.visible();
        let apart: Vec<Option<usize>> =
            builder.names.iter().map(|named| self.kept_apart(&builder, named.slot())).collect();
        let mut source = source;
        if let Source::Input(input) = &mut source {
            input.fingerprints = builder.fingerprints;
            input.aside = builder.aside;
            input.source = builder.source;
        }
        let columns: Vec<FinishedColumn> = builder
            .names
            .iter()
            .zip(apart)
            .map(|(named, apart)| {
                let slot = named.slot();
                FinishedColumn {
                    name: named.name.clone(),
                    ty: builder.types[slot.0],
                    worth: builder.worth[slot.0],
                    tracked: builder.tracked.iter().any(|tracked| tracked.slot() == slot),
                    entity: builder.entity[slot.0],
                    apart,
                }
            })
            .collect();
        let from_step = builder.from_step.clone();
        let tracked = |named: &Named, ends_at| Tracked {
            name: named.name.clone(),
            base_name: named.base_name.clone(),
            versions: named.versions.clone(),
            ends_at,
            from_step: named
                .apart
                .first()
                .map_or(0, |(_, slot)| from_step[slot.0])
                .max(from_step[named.versions[0].1.0]),
            gathered: named.gathered,
            foreseen: false,
            apart: named.apart.clone(),
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
            filled: grain.filled,
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
            columns: visible,
            grain,
            tracked: amounts,
        };
        let mut ancestors = builder.ancestors;
        ancestors.push(builder.id);
        let entry = &mut self.tables[builder.id.0];
        entry.columns = columns;
        entry.ancestors = ancestors;
        entry.once = builder.once;
        entry.plan = Some(plan);
    }
}
