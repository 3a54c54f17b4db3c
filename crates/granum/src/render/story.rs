//! The story of a row for people: the row, what it is made of, what it met, what it went into.

use std::collections::HashSet;

use granum_core::lang::plan_name;
use granum_core::table::Place;
use granum_core::tally::{
    BecameStory, Beside, GoneRow, GoneStory, LedHere, Met, NamedValue, NearKey, NearKind, NearMet,
    RowStory, StepName, StepStory, Story, TableStory, ToldRow,
};

use super::columns::{Side, set};
use super::near::kinds_words;
use super::{BLANK, bad, clipped, count, counted, dim, folded, heading, problems, shortened, sums};

/// Values are shown up to this many letters.
const LONGEST: usize = 60;

/// Of a row without a grain so many values name it.
const NAMING: usize = 3;

/// A space that no line is folded at; cells have theirs escaped.
const UNBROKEN: char = '\u{a0}';

/// The stories of all rows that were found, or what is near where none was.
pub fn story(story: &Story, source: &str, width: usize) -> String {
    let mut out = String::new();
    if !story.problems.is_empty() {
        out.push_str(&format!("{}\n", problems(&story.problems, source)));
    }
    for row in &story.rows {
        out.push_str(&row_story(row, &story.table, width));
    }
    out.push_str(&format!("{}\n", dim(&verdict(story))));
    out.push_str(&near(&story.near));
    out.replace(UNBROKEN, " ")
}

/// How many rows there are, and where.
fn verdict(story: &Story) -> String {
    let which = match &story.line {
        Some(place) => format!("on {place}"),
        None => format!("with {}", key_words(&story.asked)),
    };
    let told = story.rows.len() as u64;
    let more = if story.found > told {
        format!("; the first {} are told: name more columns to see one", count(told))
    } else {
        String::new()
    };
    let rows = counted(story.found, "row", "rows");
    let table = &story.table;
    match story.rows.first() {
        None => format!("no row of {table}, and none on the way to it, {which}"),
        Some(row) if row.row.table != *table => {
            format!("{rows} of {} {which}, which {table} is made from{more}", row.row.table)
        }
        Some(row) if row.before.is_some() && story.line.is_none() => {
            let (were, went) = match (story.found, &row.became[..]) {
                (1, [BecameStory { gone: Some(_), .. }, ..]) => ("was there", "and went"),
                (1, _) => ("was there", "before a step changed it"),
                (_, [BecameStory { gone: Some(_), .. }, ..]) => ("were there", "and went"),
                _ => ("were there", "before a step changed them"),
            };
            format!("no row of {table} {which}; {rows} {were} {went}{more}")
        }
        Some(_) => format!("{rows} of {table} {which}{more}"),
    }
}

/// Keys that are near to one that is not there.
fn near(near: &[NearKey]) -> String {
    let (apart, beside): (Vec<&NearKey>, Vec<&NearKey>) =
        near.iter().partition(|near| !near.kinds.is_empty());
    let mut out = String::new();
    for near in apart {
        let key = key_words(&near.key);
        out.push_str(&format!("  {key} differs but for {}\n", kinds_words(&near.kinds)));
    }
    if !beside.is_empty() {
        let keys: Vec<String> = beside.iter().map(|near| key_words(&near.key)).collect();
        out.push_str(&format!("  the nearest that are there: {}\n", keys.join(" ; ")));
    }
    out
}

fn row_story(story: &RowStory, asked: &str, width: usize) -> String {
    let row = &story.row;
    let mut out = format!("{} \u{b7} {}{}\n", heading(&row.table), name(row), place(row));
    if let Some(step) = &story.before {
        let gone = story.became.first().is_some_and(|became| became.gone.is_some());
        let stood = if gone { "as it stood before it went, at" } else { "as it stands before" };
        out.push_str(&format!("  {}\n", dim(&format!("{stood}  {}", step_words(step, width)))));
    }
    out.push('\n');
    out.push_str(&values(&row.values, width));
    let tells = |table: &&TableStory| table.table != row.table || !table.steps.is_empty();
    let tables: Vec<&TableStory> = story.made_of.iter().filter(tells).collect();
    if !tables.is_empty() {
        out.push_str(&format!("\n{}\n", heading("made of")));
        for table in tables {
            out.push_str(&table_story(table, width));
        }
    }
    if !story.became.is_empty() {
        out.push_str(&format!("\n{}\n", heading("went into")));
        for became in &story.became {
            let own = became.table == row.table && story.before.is_none();
            if own {
                became.outputs.iter().for_each(|path| out.push_str(&format!("  {path}\n")));
            } else {
                out.push_str(&became_story(became, asked, width));
            }
        }
    }
    let led: Vec<&LedHere> = story.led_here.iter().filter(|led| led.rows > 0).collect();
    if !led.is_empty() {
        out.push_str(&format!("\n{}\n", heading("lead here")));
        for led in led {
            let words = format!(
                "{} of {} by {}{}",
                counted(led.rows, "row", "rows"),
                led.table,
                plan_name(&led.link),
                listed(&led.first, led.rows)
            );
            out.push_str(&folded(&words, "  ", width));
        }
    }
    out.push('\n');
    out
}

/// The row's values, two columns of a table.
fn values(values: &[NamedValue], width: usize) -> String {
    let lines: Vec<Vec<String>> = values
        .iter()
        .map(|value| vec![value.name.clone(), value_words(value.value.as_deref(), width)])
        .collect();
    let mut out = String::new();
    for line in set(&[Side::Left, Side::Left], &lines) {
        out.push_str(&format!("  {line}\n"));
    }
    out
}

fn value_words(value: Option<&str>, width: usize) -> String {
    value.map_or_else(|| BLANK.to_owned(), |value| clipped(value, width.min(LONGEST)))
}

/// Names with their values, as in `order_no M100, line_no 2`.
fn key_words(key: &[NamedValue]) -> String {
    let each = key.iter().map(|value| {
        let words = value.value.as_deref().map_or_else(|| "blank".to_owned(), |v| clipped(v, 40));
        format!("{} {words}", value.name)
    });
    each.collect::<Vec<_>>().join(", ")
}

/// A row by its grain; one without by its first values.
fn name(row: &ToldRow) -> String {
    match row.key.as_slice() {
        [] => key_words(&row.values[..row.values.len().min(NAMING)]),
        key => key_words(key),
    }
}

fn place(row: &ToldRow) -> String {
    let words = |place: &Place| {
        let within = place.within().replace(' ', "\u{a0}");
        format!(" \u{b7} {}{UNBROKEN}{within}", clipped(&place.file, LONGEST))
    };
    row.place.as_ref().map_or_else(String::new, words)
}

/// The first of some rows behind a colon, and that there are more.
fn listed(first: &[ToldRow], all: u64) -> String {
    let rows: Vec<String> =
        first.iter().map(|row| format!("{}{}", name(row), place(row))).collect();
    if rows.is_empty() {
        return String::new();
    }
    let more = if all > rows.len() as u64 { " ; \u{2026}" } else { "" };
    format!(": {}{more}", rows.join(" ; "))
}

/// A step with its number in the tally.
fn step_words(step: &StepName, width: usize) -> String {
    let number = step.number.map_or_else(String::new, |number| number.to_string());
    format!("{number:>2}  {}", shortened(&step.text, width.saturating_sub(10)))
}

fn table_story(table: &TableStory, width: usize) -> String {
    let rows = match table.first.as_slice() {
        [row] if table.rows == 1 => format!("{}{}", name(row), place(row)),
        first => {
            let amounts = sums(&table.amounts);
            let amounts = if amounts.is_empty() { amounts } else { format!(", {amounts}") };
            let listed = if table.input { listed(first, table.rows) } else { String::new() };
            format!("{}{amounts}{listed}", counted(table.rows, "row", "rows"))
        }
    };
    let mut out = folded(&format!("{} \u{b7} {rows}", table.table), "  ", width);
    let mut told = HashSet::new();
    for step in &table.steps {
        out.push_str(&format!("    {}\n", step_words(&step.step, width)));
        out.push_str(&step_story(step, &mut told, width));
    }
    out
}

/// What a step did; links that have been `told` are not told again.
fn step_story(step: &StepStory, told: &mut HashSet<String>, width: usize) -> String {
    let mut lines = vec![];
    if step.before != step.after {
        let rows = counted(step.before, "row", "rows");
        lines.push(format!("{rows} became {}", count(step.after)));
    }
    lines.extend(step.met.iter().map(met).filter(|met| told.insert(met.clone())));
    if !step.made.is_empty() {
        lines.push(key_words(&step.made));
    }
    lines.extend(step.beside.iter().map(beside));
    if step.instead_rows > 0 {
        lines.push(instead(&step.instead, step.instead_rows));
    }
    for (result, rows) in &step.left_out {
        let rows = counted(*rows, "row", "rows");
        lines.push(format!("{rows} of them not in {result}, by its where"));
    }
    let mut out: String = lines.iter().map(|line| folded(line, "          ", width)).collect();
    if step.before > 1 {
        out.push_str(&members(&step.members, step.before));
    }
    out
}

/// The first rows of a group, one under the other.
fn members(rows: &[ToldRow], all: u64) -> String {
    let Some(first) = rows.first() else { return String::new() };
    let named: Vec<&NamedValue> = match first.key.as_slice() {
        [] => first.values.iter().take(NAMING).collect(),
        key => key.iter().collect(),
    };
    let mut lines: Vec<Vec<String>> =
        vec![named.iter().map(|value| value.name.clone()).chain([String::new()]).collect()];
    for row in rows {
        let value = |name: &str| row.values.iter().find(|value| value.name == name);
        let cells = named.iter().map(|named| {
            value_words(value(&named.name).and_then(|value| value.value.as_deref()), LONGEST)
        });
        let place = row.place.as_ref().map_or_else(String::new, ToString::to_string);
        lines.push(cells.chain([place]).collect());
    }
    let sides = vec![Side::Left; named.len() + 1];
    let mut out = String::new();
    for line in set(&sides, &lines) {
        out.push_str(&format!("            {line}\n"));
    }
    super::lists::more_indented(&mut out, all, rows.len(), "            ");
    out
}

/// A link that was followed.
fn met(met: &Met) -> String {
    match met {
        Met::Row { path, row } => format!("{path} \u{2192} {}{}", name(row), place(row)),
        Met::Nowhere { path, on, key, outside, once, near } => {
            let key: Vec<&str> = key.iter().map(|key| key.as_deref().unwrap_or("blank")).collect();
            let key: Vec<String> = key.iter().map(|key| super::spaces_seen(key)).collect();
            let mut words =
                format!("{path} \u{2192} {} (on {on}: {})", bad("nowhere"), key.join("/"));
            if let Some(outside) = outside {
                words.push_str(&format!(", {outside}"));
            }
            if let Some((row, step)) = once {
                let text = shortened(&step.text, LONGEST);
                let (name, place) = (name(row), place(row));
                words.push_str(&format!(
                    "; {} had {name}{place}, which went by  {text}",
                    step.table
                ));
            }
            if let Some(NearMet { key, kinds }) = near {
                let nearly = match (key, kinds.as_slice()) {
                    (Some(key), kinds) => {
                        let kinds = kinds_words(kinds);
                        format!("nearly {}, but for {kinds}", super::spaces_seen(key))
                    }
                    (None, [NearKind::EndDay]) => {
                        "on the day that ends a period and is not part of it".into()
                    }
                    (None, [NearKind::DayBefore]) => "on the day before a period".into(),
                    (None, _) => "on the day after a period".into(),
                };
                words.push_str(&format!("; {nearly}"));
            }
            words
        }
        Met::Rows { text, table, rows, first } => {
            let what = if text.is_empty() { String::new() } else { format!("{text}: ") };
            let rows_words = counted(*rows, "row", "rows");
            format!("{what}{rows_words} of {table} {} here{}", leads(*rows), listed(first, *rows))
        }
    }
}

fn leads(rows: u64) -> &'static str {
    if rows == 1 { "leads" } else { "lead" }
}

fn beside(beside: &Beside) -> String {
    let rows = match beside.rows {
        0 => "no other row".to_owned(),
        rows => counted(rows, "other row", "other rows"),
    };
    format!("{} looks at {rows} as well{}", beside.text, listed(&beside.first, beside.rows))
}

/// Rows that went for one that stayed.
fn instead(gone: &[GoneRow], all: u64) -> String {
    let rows: Vec<String> = gone
        .iter()
        .map(|gone| format!("{}{}, {}", name(&gone.row), place(&gone.row), why(gone)))
        .collect();
    let more = if all > rows.len() as u64 { " ; \u{2026}" } else { "" };
    format!("{} for it: {}{more}", counted(all, "row went", "rows went"), rows.join(" ; "))
}

fn why(gone: &GoneRow) -> String {
    use granum_core::tally::Why;
    match gone.why {
        Why::Copy => "equal to it".into(),
        Why::OtherVersion => "another version".into(),
        Why::Tie => "as good, but earlier".into(),
        other => other.to_string(),
    }
}

fn became_story(became: &BecameStory, asked: &str, width: usize) -> String {
    let table = &became.table;
    if let Some(gone) = &became.gone {
        return gone_story(gone, table, width);
    }
    if became.failed {
        return format!("  {table} \u{b7} {}\n", bad("could not be built"));
    }
    let mut words = match became.members {
        Some(members) if members > 1 && became.rows == 1 => {
            format!("1 row of {}, made of {}", count(became.of), counted(members, "row", "rows"))
        }
        _ => format!("{} of {}", counted(became.rows, "row", "rows"), count(became.of)),
    };
    words.push_str(&listed(&became.first, became.rows));
    let called = if table == asked { heading(table) } else { table.clone() };
    let mut out = folded(&format!("{called} \u{b7} {words}"), "  ", width);
    for output in &became.outputs {
        out.push_str(&format!("    in {output}\n"));
    }
    out
}

fn gone_story(gone: &GoneStory, table: &str, width: usize) -> String {
    let mut out = format!("  {table} \u{b7} {}\n", bad("taken out"));
    out.push_str(&format!("    {}\n", step_words(&gone.step, width)));
    let mut lines = vec![];
    if let Some(why) = gone.why {
        lines.push(why.to_string());
    }
    if let Some(stays) = &gone.stays {
        lines.push(format!("{} stays{}", name(stays), place(stays)));
    }
    if !gone.looked_at.is_empty() {
        lines.push(key_words(&gone.looked_at));
    }
    lines.extend(gone.met.iter().map(met));
    out.extend(lines.iter().map(|line| folded(line, "          ", width)));
    out
}
