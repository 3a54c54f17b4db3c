//! What is usually a mistake, and what to write in its place.

use granum_core::lang::plan_name;
use granum_core::tally::{Allowed, Mistake, Warning};

use super::{count, counted, dim, folded, notable};

/// All of them, one below the other.
pub fn warnings(found: &[Warning], width: usize) -> String {
    found.iter().flat_map(|warning| ["\n".to_owned(), told(warning, width)]).collect()
}

/// What the plan allows, each with its reason.
pub(super) fn allowed(allowed: &[Allowed], width: usize) -> String {
    let told = allowed.iter().map(|Allowed { table, step, kind, reason }| {
        let of = table.as_ref().map_or(String::new(), |table| format!("{table}: "));
        let title = format!("allowed: {of}{step}");
        format!(
            "\n{}{}",
            folded(&title, "  ", width).replacen("allowed", &dim("allowed"), 1),
            folded(&format!("{kind}: {reason}"), "    ", width)
        )
    });
    told.collect()
}

pub(super) fn told(warning: &Warning, width: usize) -> String {
    let Warning { table, step, what } = warning;
    let title = format!("warning: {table}: {step}");
    let mut out = folded(&title, "  ", width).replacen("warning", &notable("warning"), 1);
    let (why, way) = words(what, step);
    out.push_str(&folded(&why, "    ", width));
    out.push_str(&folded(&way, "    ", width));
    if !matches!(what, Mistake::UnusedAllow { .. }) {
        let allow = format!("or it is meant so:  allow {} \"why\"  behind the step", what.kind());
        out.push_str(&folded(&allow, "    ", width));
    }
    out
}

/// Why it is usually a mistake, and the way out.
fn words(what: &Mistake, step: &str) -> (String, String) {
    match what {
        Mistake::SharedName { key: _, of, id, group, names, examples } => {
            let each: Vec<String> = examples
                .iter()
                .map(|(name, rows)| format!("{name} of {} {id}", count(*rows)))
                .collect();
            let more = if *names > examples.len() as u64 { ", \u{2026}" } else { "" };
            let why = format!(
                "{} shared by several {id} and {}: {}{more}",
                counted(*names, &format!("name of {of} is"), &format!("names of {of} are")),
                if *names == 1 { "becomes one group" } else { "become one group each" },
                each.join(", ")
            );
            (why, group.clone())
        }
        Mistake::RowsCounted { result, of, counted: rows, key, most } => {
            let why = format!(
                "`{result}` counts rows of {rows}, and up to {} of them lead to one of {of}",
                count(*most)
            );
            let way = if key.contains(',') {
                format!("count what is different:  distinct(\u{2026}) of {key}")
            } else {
                format!("count what is different:  {} = distinct({key})", plan_name(result))
            };
            (why, way)
        }
        Mistake::MeanOfRatio => (
            "each ratio counts alike, whether it is of much or of little".into(),
            "divide the sums:  sum(\u{2026}) / sum(\u{2026})".into(),
        ),
        Mistake::YearsMixed { key, years: (first, last) } => (
            format!(
                "days are from {first} to {last}, and the same months of all years are one group"
            ),
            format!(
                "say the year as well:  month(\u{2026}) , or  year(\u{2026}) as year  beside `{key}`"
            ),
        ),
        Mistake::DistinctSummed => (
            "what stands in two groups is counted in both, so the sum is too much".into(),
            format!("count over all rows in place of  {step} :  distinct(\u{2026})"),
        ),
        Mistake::UnusedAllow { allowed } => (
            format!("nothing here is warned of as {allowed}, so this allows nothing"),
            format!("leave it out:  allow {allowed} \u{2026}"),
        ),
    }
}
