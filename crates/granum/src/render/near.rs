//! Why keys nearly match, and what mends it.

use granum_core::tally::{NearKind, NearMiss};

use super::{counted, folded, spaces_seen};

/// All that nearly matches of a link to `to`, and how many rows nothing explains.
pub(super) fn near_misses(near: &[NearMiss], unlike: u64, to: &str, width: usize) -> String {
    let mut out: String = near.iter().map(|near| near_miss(near, to, width)).collect();
    if !near.is_empty() && unlike > 0 {
        out.push_str(&format!(
            "    {} nothing near in {to}\n",
            counted(unlike, "row has", "rows have"),
        ));
    }
    out
}

/// What nearly matches, and what mends it.
fn near_miss(near: &NearMiss, to: &str, width: usize) -> String {
    if let [kind @ (NearKind::EndDay | NearKind::DayAfter | NearKind::DayBefore)] = *near.kinds {
        return beside(near, kind, width);
    }
    let pairs: Vec<String> = near
        .examples
        .iter()
        .map(|(from, to)| format!("{} and {}", spaces_seen(from), spaces_seen(to)))
        .collect();
    let pairs = pairs.join(", ");
    let rows = counted(near.rows, "row", "rows");
    if near.kinds == [NearKind::OneLetter] {
        let text = format!("{rows} but for one letter, perhaps mistyped: {pairs}");
        return folded(&text, "    ", width);
    }
    let kinds = kinds_words(&near.kinds);
    let text = format!("{rows} would match but for {kinds}: {pairs}");
    let mut out = folded(&text, "    ", width);
    let Some(keys) = &near.keys else {
        let none =
            "whatever mended these keys would part others that match; look at them one by one";
        out.push_str(&folded(none, "      ", width));
        return out;
    };
    out.push_str(&format!("      mend it:  on {keys}\n"));
    if near.merged > 0 {
        out.push_str(&folded(
            &format!(
                "look first: {} of {to} that differ today would be one with another",
                counted(near.merged, "key", "keys"),
            ),
            "      ",
            width,
        ));
    }
    out
}

/// What keeps keys apart, in words.
pub(super) fn kinds_words(kinds: &[NearKind]) -> String {
    let kinds: Vec<&str> = kinds.iter().map(|kind| words(*kind)).collect();
    match kinds.as_slice() {
        [before @ .., last] if !before.is_empty() => format!("{} and {last}", before.join(", ")),
        kinds => kinds.concat(),
    }
}

/// Days that lie beside a period, and what mends it.
fn beside(near: &NearMiss, kind: NearKind, width: usize) -> String {
    let place = match kind {
        NearKind::EndDay => "on a day that ends a period and is not part of it",
        NearKind::DayAfter => "on the day after a period",
        _ => "on the day before a period",
    };
    let days: Vec<String> = near
        .examples
        .iter()
        .map(|(day, rows)| {
            format!("{day} ({})", if rows == "1" { "1 row".into() } else { format!("{rows} rows") })
        })
        .collect();
    let more = if near.distinct > days.len() as u64 { ", \u{2026}" } else { "" };
    let (rows, lie) =
        (counted(near.rows, "row", "rows"), if near.rows == 1 { "lies" } else { "lie" });
    let text = format!("{rows} {lie} {place}: {}{more}", days.join(", "));
    let mut out = folded(&text, "    ", width);
    if let Some(keys) = &near.keys {
        out.push_str(&format!("      if that day is meant:  on {keys}\n"));
    }
    out
}

fn words(kind: NearKind) -> &'static str {
    match kind {
        NearKind::OuterSpaces => "spaces around",
        NearKind::LetterCase => "letter case",
        NearKind::LeadingZeros => "leading zeros",
        NearKind::Signs => "other signs",
        NearKind::Prefix => "what stands before",
        NearKind::Suffix => "what stands behind",
        NearKind::OneLetter => "one letter",
        NearKind::EndDay | NearKind::DayAfter | NearKind::DayBefore => "a day",
    }
}
