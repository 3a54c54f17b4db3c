//! Finds the rows that are asked for: at the end of their table, or where they stood last before they went,
//! or in a table that it is made from.

use super::kept::Stages;
use super::stages::Replay;
use super::ways::bases_of;
use super::words::words;
use crate::engine::context::RunError;
use crate::lang::{Diagnostic, DiagnosticKind, Span, nearest_or_longer};
use crate::link::{BlankKeys, Keys, LinkWords, Linked, Method, compare};
use crate::resolve::Source;
use crate::table::{Column, PIECE, Place, Rows, SlotId, TableId};
use crate::tally::{NamedValue, NearKey};
use crate::value::{Scalar, Type};

use super::Tracing;

/// Rows as they stand before a step of a table, or at its end.
pub(in crate::engine) struct Found {
    pub asked: Vec<NamedValue>,
    pub line: Option<Place>,
    pub table: TableId,
    pub step: usize,
    pub rows: Vec<u32>,
}

/// The rows that are asked for.
///
/// # Errors
/// A column that is nowhere on the way, a value that a column cannot have, a line that no row begins on, and
/// files that cannot be read any more.
pub(in crate::engine) fn find(
    replay: &Replay<'_>,
    table: TableId,
    tracing: &Tracing,
) -> Result<Found, RunError> {
    if let Some((file, line)) = &tracing.line {
        return by_line(replay, table, file, *line);
    }
    let looked = look(replay, table, &tracing.keys)?;
    if let Some(found) = looked.found {
        return Ok(found);
    }
    match looked.unreadable {
        Some(wrong) => Err(wrong),
        None if !looked.known => Err(unknown_column(replay, table, tracing)),
        None => {
            let step = replay.plan(table).steps.len();
            Ok(Found { asked: asked(&tracing.keys), line: None, table, step, rows: vec![] })
        }
    }
}

/// Where rows with some values stood last on the way to a table, if any did.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn once_there(
    replay: &Replay<'_>,
    table: TableId,
    keys: &[(String, String)],
) -> Result<Option<Found>, RunError> {
    Ok(look(replay, table, keys)?.found)
}

/// What came of looking for rows.
#[derive(Default)]
struct Looked {
    found: Option<Found>,
    /// Whether their columns stand anywhere together.
    known: bool,
    /// A value that a column cannot have.
    unreadable: Option<RunError>,
}

/// Looks for rows from the end of a table back to the files.
fn look(
    replay: &Replay<'_>,
    table: TableId,
    keys: &[(String, String)],
) -> Result<Looked, RunError> {
    let mut looked = Looked::default();
    for id in bases_of(replay, table).into_iter().rev() {
        let Some(stages) = replay.stages(id)? else { continue };
        for step in (0..=stages.end()).rev() {
            let Some(slots) = slots(replay, &stages, step, keys) else { continue };
            looked.known = true;
            match equal((&stages, step), &slots, keys) {
                Ok(rows) if rows.is_empty() => {}
                Ok(rows) => {
                    let found = Found { asked: asked(keys), line: None, table: id, step, rows };
                    looked.found = Some(found);
                    return Ok(looked);
                }
                Err(wrong) => looked.unreadable = looked.unreadable.or(Some(wrong)),
            }
        }
    }
    Ok(looked)
}

fn asked(keys: &[(String, String)]) -> Vec<NamedValue> {
    let named = |(name, value): &(String, String)| NamedValue {
        name: name.clone(),
        value: Some(value.clone()).filter(|value| !value.is_empty()),
    };
    keys.iter().map(named).collect()
}

/// The columns that are asked for, where all of them are at hand.
fn slots(
    replay: &Replay<'_>,
    stages: &Stages,
    step: usize,
    keys: &[(String, String)],
) -> Option<Vec<SlotId>> {
    let visible = replay.plan(stages.table).columns_at(step);
    let slot = |(name, _): &(String, String)| {
        let (_, slot): &(String, SlotId) = visible.iter().find(|(known, _)| known == name)?;
        stages.has(step, *slot).then_some(*slot)
    };
    keys.iter().map(slot).collect()
}

/// The rows whose columns have these values.
fn equal(
    (stages, step): (&Stages, usize),
    slots: &[SlotId],
    keys: &[(String, String)],
) -> Result<Vec<u32>, RunError> {
    let value = |(slot, (name, text)): (&SlotId, &(String, String))| {
        let ty = stages.column(step, *slot, &Rows::run(0, 0)).ty();
        let value = match ty {
            // All are blank.
            Type::Blank => text.is_empty().then_some(Scalar::Blank),
            _ => Scalar::parse(text, ty),
        };
        value.ok_or_else(|| {
            wrong(
                format!("\"{text}\" is no {ty}, which `{name}` is"),
                "values are written as outputs have them: 5.00, 2026-03-01, true".into(),
            )
        })
    };
    let values = slots.iter().zip(keys).map(value).collect::<Result<Vec<_>, _>>()?;
    let count = stages.count(step);
    let mut found = vec![];
    for first in (0..count).step_by(PIECE) {
        let run = Rows::run(first as u32, PIECE.min(count - first));
        let mut rows: Vec<usize> = (0..run.len()).collect();
        for (slot, value) in slots.iter().zip(&values) {
            if !rows.is_empty() {
                let column = stages.column(step, *slot, &run);
                rows.retain(|row| column.scalar(*row) == *value);
            }
        }
        found.extend(rows.into_iter().map(|row| (first + row) as u32));
    }
    Ok(found)
}

fn wrong(message: String, help: String) -> RunError {
    let diagnostic = Diagnostic::new(DiagnosticKind::UnknownName, Span::default(), message);
    RunError::Plan(vec![diagnostic.help(help)])
}

/// A column that neither the table nor any that it is made from has.
fn unknown_column(replay: &Replay<'_>, table: TableId, tracing: &Tracing) -> RunError {
    let tables = bases_of(replay, table);
    let mut names: Vec<&str> = vec![];
    for id in tables.iter().rev() {
        let plan = replay.plan(*id);
        let all = plan.steps.iter().flat_map(|step| &step.before).chain(&plan.columns);
        names.extend(all.map(|(name, _)| name.as_str()));
    }
    let own = &replay.plan(table).name;
    let missing = tracing.keys.iter().find(|(name, _)| !names.contains(&name.as_str()));
    let Some((name, _)) = missing else {
        let all: Vec<&str> = tracing.keys.iter().map(|(name, _)| name.as_str()).collect();
        return wrong(
            format!("no table on the way to `{own}` has {} together", all.join(", ")),
            "ask for one of them".into(),
        );
    };
    let help = match nearest_or_longer(name, names.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => {
            let columns: Vec<&str> =
                replay.plan(table).columns.iter().map(|(name, _)| name.as_str()).collect();
            format!("`{own}` has {}", columns.join(", "))
        }
    };
    wrong(format!("`{own}` has no column called `{name}`"), help)
}

/// The rows of an input that begin on a line of a file: one, but for lists in JSON.
fn by_line(replay: &Replay<'_>, table: TableId, file: &str, line: u64) -> Result<Found, RunError> {
    let plan = replay.plan(table);
    let stages = match plan.source {
        Source::Input(_) => replay.stages(table)?,
        _ => None,
    };
    let Some(stages) = stages else {
        return Err(wrong(
            format!("`{}` has no file", plan.name),
            "lines are asked of an input:  granum trace PLAN INPUT --line FILE:LINE".into(),
        ));
    };
    let naming = replay.naming(table);
    let is = |place: &Place| {
        let path: &str = &place.file;
        let same =
            path.strip_suffix(file).is_some_and(|rest| rest.is_empty() || rest.ends_with('/'));
        place.line == line && same
    };
    let places = (0..stages.count(0) as u32).filter_map(|row| {
        let place = naming.place_of(&replay.context, stages.origin(0, naming.input, row)?)?;
        is(&place).then_some((row, place))
    });
    let found: Vec<(u32, Place)> = places.collect();
    let other = found.iter().find(|(_, place)| place.file != found[0].1.file);
    match (found.as_slice(), other) {
        ([], _) => Err(wrong(
            format!("no row of `{}` begins on line {line} of {file}", plan.name),
            "lines are counted from 1, the header's among them".into(),
        )),
        ([(_, one), ..], Some((_, other))) => Err(wrong(
            format!("{} and {} both end in {file}", one.file, other.file),
            "write more of the file's path".into(),
        )),
        // Of a list in JSON several rows begin where their object does.
        ([(_, place), ..], None) => {
            let line = Some(place.clone());
            let rows = found.iter().map(|(row, _)| *row).collect();
            Ok(Found { asked: vec![], line, table, step: 0, rows })
        }
    }
}

/// Keys of a table's end that are near to one that is not there.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn near_keys(
    replay: &Replay<'_>,
    table: TableId,
    asked: &[NamedValue],
) -> Result<Vec<NearKey>, RunError> {
    let Some(stages) = replay.stages(table)? else { return Ok(vec![]) };
    let end = stages.end();
    let (visible, rows) = (replay.plan(table).columns_at(end), stages.count(end));
    let columns = asked.iter().map(|asked| {
        let (_, slot) = visible.iter().find(|(name, _)| *name == asked.name)?;
        stages.has(end, *slot).then(|| stages.whole(end, *slot))
    });
    let Some(columns) = columns.collect::<Option<Vec<Column>>>() else { return Ok(vec![]) };
    let own = asked.iter().zip(&columns).map(|(asked, column)| {
        let text = asked.value.as_deref().unwrap_or("");
        Some(Column::constant(&Scalar::parse(text, column.ty())?, column.ty(), 1))
    });
    let Some(own) = own.collect::<Option<Vec<Column>>>() else { return Ok(vec![]) };
    let left = Keys::new(own.clone(), BlankKeys::Apart, 1);
    let right = Keys::new(columns.clone(), BlankKeys::Apart, rows);
    let names = asked.iter().map(|asked| (asked.name.clone(), asked.name.clone()));
    let written = LinkWords { keys: names.collect(), period: None };
    let linked = Linked::new(left, right, Method::Equal { unique: false });
    let named = |values: Vec<Option<String>>| -> Vec<NamedValue> {
        let named = asked.iter().zip(values);
        named.map(|(asked, value)| NamedValue { name: asked.name.clone(), value }).collect()
    };
    let mut near: Vec<NearKey> = vec![];
    for found in linked.near(&written).0 {
        // A key of several columns is told as it stands in the table.
        let row = (0..rows).find(|row| {
            found.examples.iter().any(|(_, to)| *to == crate::link::key_text(&linked.right, *row))
        });
        if let Some(row) = row {
            let values = linked.right.values(row).iter().map(words).collect();
            near.push(NearKey { key: named(values), kinds: found.kinds });
        }
    }
    if near.is_empty()
        && let ([own], [column]) = (own.as_slice(), columns.as_slice())
    {
        let beside = around(own, column).into_iter();
        let key = |row: usize| named(vec![words(&column.scalar(row))]);
        near.extend(beside.map(|row| NearKey { key: key(row), kinds: vec![] }));
    }
    Ok(near)
}

/// The rows of a column whose values come right before a value and right behind it, in order.
fn around(own: &Column, column: &Column) -> Vec<usize> {
    if own.is_blank(0) {
        return vec![];
    }
    let all = Column::concat(&[own.clone(), column.clone()]);
    let (mut before, mut behind): (Option<usize>, Option<usize>) = (None, None);
    for row in (1..all.len()).filter(|row| !all.is_blank(*row)) {
        if compare(&all, row, 0).is_lt() {
            if before.is_none_or(|best| compare(&all, row, best).is_gt()) {
                before = Some(row);
            }
        } else if behind.is_none_or(|best| compare(&all, row, best).is_lt()) {
            behind = Some(row);
        }
    }
    before.into_iter().chain(behind).map(|row| row - 1).collect()
}
