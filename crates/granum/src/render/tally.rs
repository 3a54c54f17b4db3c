//! The tally of tables: what each step did to rows and amounts.

use granum_core::table::Amount;
use granum_core::tally::{
    Cut, GroupSizes, Part, Report, StepDetail, StepTally, TableTally, UnitsLeft, WithoutRows,
};

use super::columns::{Side, set};
use super::{allocate, change, count, counted, expand, folded, heading, shortened, sums, width_of};

/// Lines below the rows are shown up to so many.
const FOOTER: usize = 3;

/// The tallies of all tables that nothing is built from, each from its input on; or of every table
/// by itself.
pub(super) fn tables(report: &Report, width: usize, every: bool) -> String {
    let mut out = String::new();
    for table in &report.tables {
        let built_from =
            report.tables.iter().any(|other| !other.input && other.begins_as == table.name);
        if every {
            out.push_str(&tally(&[table], width));
        } else if !built_from {
            out.push_str(&tally(&way_of(report, table), width));
        }
    }
    out
}

/// A table behind those that it begins as, its input first.
pub(super) fn way_of<'r>(report: &'r Report, table: &'r TableTally) -> Vec<&'r TableTally> {
    let mut way = vec![table];
    while let Some(base) = report.table(&way[0].begins_as).filter(|_| !way[0].input) {
        way.insert(0, base);
    }
    way
}

/// An amount along the way: its place among the tracked amounts of each table, if it is there.
pub(super) struct Line {
    pub name: String,
    places: Vec<Option<usize>>,
}

pub(super) fn amounts_along(way: &[&TableTally]) -> Vec<Line> {
    let mut lines: Vec<Line> = vec![];
    for (level, table) in way.iter().enumerate() {
        for (at, tracked) in table.tracked.iter().enumerate() {
            let known = level.checked_sub(1).and_then(|before| {
                let base_name = tracked.base_name.as_ref()?;
                lines.iter_mut().find(|line| {
                    line.places[before].is_some_and(|at| way[before].tracked[at].name == *base_name)
                })
            });
            match known {
                Some(line) => {
                    line.places.push(Some(at));
                    line.name.clone_from(&tracked.name);
                }
                None => {
                    let mut places = vec![None; level];
                    places.push(Some(at));
                    lines.push(Line { name: tracked.name.clone(), places });
                }
            }
        }
        for line in &mut lines {
            line.places.resize(level + 1, None);
        }
    }
    // What only another table makes of these is told there.
    lines.retain(|line| {
        let own = |(level, at): (usize, &Option<usize>)| {
            at.is_some_and(|at| !way[level].tracked[at].foreseen)
        };
        line.places.iter().enumerate().any(own)
    });
    lines
}

/// Rows and amounts where the table's way has come to.
pub(super) struct Stage {
    pub number: String,
    pub label: String,
    pub rows: u64,
    pub amounts: Vec<Option<Amount>>,
    /// Whether a change against the stage before is shown.
    pub changes: bool,
}

/// The stages of a way, and what there is to say of them.
pub(super) fn stages(way: &[&TableTally], lines: &[Line]) -> (Vec<Stage>, Vec<String>) {
    let mut stages = vec![];
    let mut notes = vec![];
    let mut number = 0;
    for (level, table) in way.iter().enumerate() {
        let pick = |amounts: &[Option<Amount>]| -> Vec<Option<Amount>> {
            lines
                .iter()
                .map(|line| line.places[level].and_then(|at| amounts.get(at).copied().flatten()))
                .collect()
        };
        stages.push(Stage {
            number: String::new(),
            label: table.name.clone(),
            rows: table.rows,
            amounts: pick(&table.amounts),
            changes: false,
        });
        notes.extend(read_notes(table));
        for step in &table.steps {
            number += 1;
            stages.push(Stage {
                number: number.to_string(),
                label: step.text.clone(),
                rows: step.rows,
                amounts: pick(&step.amounts),
                changes: true,
            });
            let mut words: Vec<String> =
                note(&step.detail).into_iter().chain(grain_change(step)).collect();
            // Of groups what they are comes first.
            if matches!(step.detail, StepDetail::Groups { .. }) {
                words.reverse();
            }
            if !words.is_empty() {
                notes.push(format!("{number}  {}", words.join("; ")));
            }
        }
        if table.zero_divisions > 0 {
            notes.push(format!(
                "{}: {} by zero gave blank",
                table.name,
                counted(table.zero_divisions, "division", "divisions")
            ));
        }
        for (line, tracked) in lines.iter().zip(lines.iter().map(|line| line.places[level])) {
            let last = table.steps.last().map_or(&table.amounts, |step| &step.amounts);
            let blanks = tracked.and_then(|at| last.get(at).copied().flatten());
            if let Some(blanks) = blanks.map(Amount::blanks).filter(|blanks| *blanks > 0)
                && level + 1 == way.len()
            {
                notes.push(format!(
                    "{}: blank in {}, which the sum passes over",
                    line.name,
                    counted(blanks, "row", "rows")
                ));
            }
        }
    }
    (stages, notes)
}

/// What is told of a table's rows before its first step.
fn read_notes(table: &TableTally) -> Vec<String> {
    let mut notes = vec![];
    for (column, cells) in &table.blanked {
        notes.push(format!(
            "{}: {} could not be read and became blank",
            column,
            counted(*cells, "cell", "cells")
        ));
    }
    for aside in &table.aside {
        let cells: Vec<String> = aside
            .examples
            .iter()
            .map(|cell| format!("\"{}\" ({})", cell.text, cell.place))
            .collect();
        let more = if aside.count > cells.len() as u64 { ", \u{2026}" } else { "" };
        notes.push(format!(
            "{}: {} could not be read and set {} aside: {}{more}",
            aside.column,
            counted(aside.count, "cell", "cells"),
            if aside.count == 1 { "its row" } else { "their rows" },
            cells.join(", ")
        ));
    }
    for odd in &table.odd_hours {
        let words = |count: u64, what: &str| {
            (count > 0).then(|| {
                format!(
                    "{} in an hour that the clock {what}",
                    counted(count, "cell is", "cells are")
                )
            })
        };
        let kinds = [words(odd.twice, "showed twice"), words(odd.never, "never showed")];
        let kinds: Vec<String> = kinds.into_iter().flatten().collect();
        let cells: Vec<String> = odd
            .examples
            .iter()
            .take(2)
            .map(|cell| format!("\"{}\" ({})", cell.text, cell.place))
            .collect();
        let more = if odd.twice + odd.never > cells.len() as u64 { ", \u{2026}" } else { "" };
        notes.push(format!("{}: {}: {}{more}", odd.column, kinds.join(", "), cells.join(", ")));
    }
    if !table.footer.is_empty() {
        let lines: Vec<String> = table
            .footer
            .iter()
            .take(FOOTER)
            .map(|line| format!("\"{}\" ({})", super::clipped(&line.text, 40), line.place))
            .collect();
        let more = if table.footer.len() > FOOTER { ", \u{2026}" } else { "" };
        notes.push(format!(
            "{} below the rows left out: {}{more}",
            counted(table.footer.len() as u64, "line", "lines"),
            lines.join(", ")
        ));
    }
    if !table.unread.is_empty() {
        notes.push(format!("left out: {}", super::unread(&table.unread)));
    }
    if let Some(WithoutRows { list, objects, without, examples }) = &table.without_rows {
        let first: Vec<String> = examples.iter().map(ToString::to_string).collect();
        let more = if *without > examples.len() as u64 { ", \u{2026}" } else { "" };
        notes.push(format!(
            "{without} of {} {} nothing in `{list}`, so no row comes of {}: {}{more}",
            counted(*objects, "object", "objects"),
            if *without == 1 { "has" } else { "have" },
            if *without == 1 { "it" } else { "them" },
            first.join(", ")
        ));
    }
    notes.extend(parts_words(&table.parts));
    if let Some(twice) = &table.twice {
        let amounts = sums(&twice.amounts);
        let with = if amounts.is_empty() { String::new() } else { format!(" with {amounts}") };
        notes.push(format!(
            "{} of {}{with} {} in it twice, as the plan allows",
            counted(twice.rows, "row", "rows"),
            twice.of,
            if twice.rows == 1 { "stands" } else { "stand" }
        ));
    }
    notes
}

fn note(detail: &StepDetail) -> Option<String> {
    match detail {
        StepDetail::Plain => None,
        StepDetail::Filter { blank: 0, .. } => None,
        StepDetail::Filter { blank, stayed } => Some(format!(
            "the condition was blank for {}, which {}",
            counted(*blank, "row", "rows"),
            if *stayed { "stayed" } else { "went" }
        )),
        StepDetail::Dedupe(cut) => Some(cut_words(cut)),
        StepDetail::Units { conserved, dropped, kept } => units_words(conserved, dropped, kept),
        StepDetail::Allocated(all) => {
            let words: Vec<String> = all.iter().map(allocate::allocated_words).collect();
            Some(words.join("; "))
        }
        StepDetail::Ends { names } => Some(ends_words(names)),
        StepDetail::Groups { sizes, total, ends } => {
            let mut words = vec![];
            if sizes.groups > 0 {
                words.push(sizes_words(sizes));
            }
            if let Some(total) = total {
                words.push(format!("and a row \"{total}\" of all, which only outputs have"));
            }
            if !ends.is_empty() {
                words.push(ends_words(ends));
            }
            (!words.is_empty()).then(|| words.join("; "))
        }
        StepDetail::Turned { blank, rows, kept, ends } => {
            let mut words = vec![];
            if !*kept && *blank > 0 && blank == rows {
                words.push(format!(
                    "{} nothing to turn and went",
                    counted(*rows, "row had", "rows had")
                ));
            } else if *blank > 0 {
                let went = match (*kept, *rows) {
                    (true, _) => "which became rows all the same".to_owned(),
                    (false, 0) => "which went".to_owned(),
                    (false, rows) => format!(
                        "which went, and with them {} that had nothing else",
                        counted(rows, "row", "rows")
                    ),
                };
                words.push(format!("{}, {went}", counted(*blank, "blank", "blanks")));
            }
            if !ends.is_empty() {
                words.push(ends_words(ends));
            }
            (!words.is_empty()).then(|| words.join("; "))
        }
        StepDetail::Expanded { of, expanded, became, whole, conserved, multiplied } => {
            let rows = (*expanded, *became, *whole);
            Some(expand::expanded_words(of, rows, conserved, multiplied))
        }
        StepDetail::Ties { cut: 0, kept: 0 } => None,
        StepDetail::Ties { cut: 0, kept } => {
            Some(format!("{} more, which tie with the last", counted(*kept, "row", "rows")))
        }
        StepDetail::Ties { cut, .. } => Some(format!(
            "{} though {} with the last that stayed",
            counted(*cut, "row went", "rows went"),
            if *cut == 1 { "it ties" } else { "they tie" }
        )),
    }
}

/// What one row is before a step and after it.
fn grain_change(step: &StepTally) -> Option<String> {
    let grain = step.grain.as_ref()?;
    let groups = matches!(step.detail, StepDetail::Groups { .. });
    let after = grain_words(&grain.after, groups);
    Some(format!("{} \u{2192} {after}", grain_words(&grain.before, false)))
}

/// What each of several tables had.
fn parts_words(parts: &[Part]) -> Vec<String> {
    let rows = |part: &Part| format!("{} of {}", counted(part.rows, "row", "rows"), part.table);
    let meets = parts.iter().any(|part| part.alone.is_some());
    if !meets {
        let all: Vec<String> = parts.iter().map(rows).collect();
        return if all.is_empty() { vec![] } else { vec![all.join(", ")] };
    }
    let words = |part: &Part| {
        let alone = part.alone.unwrap_or_default();
        let keys = counted(alone, "key meets none", "keys meet none");
        let mut text = format!("{}: {keys}", rows(part));
        if alone > 0 {
            let more = if alone > part.examples.len() as u64 { ", \u{2026}" } else { "" };
            text.push_str(&format!(", as {}{more}", part.examples.join(", ")));
        }
        text
    };
    parts.iter().map(words).collect()
}

fn ends_words(names: &[String]) -> String {
    let verb = if names.len() == 1 { "ends" } else { "end" };
    format!("{} {verb} here", names.join(", "))
}

/// What one row is, in words.
pub fn grain_words(grain: &[String], one_row: bool) -> String {
    match grain {
        [] if one_row => "one row in all".into(),
        [] => "each row for itself".into(),
        columns => format!("one row per {}", columns.join(", ")),
    }
}

/// How many rows groups have.
fn sizes_words(sizes: &GroupSizes) -> String {
    let groups = counted(sizes.groups, "group", "groups");
    if sizes.least == sizes.most {
        return format!("{groups} of {}", counted(sizes.most, "row", "rows"));
    }
    format!(
        "{groups} of {} to {}, median {}",
        count(sizes.least),
        counted(sizes.most, "row", "rows"),
        count(sizes.median)
    )
}

fn cut_words(cut: &Cut) -> String {
    if !cut.by_key {
        return counted(cut.copies, "row equal to one before", "rows equal to one before");
    }
    let copies = counted(cut.copies, "exact copy", "exact copies");
    let mut words = format!(
        "{copies}, {}, {}",
        counted(cut.older, "other version", "other versions"),
        counted(cut.ties, "tie", "ties")
    );
    if cut.ties > 0 {
        words.push_str(" (the later row of the file stayed)");
    }
    if cut.blank_keys > 0 {
        words.push_str(&format!(
            "; {} left alone",
            counted(cut.blank_keys, "row with a blank key", "rows with a blank key")
        ));
    }
    words
}

fn tally(way: &[&TableTally], width: usize) -> String {
    let Some(table) = way.last() else { return String::new() };
    let grain = grain_words(&table.grain, table.one_row);
    let mut out = format!("{} \u{b7} {grain}\n\n", heading(&table.name));
    let lines = amounts_along(way);
    let (stages, notes) = stages(way, &lines);
    // As many amounts beside each other as fit; the rest below. Steps have what room is left.
    let mut from = 0;
    loop {
        let mut to = lines.len();
        let widest = |label: usize, to: usize| {
            let set = block(&stages, &lines, from..to, label);
            set.iter().map(|line| width_of(line) + 2).max().unwrap_or(0)
        };
        while widest(LABEL, to) > width && to > from + 1 {
            to -= 1;
        }
        let label = LABEL + width.saturating_sub(widest(LABEL, to));
        let set = block(&stages, &lines, from..to, label);
        for line in set {
            out.push_str(&format!("  {line}\n"));
        }
        out.push('\n');
        if to >= lines.len() {
            break;
        }
        from = to;
    }
    for note in &notes {
        out.push_str(&folded(note, "  ", width));
    }
    if !notes.is_empty() {
        out.push('\n');
    }
    out
}

/// Steps are written with up to so many letters even where that leaves amounts for below.
const LABEL: usize = 36;

fn block(
    stages: &[Stage],
    lines: &[Line],
    shown: std::ops::Range<usize>,
    label: usize,
) -> Vec<String> {
    let mut sides = vec![Side::Right, Side::Left, Side::Right, Side::Right];
    let mut header: Vec<String> = ["", "step", "rows", "change"].map(str::to_owned).to_vec();
    for line in &lines[shown.clone()] {
        header.extend([line.name.clone(), "change".to_owned()]);
        sides.extend([Side::Right, Side::Right]);
    }
    let mut rows = vec![header];
    for (at, stage) in stages.iter().enumerate() {
        let before = at.checked_sub(1).map(|at| &stages[at]).filter(|_| stage.changes);
        let mut row = vec![
            stage.number.clone(),
            shortened(&stage.label, label),
            count(stage.rows),
            before.map_or(String::new(), |before| change(before.rows, stage.rows)),
        ];
        for line in shown.clone() {
            let amount = stage.amounts[line];
            row.push(amount.map_or("\u{2014}".into(), |amount| amount.to_string()));
            let difference = before
                .and_then(|before| before.amounts[line])
                .zip(amount)
                .map(|(before, after)| after.minus(before));
            row.push(difference.map_or(String::new(), |difference| {
                let sign = if difference.is_zero() || difference.is_negative() { "" } else { "+" };
                format!("{sign}{difference}")
            }));
        }
        rows.push(row);
    }
    set(&sides, &rows)
}

/// What `units` divided, left out and left as it was.
fn units_words(
    conserved: &[String],
    dropped: &[UnitsLeft],
    kept: &[(&'static str, u64)],
) -> Option<String> {
    let mut words = vec![];
    if !conserved.is_empty() {
        let (verb, were) = match conserved.len() {
            1 => ("adds", "it was"),
            _ => ("add", "they were"),
        };
        let less = if dropped.is_empty() { "" } else { ", less what was dropped" };
        words.push(format!("{} {verb} up to what {were}{less}", conserved.join(", ")));
    }
    for left in dropped {
        // The quantity itself is nothing where it is zero or blank.
        let there = left.amounts.iter().filter(|(_, amount)| !amount.is_zero());
        let amounts = sums(&there.cloned().collect::<Vec<_>>());
        let amounts = if amounts.is_empty() { amounts } else { format!(" ({amounts})") };
        let quantity = match left.what {
            "zero" => "a quantity of zero",
            "negative" => "a negative quantity",
            _ => "a blank quantity",
        };
        let rows = counted(left.rows, "row", "rows");
        words.push(format!("dropped {rows} with {quantity}{amounts}"));
    }
    for (what, rows) in kept {
        let rows = counted(*rows, "row", "rows");
        words.push(match *what {
            "negative" => format!("{rows} with a negative quantity stayed whole"),
            _ => format!("{rows} with a fraction ended in a part of a unit"),
        });
    }
    (!words.is_empty()).then(|| words.join("; "))
}
