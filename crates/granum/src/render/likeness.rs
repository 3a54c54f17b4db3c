//! Names that may be meant alike, to be looked at.

use granum_core::tally::{LikePair, LikeReason, Likeness};

use super::columns::{Side, set};
use super::{clipped, count, counted, dim, heading, shell};

/// Pairs are listed up to this many.
const LISTED: usize = 40;

/// Names are shown up to this many letters.
const LONGEST: usize = 44;

/// All that is told of the names of two files, whose names and columns are given.
pub fn likeness(
    found: &Likeness,
    (a, b): (&str, &str),
    (own, other): (&str, &str),
    written: Option<&(String, u64, u64)>,
) -> String {
    let mut out = format!("{}\n\n", heading(&format!("{a} {own} \u{2194} {b} {other}")));
    let of = counted(found.names.0, "name", "names");
    out.push_str(&format!(
        "  {of}: {} equal as written, {} of the other {} {} like some of {b}\n\n",
        counted(found.equal, "is", "are"),
        count(found.like),
        count(found.names.0 - found.equal),
        if found.like == 1 { "is" } else { "are" },
    ));
    let line = |pair: &LikePair| {
        vec![
            format!("  {}", pair.likeness),
            count(pair.rows),
            clipped(&pair.a, LONGEST),
            clipped(&pair.b, LONGEST),
            reason(pair.reason),
        ]
    };
    if !found.pairs.is_empty() {
        let head = ["  like", "rows", a, b, "but for"].map(str::to_owned).to_vec();
        let rows: Vec<Vec<String>> =
            std::iter::once(head).chain(found.pairs.iter().take(LISTED).map(line)).collect();
        let sides = [Side::Right, Side::Right, Side::Left, Side::Left, Side::Left];
        let mut lines = set(&sides, &rows).into_iter();
        out.extend(lines.next().map(|head| format!("{}\n", dim(&head))));
        lines.for_each(|line| out.push_str(&format!("{line}\n")));
        if found.pairs.len() > LISTED {
            let more = count((found.pairs.len() - LISTED) as u64);
            out.push_str(&format!("  and {more} more\n"));
        }
        out.push('\n');
    }
    match written {
        Some((path, pairs, left)) => {
            out.push_str(&format!("  wrote {path} \u{b7} {}", counted(*pairs, "pair", "pairs")));
            if *left > 0 {
                let names = counted(*left, "name", "names");
                out.push_str(&format!("; left out {names} with several that are equally like"));
            }
            let path = shell::word(path);
            out.push_str(&format!(
                "\n  take out what is wrong, then it is a table as any other:  granum survey {path}\n"
            ));
        }
        None if found.pairs.is_empty() => {}
        None => out.push_str(
            "nothing is joined by this; --to FILE.csv writes the likeliest pairs, to be looked at and linked over\n",
        ),
    }
    out
}

fn reason(reason: LikeReason) -> String {
    match reason {
        LikeReason::Signs => "letter case, spaces, signs".into(),
        LikeReason::Accents => "accents".into(),
        LikeReason::LegalForm => "legal form, or a word such as and".into(),
        LikeReason::WordOrder => "the order of words".into(),
        LikeReason::Letters(letters) => counted(letters, "letter", "letters"),
    }
}
