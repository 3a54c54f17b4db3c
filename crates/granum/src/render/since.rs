//! What is another than in an earlier run.

use granum_core::tally::{FigureKind, Moved};
use granum_core::value::decimal;

use super::columns::{Side, set};
use super::verdict::size;
use super::{count, counted, folded, heading, notable};
use crate::record::{ChangedFile, ChangedFiles, ChangedParameter, Since};

/// Numbers that moved are listed up to so many; those that moved more than before come first.
const LISTED: usize = 20;

/// Which inputs, parameters and numbers changed since a record.
pub(super) fn since(since: &Since, moved: &[Moved], width: usize) -> String {
    let mut out = format!("{} {}\n\n", heading("since"), heading(&since.record));
    lines(since).iter().for_each(|line| out.push_str(&folded(line, "  ", width)));
    out.push('\n');
    out.push_str(&table(moved));
    out
}

/// What is another, line by line.
pub(super) fn lines(since: &Since) -> Vec<String> {
    let mut lines = vec![files("inputs", &since.inputs)];
    lines.push(format!("plan: {}", if since.plan { "another text" } else { "the same" }));
    for ChangedParameter { name, before, now } in &since.parameters {
        let word =
            |value: &Option<String>| value.clone().unwrap_or_else(|| "as the plan says".into());
        lines.push(format!("parameter {name}: {} \u{2192} {}", word(before), word(now)));
    }
    lines.extend(since.outputs.as_ref().map(|outputs| files("outputs", outputs)));
    lines
}

/// Which files are others.
fn files(what: &str, changed: &ChangedFiles) -> String {
    let same = counted(changed.same as u64, "file", "files");
    if changed.others.is_empty() {
        return format!("{what}: the same, {same}");
    }
    let others: Vec<String> = changed.others.iter().map(file).collect();
    format!("{what}: {}; {same} as before", others.join(", "))
}

/// Two records of runs side by side.
pub fn records(told: &Since, new: &str, moved: &[Moved], width: usize) -> String {
    format!("{} {}\n\n{}", heading("in"), heading(new), since(told, moved, width))
}

fn file(ChangedFile { path, before, now }: &ChangedFile) -> String {
    match (before, now) {
        (Some(before), Some(now)) if before == now => {
            format!("{path} ({}, other content)", size(*now))
        }
        (Some(before), Some(now)) => format!("{path} ({} \u{2192} {})", size(*before), size(*now)),
        (None, _) => format!("{path} is new"),
        (_, None) => format!("{path} is no more"),
    }
}

/// What a number counts, in words.
fn of(moved: &Moved) -> String {
    match moved.kind {
        FigureKind::Rows => format!("{} rows", moved.of),
        FigureKind::Share | FigureKind::Amount => moved.of.clone(),
    }
}

fn number(moved: &Moved, value: Option<&String>) -> String {
    let Some(value) = value else { return "\u{2014}".into() };
    match moved.kind {
        FigureKind::Share => format!("{value}%"),
        FigureKind::Rows => value.parse().map_or_else(|_| value.clone(), count),
        FigureKind::Amount => match decimal::parse(value.as_bytes()) {
            Some((units, scale)) => decimal::grouped(units, scale),
            None => value.clone(),
        },
    }
}

/// Heads, and up to so many numbers that moved: those first that moved more than before.
pub(super) fn numbers(moved: &[Moved], most: usize) -> Vec<Vec<String>> {
    let mut shown: Vec<&Moved> = moved.iter().collect();
    shown.sort_by_key(|moved| !moved.more);
    let mut lines = vec![["", "before", "now", "change", "", ""].map(str::to_owned).to_vec()];
    for moved in shown.iter().take(most) {
        let more = if moved.more { "moved more than before" } else { "" };
        lines.push(vec![
            of(moved),
            number(moved, moved.before.as_ref()),
            number(moved, moved.now.as_ref()),
            moved.change().unwrap_or_default(),
            moved.percent().unwrap_or_default(),
            more.to_owned(),
        ]);
    }
    lines
}

/// Numbers that moved, or that none did.
pub(super) fn table(moved: &[Moved]) -> String {
    if moved.is_empty() {
        return "  every number is as it was\n\n".into();
    }
    let lines = numbers(moved, LISTED);
    let sides = [Side::Left, Side::Right, Side::Right, Side::Right, Side::Right, Side::Left];
    let mut out = String::new();
    for line in set(&sides, &lines) {
        let line = match line.strip_suffix("moved more than before") {
            Some(start) => format!("{start}{}", notable("moved more than before")),
            None => line,
        };
        out.push_str(&format!("  {line}\n"));
    }
    super::lists::more_indented(&mut out, moved.len() as u64, LISTED.min(moved.len()), "  ");
    out.push('\n');
    out
}
