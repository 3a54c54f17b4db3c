//! All rows that steps took out, with the step, the reason, and where each stands in a file.

use super::kept::Stages;
use super::stages::Replay;
use super::told::gone;
use super::ways::bases_of;
use super::words::{step_name, told_row};
use crate::engine::context::RunError;
use crate::engine::demand::{Purpose, Steps};
use crate::engine::inputs::Inputs;
use crate::engine::named::find_table;
use crate::engine::run::{Run, within, worked};
use crate::engine::show::{Showing, Shown};
use crate::lang::PlanTree;
use crate::port::{Observer, Sources};
use crate::resolve::Plan;
use crate::step::Gone;
use crate::table::{Column, Room, Rows, TableId};
use crate::tally::{Problem, StepName};
use crate::value::{Scalar, Type};

/// The rows that one step took out.
#[derive(Debug)]
pub struct RemovedRows {
    /// The step.
    pub step: StepName,
    /// Why each went, which row stays for it, and its file and line; then its columns as they were before the
    /// step. Names of the first four that the table has itself end in `_`.
    pub columns: Vec<(String, Column)>,
    /// How many there are.
    pub rows: usize,
}

/// All rows that the steps of a table, and of those that it is made from, took out; of all tables where none
/// is named; of each step that can take out some. Gives what stopped tables, too.
///
/// # Errors
/// As [`run`](crate::engine::run); an unknown table is a diagnostic without a place in the plan.
pub fn removed(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    (table, room): (Option<&str>, Option<&Room>),
    observer: &dyn Observer,
) -> Result<(Vec<RemovedRows>, Vec<Problem>), RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let steps = |plan: &Plan| match table {
        Some(table) => Ok::<_, RunError>(Steps::To(find_table(plan, table)?)),
        None => Ok(Steps::All),
    };
    let wanted = |plan: &Plan| Ok(Purpose::Steps(steps(plan)?));
    let end = |run: Run<'_>, inputs: &Inputs| {
        let replay = Replay::new(run.context(), inputs);
        let tables = match steps(run.plan)? {
            Steps::To(table) | Steps::From(table) => bases_of(&replay, table),
            Steps::All => (0..run.plan.tables.len()).map(TableId).collect(),
        };
        let mut found = vec![];
        for table in tables {
            let Some(stages) = replay.stages(table)? else { continue };
            for step in 0..stages.end() {
                found.extend(of_step(&replay, &stages, step));
            }
        }
        Ok((found, run.problems.clone()))
    };
    worked(&mut inputs, (tree, settings), observer, wanted, within(room), end)
}

/// The rows that a step took out, if it is one that can.
fn of_step(replay: &Replay<'_>, stages: &Stages, step: usize) -> Option<RemovedRows> {
    if !replay.plan(stages.table).steps[step].step.work().takes_out() {
        return None;
    }
    let gone = gone(replay, stages, step);
    let visible = replay.plan(stages.table).columns_at(step);
    let place = |row: u32| replay.place(stages, step, row);
    let places: Vec<_> = gone.iter().map(|gone| place(gone.row)).collect();
    let stays = |gone: &Gone| match gone.stays {
        Some(stays) => match place(stays) {
            Some(place) => place.to_string(),
            None => {
                let row = told_row(replay, stages, step, stays);
                let key = row.key.iter().map(|value| value.value.clone().unwrap_or_default());
                key.collect::<Vec<_>>().join("/")
            }
        },
        None => String::new(),
    };
    let texts = |texts: Vec<String>| texts_of(texts.into_iter());
    let lines = places.iter().map(|place| place.as_ref().map(|place| place.line as i64));
    let files = places
        .iter()
        .map(|place| place.as_ref().map_or_else(String::new, |place| place.file.to_string()));
    let own = [
        ("why_removed", texts(gone.iter().map(|gone| gone.why.to_string()).collect())),
        ("row_that_stays", texts(gone.iter().map(stays).collect())),
        ("source_file", texts(files.collect())),
        ("source_line", Column::Integer(lines.collect::<Vec<_>>().into())),
    ];
    let rows: Rows = gone.iter().map(|gone| gone.row).collect();
    let mut columns: Vec<(String, Column)> = vec![];
    for (name, column) in own {
        let mut name = name.to_owned();
        while visible.iter().any(|(known, _)| *known == name) {
            name.push('_');
        }
        columns.push((name, column));
    }
    for (name, slot) in visible {
        columns.push((name.clone(), stages.column(step, *slot, &rows)));
    }
    Some(RemovedRows { step: step_name(replay, stages.table, step), columns, rows: gone.len() })
}

/// Texts; one without a letter is blank.
fn texts_of(texts: impl Iterator<Item = String>) -> Column {
    Column::Text(texts.map(|text| Some(text).filter(|text| !text.is_empty())).collect())
}

/// The rows that steps on the way to a table took out, as rows of one table: behind the step and the reason
/// come all columns that any of them has. A column that has two types is text.
///
/// # Errors
/// As [`removed`].
pub fn show_removed(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    Showing { table, rows: most, room, .. }: &Showing,
    observer: &dyn Observer,
) -> Result<Shown, RunError> {
    let of = (Some(table.as_str()), room.as_ref());
    let (mut removed, problems) = removed(tree, settings, sources, of, observer)?;
    removed.retain(|step| step.rows > 0);
    let rows: usize = removed.iter().map(|step| step.rows).sum();
    let shown = rows.min(most.unwrap_or(usize::MAX));
    let mut names: Vec<&str> = vec![];
    for (name, _) in removed.iter().flat_map(|step| &step.columns) {
        if !names.contains(&name.as_str()) {
            names.push(name);
        }
    }
    let mut step = "step".to_owned();
    while names.contains(&step.as_str()) {
        step.push('_');
    }
    let steps = removed.iter().map(|removed| {
        let number = removed.step.number.map_or_else(String::new, |number| format!("{number} "));
        let text = Scalar::Text(format!("{number}{}", removed.step.text));
        Column::constant(&text, Type::Text, removed.rows)
    });
    let mut columns = vec![(
        step,
        if removed.is_empty() {
            Column::all_blank(Type::Text, 0)
        } else {
            Column::concat(&steps.collect::<Vec<_>>()).slice(0, shown)
        },
    )];
    for name in names {
        let parts: Vec<Option<&Column>> = removed
            .iter()
            .map(|step| step.columns.iter().find(|(known, _)| known == name))
            .map(|found| found.map(|(_, column)| column))
            .collect();
        let sizes = removed.iter().map(|step| step.rows);
        columns.push((name.to_owned(), joined(&parts, sizes).slice(0, shown)));
    }
    Ok(Shown {
        table: table.to_owned(),
        grain: vec![],
        columns: if removed.is_empty() { vec![] } else { columns },
        rows,
        shown,
        which: Some("rows that steps took out".into()),
        total: false,
        one_row: false,
        problems,
        warnings: vec![],
    })
}

/// Columns one under the other, blank where there is none; texts where their types are not one.
fn joined(parts: &[Option<&Column>], sizes: impl Iterator<Item = usize>) -> Column {
    let mut types = parts.iter().flatten().map(|column| column.ty());
    let first = types.next().unwrap_or(Type::Text);
    let one = types.all(|ty| ty == first);
    let ty = if one { first } else { Type::Text };
    let parts = parts.iter().zip(sizes).map(|(part, rows)| match part {
        None => Column::all_blank(ty, rows),
        Some(column) if one => (*column).clone(),
        Some(column) => texts_of((0..rows).map(|row| column.scalar(row).to_string())),
    });
    Column::concat(&parts.collect::<Vec<_>>())
}
