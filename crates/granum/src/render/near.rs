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
    let kinds: Vec<&str> = near.kinds.iter().map(|kind| words(*kind)).collect();
    let kinds = match kinds.as_slice() {
        [before @ .., last] if !before.is_empty() => format!("{} and {last}", before.join(", ")),
        kinds => kinds.concat(),
    };
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

fn words(kind: NearKind) -> &'static str {
    match kind {
        NearKind::OuterSpaces => "spaces around",
        NearKind::LetterCase => "letter case",
        NearKind::LeadingZeros => "leading zeros",
        NearKind::Signs => "other signs",
        NearKind::Prefix => "what stands before",
        NearKind::Suffix => "what stands behind",
        NearKind::OneLetter => "one letter",
    }
}
