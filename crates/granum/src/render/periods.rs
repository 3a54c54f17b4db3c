//! What lies outside of all periods of a link, and where they overlap.

use granum_core::lang::plan_name;
use granum_core::tally::{
    InvertedPeriod, InvertedPeriods, LinkTally, OutsideTally, PeriodOverlap, PeriodRange,
    PeriodTally, SeveralPeriods,
};

use super::lists::more;
use super::{count, counted, folded, heading, shortened, sums};

/// Ranges are shown up to so many; JSON has more.
const SHOWN: usize = 5;

/// Keys have so many letters at most.
const KEYS: usize = 60;

/// What there is to tell of the links by periods, if there is anything.
pub(super) fn of_links(links: &[LinkTally], width: usize) -> String {
    let mut out = String::new();
    for link in links {
        let Some(period) = &link.period else { continue };
        let told = told(period, &link.from, &link.to, width);
        if !told.is_empty() {
            let keys = shortened(&link.keys, KEYS);
            out.push_str(&format!("  {} \u{2192} {} on {keys}\n{told}\n", link.from, link.name));
        }
    }
    if out.is_empty() { out } else { format!("{}\n\n{out}", heading("periods")) }
}

/// The lines about one link by a period.
pub(super) fn told(period: &PeriodTally, from: &str, to: &str, width: usize) -> String {
    let mut lines = vec![];
    lines.extend(outside(&period.no_key, &format!("with a key of no {to}")));
    let first = period.first.as_ref().map_or(String::new(), |first| format!(", {first}"));
    lines.extend(outside(&period.before, &format!("before the first start{first}")));
    if let Some(line) = outside(&period.gap, "between two periods") {
        lines.push(line);
    }
    let last = period.last.as_ref().map_or(String::new(), |last| format!(", {last}"));
    lines.extend(outside(&period.after, &format!("after the last end{last}")));
    if period.several > 0 {
        lines.push(several(period, from, to));
    }
    if period.gap_ranges > 0 {
        lines.push(gaps(period));
    }
    if period.overlap_ranges > 0 {
        lines.push(overlaps(period));
    }
    if period.never > 0 {
        let (hold, where_it) = match period.never {
            1 => ("holds", "it ends where it starts"),
            _ => ("hold", "they end where they start"),
        };
        lines.push(format!("{} of {to} {hold} on no day: {where_it}", count(period.never)));
    }
    lines.iter().map(|line| folded(line, "    ", width)).collect()
}

fn outside(outside: &OutsideTally, place: &str) -> Option<String> {
    let amounts = sums(&outside.amounts);
    let amounts = if amounts.is_empty() { amounts } else { format!(" ({amounts})") };
    let rows = counted(outside.rows, "row", "rows");
    (outside.rows > 0).then(|| format!("{rows} {place}{amounts}"))
}

fn several(period: &PeriodTally, from: &str, to: &str) -> String {
    let rows = counted(period.several, "row", "rows");
    if !period.prefers {
        return format!(
            "for {rows} of {from} several {to} hold, and nothing says which: a join would make {} of \
             them",
            counted(period.pairs, "row", "rows")
        );
    }
    let tied = match period.tied {
        0 => String::new(),
        tied => format!(
            "; for {} of them what is preferred was the same, and the grain of {to} settled it",
            count(tied)
        ),
    };
    format!(
        "for {rows} of {from} several {to} held, and one was preferred{tied}; a join would have made \
         {} of them",
        counted(period.pairs, "row", "rows")
    )
}

fn gaps(period: &PeriodTally) -> String {
    let busy = busiest(&period.gaps, |gap| gap.rows);
    let words =
        busy.iter().map(|gap| format!("{} ({})", range(gap), counted(gap.rows, "row", "rows")));
    listed(&counted(period.gap_ranges, "gap", "gaps"), period.gap_ranges, words.collect())
}

fn overlaps(period: &PeriodTally) -> String {
    let busy = busiest(&period.overlaps, |overlap| overlap.range.rows);
    let words = busy.iter().map(|one| overlap(one));
    let all = period.overlap_ranges;
    listed(&counted(all, "overlap", "overlaps"), all, words.collect())
}

/// A range of days, the periods that hold on them, and how many rows fall into it.
fn overlap(overlap: &PeriodOverlap) -> String {
    let more = overlap.holding - overlap.examples.len() as u64;
    let mut names = overlap.examples.join(", ");
    if more > 0 {
        names.push_str(&format!(" and {} more", count(more)));
    }
    let rows = counted(overlap.range.rows, "row", "rows");
    format!("{}: {names} ({rows})", range(&overlap.range))
}

fn listed(what: &str, all: u64, words: Vec<String>) -> String {
    let more = all - words.len() as u64;
    let more = if more > 0 { format!("; and {} more", count(more)) } else { String::new() };
    format!("{what}: {}{more}", words.join("; "))
}

/// Those with most rows, in their order.
fn busiest<T>(ranges: &[T], rows: impl Fn(&T) -> u64) -> Vec<&T> {
    let mut places: Vec<usize> = (0..ranges.len()).collect();
    places.sort_by_key(|at| (std::cmp::Reverse(rows(&ranges[*at])), *at));
    places.truncate(SHOWN);
    places.sort_unstable();
    places.into_iter().map(|at| &ranges[at]).collect()
}

/// Days in words: `2026-03-01 to 2026-03-13`, with the key that they are of.
fn range(range: &PeriodRange) -> String {
    let days = match (&range.from, &range.to) {
        (Some(from), Some(to)) if from == to => from.clone(),
        (Some(from), Some(to)) => format!("{from} to {to}"),
        (Some(from), None) => format!("from {from} on"),
        (None, Some(to)) => format!("up to {to}"),
        (None, None) => "on all days".to_owned(),
    };
    match &range.of {
        Some(of) => format!("{of}, {days}"),
        None => days,
    }
}

/// Periods that end before they start.
pub(super) fn inverted(problem: &InvertedPeriods) -> String {
    let InvertedPeriods { from, to, keys, bounds: (starts, ends), rows, examples } = problem;
    let mut out = format!(
        "  {from} \u{2192} {to}: {} before {} ({keys})\n",
        counted(*rows, "period ends", "periods end"),
        if *rows == 1 { "it starts" } else { "they start" },
    );
    for InvertedPeriod { from, to, place } in examples {
        let place = place.as_ref().map_or(String::new(), |place| format!("   ({place})"));
        out.push_str(&format!("    from {from} to {to}{place}\n"));
    }
    more(&mut out, *rows, examples.len());
    out.push_str(&format!(
        "    mend the file, or leave these rows out, at the end of {to}:  drop {ends} < {starts}\n"
    ));
    out
}

/// Several periods that hold for one row.
pub(super) fn several_hold(problem: &SeveralPeriods) -> String {
    let SeveralPeriods { from, to, keys, source_rows, would_be, .. } = problem;
    let rows = counted(*source_rows, "row", "rows");
    let mut out = format!(
        "  {from} \u{2192} {to}: for {rows} of {from} several {to} hold ({keys})\n    {rows} would \
         have become {}\n",
        count(*would_be)
    );
    for one in &problem.overlaps {
        out.push_str(&format!("    {}\n", overlap(one)));
    }
    more(&mut out, problem.ranges, problem.overlaps.len());
    let column = problem.could_prefer.as_deref().unwrap_or("COLUMN");
    out.push_str(&format!(
        "    say which is meant:  link {} to {} on {keys} prefer latest {column}\n",
        plan_name(from),
        plan_name(to)
    ));
    out
}
