//! Two builds of a table side by side.

use granum_core::compare::{Change, ColumnChange, CompareError, Compared, SomeRows};
use granum_core::tally::NamedValue;

use super::columns::{Side, set};
use super::{bad, clipped, count, counted, dim, folded, good, heading};

/// Values are shown up to so many letters.
const LONGEST: usize = 40;

/// All that is told of two builds.
pub fn compared(told: &Compared, names: (&str, &str), width: usize) -> String {
    format!("{}{}", body(told, names, width), compared_verdict(told))
}

/// The same without the verdict.
fn body(told: &Compared, (old, new): (&str, &str), width: usize) -> String {
    let by = match told.grain.as_slice() {
        [] => "whole rows, for nothing tells them apart".to_owned(),
        grain if told.proposed => format!("by {} (found; --grain says another)", grain.join(", ")),
        grain => format!("by {}", grain.join(", ")),
    };
    let mut out = format!("{} \u{2192} {} \u{b7} {by}\n\n", heading(old), heading(new));
    let line = |name: &str, rows: u64, which: String| vec![name.to_owned(), count(rows), which];
    let mut lines = vec![
        line("rows before", told.old_rows, String::new()),
        line("rows now", told.new_rows, String::new()),
        line("added", told.added.rows, which(&told.added)),
        line("gone", told.gone.rows, which(&told.gone)),
    ];
    if !told.grain.is_empty() {
        lines.push(line("changed", told.changed, String::new()));
    }
    lines.push(line("the same", told.same, String::new()));
    for line in set(&[Side::Left, Side::Right, Side::Left], &lines) {
        out.push_str(&format!("  {}\n", super::shortened(&line, width.saturating_sub(2))));
    }
    out.push('\n');
    out.push_str(&columns(&told.columns));
    for (names, whose) in [(&told.only_old, old), (&told.only_new, new)] {
        if !names.is_empty() {
            out.push_str(&folded(&format!("only in {whose}: {}", names.join(", ")), "  ", width));
            out.push('\n');
        }
    }
    let changed = told.columns.iter().filter(|column| column.changed > 0);
    for column in changed.clone() {
        out.push_str(&largest(column, width));
    }
    if changed.count() > 0 {
        out.push('\n');
    }
    out
}

/// What an output changed of the file that it replaced.
pub(super) fn changes(told: &Compared, path: &str, width: usize) -> String {
    let before = format!("{path} as it was");
    body(told, (&before, "now"), width)
}

/// Whether they differ, in a sentence.
pub fn compared_verdict(told: &Compared) -> String {
    if !told.differs() {
        return format!("{}: {}.\n", good("THE SAME"), counted(told.same, "row", "rows"));
    }
    let mut parts = vec![];
    let mut part = |rows: u64, word: &str| {
        if rows > 0 {
            parts.push(format!("{} {word}", counted(rows, "row", "rows")));
        }
    };
    part(told.added.rows, "added");
    part(told.gone.rows, "gone");
    part(told.changed, "changed");
    let columns = (told.only_old.len() + told.only_new.len()) as u64;
    if columns > 0 {
        parts.push(format!("{} in one alone", counted(columns, "column", "columns")));
    }
    format!("{}: {}.\n", bad("THEY DIFFER"), parts.join(", "))
}

/// The first of some rows.
fn which(rows: &SomeRows) -> String {
    let first: Vec<String> = rows.first.iter().take(3).map(|row| key(row)).collect();
    let more = if rows.rows > first.len() as u64 && !first.is_empty() { " ; \u{2026}" } else { "" };
    format!("{}{more}", first.join(" ; "))
}

fn key(values: &[NamedValue]) -> String {
    let each =
        values.iter().map(|value| format!("{} {}", value.name, word(value.value.as_deref())));
    each.collect::<Vec<_>>().join(", ")
}

fn word(value: Option<&str>) -> String {
    value.map_or_else(|| "blank".to_owned(), |value| clipped(value, LONGEST))
}

/// The columns that changed, or whose sum did.
fn columns(columns: &[ColumnChange]) -> String {
    let sums = |column: &&ColumnChange| {
        column.changed > 0
            || column.before.zip(column.after).is_some_and(|(a, b)| !b.minus(a).is_zero())
    };
    let told: Vec<&ColumnChange> = columns.iter().filter(sums).collect();
    if told.is_empty() {
        return String::new();
    }
    let mut lines =
        vec![["column", "changed", "sum before", "sum now", "change"].map(str::to_owned).to_vec()];
    for column in told {
        let sum = |amount: Option<granum_core::table::Amount>| {
            amount.map_or_else(String::new, |amount| amount.to_string())
        };
        let change = column.before.zip(column.after).map_or_else(String::new, |(before, after)| {
            let change = after.minus(before);
            let sign = if change.is_zero() || change.is_negative() { "" } else { "+" };
            format!("{sign}{change}")
        });
        lines.push(vec![
            column.name.clone(),
            count(column.changed),
            sum(column.before),
            sum(column.after),
            change,
        ]);
    }
    let sides = [Side::Left, Side::Right, Side::Right, Side::Right, Side::Right];
    let mut out = String::new();
    for line in set(&sides, &lines) {
        out.push_str(&format!("  {line}\n"));
    }
    out.push('\n');
    out
}

/// The largest changes of a column.
fn largest(column: &ColumnChange, width: usize) -> String {
    let one = |change: &Change| {
        let (before, after) = (word(change.before.as_deref()), word(change.after.as_deref()));
        format!("{}: {before} \u{2192} {after}", key(&change.key))
    };
    let changes: Vec<String> = column.largest.iter().map(one).collect();
    let more = if column.changed > changes.len() as u64 { " ; \u{2026}" } else { "" };
    let text = format!("{} \u{b7} {}{more}", column.name, changes.join(" ; "));
    folded(&text, "  ", width)
}

/// Why two builds are not compared.
pub fn not_compared(error: &CompareError, (old, new): (&str, &str)) -> String {
    match error {
        CompareError::Source(error) => format!("error: {error}\n  {}\n", error.help),
        CompareError::NoColumn { column, old: is_old, known } => format!(
            "error: {} has no column called `{column}`\n  it has {}\n",
            if *is_old { old } else { new },
            known.join(", ")
        ),
        CompareError::Repeated(repeated) => {
            let file = if repeated.old { old } else { new };
            let mut out = format!(
                "error: {} of {} on several rows of {file}\n",
                counted(repeated.keys, "key", "keys"),
                format_args!(
                    "{} {}",
                    repeated.grain.join(", "),
                    if repeated.keys == 1 { "stands" } else { "stand" }
                ),
            );
            for (key, rows, places) in &repeated.examples {
                let places: Vec<String> = places.iter().map(ToString::to_string).collect();
                let places = dim(&format!("({})", places.join(", ")));
                out.push_str(&format!(
                    "  {}   {} {places}\n",
                    clipped(key, LONGEST),
                    counted(*rows, "row", "rows")
                ));
            }
            out.push_str("  name columns that tell its rows apart, or leave --grain out\n");
            out
        }
    }
}
