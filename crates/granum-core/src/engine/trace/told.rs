//! What is told of rows that are followed: the rows in words, and what each step did with them.

use super::cells::cells;
use super::kept::{Moved, Stages};
use super::met::met;
use super::stages::Replay;
use super::ways::Followed;
use super::words::{FEW, FIRST, step_name, told_row, told_rows, values};
use crate::aggregate::Sum;
use crate::engine::context::RunError;
use crate::lang::Otherwise;
use crate::resolve::{OneRowPlan, Source, TablePlan};
use crate::step::{Gone, Pace, Together};
use crate::table::{Amount, Rows, SlotId};
use crate::tally::{
    BecameStory, Beside, GoneRow, GoneStory, Met, NamedValue, StepStory, TableStory, Why,
};
use crate::value::Scalar;

/// What the rows of one table are that others are made of, and what its steps did with them.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn table_story(
    replay: &Replay<'_>,
    followed: &Followed,
) -> Result<TableStory, RunError> {
    let stages = &followed.stages;
    let plan = replay.plan(stages.table);
    let end = followed.rows.len() - 1;
    let rows = followed.last();
    let amounts = plan.tracked.iter().filter(|tracked| !tracked.foreseen).filter_map(|tracked| {
        let slot = tracked.slot_before(end).filter(|_| tracked.ends_at.is_none())?;
        let column = |slot| {
            stages.has(end, slot).then(|| stages.column(end, slot, &Rows::from(rows.to_vec())))
        };
        let apart = match tracked.apart_before(end) {
            Some(apart) => Some(column(apart)?),
            None => None,
        };
        Some(Sum::of(&column(slot)?, apart.as_ref()).named(&tracked.name))
    });
    let amounts: Vec<(String, Amount)> = amounts.flatten().collect();
    let mut steps: Vec<StepStory> = vec![];
    // What a step needs made before it is told with it.
    let (mut held_met, mut held_beside) = (vec![], vec![]);
    let mut told_last: Option<usize> = None;
    for step in 0..end {
        let mut story = step_story(replay, followed, step)?;
        if plan.steps[step].step.work().serves_next() {
            held_met.append(&mut story.met);
            held_beside.append(&mut story.beside);
            continue;
        }
        story.met.splice(0..0, held_met.drain(..));
        story.beside.splice(0..0, held_beside.drain(..));
        let tells = story.before != story.after
            || !(story.made.is_empty() && story.met.is_empty() && story.beside.is_empty())
            || story.instead_rows > 0
            || !story.members.is_empty();
        // One that is written once may be worked as two.
        let same = |last: &usize| plan.steps[*last].written == plan.steps[step].written;
        match steps.last_mut().filter(|_| told_last.as_ref().is_some_and(same)) {
            Some(last) if tells => last.join(story),
            _ if tells => steps.push(story),
            _ => {}
        }
        if tells {
            told_last = Some(step);
        }
    }
    Ok(TableStory {
        table: plan.name.clone(),
        input: matches!(plan.source, Source::Input(_) | Source::Calendar(_)),
        rows: rows.len() as u64,
        amounts,
        first: told_rows(replay, stages, (end, rows), FIRST),
        steps,
    })
}

fn step_story(
    replay: &Replay<'_>,
    followed: &Followed,
    step: usize,
) -> Result<StepStory, RunError> {
    let stages = &followed.stages;
    let plan = replay.plan(stages.table);
    let (before, after) = (followed.at(step), followed.at(step + 1));
    let mut story = StepStory {
        step: step_name(replay, stages.table, step),
        before: before.len() as u64,
        after: after.len() as u64,
        made: vec![],
        met: vec![],
        beside: vec![],
        instead: vec![],
        instead_rows: 0,
        members: vec![],
        left_out: vec![],
    };
    if let [row] = after {
        story.made = made(plan, stages, step, *row);
    }
    if let [row] = before {
        story.met = met(replay, stages, step, *row)?;
        story.beside = beside(replay, stages, step, *row);
    }
    let instead: Vec<Gone> = gone(replay, stages, step)
        .into_iter()
        // Those that a `top` leaves out do not go for one row.
        .filter(|gone| gone.why != Why::BeyondTop)
        .filter(|gone| gone.stays.is_some_and(|stays| before.binary_search(&stays).is_ok()))
        .collect();
    story.instead_rows = instead.len() as u64;
    story.instead =
        instead.iter().take(FIRST).map(|gone| gone_row(replay, stages, step, gone)).collect();
    if let (Moved::Into(_), Some(groups)) =
        (&stages.moved[step], plan.steps[step].step.work().groups())
    {
        story.members = told_rows(replay, stages, (step, before), FIRST);
        story.left_out = left_out(replay, stages, step, (groups, before));
    }
    Ok(story)
}

/// The values that a step made of a row.
fn made(plan: &TablePlan, stages: &Stages, step: usize, row: u32) -> Vec<NamedValue> {
    let old = plan.columns_at(step);
    let new = plan
        .columns_at(step + 1)
        .iter()
        .filter(|(_, slot)| !old.iter().any(|(_, known)| known == slot));
    let new: Vec<_> = new.cloned().collect();
    values(stages, step + 1, &new, row)
}

/// The rows that a step looked at together with one.
fn beside(replay: &Replay<'_>, stages: &Stages, step: usize, row: u32) -> Vec<Beside> {
    let together = together(replay, stages, step);
    let mut found = vec![];
    for together in together {
        let groups = &together.groups;
        let Some(own) = groups.of(row as usize) else { continue };
        let others: Vec<u32> = (0..groups.rows() as u32)
            .filter(|other| *other != row && groups.of(*other as usize) == Some(own))
            .collect();
        found.push(Beside {
            text: together.text,
            rows: others.len() as u64,
            first: told_rows(replay, stages, (step, &others), FEW),
        });
    }
    found
}

/// The rows that a step looks at together. Where it cannot be worked there are none, for it was worked before.
pub(in crate::engine) fn together(
    replay: &Replay<'_>,
    stages: &Stages,
    step: usize,
) -> Vec<Together> {
    let runner = replay.runner(stages.table, step);
    let work = replay.plan(stages.table).steps[step].step.work();
    work.together(&runner, &replay.before(stages, step)).unwrap_or_default()
}

/// The rows that a step took out. Where it cannot be worked there are none, for it was worked before.
pub(in crate::engine) fn gone(replay: &Replay<'_>, stages: &Stages, step: usize) -> Vec<Gone> {
    let runner = replay.runner(stages.table, step);
    let work = replay.plan(stages.table).steps[step].step.work();
    if !work.takes_out() {
        return vec![];
    }
    let mut rows = replay.before(stages, step);
    if work.pace() == Pace::Passing && rows.has_away() {
        let mut all = vec![];
        for (first, run) in rows.runs(work.reads()) {
            let gone = work.gone(&runner, &run).unwrap_or_default();
            all.extend(gone.into_iter().map(|gone| gone.behind(first)));
        }
        return all;
    }
    rows.get(if work.scatters() { work.reads() } else { work.gets() }.into_iter());
    work.gone(&runner, &rows).unwrap_or_default()
}

fn gone_row(replay: &Replay<'_>, stages: &Stages, step: usize, gone: &Gone) -> GoneRow {
    GoneRow { row: told_row(replay, stages, step, gone.row), why: gone.why }
}

/// Results of groups that leave rows out by their `where`, of some rows.
fn left_out(
    replay: &Replay<'_>,
    stages: &Stages,
    step: usize,
    (groups, rows): (&OneRowPlan, &[u32]),
) -> Vec<(String, u64)> {
    let runner = replay.runner(stages.table, step);
    let plan = replay.plan(stages.table);
    let batch = stages.take(step, &Rows::from(rows.to_vec()), |_| true);
    let result = |(result, slot): &(crate::resolve::AggregatePlan, SlotId)| {
        let column = runner.columns(&batch, result.filter.iter()).ok()?.pop()?;
        let counts = |row: &usize| column.scalar(*row) == Scalar::Boolean(true);
        let out = batch.rows - (0..batch.rows).filter(counts).count();
        let named = plan.columns_at(step + 1).iter().find(|(_, known)| known == slot)?;
        (out > 0).then(|| (named.0.clone(), out as u64))
    };
    groups.results.iter().filter_map(result).collect()
}

/// What became of followed rows in one table.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn became_story(
    replay: &Replay<'_>,
    followed: &Followed,
) -> Result<BecameStory, RunError> {
    let stages = &followed.stages;
    let plan = replay.plan(stages.table);
    let end = stages.end();
    let rows = if stages.is_whole() { followed.last() } else { &[] };
    let last = (followed.from..end)
        .find(|step| !followed.at(*step).is_empty() && followed.at(step + 1).is_empty());
    let gone = match last {
        Some(step) => Some(gone_story(replay, followed, step)?),
        None => None,
    };
    let group = (followed.from..end).rfind(|step| {
        matches!(stages.moved[*step], Moved::Into(_)) && followed.at(step + 1).len() == 1
    });
    let outputs = replay.context.around.plan.outputs.iter();
    let outputs = outputs.filter(|output| output.table == stages.table && !rows.is_empty());
    Ok(BecameStory {
        table: plan.name.clone(),
        rows: rows.len() as u64,
        of: if stages.is_whole() { stages.count(end) as u64 } else { 0 },
        first: told_rows(replay, stages, (end, rows), FEW),
        members: group.map(|step| stages.moved[step].back(followed.at(step + 1)).len() as u64),
        gone,
        outputs: outputs.map(|output| output.path.clone()).collect(),
        failed: !stages.is_whole(),
    })
}

/// The cells of a row that cannot be read and set it aside.
fn unreadable(replay: &Replay<'_>, stages: &Stages, row: u32) -> Result<Vec<NamedValue>, RunError> {
    let Source::Input(input) = &replay.plan(stages.table).source else { return Ok(vec![]) };
    let read = stages.origin(0, stages.table, row);
    let names = replay.plan(stages.table).columns_at(0);
    let aside = input.spec.reads.iter().filter(|(_, rule)| rule.otherwise == Otherwise::Aside);
    let mut columns: Vec<usize> = aside
        .filter_map(|(name, _)| names.iter().position(|(known, _)| known == name))
        .filter(|at| stages.value(0, names[*at].1, row) == Scalar::Blank)
        .collect();
    columns.sort_unstable();
    columns.dedup();
    let cells = cells(replay.source(stages.table), &columns, &read.into_iter().collect())?;
    let of = cells.into_iter().next().unwrap_or_default();
    let named = columns.into_iter().zip(of).filter(|(_, cell)| cell.is_some());
    Ok(named.map(|(at, value)| NamedValue { name: names[at].0.clone(), value }).collect())
}

fn gone_story(
    replay: &Replay<'_>,
    followed: &Followed,
    step: usize,
) -> Result<GoneStory, RunError> {
    let stages = &followed.stages;
    let plan = replay.plan(stages.table);
    let row = followed.at(step)[0];
    let found = gone(replay, stages, step).into_iter().find(|gone| gone.row == row);
    let mut met: Vec<Met> = vec![];
    let serves = |before: &usize| plan.steps[*before].step.work().serves_next();
    let begins = (0..step).rev().take_while(serves).last();
    for step in begins.unwrap_or(step)..=step {
        met.extend(super::met::met(replay, stages, step, row)?);
    }
    let work = plan.steps[step].step.work();
    let mut looked = work.slots();
    work.expressions().iter().for_each(|typed| looked.extend(typed.slots()));
    let looked: Vec<_> =
        plan.columns_at(step).iter().filter(|(_, slot)| looked.contains(slot)).cloned().collect();
    let why = found.map(|gone| gone.why);
    let looked_at = if why == Some(Why::Unreadable) {
        unreadable(replay, stages, row)?
    } else {
        values(stages, step, &looked, row)
    };
    Ok(GoneStory {
        step: step_name(replay, stages.table, step),
        why,
        stays: found.and_then(|gone| gone.stays).map(|row| told_row(replay, stages, step, row)),
        looked_at,
        met,
    })
}
