//! One link in depth, for people.

use granum_core::engine::{Matched, Repeating};
use granum_core::table::{Amount, Place};
use granum_core::tally::{MissingKey, share_text};

use super::columns::{Side, set};
use super::near::near_misses;
use super::{bad, clipped, count, counted, dim, folded, good, heading, periods, width_of};

/// Values of `--by` are shown up to so many.
const GROUPS: usize = 40;

/// What meets on both sides of a link. `notes` are said below its head.
pub fn matched(found: &Matched, notes: &[String], width: usize) -> String {
    let head = format!("{} \u{2192} {}", found.from, found.to);
    let mut out = format!("{} on {}\n\n", heading(&head), found.on);
    for note in notes {
        out.push_str(&folded(note, "  ", width));
    }
    if !notes.is_empty() {
        out.push('\n');
    }
    out.push_str(&sides(found));
    out.push_str(&safety(found, width));
    if let Some(period) = &found.period {
        let told = periods::told(period, &found.from, &found.to, width);
        if !told.is_empty() {
            out.push_str(&format!("  {}\n{told}\n", heading("periods")));
        }
    }
    out.push_str(&groups(found, width));
    out.push_str(&missing(&found.source.examples, found.source.missing, &found.to, width));
    out.push_str(&missing(&found.target.examples, found.target.missing, &found.from, width));
    let near = near_misses(&found.near, found.unlike, &found.to, width);
    if near.is_empty() {
        if found.source.missing > 0 {
            out.push_str(&format!("  no key of {} is near to one of these\n", found.to));
        }
    } else {
        out.push_str(&format!("\n{}\n\n{near}", heading("keys that nearly match")));
    }
    out
}

/// Both sides, with their amounts below them.
fn sides(found: &Matched) -> String {
    let header = ["", "rows", "matched", "", "missing", "blank key"];
    let mut rows = vec![header.map(str::to_owned).to_vec()];
    for (name, side) in [(&found.from, &found.source), (&found.to, &found.target)] {
        rows.push(vec![
            name.clone(),
            count(side.rows),
            count(side.matched),
            share_text(side.matched.into(), side.rows.into()),
            count(side.missing),
            count(side.blank),
        ]);
        if let Some(amounts) = &side.amounts {
            let net = amounts.matched_net.plus(amounts.missing_net).plus(amounts.blank_net);
            let all = amounts.matched.plus(amounts.missing).plus(amounts.blank);
            rows.push(vec![
                format!("  {}", amounts.name),
                net.to_string(),
                amounts.matched_net.to_string(),
                part(amounts.matched, all),
                amounts.missing_net.to_string(),
                amounts.blank_net.to_string(),
            ]);
        }
    }
    block(&rows)
}

/// What part of a sum without signs another is: as in a run, credit notes count like the others.
fn part(part: Amount, whole: Amount) -> String {
    match (part, whole) {
        (Amount::Exact { units: Some(part), .. }, Amount::Exact { units: Some(whole), .. })
            if part.signum() * whole.signum() > 0 && part.abs() <= whole.abs() =>
        {
            share_text(part.unsigned_abs(), whole.unsigned_abs())
        }
        _ => String::new(),
    }
}

fn block(rows: &[Vec<String>]) -> String {
    let mut sides = vec![Side::Left];
    sides.resize(rows.first().map_or(1, Vec::len), Side::Right);
    let mut out = String::new();
    for (at, line) in set(&sides, rows).iter().enumerate() {
        out.push_str(&format!("  {}\n", if at == 0 { dim(line) } else { line.clone() }));
    }
    out.push('\n');
    out
}

/// Whether a look-up is safe, and how many rows lead to one.
fn safety(found: &Matched, width: usize) -> String {
    let (from, to) = (&found.from, &found.to);
    let several = found.period.as_ref().filter(|period| period.several > 0 && !period.prefers);
    let mut out = match &found.repeating {
        None if several.is_some() => format!(
            "  {} several {to} hold for one row of {from}; say which with  prefer latest COLUMN\n",
            bad("a look-up is not safe:")
        ),
        None if found.period.is_some() => {
            format!("  {} one of {to} at most for each row\n", good("a look-up is safe:"))
        }
        None => format!("  {} no key stands on two rows of {to}\n", good("a look-up is safe:")),
        Some(repeating) => unsafe_text(repeating, found, width),
    };
    if let Some(spread) = found.spread {
        let rows = match (spread.least, spread.most) {
            (least, most) if least == most => count(least),
            (least, most) => {
                format!("{} to {}, median {}", count(least), count(most), count(spread.median))
            }
        };
        let one = if found.period.is_some() { format!("row of {to}") } else { "key".into() };
        out.push_str(&format!("  rows of {from} for one {one}: {rows}\n"));
    }
    out.push('\n');
    out
}

fn unsafe_text(repeating: &Repeating, found: &Matched, width: usize) -> String {
    let (from, to) = (&found.from, &found.to);
    let mut out = format!("  {} ", bad("a look-up is not safe:"));
    out.push_str(&format!(
        "{} of {to} {} on {}\n",
        counted(repeating.keys, "key", "keys"),
        if repeating.keys == 1 { "stands" } else { "stand" },
        counted(repeating.target_rows, "row", "rows")
    ));
    let text = format!(
        "{} of {from} meet such a key; a join would make {} of {}",
        counted(repeating.source_rows, "row", "rows"),
        counted(repeating.would_be, "row", "rows"),
        count(found.source.rows),
    );
    out.push_str(&folded(&text, "    ", width));
    for example in &repeating.examples {
        let places: Vec<String> = example.places.iter().map(Place::to_string).collect();
        let places =
            if places.is_empty() { String::new() } else { format!("   ({})", places.join(", ")) };
        let rows = counted(example.rows, "row", "rows");
        out.push_str(&folded(&format!("{} on {rows}{places}", example.key), "      ", width));
    }
    out
}

/// The same by the values of a column.
fn groups(found: &Matched, width: usize) -> String {
    let Some(by) = &found.by else { return String::new() };
    let wide = groups_block(found, by, (40, " not matched"));
    let fits = wide.lines().all(|line| width_of(line) <= width);
    if fits { wide } else { groups_block(found, by, (16, "")) }
}

/// The same with values of so many letters at most, and words behind the amount's name.
fn groups_block(found: &Matched, by: &str, (longest, behind): (usize, &str)) -> String {
    let amount = found.source.amounts.as_ref().map(|amounts| clipped(&amounts.name, longest));
    let mut header = vec![format!("by {}", clipped(by, longest))];
    header.extend(["rows", "matched", "", "missing", "blank key"].map(str::to_owned));
    header.extend(amount.iter().map(|amount| format!("{amount}{behind}")));
    let mut rows = vec![header];
    for group in found.groups.iter().take(GROUPS) {
        let mut row = vec![
            clipped(&group.value, longest),
            count(group.rows),
            count(group.matched),
            share_text(group.matched.into(), group.rows.into()),
            count(group.missing),
            count(group.blank),
        ];
        row.extend(group.missing_net.map(|amount| amount.to_string()));
        rows.push(row);
    }
    let mut out = block(&rows);
    if found.groups.len() > GROUPS {
        out.pop();
        let more = counted((found.groups.len() - GROUPS) as u64, "value", "values");
        out.push_str(&format!("  and {more} more\n\n"));
    }
    out
}

/// The first keys that the other side does not have.
fn missing(examples: &[MissingKey], rows: u64, other: &str, width: usize) -> String {
    if examples.is_empty() {
        return String::new();
    }
    let shown: u64 = examples.iter().map(|example| example.rows).sum();
    let keys: Vec<String> = examples
        .iter()
        .map(|example| match example.rows {
            1 => example.key.clone(),
            rows => format!("{} on {} rows", example.key, count(rows)),
        })
        .collect();
    let more = if shown < rows { ", \u{2026}" } else { "" };
    folded(&format!("not in {other}: {}{more}", keys.join(", ")), "  ", width)
}
