//! Rows of a table for people.

use granum_core::engine::{Showing, Shown};
use granum_core::table::Column;
use granum_core::tally::Written;
use granum_core::value::Scalar;

use super::columns::{Side, set};
use super::verdict::wrote;
use super::{BLANK, clipped, count, counted, dim, heading, width_of};

/// Cells are shown up to this many letters.
const LONGEST: usize = 40;

/// The rows, with the table's grain above and how many there are below. Columns that do not fit
/// beside each other follow below, each time behind the grain, so that one sees whose they are.
pub fn rows(shown: &Shown, showing: &Showing, width: usize) -> String {
    let mut out = heading(&shown.table);
    if let Some(which) = &shown.which {
        out.push_str(&format!(" \u{b7} {which}"));
    }
    if !shown.columns.is_empty() && (shown.which.is_none() || !shown.grain.is_empty()) {
        let grain = super::tally::grain_words(&shown.grain, shown.one_row);
        out.push_str(&format!(" \u{b7} {grain}"));
    }
    out.push_str("\n\n");
    let lines = shown.shown + usize::from(shown.total);
    let columns: Vec<Vec<String>> = shown
        .columns
        .iter()
        .map(|(name, column)| {
            let cells = (0..lines).map(|row| cell(column, row));
            std::iter::once(name.clone()).chain(cells).collect()
        })
        .collect();
    let sides: Vec<Side> = shown.columns.iter().map(|(_, column)| side(column)).collect();
    let mut named: Vec<usize> =
        (0..columns.len()).filter(|at| shown.grain.contains(&shown.columns[*at].0)).collect();
    let set_of = |columns_shown: &[usize]| {
        let columns = columns_shown.iter().map(|at| &columns[*at]);
        let sides: Vec<Side> = columns_shown.iter().map(|at| sides[*at]).collect();
        block(&columns.collect::<Vec<_>>(), &sides, lines)
    };
    let wide = |lines: &[String]| lines.iter().map(|line| width_of(line) + 2).max();
    // A grain that takes half the width leaves too little for what it names.
    if wide(&set_of(&named)) > Some(width / 2) {
        named.clear();
    }
    let mut from = 0;
    while from < columns.len() {
        let mut to = columns.len();
        let lines = loop {
            let mut below: Vec<usize> = named.iter().copied().filter(|at| *at < from).collect();
            below.extend(from..to);
            let lines = set_of(&below);
            if wide(&lines) <= Some(width) || to == from + 1 {
                break lines;
            }
            to -= 1;
        };
        for line in lines {
            out.push_str(&format!("  {line}\n"));
        }
        out.push('\n');
        from = to;
    }
    let first = which_rows(shown, showing);
    // The sign needs explaining only where it stands.
    let blank = columns.iter().flat_map(|column| &column[1..]).any(|cell| cell == BLANK);
    let legend = if blank { "; \u{b7} is blank" } else { "" };
    out.push_str(&format!("{}\n", dim(&format!("{first}{legend}"))));
    out
}

/// How many rows are shown, and which.
fn which_rows(shown: &Shown, showing: &Showing) -> String {
    let mut which = counted(shown.rows as u64, "row", "rows");
    if let Some(link) = &showing.unmatched {
        which.push_str(&format!(" without one of {link}"));
    }
    if let Some(condition) = &showing.condition {
        which.push_str(&format!(" where {condition}"));
    }
    if !showing.sort.is_empty() {
        which.push_str(&format!(", by {}", showing.sort.join(", ")));
    }
    let first = if shown.shown < shown.rows {
        format!("the first {} of {which}", count(shown.shown as u64))
    } else {
        which
    };
    if shown.total { format!("{first}, and the total") } else { first }
}

/// What is told where the rows went into a file.
pub fn saved(shown: &Shown, showing: &Showing, written: &Written) -> String {
    let which = dim(&which_rows(shown, showing));
    format!("{} \u{b7} {which}\n{}", heading(&shown.table), wrote(written))
}

fn side(column: &Column) -> Side {
    match column {
        Column::Integer(_) | Column::Decimal(..) | Column::Number(_) => Side::Right,
        _ => Side::Left,
    }
}

fn cell(column: &Column, row: usize) -> String {
    let value = column.scalar(row);
    if value == Scalar::Blank {
        return BLANK.into();
    }
    clipped(&value.to_string(), LONGEST)
}

fn block(columns: &[&Vec<String>], sides: &[Side], rows: usize) -> Vec<String> {
    let lines: Vec<Vec<String>> =
        (0..=rows).map(|row| columns.iter().map(|column| column[row].clone()).collect()).collect();
    set(sides, &lines)
}
