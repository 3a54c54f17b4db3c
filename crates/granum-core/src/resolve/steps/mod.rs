//! Steps, each with what it asks of the columns before it and what it leaves.

mod allocate;
mod apart;
mod builder;
mod columns;
mod expand;
mod grain;
mod one_row;
mod order;
mod read;
mod rows;
mod turn;
mod units;

use super::Resolved;
use super::allow::Behind;
use super::plan::{DedupePlan, Step};
use super::scope::Resolver;
use crate::lang::{Diagnostic, DiagnosticKind, StepKind, StepTree, format_step};
use one_row::OneRowTree;

pub(super) use builder::{Builder, Known, Named};

impl Resolver<'_> {
    pub(super) fn step(&mut self, builder: &mut Builder, tree: &StepTree) -> Resolved<()> {
        let text = format_step(tree);
        let after_total = matches!(
            tree.kind,
            StepKind::Add(_)
                | StepKind::Change(_)
                | StepKind::Rename(_)
                | StepKind::Columns(_)
                | StepKind::Sort(_)
        );
        if builder.total && !after_total {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    tree.span,
                    "after a total only add, change, rename, columns and sort may follow",
                )
                .help("do this in a table that is built from this one: it does not see the total"),
            );
        }
        let (before, known) = (builder.grain_names(), builder.steps.len());
        let warned = self.plan.warnings.len();
        builder.begins = builder.visible();
        self.meets.clear();
        let resolved = self.step_of_kind(builder, tree, text.clone());
        let behind = Behind {
            table: Some(builder.id),
            step: builder.steps[known..]
                .iter()
                .find(|step| step.numbered)
                .map_or(text, |step| step.text.clone()),
            warnings: warned..self.plan.warnings.len(),
            steps: known..builder.steps.len(),
        };
        let resolved = self.allowances(&tree.allow, &behind).and(resolved);
        // Of the steps that it became the one that is told.
        let after = builder.grain_names();
        let told = builder.steps.iter_mut().skip(known).find(|step| step.numbered);
        if let Some(step) =
            told.filter(|_| before != after || matches!(tree.kind, StepKind::OneRow { .. }))
        {
            step.grain = Some((before, after));
        }
        resolved
    }

    fn step_of_kind(
        &mut self,
        builder: &mut Builder,
        tree: &StepTree,
        text: String,
    ) -> Resolved<()> {
        match &tree.kind {
            StepKind::Read(items) => self.read(builder, items, tree.span),
            StepKind::Add(items) => self.add(builder, items, text),
            StepKind::Change(items) => self.change(builder, items, text),
            StepKind::Keep(condition) => self.filter(builder, true, condition, text),
            StepKind::Drop(condition) => self.filter(builder, false, condition, text),
            StepKind::Dedupe => {
                let (slots, of_text) = rows::compared(builder);
                builder.push(Step::Dedupe(DedupePlan { slots, of_text }), text, true);
                Ok(())
            }
            StepKind::DedupeBy { keys, keep } => self.dedupe_by(builder, keys, keep, text),
            StepKind::Units { of, name, split, policy } => {
                self.units(builder, (of, name), split, policy, text)
            }
            StepKind::Turn(tree) => self.turn(builder, tree, text),
            StepKind::Expand(tree) => self.expand(builder, tree, text),
            StepKind::Allocate(tree) => self.allocate(builder, tree, text),
            StepKind::Columns(columns) => self.columns(builder, columns, text),
            StepKind::Rename(renames) => self.rename(builder, renames, text),
            StepKind::Grain(names) => self.grain(builder, names, tree.span, text),
            StepKind::Track(tree) => self.track(builder, tree, text),
            StepKind::OneRow { keys, total, items } => {
                let tree = OneRowTree { keys, total: total.as_ref(), items };
                self.one_row(builder, &tree)
            }
            StepKind::Sort(by) => self.sort(builder, by, text),
            StepKind::Top { bottom, count, by, per, ties } => {
                self.top(builder, (*bottom, *count, *ties), by, per, text)
            }
        }
    }
}
