//! Values, rows and steps in words.

use super::kept::Stages;
use super::stages::Replay;
use crate::engine::context::RunError;
use crate::resolve::{Source, TablePlan};
use crate::table::{SlotId, TableId};
use crate::tally::{NamedValue, StepName, ToldRow};
use crate::value::Scalar;

/// Rows are listed up to this many.
pub(super) const FIRST: usize = 10;

/// Rows beside others are listed up to this many.
pub(super) const FEW: usize = 3;

/// A value in words.
pub(in crate::engine) fn words(value: &Scalar) -> Option<String> {
    (*value != Scalar::Blank).then(|| value.to_string())
}

/// Values of a row of a table on its way, those that are not at hand left out.
pub(super) fn values(
    stages: &Stages,
    step: usize,
    columns: &[(String, SlotId)],
    row: u32,
) -> Vec<NamedValue> {
    let at_hand = columns.iter().filter(|(_, slot)| stages.has(step, *slot));
    let value = |(name, slot): &(String, SlotId)| NamedValue {
        name: name.clone(),
        value: words(&stages.value(step, *slot, row)),
    };
    at_hand.map(value).collect()
}

/// A row of a table as it stands before a step, or at its end.
pub(super) fn told_row(replay: &Replay<'_>, stages: &Stages, step: usize, row: u32) -> ToldRow {
    let plan = replay.plan(stages.table);
    let values = values(stages, step, plan.columns_at(step), row);
    let key = plan
        .grain_at(step)
        .iter()
        .filter_map(|name| values.iter().find(|value| value.name == *name));
    ToldRow {
        table: plan.name.clone(),
        key: key.cloned().collect(),
        place: replay.place(stages, step, row),
        values,
    }
}

/// The first of some rows.
pub(super) fn told_rows(
    replay: &Replay<'_>,
    stages: &Stages,
    (step, rows): (usize, &[u32]),
    most: usize,
) -> Vec<ToldRow> {
    rows.iter().take(most).map(|row| told_row(replay, stages, step, *row)).collect()
}

/// A row of a table that was built.
pub(super) fn finished_row(
    replay: &Replay<'_>,
    table: TableId,
    row: u32,
) -> Result<Option<ToldRow>, RunError> {
    let stages = replay.stages(table)?;
    Ok(stages.map(|stages| told_row(replay, &stages, stages.end(), row)))
}

/// A step, with its number in its table's tally.
pub(super) fn step_name(replay: &Replay<'_>, table: TableId, step: usize) -> StepName {
    let plan = replay.plan(table);
    let numbered = |plan: &TablePlan, to: usize| {
        plan.steps[..to].iter().filter(|step| step.numbered).count() as u64
    };
    let mut before = numbered(plan, step);
    let mut at = plan;
    while let Source::Base(base) = at.source {
        at = replay.plan(base);
        before += numbered(at, at.steps.len());
    }
    StepName {
        table: plan.name.clone(),
        number: plan.steps[step].numbered.then_some(before + 1),
        text: plan.steps[step].text.clone(),
    }
}
