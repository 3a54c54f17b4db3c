//! What is in files, for people.

use granum_core::survey::{
    ColumnSurvey, GrainSurvey, NearlyUnique, Oddity, OddityKind, RepeatedRows, Survey, Typical,
};
use granum_core::value::Type;
use granum_io::{LineEnds, Look};

use super::columns::{Side, set};
use super::{clipped, count, counted, dim, folded, heading, notable, unread, width_of};

/// Values are shown up to this many letters.
const LONGEST: usize = 19;

/// A table of columns needs this much room for its widest part, the values.
const ROOMY: usize = 96;

/// The sheets of a book, or the tables of a database, that are surveyed.
pub fn parts(file: &str, parts: &[String], width: usize) -> String {
    let what = if granum_io::has_tables(file) { "tables" } else { "sheets" };
    let names: Vec<String> = parts.iter().map(|part| clipped(part, LONGEST * 2)).collect();
    let text = format!("{file} \u{b7} {} {what}: {}", count(parts.len() as u64), names.join(", "));
    format!("{}\n", folded(&text, "", width).replacen(file, &heading(file), 1))
}

/// The survey of one file.
pub fn survey(survey: &Survey, look: &Look, width: usize) -> String {
    let name = survey.files.join(", ");
    let size = format!(
        "{}, {}",
        counted(survey.rows, "row", "rows"),
        counted(survey.columns.len() as u64, "column", "columns")
    );
    let written = match written(look, &name) {
        nothing if nothing.is_empty() => nothing,
        words => format!(" \u{b7} {words}"),
    };
    let title = folded(&format!("{name} \u{b7} {size}{written}"), "", width);
    let mut out = format!("{}\n", title.replacen(&name, &heading(&name), 1));
    out.push_str(&columns(survey, width));
    out.push_str(&sampled(survey, width));
    if !survey.unread.is_empty() {
        let text = format!("left out, since no cell can hold it: {}", unread(&survey.unread));
        out.push_str(&format!("{}\n", folded(&text, "  ", width)));
    }
    if survey.rows == 0 {
        out.push_str("  There is a header and no row below it.\n\n");
        return out;
    }
    out.push_str(&oddities(survey, width));
    out.push_str(&grain(survey, width));
    out.push_str(&duplicates(survey, width));
    out
}

/// How a file of a name was found to be written.
fn written(look: &Look, name: &str) -> String {
    if let Some(sheet) = &look.sheet {
        let range = look.range.as_ref().map_or(String::new(), |range| format!(", range {range}"));
        let header = look.header_at.map_or(String::new(), |row| format!(", header at row {row}"));
        let footer = look.footer.map_or(String::new(), |rows| {
            format!(", {} below the rows (footer {rows})", counted(rows, "row", "rows"))
        });
        // A name that has the sheet says enough.
        let named = name.ends_with(&format!("#{sheet}"));
        let sheet = if named { String::new() } else { format!("sheet {sheet}") };
        return format!("{sheet}{range}{header}{footer}").trim_start_matches(", ").to_owned();
    }
    if matches!(look.format, "Parquet" | "Arrow") {
        return look.format.into();
    }
    if let Some(table) = &look.named {
        let named = name.ends_with(&format!("#{table}"));
        return if named { look.format.into() } else { format!("{}, table {table}", look.format) };
    }
    if look.format != "CSV" {
        return format!("{}, {}", look.format, look.encoding);
    }
    let delimiter = match look.delimiter {
        ',' => "fields by comma".to_owned(),
        ';' => "fields by semicolon".to_owned(),
        '\t' => "fields by tab".to_owned(),
        sign => format!("fields by {sign}"),
    };
    let ends = match look.line_ends {
        LineEnds::LineFeed => ", lines by \\n",
        LineEnds::CarriageReturnLineFeed => ", lines by \\r\\n",
        LineEnds::Mixed => ", lines by \\n and \\r\\n both",
        LineEnds::None => "",
    };
    let mut header =
        look.header_at.map_or(String::new(), |line| format!(", header at line {line}"));
    if let Some(footer) = look.footer {
        header.push_str(&format!(
            ", {} below the rows (footer {footer})",
            counted(footer, "line", "lines")
        ));
    }
    format!("{}, {delimiter}{ends}{header}", look.encoding)
}

/// All columns. Those that are blank in every row are only named; what does not fit is set below.
fn columns(survey: &Survey, width: usize) -> String {
    let (shown, blank): (Vec<&ColumnSurvey>, Vec<&ColumnSurvey>) =
        survey.columns.iter().partition(|column| column.distinct > 0 || survey.rows == 0);
    let name = |column: &ColumnSurvey| clipped(&column.name, 24);
    let facts = |column: &ColumnSurvey| {
        let about = if column.exact { "" } else { "about " };
        vec![
            name(column),
            type_words(column),
            count(column.blank),
            format!("{about}{}", count(column.distinct)),
        ]
    };
    let values = |column: &ColumnSurvey, room: usize| {
        let longest = if width < ROOMY { LONGEST.min(width / 5) } else { LONGEST };
        // Times of day are mostly whole minutes.
        let ends = [&column.least, &column.greatest];
        let minutes = column.read_as == Type::DateTime
            && ends.iter().all(|end| end.as_ref().is_none_or(|end| end.ends_with(":00")));
        let value = |value: &Option<String>| {
            let value = value.as_deref().unwrap_or_default();
            let value = if minutes { value.strip_suffix(":00").unwrap_or(value) } else { value };
            clipped(value, longest)
        };
        vec![value(&column.least), value(&column.greatest), typical(&column.typical, room)]
    };
    let fact_names = ["", "type", "blank", "distinct"].map(str::to_owned);
    let value_names = ["least", "greatest", "typical"].map(str::to_owned);
    let fact_sides = [Side::Left, Side::Left, Side::Right, Side::Right];
    let value_sides = [Side::Left, Side::Left, Side::Left];
    let together = |room: usize| {
        let mut rows = vec![[&fact_names[..], &value_names[..]].concat()];
        rows.extend(shown.iter().map(|column| [facts(column), values(column, room)].concat()));
        set(&[&fact_sides[..], &value_sides[..]].concat(), &rows)
    };
    let wide = |lines: &[String]| lines.iter().map(|line| width_of(line) + 2).max();
    let mut room = 60;
    let mut lines = together(room);
    while wide(&lines) > Some(width) && room > 12 {
        room -= 1;
        lines = together(room);
    }
    let mut out = String::new();
    let mut block = |lines: Vec<String>| {
        for (at, line) in lines.iter().enumerate() {
            let line = if at == 0 { dim(line) } else { line.clone() };
            out.push_str(&format!("  {line}\n"));
        }
        out.push('\n');
    };
    if wide(&lines) <= Some(width) || width >= ROOMY {
        if !shown.is_empty() {
            block(lines);
        }
    } else {
        let mut rows = vec![fact_names.to_vec()];
        rows.extend(shown.iter().map(|column| facts(column)));
        block(set(&fact_sides, &rows));
        let mut rows = vec![[&[String::new()], &value_names[..]].concat()];
        let names = shown.iter().map(|column| width_of(&name(column))).max();
        let room = width.saturating_sub(2 * (width / 5) + names.unwrap_or(0) + 8).max(8);
        rows.extend(shown.iter().map(|column| [vec![name(column)], values(column, room)].concat()));
        block(set(&[&[Side::Left], &value_sides[..]].concat(), &rows));
    }
    if !blank.is_empty() {
        let names: Vec<&str> = blank.iter().map(|column| column.name.as_str()).collect();
        let text = format!(
            "{} blank in every row: {}",
            counted(names.len() as u64, "column is", "columns are"),
            names.join(", ")
        );
        out.push_str(&folded(&text, "  ", width));
        out.push('\n');
    }
    out
}

/// The columns of which a sample of the values was kept, and what that means.
fn sampled(survey: &Survey, width: usize) -> String {
    let columns = survey.columns.iter().filter(|column| column.one_in > 1);
    let named: Vec<String> = columns
        .map(|column| format!("one in {} of {}", count(column.one_in), column.name))
        .collect();
    if named.is_empty() {
        return String::new();
    }
    let text = format!(
        "memory had room for some values only: {}; how many there are is an estimate, and what is typical, or differs \
         in case or zeros alone, is told of those; all else is told of every row; more memory (--memory) keeps all",
        named.join(", ")
    );
    format!("{}\n", folded(&text, "  ", width))
}

fn type_words(column: &ColumnSurvey) -> String {
    if column.read_as == column.ty {
        return column.ty.to_string();
    }
    format!("{} \u{2192} {}", column.ty, column.read_as)
}

/// The most frequent values, as many as there is room for.
fn typical(values: &[Typical], room: usize) -> String {
    let told = values.iter().map(|typical| {
        let count = if typical.rows == 1 { String::new() } else { times(typical.rows) };
        let value = clipped(&typical.value, LONGEST.min(room.saturating_sub(count.len()).max(6)));
        format!("{value} {count}").trim_end().to_owned()
    });
    let mut out = String::new();
    for value in told {
        let space = if out.is_empty() { 0 } else { 2 };
        if !out.is_empty() && width_of(&out) + space + width_of(&value) > room {
            break;
        }
        if space > 0 {
            out.push_str("  ");
        }
        out.push_str(&value);
    }
    out
}

/// How often a value is there.
fn times(rows: u64) -> String {
    format!("\u{d7}{}", count(rows))
}

/// What is odd about cells, by column, and what to write so that they are read.
fn oddities(survey: &Survey, width: usize) -> String {
    let odd: Vec<&ColumnSurvey> = survey
        .columns
        .iter()
        .filter(|column| !column.oddities.is_empty() || column.read.is_some())
        .collect();
    if odd.is_empty() {
        return format!("{}\n\n  nothing\n\n", heading("what looks odd"));
    }
    let mut out = format!("{}\n\n", heading("what looks odd"));
    for column in odd {
        out.push_str(&format!("  {}\n", notable(&column.name)));
        for oddity in &column.oddities {
            out.push_str(&folded(&oddity_text(oddity, column), "    ", width));
        }
        if let Some(read) = &column.read {
            out.push_str(&format!("    write  read {} as {read}\n", plan_name(&column.name)));
        }
    }
    out.push('\n');
    out
}

fn oddity_text(oddity: &Oddity, column: &ColumnSurvey) -> String {
    let of_sample = column.one_in > 1 && oddity.kind.is_of_values();
    let about = if of_sample { "about " } else { "" };
    let cells = format!("{about}{}", counted(oddity.rows, "cell", "cells"));
    let (is, has) = if oddity.rows == 1 { ("is", "has") } else { ("are", "have") };
    let at = oddity.place.as_ref().map_or(String::new(), |place| format!(" ({})", place.within()));
    let example = clipped(&oddity.example, 40);
    let plain = |what: &str| format!("{cells} {what}: {example}{at}");
    let words = oddity.words.join(", ");
    match oddity.kind {
        OddityKind::Offset => {
            let moved: Vec<String> = oddity
                .words
                .iter()
                .filter_map(|word| word.rsplit_once(' '))
                .map(|(zone, rows)| {
                    format!("{zone} {}", count(rows.parse::<u64>().unwrap_or_default()))
                })
                .collect();
            let moved = moved.join(", ");
            let cells = plain(&format!("{has} an offset from UTC"));
            format!(
                "{cells}; rows that are on another day than is written, by the clock of {moved}"
            )
        }
        OddityKind::DateFormat => plain(&format!("{is} written as {words}")),
        OddityKind::TwoWayDays => plain(
            "could be read two ways, day first or month first, and no other day of the column \
             tells which",
        ),
        OddityKind::Currency => plain(&format!("{has} a currency's sign")),
        OddityKind::Currencies => plain(&format!(
            "{has} signs of several currencies ({words}), which must not be added up"
        )),
        OddityKind::Thousands => plain(&format!("{has} thousands set off")),
        OddityKind::DecimalComma => plain(&format!("{has} a decimal comma")),
        OddityKind::Brackets => plain(&format!("{is} negative by brackets")),
        OddityKind::TrailingMinus => plain(&format!("{has} the minus behind")),
        OddityKind::TwoWayNumbers => plain(
            "could be read two ways, as thousands or as three places, and no other number of the \
             column tells which",
        ),
        OddityKind::Unlike => plain(&format!("{is} not what nearly all others are")),
        OddityKind::LeadingZeros => plain(&match column.ty {
            Type::Text => format!("{has} zeros before the number, so the column stays text"),
            _ => format!("{has} zeros before the number"),
        }),
        OddityKind::Exponent => plain(&format!(
            "{is} shortened as spreadsheets do, and the digits that stood there are lost"
        )),
        OddityKind::Rounded => plain(&format!(
            "{has} more than fifteen digits and zeros behind them, as spreadsheets leave; the digits \
             that stood there are lost"
        )),
        OddityKind::Floating => {
            format!("{cells} {is} kept as floating point numbers, whose sums need not be exact")
        }
        OddityKind::NoValue => plain(&format!("{has} no value")),
        OddityKind::OuterSpaces => plain(&format!("{has} spaces around")),
        OddityKind::LetterCase => {
            format!("{cells} {has} another letter case than most: {words}{at}")
        }
        OddityKind::SplitByZeros => {
            format!("{cells} {has} other zeros before the number than most: {words}{at}")
        }
        OddityKind::Control => plain(&format!("{has} letters that nobody sees ({words})")),
        OddityKind::Placeholder => {
            format!("{cells} {has} \"{words}\" in place of a missing value{at}")
        }
    }
}

/// What one row is.
fn grain(survey: &Survey, width: usize) -> String {
    let GrainSurvey { unique, nearly, columns_left_out } = &survey.grain;
    let mut out = format!("{}\n\n", heading("what one row is"));
    let copies = if survey.duplicates.copies > 0 { ", exact copies apart" } else { "" };
    for (at, columns) in unique.iter().enumerate() {
        let text = format!("one row per {}", columns.join(", "));
        let text =
            if at == 0 { format!("{}{copies}", notable(&text)) } else { format!("or {text}") };
        out.push_str(&format!("  {text}\n"));
    }
    if unique.is_empty() {
        let text = "no set of up to four columns that looks like a key tells all rows apart";
        out.push_str(&folded(text, "  ", width));
    }
    for near in nearly {
        out.push_str(&folded(&nearly_text(near), "  ", width));
    }
    if *columns_left_out > 0 && unique.iter().all(|set| set.len() > 1) {
        let text = format!(
            "of the {} columns, the {} likeliest were combined",
            survey.columns.len(),
            survey.columns.len() as u64 - columns_left_out
        );
        out.push_str(&format!("  {}\n", dim(&text)));
    }
    out.push('\n');
    out
}

fn nearly_text(near: &NearlyUnique) -> String {
    let mut broken = vec![];
    if near.repeating > 0 {
        broken.push(format!(
            "{} a key of a row above",
            counted(near.repeating, "row repeats", "rows repeat")
        ));
    }
    if near.blank > 0 {
        broken.push(format!("{} blank", counted(near.blank, "row is", "rows are")));
    }
    let examples: Vec<String> = near.examples.iter().map(repeated).collect();
    let examples =
        if examples.is_empty() { String::new() } else { format!(": {}", examples.join("; ")) };
    format!("nearly {}: {}{examples}", near.columns.join(", "), broken.join(", "))
}

fn repeated(rows: &RepeatedRows) -> String {
    let lines: Vec<String> = rows.places.iter().map(|place| place.line.to_string()).collect();
    let more = if rows.rows > rows.places.len() as u64 { ", \u{2026}" } else { "" };
    let word = rows.places.first().map_or("line", |place| place.counted.word());
    format!("{} on {word}s {}{more}", rows.key, lines.join(", "))
}

/// Copies and versions, and the step that leaves one of each.
fn duplicates(survey: &Survey, width: usize) -> String {
    let found = &survey.duplicates;
    let mut out = format!("{}\n\n", heading("rows that are there more than once"));
    if found.copies == 0 && found.versions.is_none() {
        out.push_str("  none\n\n");
        return out;
    }
    if found.copies > 0 {
        let places: Vec<String> = found
            .copy_places
            .iter()
            .map(|(of, copy)| format!("{} of {}", copy.within(), of.within()))
            .collect();
        let more = if found.copies > places.len() as u64 { ", \u{2026}" } else { "" };
        let text = format!(
            "{} of another, letter for letter: {}{more}",
            counted(found.copies, "row is an exact copy", "rows are exact copies"),
            places.join(", ")
        );
        out.push_str(&folded(&text, "  ", width));
    }
    if let Some(versions) = &found.versions {
        let text = format!(
            "{} of {} on {} with other values",
            counted(versions.keys, "key", "keys"),
            versions.key.join(", "),
            counted(versions.rows, "row", "rows"),
        );
        out.push_str(&folded(&text, "  ", width));
        let differ: Vec<String> =
            versions.differ.iter().map(|(name, keys)| format!("{name} {}", times(*keys))).collect();
        out.push_str(&folded(&format!("they differ in {}", differ.join(", ")), "  ", width));
        if versions.unlike {
            out.push_str("  they differ in so much that they may be different things of one key\n");
        }
    }
    if let Some(dedupe) = &found.dedupe {
        out.push_str(&format!("  write  {dedupe}\n"));
    }
    out.push('\n');
    out
}

/// A name as a plan writes it.
fn plan_name(name: &str) -> String {
    granum_core::lang::plan_name(name)
}
