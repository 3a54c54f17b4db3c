//! Amounts that count apart and would have met.

use granum_core::tally::{ApartProblem, CountedApart};

use super::columns::{Side, set};
use super::lists::{more_indented, short};
use super::{count, counted};

/// So many of them are listed.
const LISTED: usize = 8;

pub(super) fn problem(problem: &ApartProblem) -> String {
    let ApartProblem { table, step, what, group, parts, by, add, many, .. } = problem;
    if *many > 0 {
        return format!(
            "  {table}: `{what}` would be in more than {} different currencies, or other measures\n    the column behind  in  \
             says one of few, such as EUR and GBP; what tells rows apart is their grain\n",
            count(*many)
        );
    }
    let mut out = match (what.as_str(), step.as_str()) {
        (what, "") => format!(
            "  {table}: `{what}` is in several currencies, or other measures, and no column of {table} says in which\n"
        ),
        (what, _) => {
            let names: Vec<String> = parts.iter().take(2).map(name).collect();
            let within = if what.is_empty() { String::new() } else { format!("    in  {what}\n") };
            format!("  {table}: amounts in {} would be added or compared\n{within}", names.join(" and in "))
        }
    };
    if !step.is_empty() {
        let word = if what.is_empty() { "in" } else { "of" };
        out.push_str(&format!("    {word}  {step}\n"));
        let at = if group.is_empty() { "all rows" } else { group };
        out.push_str(&format!("    at  {at}\n"));
    }
    let lines: Vec<Vec<String>> = parts.iter().take(LISTED).map(line).collect();
    for line in set(&[Side::Left, Side::Right, Side::Right], &lines) {
        out.push_str(&format!("      {line}\n"));
    }
    more_indented(&mut out, parts.len() as u64, LISTED.min(parts.len()), "      ");
    out.push_str(&match (add, step.is_empty()) {
        (Some(add), _) => format!("    say it:  {add}\n"),
        (None, true) => "    say it by a column, and track in that:  track NAME in COLUMN\n".to_owned(),
        (None, false) => match (by, parts.iter().find_map(|part| part.value.as_ref())) {
            (Some(by), Some(one)) => format!(
                "    keep them apart: make  {by}  a key, or take one of them:  where {by} = \"{one}\"\n"
            ),
            _ => "    keep them apart: take what they are in among the keys, or one of them by  where\n".to_owned(),
        },
    });
    out.push_str(
        "    or convert before, by a rate over a link:  add NAME = round(AMOUNT * rates.rate, 2)  track NAME\n",
    );
    out
}

/// What rows are in.
fn name(part: &CountedApart) -> String {
    part.value.as_ref().map_or("(blank)".to_owned(), |value| short(value))
}

/// The same with how many they are, and their amount.
fn line(part: &CountedApart) -> Vec<String> {
    vec![
        name(part),
        counted(part.rows, "row", "rows"),
        part.amount.to_string(),
    ]
}
