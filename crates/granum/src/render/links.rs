//! How complete each link was.

use granum_core::table::Amount;
use granum_core::tally::{LinkAmount, LinkTally, share_text};

use super::columns::{Side, set};
use super::{bad_at_end, count, dim, good, heading, shortened};

/// Keys have so many letters at most.
const KEYS: usize = 40;

/// The table of links, and what else there is to know of each.
pub(super) fn links(links: &[LinkTally]) -> String {
    if links.is_empty() {
        return String::new();
    }
    let header = ["rows", "matched", "missing", "blank", "by amount", "required", ""];
    let mut rows =
        vec![std::iter::once(String::new()).chain(header.map(str::to_owned)).collect::<Vec<_>>()];
    for link in links {
        let mut amounts = amounts_told(link).into_iter().map(by_amount);
        rows.push(vec![
            format!("{} \u{2192} {}", link.from, link.name),
            count(link.rows),
            share_text(link.matched.into(), link.counted().into()),
            count(link.missing),
            count(link.blank),
            amounts.next().unwrap_or_else(|| "\u{2014}".into()),
            if link.required.is_empty() { "\u{2014}".into() } else { link.required.clone() },
            // A link of which nothing is asked is neither.
            match (link.required.is_empty(), link.held) {
                (true, _) => String::new(),
                (false, true) => "ok".into(),
                (false, false) => "FAILED".into(),
            },
        ]);
        // What counts apart has a line each.
        for amount in amounts {
            let mut row = vec![String::new(); rows[0].len()];
            row[5] = amount;
            rows.push(row);
        }
    }
    let sides = [
        Side::Left,
        Side::Right,
        Side::Right,
        Side::Right,
        Side::Right,
        Side::Left,
        Side::Left,
        Side::Left,
    ];
    let mut out = format!("{}\n\n", heading("links"));
    for line in set(&sides, &rows) {
        let line = bad_at_end(&line, &["FAILED"]);
        let line = match line.strip_suffix("  ok") {
            Some(start) => format!("{start}  {}", good("ok")),
            None => line,
        };
        out.push_str(&format!("  {line}\n"));
    }
    out.push('\n');
    let header = ["on", "rows that lead to one", "never reached"];
    let mut rows =
        vec![std::iter::once(String::new()).chain(header.map(str::to_owned)).collect::<Vec<_>>()];
    for link in links {
        rows.push(vec![
            format!("{} \u{2192} {}", link.from, link.name),
            shortened(&link.keys, KEYS),
            spread(link),
            format!("{} of {} {}", count(link.unreached), count(link.target_rows), link.to),
        ]);
    }
    for line in set(&[Side::Left, Side::Left, Side::Left, Side::Left], &rows) {
        out.push_str(&format!("  {}\n", dim(&line)));
    }
    out.push('\n');
    out
}

/// How many rows lead to one of the target, over those that any leads to.
pub(super) fn spread(link: &LinkTally) -> String {
    match link.spread {
        None => "\u{2014}".into(),
        Some(spread) if spread.most == spread.least => count(spread.least),
        Some(spread) => format!(
            "{} to {}, median {}",
            count(spread.least),
            count(spread.most),
            count(spread.median)
        ),
    }
}

/// The amount that is asked for, else the first that is tracked; where it counts apart, each of what it is in.
pub(super) fn amounts_told(link: &LinkTally) -> Vec<&LinkAmount> {
    let asked = |amount: &&LinkAmount| link.required.ends_with(&format!(" of {}", amount.column));
    let Some(told) = link.amounts.iter().find(asked).or(link.amounts.first()) else {
        return vec![];
    };
    link.amounts.iter().filter(|amount| amount.column == told.column).collect()
}

/// The share of an amount.
pub(super) fn by_amount(amount: &LinkAmount) -> String {
    format!("{} of {}", amount_share(amount), amount.name)
}

/// The share of an amount that is on rows that lead somewhere.
pub(super) fn amount_share(amount: &LinkAmount) -> String {
    match (amount.matched, amount.missing) {
        (Amount::Exact { units: Some(part), .. }, Amount::Exact { units: Some(rest), .. }) => {
            let (part, rest) = (part.unsigned_abs(), rest.unsigned_abs());
            share_text(part, part.saturating_add(rest))
        }
        (Amount::Float { sum: part, .. }, Amount::Float { sum: rest, .. }) => {
            let scaled = |sum: f64| (sum * 1e4).round() as u128;
            share_text(scaled(part), scaled(part) + scaled(rest))
        }
        _ => "too large".into(),
    }
}
