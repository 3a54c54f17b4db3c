//! What `expand` made of rows, and why it stopped.

use granum_core::tally::{ExpandProblem, Multiplied};

use super::counted;
use super::lists::{more_indented, short};

/// What became of rows: how many became how many, and how many stayed as they were.
pub(super) fn expanded_words(
    of: &str,
    (expanded, became, whole): (u64, u64, u64),
    conserved: &[String],
    multiplied: &[Multiplied],
) -> String {
    let verb =
        if whole == 1 { "has none and stays as it is" } else { "have none and stay as they are" };
    let mut words = vec![];
    if expanded > 0 {
        let rows = counted(expanded, "row", "rows");
        words.push(format!("{rows} became {} of {of}", super::count(became)));
    }
    if whole > 0 {
        words.push(format!("{} {verb}", counted(whole, "row", "rows")));
    }
    for Multiplied { name, before, after } in multiplied {
        words.push(format!("{name} {before} became {after}"));
    }
    if !conserved.is_empty() {
        let (verb, were) =
            if conserved.len() == 1 { ("adds", "it was") } else { ("add", "they were") };
        words.push(format!("{} {verb} up to what {were}", conserved.join(", ")));
    }
    words.join("; ")
}

/// Rows that cannot be expanded.
pub(super) fn problem(problem: &ExpandProblem) -> String {
    let ExpandProblem { table, step, troubles } = problem;
    let mut out = format!("  {table}: not every row can be expanded\n    in  {step}\n");
    for trouble in troubles {
        let (one, many) = match trouble.what {
            "blank-weight" => ("row would have a blank weight", "rows would have a blank weight"),
            "negative-weight" => {
                ("row would have a negative weight", "rows would have a negative weight")
            }
            "blank-factor" => {
                ("row would be multiplied by a blank", "rows would be multiplied by a blank")
            }
            "zero-weights" => (
                "amount would be divided by weights that are all zero",
                "amounts would be divided by weights that are all zero",
            ),
            "fine" => (
                "amount has more places than its parts are to have",
                "amounts have more places than their parts are to have",
            ),
            _ => (
                "amount has too many digits to be divided",
                "amounts have too many digits to be divided",
            ),
        };
        out.push_str(&format!("    {}\n", counted(trouble.rows, one, many)));
        for (words, place) in &trouble.examples {
            let place = place.as_ref().map_or(String::new(), |place| format!("   ({place})"));
            out.push_str(&format!("      {}{place}\n", short(words)));
        }
        // Of rows that come in many may be one and the same.
        if matches!(trouble.what, "zero-weights" | "fine" | "large") {
            more_indented(&mut out, trouble.rows, trouble.examples.len(), "      ");
        }
    }
    let has = |kind: &str| troubles.iter().any(|trouble| trouble.what == kind);
    if has("blank-weight") || has("negative-weight") || has("blank-factor") {
        out.push_str("    mend the rows that come in, or leave them out before:  keep \u{2026} in their table\n");
    }
    if has("zero-weights") {
        out.push_str("    let them share equally then:  by WEIGHT else equally\n");
    }
    if has("fine") {
        out.push_str("    round the amount before, or give its parts more places:  split COLUMN to N places\n");
    }
    if has("large") {
        out.push_str("    give its parts fewer places:  split COLUMN to N places\n");
    }
    out
}
