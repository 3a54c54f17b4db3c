//! Rows of a table for people.

use granum_core::engine::Shown;
use granum_core::table::Column;
use granum_core::value::Scalar;

use super::columns::{Side, set};
use super::{count, counted, dim, heading};

/// Cells are shown up to this many letters.
const LONGEST: usize = 40;

/// The rows, with the table's grain above and how many there are below. Columns that do not fit
/// beside each other follow below.
pub fn rows(shown: &Shown, unmatched: Option<&str>, width: usize) -> String {
    let grain = if shown.grain.is_empty() {
        "each row for itself".to_owned()
    } else {
        format!("one row per {}", shown.grain.join(", "))
    };
    let mut out = format!("{} \u{b7} {grain}\n\n", heading(&shown.table));
    let columns: Vec<Vec<String>> = shown
        .columns
        .iter()
        .map(|(name, column)| {
            let cells = (0..shown.shown).map(|row| cell(column, row));
            std::iter::once(name.clone()).chain(cells).collect()
        })
        .collect();
    let sides: Vec<Side> = shown.columns.iter().map(|(_, column)| side(column)).collect();
    let mut from = 0;
    while from < columns.len() {
        let mut to = columns.len();
        let mut lines = block(&columns[from..to], &sides[from..to], shown.shown);
        while lines.iter().any(|line| line.chars().count() + 2 > width) && to > from + 1 {
            to -= 1;
            lines = block(&columns[from..to], &sides[from..to], shown.shown);
        }
        for line in lines {
            out.push_str(&format!("  {line}\n"));
        }
        out.push('\n');
        from = to;
    }
    let which = match unmatched {
        Some(link) => {
            format!("{} without one of {link}", counted(shown.rows as u64, "row", "rows"))
        }
        None => counted(shown.rows as u64, "row", "rows"),
    };
    let first = if shown.shown < shown.rows {
        format!("the first {} of {which}", count(shown.shown as u64))
    } else {
        which
    };
    out.push_str(&format!("{}\n", dim(&format!("{first}; \u{b7} is blank"))));
    out
}

fn side(column: &Column) -> Side {
    match column {
        Column::Integer(_) | Column::Decimal(_) | Column::Number(_) => Side::Right,
        _ => Side::Left,
    }
}

fn cell(column: &Column, row: usize) -> String {
    let value = column.scalar(row);
    if value == Scalar::Blank {
        return "\u{b7}".into();
    }
    let text: String =
        value.to_string().chars().map(|c| if c.is_control() { '\u{fffd}' } else { c }).collect();
    if text.chars().count() <= LONGEST {
        return text;
    }
    let start: String = text.chars().take(LONGEST - 1).collect();
    format!("{start}\u{2026}")
}

fn block(columns: &[Vec<String>], sides: &[Side], rows: usize) -> Vec<String> {
    let lines: Vec<Vec<String>> =
        (0..=rows).map(|row| columns.iter().map(|column| column[row].clone()).collect()).collect();
    set(sides, &lines)
}
