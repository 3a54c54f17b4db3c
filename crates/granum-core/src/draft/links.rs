//! The links of a draft, and what it asks of them.

use super::{AsText, Refused, remark};
use crate::relate::{Doubt, FoundLink, FoundPeriod, Relations};
use crate::tally::LinkTally;
use crate::value::Type;

/// A link that a draft has.
#[derive(Debug, Clone)]
pub(super) struct Chosen<'r> {
    pub from: &'r str,
    pub to: &'r str,
    /// The columns on either side that are equal.
    pub keys: &'r [(String, String)],
    /// The statement, without what it asks.
    pub line: String,
    pub kind: ChosenKind<'r>,
}

/// By what it was found.
#[derive(Debug, Clone, Copy)]
pub(super) enum ChosenKind<'r> {
    Keys(&'r FoundLink),
    Period(&'r FoundPeriod),
}

/// What a link keeps, of which the plan asks something.
#[derive(Debug, Clone)]
pub(super) struct Kept {
    from: String,
    to: String,
    /// Rows of the source, those with a blank in their key, and those that lead somewhere.
    rows: u64,
    blank: u64,
    matched: u64,
}

impl Kept {
    /// What a run has told.
    pub fn of(tally: &LinkTally) -> Self {
        let (from, to) = (tally.from.clone(), tally.to.clone());
        Self { from, to, rows: tally.rows, blank: tally.blank, matched: tally.matched }
    }

    /// What it is before anything ran, as far as the files' values tell: steps may take rows out.
    pub fn expected(relations: &Relations) -> Vec<Self> {
        let links = relations.links.iter().filter(|link| link.is_sure()).map(|link| Self {
            from: link.from.clone(),
            to: link.to.clone(),
            rows: link.rows,
            blank: link.blank,
            matched: link.matched,
        });
        let periods = relations.periods.iter().map(|period| Self {
            from: period.from.clone(),
            to: period.to.clone(),
            rows: period.rows,
            blank: 0,
            matched: period.matched,
        });
        links.chain(periods).collect()
    }
}

/// The links that can stand in one plan: sure, between tables once, and in no circle.
pub(super) fn choose<'r>(relations: &'r Relations, refused: &Refused) -> Vec<Chosen<'r>> {
    let by_keys = relations.links.iter().filter(|link| link.is_sure()).map(|link| Chosen {
        from: &link.from,
        to: &link.to,
        keys: &link.keys,
        line: link.line(),
        kind: ChosenKind::Keys(link),
    });
    let reads =
        |table: &String, column: &String| !refused.reads.contains(&(table.clone(), column.clone()));
    // Days of any table fall into periods that are nobody's; most of all those of the table that they
    // were made for.
    let most = |period: &FoundPeriod| {
        let rivals = relations.periods.iter().filter(|other| other.to == period.to);
        !period.keys.is_empty() || rivals.map(|other| other.matched).max() == Some(period.matched)
    };
    let by_periods = relations
        .periods
        .iter()
        .filter(|period| {
            most(period)
                && reads(&period.from, &period.when)
                && period.bounds.iter().all(|column| reads(&period.to, column))
        })
        .map(|period| Chosen {
            from: &period.from,
            to: &period.to,
            keys: &period.keys,
            line: period.line.clone(),
            kind: ChosenKind::Period(period),
        });
    let mut chosen: Vec<Chosen<'r>> = vec![];
    for link in by_keys.chain(by_periods) {
        let ends = (link.from.to_owned(), link.to.to_owned());
        let named = chosen.iter().any(|known| known.from == link.from && known.to == link.to);
        if !named && !refused.links.contains(&ends) && !leads(&chosen, link.to, link.from) {
            chosen.push(link);
        }
    }
    chosen
}

/// The columns that are read as text so that both sides of each link are of one type, by table.
pub(super) fn as_text(relations: &Relations, chosen: &[Chosen<'_>]) -> AsText {
    let as_text = |link: &Chosen<'_>| match link.kind {
        ChosenKind::Keys(link) => link.as_text.clone(),
        ChosenKind::Period(_) => vec![],
    };
    let mut found: AsText = chosen.iter().flat_map(as_text).collect();
    let is_text = |(table, column): &(String, String)| {
        let table = relations.tables.iter().find(|known| known.name == *table);
        let mut columns = table.into_iter().flat_map(|table| &table.survey.columns);
        columns.any(|known| known.name == *column && known.read_as == Type::Text)
    };
    // What becomes text takes with it whatever links to it.
    loop {
        let before = found.len();
        for link in chosen {
            for (own, target) in link.keys {
                let ends =
                    [(link.from.to_owned(), own.clone()), (link.to.to_owned(), target.clone())];
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
fn leads(links: &[Chosen<'_>], from: &str, to: &str) -> bool {
    from == to || links.iter().any(|link| link.from == from && leads(links, link.to, to))
}

/// The statements, each with what was found; what is unsure, or cannot be said yet, as comments.
pub(super) fn links(relations: &Relations, chosen: &[Chosen<'_>], kept: &[Kept]) -> String {
    let mut out = String::new();
    if !chosen.is_empty() {
        out.push_str("# How they link.\n\n");
    }
    for (at, link) in chosen.iter().enumerate() {
        // Periods are long: they stand in columns of their own.
        let period = |link: &Chosen<'_>| matches!(link.kind, ChosenKind::Period(_));
        if at > 0 && period(link) && !period(&chosen[at - 1]) {
            out.push('\n');
        }
        let kept = kept.iter().find(|kept| kept.from == link.from && kept.to == link.to);
        let asked = match (kept, link.kind) {
            (None, _) => String::new(),
            // That a day lies outside of all periods is nothing odd, unless hardly any does.
            (Some(kept), ChosenKind::Period(_))
                if kept.matched * 10 < (kept.rows - kept.blank) * 9 =>
            {
                String::new()
            }
            (Some(kept), _) => asked(kept),
        };
        out.push_str(&format!("{}{asked}\n", link.line));
    }
    out.push('\n');
    let left: Vec<&FoundLink> = relations
        .links
        .iter()
        .filter(|link| {
            let is = |known: &Chosen<'_>| {
                matches!(known.kind, ChosenKind::Keys(known) if std::ptr::eq(known, *link))
            };
            !chosen.iter().any(is)
        })
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
    let left: Vec<&FoundPeriod> = relations
        .periods
        .iter()
        .filter(|period| {
            let is = |known: &Chosen<'_>| {
                matches!(known.kind, ChosenKind::Period(known) if std::ptr::eq(known, *period))
            };
            !chosen.iter().any(is)
        })
        .collect();
    if !left.is_empty() {
        out.push_str(
            "# Days that fall into periods as well. Beside a link that two tables have already:  … as NAME\n",
        );
        for period in left {
            let FoundPeriod { matched, rows, one_in, line, .. } = period;
            let about = if *one_in > 1 { "about " } else { "" };
            out.push_str(&remark(&format!("{line} ({about}{matched} of {rows})")));
        }
        out.push('\n');
    }
    out
}

/// What a link keeps today: all, or so many whole percent of the rows that have a key.
fn asked(kept: &Kept) -> String {
    let counted = kept.rows - kept.blank;
    let blank = if kept.blank > 0 { " blank allowed" } else { "" };
    if counted == 0 {
        return String::new();
    }
    if kept.matched == counted {
        return format!(" complete{blank}");
    }
    match kept.matched * 100 / counted {
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
