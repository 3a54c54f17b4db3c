//! Tables on a page: what each step did, their columns, their first rows.

use granum_core::table::Column;
use granum_core::tally::{FirstRows, Report, TableTally};
use granum_core::value::Scalar;
use granum_report::page::{RowsTold, TableTold, TallyTold};

use super::super::tally::{Line, Stage, amounts_along, grain_words, stages, way_of};
use super::super::tell::made;
use super::super::{change, clipped, count, counted};
use super::{Beside, plain};

/// So many columns are shown of first rows, and letters of a cell.
const COLUMNS: usize = 40;
const LONGEST: usize = 60;

pub(super) fn tables(report: &Report, beside: &Beside<'_>) -> Vec<TableTold> {
    let first = |name: &str| beside.seen.tables.iter().find(|first| first.table == name);
    report.tables.iter().map(|table| told(report, table, first(&table.name), beside)).collect()
}

fn told(
    report: &Report,
    table: &TableTally,
    first: Option<&FirstRows>,
    beside: &Beside<'_>,
) -> TableTold {
    let way = way_of(report, table);
    let lines = amounts_along(&way);
    let (stages, notes) = stages(&way, &lines);
    let columns = first.map_or(&[][..], |first| first.columns.as_slice());
    TableTold {
        name: plain(&table.name),
        kind: if table.input { "input" } else { "table" },
        grain: plain(&grain_words(&table.grain, table.one_row)),
        rows: counted(table.rows_at_end(), "row", "rows"),
        made: {
            let (made, links) = made(beside.tree, &table.name);
            made.iter().chain(&links).map(|line| plain(line)).collect()
        },
        tally: TallyTold {
            rows: tally(&stages, &lines),
            notes: notes.iter().map(|note| plain(&of_step(note))).collect(),
        },
        columns: columns
            .iter()
            .map(|(name, column)| (plain(name), column.ty().to_string()))
            .collect(),
        first: first.map_or_else(RowsTold::default, rows),
        left_out: first.map_or(String::new(), left_out),
    }
}

/// A note that begins with the number of its step.
fn of_step(note: &str) -> String {
    match note.split_once("  ") {
        Some((number, text)) if number.parse::<u32>().is_ok() => format!("Step {number}: {text}"),
        _ => note.to_owned(),
    }
}

/// Steps with rows and amounts.
fn tally(stages: &[Stage], lines: &[Line]) -> RowsTold {
    let mut heads = vec![(String::new(), true), ("step".to_owned(), false)];
    heads.extend(["rows", "change"].map(|head| (head.to_owned(), true)));
    for line in lines {
        heads.extend([(plain(&line.name), true), ("change".to_owned(), true)]);
    }
    let row = |(at, stage): (usize, &Stage)| {
        let before = at.checked_sub(1).map(|at| &stages[at]).filter(|_| stage.changes);
        let mut cells = vec![
            stage.number.clone(),
            plain(&stage.label),
            count(stage.rows),
            before.map_or(String::new(), |before| change(before.rows, stage.rows)),
        ];
        for line in 0..lines.len() {
            let amount = stage.amounts[line];
            cells.push(amount.map_or("\u{2014}".into(), |amount| amount.to_string()));
            let before = before.and_then(|before| before.amounts[line]);
            let difference = before.zip(amount).map(|(before, after)| after.minus(before));
            cells.push(
                difference
                    .map_or(String::new(), |change| super::super::bridge::change(change, false)),
            );
        }
        cells.into_iter().map(Some).collect()
    };
    RowsTold { heads, rows: stages.iter().enumerate().map(row).collect() }
}

fn rows(first: &FirstRows) -> RowsTold {
    let columns = || first.columns.iter().take(COLUMNS);
    let number = |column: &Column| {
        matches!(column, Column::Integer(_) | Column::Decimal(..) | Column::Number(_))
    };
    let cell = |column: &Column, row: usize| match column.scalar(row) {
        Scalar::Blank => None,
        value => Some(plain(&clipped(&value.to_string(), LONGEST))),
    };
    RowsTold {
        heads: columns().map(|(name, column)| (plain(name), number(column))).collect(),
        rows: (0..first.rows)
            .map(|row| columns().map(|(_, column)| cell(column, row)).collect())
            .collect(),
    }
}

/// What is not shown of first rows.
fn left_out(first: &FirstRows) -> String {
    let mut out = vec![];
    if first.columns.len() > COLUMNS {
        out.push(format!(
            "{} more columns are not shown in its rows.",
            first.columns.len() - COLUMNS
        ));
    }
    if !first.unused.is_empty() {
        let shown: Vec<&str> = first.unused.iter().take(COLUMNS).map(String::as_str).collect();
        let more = if first.unused.len() > COLUMNS { ", \u{2026}" } else { "" };
        out.push(format!(
            "Not read, since nothing in the plan needs it: {}{more}.",
            shown.join(", ")
        ));
    }
    plain(&out.join(" "))
}
