//! How files link, for people.

use granum_core::lang::plan_name;
use granum_core::relate::{
    Crossing, Doubt, FoundLink, FoundParts, FoundPeriod, Multiplicity, NameFound, RelatedTable,
    Relations,
};
use granum_core::tally::share_text;

use super::columns::{Side, set};
use super::{count, counted, dim, folded, heading, notable, width_of};

/// The tables, the links between them, and what only looks like one.
pub fn relations(found: &Relations, width: usize) -> String {
    let mut out = format!("{}\n\n", heading("tables"));
    out.push_str(&tables(&found.tables, width));
    for parts in &found.parts {
        out.push_str(&of_one(parts, found, width));
    }
    let (sure, unsure): (Vec<&FoundLink>, Vec<&FoundLink>) =
        found.links.iter().partition(|link| link.is_sure());
    out.push_str(&format!("{}\n\n", heading("links")));
    if sure.is_empty() {
        out.push_str("  none that is sure\n\n");
    }
    sure.iter().for_each(|found| out.push_str(&link(found, width)));
    if !unsure.is_empty() {
        out.push_str(&format!("{}\n\n", heading("perhaps")));
        unsure.iter().for_each(|found| out.push_str(&link(found, width)));
    }
    if !found.crossings.is_empty() {
        out.push_str(&format!("{}\n\n", heading("not safe to join")));
        found.crossings.iter().for_each(|found| out.push_str(&crossing(found, width)));
        out.push('\n');
    }
    if !found.periods.is_empty() {
        out.push_str(&format!("{}\n\n", heading("links by periods")));
        found.periods.iter().for_each(|found| out.push_str(&period(found, width)));
    }
    out
}

/// Two tables that were taken for parts of one, and what to write.
fn of_one(parts: &FoundParts, found: &Relations, width: usize) -> String {
    let (one, other) = &parts.tables;
    let (table, column) = &parts.met_from;
    let mut out = folded(
        &format!(
            "{one} and {other} are taken for parts of one: keys of {table} ({column}) are met by both \
             together, and by none of them alone"
        ),
        "  ",
        width,
    );
    let merged = found.tables.iter().find(|table| table.filling);
    if let Some(merged) = merged {
        let files: Vec<String> =
            merged.survey.files.iter().map(|file| format!("\"{file}\"")).collect();
        out.push_str(&folded(
            &format!(
                "write  input {} from {} filling blanks ; where they are written differently, an input \
                 each and  table {} from \u{2026} filling blanks , as `draft` does",
                plan_name(&merged.name),
                files.join(", "),
                plan_name(&merged.name)
            ),
            "    ",
            width,
        ));
    }
    out.push('\n');
    out
}

fn tables(tables: &[RelatedTable], width: usize) -> String {
    let mut rows = vec![["", "rows", "one row per", "after"].map(str::to_owned).to_vec()];
    rows.extend(tables.iter().map(|table| {
        let key = if table.key.is_empty() { "?".into() } else { table.key.join(", ") };
        let dedupe = table.survey.duplicates.dedupe.clone().unwrap_or_default();
        vec![table.name.clone(), count(table.survey.rows), key, dedupe]
    }));
    let mut out = String::new();
    let lines = set(&[Side::Left, Side::Right, Side::Left, Side::Left], &rows);
    for (at, line) in lines.iter().enumerate() {
        let Some(at) = at.checked_sub(1) else {
            out.push_str(&format!("  {}\n", dim(line)));
            continue;
        };
        if width_of(line) + 2 > width {
            out.push_str(&folded(line, "  ", width));
        } else {
            out.push_str(&format!("  {line}\n"));
        }
        if tables[at].survey.files.len() > 1 {
            let files = format!("from {}", tables[at].survey.files.join(", "));
            out.push_str(&dim(&folded(&files, "      ", width)));
        }
    }
    if tables.iter().any(|table| table.key.is_empty()) {
        out.push_str(&format!(
            "  {}\n",
            dim("? no columns that look like a key tell all rows apart")
        ));
    }
    out.push('\n');
    out
}

/// A statement as a plan has it.
fn line_of_plan(line: &str, width: usize) -> String {
    if width_of(line) + 2 > width {
        folded(line, "  ", width)
    } else {
        format!("  {}\n", heading(line))
    }
}

fn link(link: &FoundLink, width: usize) -> String {
    let kind = match link.multiplicity {
        Multiplicity::OneToOne => "one-to-one",
        Multiplicity::ManyToOne => "many-to-one",
    };
    let mut out = line_of_plan(&link.line(), width);
    let about = about(link.one_in);
    let share = share_text(link.matched.into(), (link.rows - link.blank).into());
    let mut facts = vec![
        kind.to_owned(),
        format!("{about}{share} of {}", counted(link.rows - link.blank, "row", "rows")),
        format!(
            "{about}{} of {}",
            count(link.distinct_matched),
            counted(link.distinct, "key", "keys")
        ),
        format!(
            "reaches {about}{} of {} {}",
            count(link.target_reached),
            count(link.target_distinct),
            link.to
        ),
    ];
    if link.declared {
        facts.push("declared".into());
    }
    if link.blank > 0 {
        facts.push(format!("{} blank", counted(link.blank, "row is", "rows are")));
    }
    if link.mended > 0 {
        facts.push(format!(
            "{about}{} only by a mended key",
            counted(link.mended, "row matches", "rows match")
        ));
    }
    if link.one_in > 1 {
        facts.push(format!("looked at in one of {} keys", count(link.one_in)));
    }
    let mut told = folded(&facts.join(" \u{b7} "), "    ", width);
    if link.matched < link.rows - link.blank {
        told = told.replacen(&share, &notable(&share), 1);
    }
    out.push_str(&told);
    for (table, column) in &link.as_text {
        let text = format!("in the input of {table}:  read {} as text", plan_name(column));
        out.push_str(&folded(&text, "    ", width));
    }
    for doubt in &link.doubts {
        out.push_str(&folded(&format!("unsure: {}", doubt_text(*doubt, link)), "    ", width));
    }
    out.push('\n');
    out
}

/// The word before what is told of a sample.
fn about(one_in: u64) -> &'static str {
    if one_in > 1 { "about " } else { "" }
}

fn doubt_text(doubt: Doubt, link: &FoundLink) -> String {
    match doubt {
        Doubt::Names => "the columns have different names".into(),
        Doubt::Incomplete => format!(
            "{}{} nowhere",
            about(link.one_in),
            counted(link.rows - link.blank - link.matched, "row leads", "rows lead")
        ),
        Doubt::FewValues => {
            format!("{} may meet by chance", counted(link.distinct, "value", "values"))
        }
        Doubt::SmallNumbers => "whole numbers meet whole numbers easily".into(),
        Doubt::BarelyReached => format!(
            "only {}{} of {} {} are ever met",
            about(link.one_in),
            count(link.target_reached),
            count(link.target_distinct),
            link.to
        ),
    }
}

fn crossing(crossing: &Crossing, width: usize) -> String {
    let (one, other) = &crossing.tables;
    let columns = if crossing.columns.0 == crossing.columns.1 {
        crossing.columns.0.clone()
    } else {
        format!("{} = {}", crossing.columns.0, crossing.columns.1)
    };
    let joined = i128::try_from(crossing.would_be).unwrap_or(i128::MAX);
    let joined = granum_core::value::decimal::grouped(joined, granum_core::value::Scale(0));
    let mut text = format!(
        "{one} and {other} on {columns}: it repeats in both, so {} and {} rows would become {}{joined}",
        count(crossing.rows.0),
        count(crossing.rows.1),
        about(crossing.one_in),
    );
    match (&crossing.instead, &crossing.bridge) {
        (Some(on), _) => text.push_str(&format!("; link them on {on}")),
        (None, Some(bridge)) => text.push_str(&format!("; go by {bridge}, which both lead to")),
        (None, None) => text.push_str("; make one row per key of one of them first"),
    }
    folded(&text, "  ", width)
}

fn period(period: &FoundPeriod, width: usize) -> String {
    let mut out = line_of_plan(&period.line, width);
    let mut text = format!(
        "{}{} of {} in a period",
        about(period.one_in),
        share_text(period.matched.into(), period.rows.into()),
        counted(period.rows, "day falls", "days fall"),
    );
    if period.several > 0 {
        text.push_str(&format!(
            " \u{b7} {}{} into several, of which the latest is taken",
            about(period.one_in),
            count(period.several)
        ));
    }
    out.push_str(&folded(&text, "    ", width));
    out.push('\n');
    out
}

/// Where a column of a name is.
pub fn names_found(found: &[NameFound], name: &str) -> String {
    if found.is_empty() {
        return format!("no column has a name like {name}\n");
    }
    let mut rows =
        vec![["column", "table", "distinct", "blank", "files"].map(str::to_owned).to_vec()];
    rows.extend(found.iter().map(|found| {
        vec![
            found.column.clone(),
            found.table.clone(),
            format!("{}{}", if found.exact { "" } else { "about " }, count(found.distinct)),
            count(found.blank),
            found.files.join(", "),
        ]
    }));
    let sides = [Side::Left, Side::Left, Side::Right, Side::Right, Side::Left];
    let lines = set(&sides, &rows);
    let mut out = String::new();
    for (at, line) in lines.iter().enumerate() {
        out.push_str(&format!("  {}\n", if at == 0 { dim(line) } else { line.clone() }));
    }
    out
}
