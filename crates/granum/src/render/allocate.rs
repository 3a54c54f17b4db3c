//! What `allocate` divided, what it could not, and why it stopped.

use granum_core::table::{InWhat, Place};
use granum_core::tally::{AllocateProblem, AllocateTrouble, Allocated, NotAllocated};

use super::lists::{more_indented, short};
use super::{counted, shortened};

/// Groups have so many letters at most.
const GROUP: usize = 40;

/// What became of an amount.
pub(super) fn allocated_words(allocated: &Allocated) -> String {
    let Allocated { all, given, rows, left, within, .. } = allocated;
    let rows = counted(*rows, "row", "rows");
    // What it is in, where it counts apart.
    let of = match within {
        InWhat::Nothing => String::new(),
        InWhat::One(value) => format!("{} ", value.as_deref().unwrap_or("(blank)")),
    };
    if left.is_empty() {
        return format!("{of}{given} over {rows}, all there is");
    }
    let left: Vec<String> = left.iter().map(not_allocated).collect();
    format!("{of}{given} of {all} over {rows}; not allocated: {}", left.join("; "))
}

fn not_allocated(left: &NotAllocated) -> String {
    let NotAllocated { why, count, amount, examples } = left;
    let why = match *why {
        "no-row" => counted(*count, "that no row leads to", "that no row leads to"),
        "zero-weights" => counted(*count, "group without a weight", "groups without a weight"),
        _ => counted(*count, "row with a blank key", "rows with a blank key"),
    };
    let names: Vec<String> = examples.iter().map(|name| shortened(name, GROUP)).collect();
    let more = if *count > names.len() as u64 && !names.is_empty() { ", \u{2026}" } else { "" };
    let names =
        if names.is_empty() { String::new() } else { format!(" ({}{more})", names.join(", ")) };
    format!("{amount} of {why}{names}")
}

/// Amounts and weights that `allocate` cannot work with.
pub(super) fn problem(problem: &AllocateProblem) -> String {
    let AllocateProblem { table, amount, weight, troubles, .. } = problem;
    let mut out = format!("  {table}: {amount} cannot be allocated\n");
    for AllocateTrouble { what, count, examples } in troubles {
        let what = match *what {
            "negative" => {
                counted(*count, "row has a negative weight", "rows have a negative weight")
            }
            "blank" => counted(*count, "row has a blank weight", "rows have a blank weight"),
            "several" => counted(*count, "group has two amounts", "groups have two amounts"),
            "fine" => counted(
                *count,
                "amount has more places than its parts are to have",
                "amounts have more places than their parts are to have",
            ),
            _ => counted(
                *count,
                "amount has too many digits to be divided",
                "amounts have too many digits to be divided",
            ),
        };
        out.push_str(&format!("    {what}\n"));
        for (words, place) in examples {
            let place =
                place.as_ref().map_or(String::new(), |place: &Place| format!("   ({place})"));
            out.push_str(&format!("      {}{place}\n", short(words)));
        }
        more_indented(&mut out, *count, examples.len(), "      ");
    }
    let has = |kind: &str| troubles.iter().any(|trouble| trouble.what == kind);
    if let Some(weight) = weight.as_ref().filter(|_| has("negative") || has("blank")) {
        // `??` stands beside no other sign.
        let alone = if weight.contains(' ') { format!("({weight})") } else { weight.clone() };
        let filled = if has("blank") { format!("{alone} ?? 0") } else { weight.clone() };
        let mended = if has("negative") { format!("highest({filled}, 0)") } else { filled };
        out.push_str(&format!(
            "    let such rows get nothing:  by {mended} ; or all the same:  equally\n"
        ));
    }
    if has("several") {
        out.push_str(
            "    add what tells these rows apart to  per  , or keep the amount that is meant\n",
        );
    }
    if has("fine") {
        out.push_str("    round the amount before, or give its parts more places:  to N places\n");
    }
    if has("large") {
        out.push_str("    give its parts fewer places:  to N places\n");
    }
    out
}
