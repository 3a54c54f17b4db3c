//! Whether everything held; if not, what did not, and which rows to look at.

use granum_core::lang::Severity;
use granum_core::table::Place;
use granum_core::tally::{self, AsideFile, CheckTally, LinkTally, Taken, TakenOut, Written};
use granum_core::value::{Scalar, Scale, decimal};

use super::columns::{Side, set};
use super::example;
use super::links;
use super::near::near_misses;
use super::sentence::sentence;
use super::shell;
use super::view::Report;
use super::warning::{self, allowed};
use super::{
    bad, bad_at_end, count, counted, folded, good, heading, notable, problem, shortened, width_of,
};

/// In the list of checks, titles and each of two sides have so many letters at most: whole they stand
/// where a check fails.
const TITLE: usize = 48;
const VALUE: usize = 24;

/// The list of checks.
pub(super) fn checks(view: &Report<'_>) -> String {
    if view.tally.checks.is_empty() {
        return String::new();
    }
    let rows: Vec<Vec<String>> = view
        .tally
        .checks
        .iter()
        .map(|check| {
            let state = match check.severity {
                _ if check.skipped => "NOT LOOKED AT",
                _ if check.held => "ok",
                Severity::Check => "FAILED",
                Severity::Warn => "WARNING",
            };
            vec![shortened(&check.title, TITLE), over(check), state.to_owned()]
        })
        .collect();
    let mut out = format!("{}\n\n", heading("checks"));
    for line in set(&[Side::Left, Side::Left, Side::Left], &rows) {
        let line = bad_at_end(&line, &["FAILED", "NOT LOOKED AT"]);
        let line = match (line.strip_suffix("  ok"), line.strip_suffix("WARNING")) {
            (Some(start), _) => format!("{start}  {}", good("ok")),
            (_, Some(start)) => format!("{start}{}", notable("WARNING")),
            _ => line,
        };
        out.push_str(&format!("  {line}\n"));
    }
    out.push('\n');
    out
}

/// What a check looked at.
pub(super) fn over(check: &CheckTally) -> String {
    match &check.table {
        _ if check.skipped => String::new(),
        Some(table) if check.rows == 0 => format!("{table} has no rows"),
        Some(table) => {
            let share = check
                .sides
                .first()
                .map_or(String::new(), |(_, share)| format!(": {}", for_people(share)));
            format!("{} of {table}{share}", counted(check.rows, "row", "rows"))
        }
        None => check
            .sides
            .iter()
            .take(2)
            .map(|(_, value)| shortened(&for_people(value), VALUE))
            .collect::<Vec<_>>()
            .join(" and "),
    }
}

pub(super) fn verdict(view: &Report<'_>) -> String {
    let report = view.tally;
    let sentence = sentence(view);
    let mut out = if report.held() {
        let written: String = report.written.iter().map(wrote).collect();
        format!("{sentence}\n{written}{}", aside(&report.aside))
    } else {
        // Coloured when it is folded: signs of colour have no width.
        folded(&sentence, "", view.width).replacen("STOPPED", &bad("STOPPED"), 1)
    };
    for trouble in troubles(view) {
        out.push('\n');
        out.push_str(&trouble.text);
    }
    out.push_str(&allowed(&report.allowed, view.width));
    if !report.held() && !report.aside.is_empty() {
        out.push('\n');
        out.push_str(&aside(&report.aside));
    }
    if !view.anyway.is_empty() {
        out.push_str("\n  what could be built all the same, to be looked at\n");
        for written in view.anyway {
            out.push_str(&format!("  {}", wrote(written)));
        }
    }
    if let Some((path, bytes)) = view.page {
        out.push_str(&format!(
            "\n  {path} \u{b7} all of this on one page \u{b7} {}\n",
            size(bytes)
        ));
    }
    out
}

/// Something that did not hold, or is warned of.
pub(super) struct Trouble {
    /// Whether it is only warned of.
    pub warned: bool,
    /// What there is to say of it.
    pub text: String,
}

/// All that did not hold, then all that is warned of.
pub(super) fn troubles(view: &Report<'_>) -> Vec<Trouble> {
    let report = view.tally;
    let mut stopped = vec![];
    stopped.extend(report.problems.iter().map(|one| problem::problem(one, view.source)));
    let links = report.links.iter().filter(|link| !link.held);
    stopped.extend(links.map(|link| failed_link(view, link)));
    let examples = report.examples.iter().filter(|example| !example.held);
    stopped.extend(examples.map(|failed| example::failed(failed, view.source, view.width)));
    stopped.extend(failed_checks_of(view, Severity::Check));
    let mut warned = failed_checks_of(view, Severity::Warn);
    warned.extend(report.warnings.iter().map(|one| warning::told(one, view.width)));
    let trouble = |warned: bool| move |text: String| Trouble { warned, text };
    let stopped = stopped.into_iter().map(trouble(false));
    stopped.chain(warned.into_iter().map(trouble(true))).collect()
}

/// What there is to say of all checks of a severity that do not hold.
fn failed_checks_of(view: &Report<'_>, severity: Severity) -> Vec<String> {
    let failed = view
        .tally
        .checks
        .iter()
        .filter(|check| check.severity == severity && !check.held && !check.skipped);
    failed.map(|check| failed_check(view, check)).collect()
}

/// The files of rows that steps took out.
fn aside(files: &[AsideFile]) -> String {
    if files.is_empty() {
        return String::new();
    }
    let lines: Vec<Vec<String>> = files
        .iter()
        .map(|file| {
            let rows = counted(file.rows, "row", "rows");
            vec![file.path.clone(), rows, shortened(&file.step.text, TITLE)]
        })
        .collect();
    let mut out = "  rows that steps took out\n".to_owned();
    for line in set(&[Side::Left, Side::Right, Side::Left], &lines) {
        out.push_str(&format!("    {line}\n"));
    }
    out
}

/// What became of a table of a database.
fn taken(taken: Taken) -> String {
    match taken {
        Taken::Made => ", in a new table".into(),
        Taken::Refilled { before: 0 } => ", in an empty table".into(),
        Taken::Refilled { before } => format!(", in place of {}", count(before)),
        Taken::Added { new, replaced } => {
            format!(": {} added, {} replaced", count(new), count(replaced))
        }
    }
}

/// A file that was written.
pub(super) fn wrote(written: &Written) -> String {
    let total = if written.total { " and the total" } else { "" };
    let rows = counted(written.rows, "row", "rows");
    let name = written.shown();
    if written.named.is_some() {
        // What stands in the rest of a database is not its output.
        let taken = written.taken.map_or_else(String::new, taken);
        return format!("  wrote {name} \u{b7} {rows}{total}{taken}\n");
    }
    if let Some(title) = &written.chart {
        return format!(
            "  drew {name} \u{b7} \"{title}\", {rows} \u{b7} {}\n",
            size(written.bytes)
        );
    }
    let all = if written.sheet.is_some() { " in all" } else { "" };
    let size = size(written.bytes);
    format!("  wrote {name} \u{b7} {rows}{total} \u{b7} {size}{all}\n")
}

/// A size in decimal units, as disks are sold.
pub(super) fn size(bytes: u64) -> String {
    match bytes {
        0..1_000 => format!("{bytes} bytes"),
        1_000..1_000_000 => format!("{}.{} kB", bytes / 1_000, bytes % 1_000 / 100),
        1_000_000..1_000_000_000 => {
            format!("{}.{} MB", bytes / 1_000_000, bytes % 1_000_000 / 100_000)
        }
        _ => format!("{}.{} GB", bytes / 1_000_000_000, bytes % 1_000_000_000 / 100_000_000),
    }
}

fn failed_link(view: &Report<'_>, link: &LinkTally) -> String {
    let missing = link.counted() - link.matched;
    let amounts: Vec<String> = link
        .amounts
        .iter()
        .map(|amount| format!("{} {}", amount.missing_net, amount.name))
        .collect();
    let amounts =
        if amounts.is_empty() { String::new() } else { format!(" ({})", amounts.join(", ")) };
    let mut out = format!(
        "  {} \u{2192} {}: {} of {}{amounts} {} no {}.\n",
        link.from,
        link.name,
        counted(missing, "row", "rows"),
        link.from,
        if missing == 1 { "has" } else { "have" },
        link.to,
    );
    let told = links::amounts_told(link);
    let asked = told.iter().any(|a| link.required.ends_with(&format!(" of {}", a.column)));
    let share = if asked {
        let shares: Vec<String> = told.into_iter().map(links::by_amount).collect();
        shares.join(", ")
    } else {
        tally::share_text(link.matched.into(), link.counted().into())
    };
    let asks = match link.required.as_str() {
        "complete" => "that it is complete".to_owned(),
        share => format!("for {share}"),
    };
    out.push_str(&format!("    {share} is matched; the plan asks {asks}\n"));
    if !link.blank_allowed && link.blank > 0 {
        out.push_str(&format!(
            "    {}; say  blank allowed  to leave them out of the share\n",
            counted(link.blank, "key is blank", "keys are blank")
        ));
    }
    if !link.examples.is_empty() {
        let keys: Vec<String> = link
            .examples
            .iter()
            .map(|example| match example.rows {
                1 => example.key.clone(),
                rows => format!("{} ({} rows)", example.key, count(rows)),
            })
            .collect();
        out.push_str(&folded(
            &format!("keys without one: {}", keys.join(", ")),
            "    ",
            view.width,
        ));
    }
    out.push_str(&taken_out(view, link));
    out.push_str(&near_misses(&link.near, link.unlike, &link.to, view.width));
    let leave_out = ("--unmatched", link.name.as_str());
    let see =
        shell::show((view.plan, view.settings), &link.from, leave_out, link.rows - link.matched);
    out.push_str(&format!("    see them: {see}\n"));
    out
}

/// Steps of a link's target that took out rows which rows of the source would lead to.
fn taken_out(view: &Report<'_>, link: &LinkTally) -> String {
    let mut out = String::new();
    for TakenOut { step, rows, distinct, at_least, examples } in &link.taken_out {
        let text = format!(
            "{}{} would have one that went by {} of {}, {}",
            if *at_least { "at least " } else { "" },
            counted(*rows, "row", "rows"),
            step.number.map_or("a step".into(), |number| format!("step {number}")),
            step.table,
            shortened(&step.text, TITLE),
        );
        out.push_str(&folded(&text, "    ", view.width));
        let place = |place: &Place| format!(" ({place})");
        let keys: Vec<Vec<String>> = examples
            .iter()
            .map(|example| {
                let key = shortened(&example.key, TITLE);
                vec![key, example.place.as_ref().map_or_else(String::new, place)]
            })
            .collect();
        for line in set(&[Side::Left, Side::Left], &keys) {
            out.push_str(&format!("      {line}\n"));
        }
        let more = *distinct - examples.len() as u64;
        if more > 0 {
            out.push_str(&format!("      and {}\n", counted(more, "key more", "keys more")));
        }
    }
    if let Some(first) = link.taken_out.first() {
        let see = shell::removed((view.plan, view.settings), &first.step.table);
        out.push_str(&format!("      see what went: {see}\n"));
    }
    out
}

/// A value with its thousands set off.
fn for_people(value: &Scalar) -> String {
    match value {
        Scalar::Integer(value) => decimal::grouped((*value).into(), Scale(0)),
        Scalar::Decimal(units, scale) => decimal::grouped(*units, *scale),
        other => other.to_string(),
    }
}

fn failed_check(view: &Report<'_>, check: &CheckTally) -> String {
    let what = match check.severity {
        Severity::Check => "check",
        Severity::Warn => "warning",
    };
    let Some(table) = &check.table else {
        let mut out = format!("  {what} \"{}\" does not hold: {}\n", check.title, check.condition);
        if check.blank > 0 {
            out.push_str(&format!("    it is blank, and a {what} holds only where it is true\n"));
        }
        let longest = check.sides.iter().map(|(text, _)| width_of(text)).max().unwrap_or(0);
        for (text, value) in &check.sides {
            let room = " ".repeat(longest - width_of(text));
            out.push_str(&format!("    {text}{room} = {}\n", for_people(value)));
        }
        return out;
    };
    let mut out = format!(
        "  {what} \"{}\" does not hold for {} of {}: {}\n",
        check.title,
        counted(check.failed, "row", "rows"),
        table,
        check.condition
    );
    if let Some(at_least) = &check.at_least {
        let share = check.sides.first().map_or(String::new(), |(_, share)| for_people(share));
        out.push_str(&format!("    it holds for {share}; the plan asks for at least {at_least}\n"));
    }
    if check.blank > 0 {
        out.push_str(&format!(
            "    for {} it is blank, and a {what} holds only where it is true\n",
            counted(check.blank, "of them", "of them")
        ));
    }
    for row in &check.examples {
        let values: Vec<String> =
            row.values.iter().map(|(name, value)| format!("{name} {value}")).collect();
        let place = row.place.as_ref().map_or(String::new(), |place| format!("   ({place})"));
        out.push_str(&format!("    {}{place}\n", values.join(", ")));
    }
    let more = check.failed.saturating_sub(check.examples.len() as u64);
    if more > 0 {
        out.push_str(&format!("    and {} more\n", count(more)));
        // Where it is blank it does not hold either.
        let failing = match check.blank {
            0 => format!("not ({})", check.condition),
            _ => format!("not (({}) ?? false)", check.condition),
        };
        let see =
            shell::show((view.plan, view.settings), table, ("--where", &failing), check.failed);
        out.push_str(&format!("    see them all: {see}\n"));
    }
    out
}
