//! Amounts that count apart and would have met.

use granum_core::tally::{ApartProblem, CountedApart};

use super::columns::{Side, set};
use super::lists::{more_indented, short};
use super::{count, counted};

/// So many of them are listed.
const LISTED: usize = 8;

/// `words` are those of the plan that it is about.
pub(super) fn problem(problem: &ApartProblem, words: &str) -> String {
    let ApartProblem { table, step, what, group, parts, by, add, many, .. } = problem;
    if *many > 0 {
        return format!(
            "  {table}: `{what}` would be in more than {} different currencies, or other measures\n    the column \
             behind  in  says one of few, such as EUR and GBP; what tells rows apart is their grain\n",
            count(*many)
        );
    }
    if step.is_empty() {
        let mut out = format!(
            "  {table}: `{what}` is in several currencies, or other measures, and no column of {table} says in \
             which\n"
        );
        out.push_str(&listed(parts));
        out.push_str(&match add {
            Some(add) => format!("    say it:  {add}\n"),
            None => "    say it by a column, and track in that:  track NAME in COLUMN\n".to_owned(),
        });
        return out + CONVERT;
    }
    let names: Vec<String> = parts.iter().take(2).map(name).collect();
    if what.is_empty() && step.starts_with("track ") {
        return format!(
            "  {table}: an amount that is in {} would be tracked as one in {}\n    in  {step}\n    at  {group}\n    \
             track it in what it was made of, or convert it before\n",
            names.first().map_or("", String::as_str),
            names.last().map_or("", String::as_str),
        );
    }
    let mut out =
        format!("  {table}: amounts in {} would be added or compared\n", names.join(" and in "));
    let words = words.split_whitespace().collect::<Vec<_>>().join(" ");
    let inside = if what.is_empty() { &words } else { what };
    if !inside.is_empty() && inside != step {
        out.push_str(&format!("    in  {inside}\n    of  {step}\n"));
    } else {
        out.push_str(&format!("    in  {step}\n"));
    }
    let at = if group.is_empty() { "all rows" } else { group };
    out.push_str(&format!("    at  {at}\n{}", listed(parts)));
    let one = parts.iter().find_map(|part| part.value.as_ref());
    out.push_str(&match (by, one) {
        (Some(by), Some(one)) => format!(
            "    keep them apart: make  {by}  a key, or take one of them:  where {by} = \"{one}\"\n"
        ),
        // Of one row.
        _ if what.is_empty() => {
            "    say what it is then, by  if \u{2026} then \u{2026} else \u{2026}\n".to_owned()
        }
        _ => "    keep them apart: take what they are in among the keys, behind  per\n".to_owned(),
    });
    out + CONVERT
}

const CONVERT: &str = "    or convert before, by a rate over a link:  add NAME = round(AMOUNT * rates.rate, 2)  \
                       track NAME\n";

fn listed(parts: &[CountedApart]) -> String {
    let lines: Vec<Vec<String>> = parts.iter().take(LISTED).map(line).collect();
    let mut out = String::new();
    for line in set(&[Side::Left, Side::Right, Side::Right], &lines) {
        out.push_str(&format!("      {line}\n"));
    }
    more_indented(&mut out, parts.len() as u64, LISTED.min(parts.len()), "      ");
    out
}

/// What rows are in.
fn name(part: &CountedApart) -> String {
    part.value.as_ref().map_or("(blank)".to_owned(), |value| short(value))
}

/// The same with how many they are, and their amount.
fn line(part: &CountedApart) -> Vec<String> {
    vec![name(part), counted(part.rows, "row", "rows"), part.amount.to_string()]
}
