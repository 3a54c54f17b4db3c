//! The inputs of a draft, and the table that joins them.

use super::links::{Chosen, ChosenKind};
use super::{AsText, DraftedFiles, Refused, remark};
use crate::lang::{plan_name, quoted};
use crate::relate::{RelatedTable, Relations};
use crate::resolve::plain_path;
use crate::survey::names::{bare, names_currency, names_number, names_sum, names_version};
use crate::survey::{ColumnSurvey, OddityKind};
use crate::value::{Scale, Type, decimal};

/// So many columns are looked up in one table.
const LOOKED_UP: usize = 6;

/// Texts that are longer on the mean are remarks, which nobody groups by.
const REMARK: u64 = 40;

/// Names that tables of all kinds have.
const GENERIC: [&str; 9] =
    ["name", "title", "type", "status", "date", "description", "label", "role", "kind"];

/// An input: where it comes from, how it is read, which rows are dropped, what one row is. Files that are
/// not written alike are inputs of their own, stacked. `as_text` are keys that have to be text, by table.
pub(super) fn input(
    table: &RelatedTable,
    files: &[DraftedFiles],
    refused: &Refused,
    as_text: &AsText,
) -> String {
    let mut out = comment(table);
    let stacked = files.len() > 1;
    for (files, name) in files.iter().zip(part_names(&table.name, files.len())) {
        out.push_str(&format!("input {} from {}\n", plan_name(&name), sources(files)));
        let reads = reads(table, files, refused, as_text, stacked);
        if !reads.is_empty() {
            out.push_str(&format!("  read {}\n", reads.join("\n       ")));
        }
        if stacked {
            out.push('\n');
        }
    }
    if stacked {
        let parts = part_names(&table.name, files.len());
        let filling = if files.iter().any(|files| files.filling) { " filling blanks" } else { "" };
        out.push_str(&format!(
            "table {} from {}{filling}\n",
            plan_name(&table.name),
            names(parts.iter())
        ));
    }
    if let Some(dedupe) = &table.survey.duplicates.dedupe {
        out.push_str(&format!("  {dedupe}\n"));
    }
    if !table.key.is_empty() && table.survey.rows > 0 && !refused.grains.contains(&table.name) {
        out.push_str(&format!("  grain {}\n", names(table.key.iter())));
    }
    let amounts = amounts(table, refused, as_text);
    if !amounts.is_empty() {
        let within = currency(table, refused);
        let money = |column: &&&ColumnSurvey| within.is_some() && !names_number(&column.name);
        let (money, others): (Vec<&ColumnSurvey>, Vec<&ColumnSurvey>) =
            amounts.iter().partition(|column| money(column));
        let tracked = |columns: &[&ColumnSurvey], within: &str| match columns {
            [] => String::new(),
            columns => {
                format!("  track {}{within}\n", names(columns.iter().map(|column| &column.name)))
            }
        };
        let within = within.map_or(String::new(), |own| format!(" in {}", plan_name(&own.name)));
        out.push_str(&tracked(&money, &within));
        out.push_str(&tracked(&others, ""));
    }
    out.push('\n');
    out
}

/// What the inputs of a table are called: as the table, unless there are several.
pub(super) fn part_names(table: &str, parts: usize) -> Vec<String> {
    match parts {
        1 => vec![table.to_owned()],
        parts => (1..=parts).map(|part| format!("{table}_{part}")).collect(),
    }
}

/// The files of an input, and how they are written.
pub(super) fn sources(files: &DraftedFiles) -> String {
    let paths: Vec<String> = files.paths.iter().map(|path| quoted(&plain_path(path))).collect();
    let mut out = paths.join(", ");
    if files.filling && files.paths.len() > 1 {
        out.push_str(" filling blanks");
    }
    if let Some(delimiter) = files.written.delimiter {
        out.push_str(&format!(" delimiter {}", quoted(&char::from(delimiter).to_string())));
    }
    if let Some(encoding) = &files.written.encoding {
        out.push_str(&format!(" encoding {}", quoted(encoding)));
    }
    if let Some(sheet) = &files.written.sheet {
        out.push_str(&format!(" sheet {}", quoted(sheet)));
    }
    if let Some(named) = &files.written.named {
        out.push_str(&format!(" named {}", quoted(named)));
    }
    if let Some(range) = &files.written.range {
        out.push_str(&format!(" range {}", quoted(range)));
    }
    if let Some(line) = files.written.header_at {
        out.push_str(&format!(" header at {line}"));
    }
    if let Some(count) = files.written.footer {
        out.push_str(&format!(" footer {count}"));
    }
    out
}

/// How columns are read. Where inputs are stacked, each column must have one type in all of them.
fn reads(
    table: &RelatedTable,
    files: &DraftedFiles,
    refused: &Refused,
    as_text: &AsText,
    stacked: bool,
) -> Vec<String> {
    let read = |column: &ColumnSurvey| {
        let named = (table.name.clone(), column.name.clone());
        let read = if as_text.contains(&named) {
            "text".to_owned()
        } else if refused.reads.contains(&named) {
            return None;
        } else {
            match &column.read {
                Some(read) => read.clone(),
                None if stacked && column.read_as != Type::Blank => column.read_as.to_string(),
                None => return None,
            }
        };
        Some(format!("{} as {read}", plan_name(&column.name)))
    };
    let there =
        |column: &&ColumnSurvey| files.columns.is_empty() || files.columns.contains(&column.name);
    table.survey.columns.iter().filter(there).filter_map(read).collect()
}

/// A count with its thousands set off, and its noun.
fn counted(number: u64, one: &str, many: &str) -> String {
    let noun = if number == 1 { one } else { many };
    format!("{} {noun}", decimal::grouped(number.into(), Scale(0)))
}

fn names<'n>(names: impl Iterator<Item = &'n String>) -> String {
    names.map(|name| plan_name(name)).collect::<Vec<_>>().join(", ")
}

/// The column that says in which currency a table's amounts are, where one does.
fn currency<'t>(table: &'t RelatedTable, refused: &Refused) -> Option<&'t ColumnSurvey> {
    const MOST: u64 = 30;
    let fits = |column: &&ColumnSurvey| {
        names_currency(&column.name)
            && column.read_as == Type::Text
            && (1..=MOST).contains(&column.distinct)
            && !refused.apart.contains(&table.name)
    };
    let mut found = table.survey.columns.iter().filter(fits);
    // Where there are two, whose is which is not seen.
    found.next().filter(|_| found.next().is_none())
}

/// Whether a column's values add up: numbers by such a name, but for money that is 0 or 1 alone, which
/// says yes or no (`paid`).
fn adds_up(column: &ColumnSurvey) -> bool {
    let is = |value: &Option<String>, number: &str| value.as_deref() == Some(number);
    let flag = is(&column.least, "0") && is(&column.greatest, "1") && !names_number(&column.name);
    names_sum(&column.name)
        && match column.read_as {
            Type::Integer => !flag,
            Type::Decimal(_) => true,
            _ => false,
        }
}

/// Columns of amounts that add up.
fn amounts<'t>(
    table: &'t RelatedTable,
    refused: &Refused,
    as_text: &AsText,
) -> Vec<&'t ColumnSurvey> {
    let is_amount = |column: &&ColumnSurvey| {
        let named = (table.name.clone(), column.name.clone());
        let read = column.ty == column.read_as || !refused.reads.contains(&named);
        read && !as_text.contains(&named) && adds_up(column) && !table.key.contains(&column.name)
    };
    table.survey.columns.iter().filter(is_amount).collect()
}

/// What was seen in the files, for whoever reads the plan.
fn comment(table: &RelatedTable) -> String {
    let survey = &table.survey;
    let mut seen = vec![counted(survey.rows, "row", "rows")];
    if survey.duplicates.copies > 0 {
        seen.push(counted(survey.duplicates.copies, "exact copy", "exact copies"));
    }
    if let Some(versions) = &survey.duplicates.versions {
        let differ: Vec<&str> =
            versions.differ.iter().take(4).map(|(name, _)| name.as_str()).collect();
        seen.push(format!(
            "{} of {} on several rows each, which differ in {}",
            counted(versions.keys, "key", "keys"),
            versions.key.join(", "),
            differ.join(", ")
        ));
    }
    let mut out = remark(&seen.join("; "));
    for column in &survey.columns {
        let odd: Vec<String> = column
            .oddities
            .iter()
            .filter_map(|oddity| {
                let (what, verb, how) = match oddity.kind {
                    OddityKind::Offset => {
                        ("moment", "have", "an offset from UTC: by whose clock is that meant?")
                    }
                    OddityKind::TwoWayDays => ("day", "could", "be read two ways"),
                    OddityKind::TwoWayNumbers => ("number", "could", "be read two ways"),
                    OddityKind::Currencies => ("amount", "are", "in several currencies"),
                    OddityKind::Unlike => ("cell", "are", "not like the others"),
                    OddityKind::Exponent => ("number", "were", "shortened by a spreadsheet"),
                    OddityKind::Rounded => ("number", "were", "rounded by a spreadsheet"),
                    OddityKind::NoValue => ("cell", "have", "no value"),
                    OddityKind::OuterSpaces => ("cell", "have", "spaces around"),
                    OddityKind::LetterCase => ("cell", "have", "another letter case than most"),
                    OddityKind::SplitByZeros => ("cell", "have", "other zeros than most"),
                    OddityKind::Control => ("cell", "have", "letters that nobody sees"),
                    OddityKind::Placeholder => ("cell", "have", "a word for what is missing"),
                    // The rest is what `read` says.
                    _ => return None,
                };
                let (s, verb) = match (oddity.rows, verb) {
                    (1, "have") => ("", "has"),
                    (1, "are") => ("", "is"),
                    (1, "were") => ("", "was"),
                    (1, same) => ("", same),
                    (_, same) => ("s", same),
                };
                let of_sample = column.one_in > 1 && oddity.kind.is_of_values();
                let about = if of_sample { "about " } else { "" };
                Some(format!("{about}{} {what}{s} {verb} {how}", oddity.rows))
            })
            .collect();
        if !odd.is_empty() {
            let name = column.name.replace(['\n', '\r'], " ");
            out.push_str(&remark(&format!("{name}: {}", odd.join(", "))));
        }
    }
    for unread in &survey.unread {
        let name = unread.column.replace(['\n', '\r'], " ");
        out.push_str(&remark(&format!("{name} is left out: {}", unread.what)));
    }
    out
}

/// One table from the finest input, with what its links allow to look up, and its output.
pub(super) fn joined(
    relations: &Relations,
    links: &[Chosen<'_>],
    refused: &Refused,
    as_text: &AsText,
) -> String {
    let table = |name: &str| relations.tables.iter().find(|table| table.name == name);
    let Some(base) = finest(relations, links, refused, as_text) else { return String::new() };
    let name = free_name(relations, &format!("{}_joined", base.name));
    let mut taken: Vec<String> =
        base.survey.columns.iter().map(|column| bare(&column.name)).collect();
    let mut added: Vec<String> = vec![];
    let mut add = |table: &str, column: &str, value: String| {
        // A name alone says whose it is only where it is not like every other table's.
        let own = (!GENERIC.contains(&bare(column).as_str())).then(|| column.to_owned());
        let longer = format!("{table}_{column}");
        let named = own.into_iter().chain([longer]).find(|name| !taken.contains(&bare(name)));
        if let Some(named) = named {
            taken.push(bare(&named));
            added.push(format!("{} = {value}", plan_name(&named)));
        }
    };
    for path in paths(links, &base.name) {
        let Some(target) = path.last().and_then(|link| table(link.to)) else { continue };
        let words: Vec<String> = path.iter().map(|link| plan_name(link.to)).collect();
        // Which period it is says its own key, which no row has.
        let by_period = matches!(path.last(), Some(Chosen { kind: ChosenKind::Period(_), .. }));
        let keys = target.survey.columns.iter().filter(|column| {
            by_period && target.key.contains(&column.name) && !joins_by(path.last(), &column.name)
        });
        let told = looked_up(target, links).into_iter();
        for column in keys.chain(told.filter(|column| !joins_by(path.last(), &column.name))) {
            let value = format!("{}.{}", words.join("."), plan_name(&column.name));
            add(&target.name, &column.name, value);
        }
    }
    for link in links.iter().filter(|link| link.to == base.name) {
        let Some(from) = table(link.from) else { continue };
        // What is in several currencies has no one sum.
        if currency(from, refused).is_some() {
            continue;
        }
        for column in amounts(from, refused, as_text) {
            let value = format!("sum({}.{})", plan_name(&from.name), plan_name(&column.name));
            add(&from.name, &format!("{}_{}", from.name, column.name), value);
        }
    }
    let mut out = "# What to build.\n\n".to_owned();
    out.push_str(&format!("table {} from {}\n", plan_name(&name), plan_name(&base.name)));
    if !added.is_empty() {
        out.push_str(&format!("  add {}\n", added.join("\n      ")));
    }
    let path = quoted(&plain_path(&format!("out/{name}.csv")));
    out.push_str(&format!("\noutput {} to {path}\n", plan_name(&name)));
    out
}

/// Whether a link compares a column of its target.
fn joins_by(link: Option<&&Chosen<'_>>, column: &str) -> bool {
    link.is_some_and(|link| {
        let bounds: &[String] = match link.kind {
            ChosenKind::Period(period) => &period.bounds,
            ChosenKind::Keys(_) => &[],
        };
        link.keys.iter().any(|(_, target)| target == column)
            || bounds.iter().any(|bound| bound == column)
    })
}

/// The table whose rows are finest: to which no larger one leads. Of several the larger by far, then
/// the one from which most can be looked up; rows of one in a report of the other are what goes wrong.
fn finest<'r>(
    relations: &'r Relations,
    links: &[Chosen<'_>],
    refused: &Refused,
    as_text: &AsText,
) -> Option<&'r RelatedTable> {
    let rows = |name: &str| {
        let table = relations.tables.iter().find(|table| table.name == name);
        table.map_or(0, |table| table.survey.rows)
    };
    let led_to = |name: &str| {
        relations.tables.iter().any(|other| {
            rows(&other.name) >= rows(name)
                && paths(links, &other.name)
                    .iter()
                    .any(|path| path.last().is_some_and(|link| link.to == name))
        })
    };
    // Sizes of one order say nothing in small files.
    let size = |table: &RelatedTable| (table.survey.rows + 1).ilog2();
    let linked = |table: &RelatedTable| {
        links.iter().any(|link| link.from == table.name || link.to == table.name)
    };
    relations.tables.iter().max_by_key(|table| {
        let reached = paths(links, &table.name).len();
        let finest = !led_to(&table.name);
        let rows = table.survey.rows;
        // Where money stands, more is asked than of whom it is.
        let adds_up = !amounts(table, refused, as_text).is_empty();
        let name = std::cmp::Reverse(table.name.clone());
        (linked(table), finest, adds_up, size(table), reached, rows, name)
    })
}

/// The ways to each table that links lead to, the shortest first; each table once.
fn paths<'l, 'r>(links: &'l [Chosen<'r>], from: &str) -> Vec<Vec<&'l Chosen<'r>>> {
    let mut found: Vec<Vec<&Chosen<'_>>> = vec![];
    let mut open: Vec<Vec<&Chosen<'_>>> = vec![vec![]];
    while !open.is_empty() {
        let mut next = vec![];
        for path in open {
            let at = path.last().map_or(from, |link| link.to);
            for link in links.iter().filter(|link| link.from == at) {
                let known = found.iter().any(|path| path.last().is_some_and(|l| l.to == link.to));
                if !known && link.to != from {
                    let longer: Vec<&Chosen<'_>> =
                        path.iter().copied().chain(std::iter::once(link)).collect();
                    found.push(longer.clone());
                    next.push(longer);
                }
            }
        }
        open = next;
    }
    found
}

/// What is worth looking up: what tells of the row, not its keys, which stand on the row already
/// or lead on, nor amounts, which would repeat.
fn looked_up<'t>(table: &'t RelatedTable, links: &[Chosen<'_>]) -> Vec<&'t ColumnSurvey> {
    let leads = |name: &String| {
        links
            .iter()
            .any(|link| link.from == table.name && link.keys.iter().any(|(own, _)| own == name))
    };
    let tells = |column: &&ColumnSurvey| {
        !table.key.contains(&column.name)
            && column.distinct > 0
            && column.mean_length <= REMARK
            && !matches!(column.read_as, Type::Decimal(_) | Type::Number)
            && !adds_up(column)
            && !names_version(&column.name)
    };
    let mut found: Vec<&ColumnSurvey> = table.survey.columns.iter().filter(tells).collect();
    // A key that leads on is of use where it names what is looked up.
    found.sort_by_key(|column| leads(&column.name));
    found.truncate(LOOKED_UP);
    found
}

fn free_name(relations: &Relations, name: &str) -> String {
    let taken = |name: &String| relations.tables.iter().any(|table| table.name == *name);
    let mut name = name.to_owned();
    while taken(&name) {
        name.push('_');
    }
    name
}
