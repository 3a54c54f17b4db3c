//! Worked examples that did not come out as the plan says.

use granum_core::engine::{Differs, RealExample};
use granum_core::tally::{ExampleTally, GivenRow, GivenTable};

use super::columns::{Side, set};
use super::problem::problems;
use super::{BLANK, bad, bad_at_end, clipped, counted, dim, folded};

/// Cells are shown up to this many letters.
const LONGEST: usize = 32;

/// So many rows are shown; of more, those that came out as they are given are left out first.
const ROWS: usize = 20;

/// How what no row has is shown.
const NO_ROW: &str = "\u{2014}";

/// Stands before a cell that came out otherwise.
const DIFFERS: &str = "\u{2260} ";

/// Why an example fails.
pub(super) fn failed(example: &ExampleTally, source: &str, width: usize) -> String {
    let title = format!("example \"{}\"", example.title);
    if let Some(kind) = &example.stops {
        let told = match example.problems.as_slice() {
            [] => format!("{title} came out, though it is to stop with \"{kind}\""),
            _ => format!("{title} is to stop with \"{kind}\", and stopped otherwise:"),
        };
        return folded(&told, "  ", width) + &indented(&problems(&example.problems, source));
    }
    if !example.problems.is_empty() {
        let told = format!("{title} stopped before its rows came out:");
        return folded(&told, "  ", width) + &indented(&problems(&example.problems, source));
    }
    let mut out = folded(&format!("{title} came out otherwise"), "  ", width);
    for given in example.gives.iter().filter(|given| !given.held) {
        out.push_str(&beside(given, width));
    }
    out
}

fn indented(text: &str) -> String {
    let line = |line: &str| if line.is_empty() { "\n".to_owned() } else { format!("  {line}\n") };
    text.lines().map(line).collect()
}

/// The rows that are given beside those that came out: columns that differ nowhere stand once.
fn beside(given: &GivenTable, width: usize) -> String {
    let differ: Vec<bool> =
        (0..given.columns.len()).map(|at| given.rows.iter().any(|row| differs(row, at))).collect();
    let mut out = folded(&format!("{}: {}", given.table, what_differs(given)), "    ", width);
    out.push('\n');
    let wrong = given.rows.iter().filter(|row| !row.is_same());
    let shown: Vec<&GivenRow> = match given.rows.len() {
        0..=ROWS => given.rows.iter().collect(),
        _ => wrong.take(ROWS).collect(),
    };
    let mut heads = (vec![], vec![]);
    let mut sides = vec![];
    for ((name, number), differs) in given.columns.iter().zip(&given.numbers).zip(&differ) {
        let side = if *number { Side::Right } else { Side::Left };
        heads.0.push(name.clone());
        sides.push(side);
        if *differs {
            heads.0.push(String::new());
            sides.push(side);
            heads.1.extend(["expected".to_owned(), "found".to_owned()]);
        } else {
            heads.1.push(String::new());
        }
    }
    let mut lines = vec![heads.0];
    if differ.contains(&true) {
        lines.push(heads.1);
    }
    let heads = lines.len();
    lines.extend(shown.iter().map(|row| cells(row, &differ)));
    // What is behind a row stands left.
    sides.push(Side::Left);
    for (at, line) in set(&sides, &lines).iter().enumerate() {
        let line = if at < heads { dim(line) } else { marked(line) };
        out.push_str(&format!("      {line}\n"));
    }
    let left = given.rows.len() - shown.len();
    if left > 0 {
        out.push_str(&format!("      \u{2026} and {}\n", counted(left as u64, "row", "rows")));
    }
    out
}

/// Whether both rows are there and a cell of theirs differs.
fn differs(row: &GivenRow, at: usize) -> bool {
    match (&row.expected, &row.found) {
        (Some(expected), Some(found)) => expected[at] != found[at],
        _ => false,
    }
}

fn what_differs(given: &GivenTable) -> String {
    let of = |fits: fn(&GivenRow) -> bool| given.rows.iter().filter(|row| fits(row)).count() as u64;
    let other = of(|row| row.expected.is_some() && row.found.is_some() && !row.is_same());
    let missing = of(|row| row.found.is_none());
    let more = of(|row| row.expected.is_none());
    let mut parts = vec![];
    if other > 0 {
        parts.push(counted(other, "row differs", "rows differ"));
    }
    if missing > 0 {
        parts.push(counted(missing, "row is missing", "rows are missing"));
    }
    if more > 0 {
        parts.push(counted(more, "row too many", "rows too many"));
    }
    let order = if given.ordered { " (their order counts, since the table is sorted)" } else { "" };
    format!("{}{order}", parts.join(", "))
}

fn cells(row: &GivenRow, differ: &[bool]) -> Vec<String> {
    let cell = |cells: &Option<Vec<Option<String>>>, at: usize| match cells {
        None => NO_ROW.to_owned(),
        Some(cells) => {
            cells[at].as_ref().map_or_else(|| BLANK.to_owned(), |text| clipped(text, LONGEST))
        }
    };
    let mut line = vec![];
    for (at, twice) in differ.iter().enumerate() {
        let (expected, found) = (cell(&row.expected, at), cell(&row.found, at));
        match twice {
            false if row.expected.is_none() => line.push(found),
            false => line.push(expected),
            true if differs(row, at) => line.extend([expected, format!("{DIFFERS}{found}")]),
            true => line.extend([expected, found]),
        }
    }
    line.push(match (&row.expected, &row.found) {
        (_, None) => "MISSING".to_owned(),
        (None, _) => "TOO MANY".to_owned(),
        _ => String::new(),
    });
    line
}

/// What is wrong in a line, coloured.
fn marked(line: &str) -> String {
    bad_at_end(line, &["MISSING", "TOO MANY"])
        .replace(DIFFERS, &format!("{} ", bad(DIFFERS.trim_end())))
}

/// What is to be known of an example of real rows, as comments of a plan.
pub fn example_remarks(made: &RealExample, table: &str, width: usize) -> String {
    let mut remarks = vec![];
    let rows = counted(made.rows as u64, "row", "rows");
    let cut = if made.cut { ", the nearest of more that it is made of" } else { "" };
    remarks.push(format!("made of {rows} of files{cut}; look at it before you keep it"));
    if !made.masked.is_empty() {
        remarks
            .push(format!("texts of {} are masked: --plain leaves them", made.masked.join(", ")));
    }
    for Differs { column, values } in &made.differs {
        let words = |value: &Option<String>| match value {
            Some(value) => clipped(value, LONGEST),
            None => "blank".to_owned(),
        };
        remarks.push(match values {
            Some((all, here)) => {
                let (all, here) = (words(all), words(here));
                format!("{column} is {here} of these rows; in {table} it is {all}")
            }
            None => format!("{column} is another of these rows than in {table}"),
        });
    }
    let mut out = String::new();
    for remark in remarks {
        out.push_str(&folded(&remark, "# ", width));
    }
    out.lines().map(|line| format!("{}\n", dim(line))).fold(String::new(), |all, line| all + &line)
}

/// Why there is no example.
pub fn no_example(made: &RealExample, table: &str, plan: &str) -> String {
    if made.rows > 0 {
        let rows = counted(made.rows as u64, "row", "rows");
        return format!("no example: given only the {rows} that it is made of, the plan stops\n");
    }
    let key: Vec<String> = made
        .asked
        .iter()
        .map(|asked| format!("{} {}", asked.name, asked.value.as_deref().unwrap_or("blank")))
        .collect();
    format!(
        "no row of {table} with {}; what is near:  granum trace {plan} {table} \u{2026}\n",
        key.join(", ")
    )
}
