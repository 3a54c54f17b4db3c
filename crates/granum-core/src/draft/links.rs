//! The links of a draft, and what it asks of them.

use super::{AsText, Refused, remark};
use crate::relate::{Doubt, FoundLink, Relations};
use crate::tally::LinkTally;
use crate::value::Type;

/// The links that can stand in one plan: sure, between tables once, and in no circle.
pub(super) fn choose<'r>(relations: &'r Relations, refused: &Refused) -> Vec<&'r FoundLink> {
    let mut chosen: Vec<&FoundLink> = vec![];
    for link in relations.links.iter().filter(|link| link.is_sure()) {
        let ends = (link.from.clone(), link.to.clone());
        let named = chosen.iter().any(|known| known.from == link.from && known.to == link.to);
        if !named && !refused.links.contains(&ends) && !leads(&chosen, &link.to, &link.from) {
            chosen.push(link);
        }
    }
    chosen
}

/// The columns that are read as text so that both sides of each link are of one type, by table.
pub(super) fn as_text(relations: &Relations, chosen: &[&FoundLink]) -> AsText {
    let mut found: AsText = chosen.iter().flat_map(|link| link.as_text.iter().cloned()).collect();
    let is_text = |(table, column): &(String, String)| {
        let table = relations.tables.iter().find(|known| known.name == *table);
        let mut columns = table.into_iter().flat_map(|table| &table.survey.columns);
        columns.any(|known| known.name == *column && known.read_as == Type::Text)
    };
    // What becomes text takes with it whatever links to it.
    loop {
        let before = found.len();
        for link in chosen {
            for (own, target) in &link.keys {
                let ends = [(link.from.clone(), own.clone()), (link.to.clone(), target.clone())];
                if ends.iter().any(|end| found.contains(end)) {
                    found.extend(ends.into_iter().filter(|end| !is_text(end)));
                }
            }
        }
        if found.len() == before {
            return found;
        }
    }
}

/// Whether one table leads to another along some links.
fn leads(links: &[&FoundLink], from: &str, to: &str) -> bool {
    from == to || links.iter().any(|link| link.from == from && leads(links, &link.to, to))
}

/// The statements, each with what was found; what is unsure, or cannot be said yet, as comments.
pub(super) fn links(relations: &Relations, chosen: &[&FoundLink], tallies: &[LinkTally]) -> String {
    let mut out = String::new();
    if !chosen.is_empty() {
        out.push_str("# How they link.\n\n");
    }
    for link in chosen {
        let tally = tallies.iter().find(|tally| tally.from == link.from && tally.to == link.to);
        let asked = tally.map_or(String::new(), asked);
        out.push_str(&format!("{}{asked}\n", link.line()));
    }
    out.push('\n');
    let left: Vec<&FoundLink> = relations
        .links
        .iter()
        .filter(|link| !chosen.iter().any(|known| std::ptr::eq(*known, *link)))
        .collect();
    if !left.is_empty() {
        out.push_str("# Perhaps, but look first: granum match tells more.\n");
        for link in left {
            let why: Vec<&str> = link.doubts.iter().map(|doubt| words(*doubt)).collect();
            let why =
                if why.is_empty() { "it would close a circle".into() } else { why.join(", ") };
            out.push_str(&format!("# {}   ({why})\n", link.line()));
        }
        out.push('\n');
    }
    if !relations.crossings.is_empty() {
        out.push_str("# Not links, since they repeat in both tables:\n");
        for crossing in &relations.crossings {
            let (one, other) = &crossing.tables;
            let go = match (&crossing.instead, &crossing.bridge) {
                (Some(on), _) => format!("; link them on {on}"),
                (None, Some(bridge)) => format!("; go by {bridge}"),
                (None, None) => String::new(),
            };
            let column = &crossing.columns.0;
            out.push_str(&remark(&format!("{one} and {other} on {column}{go}")));
        }
        out.push('\n');
    }
    if !relations.periods.is_empty() {
        out.push_str("# Days that fall into periods; plans cannot link by them yet.\n");
        for period in &relations.periods {
            let (matched, rows) = (period.matched, period.rows);
            out.push_str(&format!("# {}   ({matched} of {rows})\n", period.line));
        }
        out.push('\n');
    }
    out
}

/// What a link keeps today: all, or so many whole percent of the rows that have a key.
fn asked(tally: &LinkTally) -> String {
    let counted = tally.rows - tally.blank;
    let blank = if tally.blank > 0 { " blank allowed" } else { "" };
    if counted == 0 {
        return String::new();
    }
    if tally.matched == counted {
        return format!(" complete{blank}");
    }
    match tally.matched * 100 / counted {
        0 => String::new(),
        percent => format!(" at least {percent}%{blank}"),
    }
}

fn words(doubt: Doubt) -> &'static str {
    match doubt {
        Doubt::Names => "other names",
        Doubt::Incomplete => "many rows lead nowhere",
        Doubt::FewValues => "few values",
        Doubt::SmallNumbers => "small numbers",
        Doubt::BarelyReached => "few are ever met",
    }
}
