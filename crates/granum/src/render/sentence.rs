//! How a run ended, in a sentence or two.

use granum_core::lang::Severity;
use granum_core::tally;

use super::lists::listed;
use super::view::Report;
use super::{counted, good};

/// How many checks there are of a severity, and how many of them do not hold.
fn tell(report: &tally::Report, severity: Severity) -> (usize, usize) {
    let of = report.checks.iter().filter(|check| check.severity == severity);
    of.fold((0, 0), |(all, failed), check| {
        (all + 1, failed + usize::from(!check.held && !check.skipped))
    })
}

/// The sentence.
pub(super) fn sentence(view: &Report<'_>) -> String {
    if view.tally.held() { held(view) } else { stopped(view) }
}

fn stopped(view: &Report<'_>) -> String {
    let report = view.tally;
    let failed_links = report.links.iter().filter(|link| !link.held).count();
    let not_built = report.links_planned - report.links.len();
    let (checks, failed_checks) = tell(report, Severity::Check);
    let skipped = report.checks.iter().filter(|check| check.skipped).count();
    let mut parts = vec![];
    if !report.problems.is_empty() {
        let problems = report.problems.len() as u64;
        parts.push(format!("{} with the data", counted(problems, "problem", "problems")));
    }
    // What could not be built has not failed by itself; only where all was looked at do zeros say
    // something.
    let all = report.problems.is_empty() && !view.examples_alone;
    if failed_links > 0 || all {
        parts.push(format!("{failed_links} of {} links failed", report.links_planned));
    }
    if failed_checks > 0 || all {
        parts.push(format!("{failed_checks} of {checks} checks failed"));
    }
    let examples = report.examples.len();
    let failed_examples = report.examples.iter().filter(|example| !example.held).count();
    if examples > 0 {
        parts.push(format!("{failed_examples} of {examples} examples failed"));
    }
    let (_, warns) = tell(report, Severity::Warn);
    let moved = report.moved.iter().filter(|moved| moved.more).count();
    let warns = warns + report.warnings.len() + moved;
    if warns > 0 {
        let denied = match (report.deny_warnings, warns) {
            (false, _) => "",
            (true, 1) => ", which is denied",
            (true, _) => ", which are denied",
        };
        parts.push(format!("{}{denied}", counted(warns as u64, "warning", "warnings")));
    }
    let mut out = format!("STOPPED: {}.", parts.join(", "));
    let mut not = vec![];
    if not_built > 0 {
        not.push(counted(not_built as u64, "link was not built", "links were not built"));
    }
    if skipped > 0 {
        not.push(counted(skipped as u64, "check was not looked at", "checks were not looked at"));
    }
    if !report.not_built.is_empty() {
        not.push(format!("not built: {}", report.not_built.join(", ")));
    }
    if !not.is_empty() {
        out.push_str(&format!(" {}.", upper_first(&not.join("; "))));
    }
    if report.writes {
        let beside = !report.aside.is_empty() || !view.anyway.is_empty();
        let none = if beside { "No output" } else { "Nothing" };
        out.push_str(&format!(" {none} was written."));
    }
    out
}

fn upper_first(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}

fn held(view: &Report<'_>) -> String {
    let report = view.tally;
    let empty =
        report.checks.iter().filter(|check| check.table.is_some() && check.rows == 0).count();
    let ((checks, _), (all, warned)) =
        (tell(report, Severity::Check), tell(report, Severity::Warn));
    if view.examples_alone && report.examples.is_empty() {
        return format!(
            "{}: the plan has no example, and nothing else was looked at.",
            good("HELD")
        );
    }
    let mut holding = vec![];
    if !view.examples_alone {
        holding.push(counted(report.links.len() as u64, "link", "links"));
        holding.push(counted(checks as u64, "check", "checks"));
    }
    if !report.examples.is_empty() {
        holding.push(counted(report.examples.len() as u64, "example", "examples"));
    }
    let verb = if holding.len() == 1 && report.examples.len() == 1 { "holds" } else { "hold" };
    let mut out = format!("{}: {} {verb}.", good("HELD"), listed(&holding, "and"));
    if warned > 0 {
        let verb = if warned == 1 { "does" } else { "do" };
        out.push_str(&format!(" {warned} of {all} warnings {verb} not."));
    }
    if !report.warnings.is_empty() {
        let found = report.warnings.len() as u64;
        out.push_str(&format!(
            " {} below.",
            counted(found, "usual mistake is", "usual mistakes are")
        ));
    }
    let moved = report.moved.iter().filter(|moved| moved.more).count() as u64;
    if moved > 0 {
        out.push_str(&format!(
            " {} more than before.",
            counted(moved, "number moved", "numbers moved")
        ));
    }
    if empty > 0 {
        out.push_str(&format!(
            " {} over a table without rows.",
            counted(empty as u64, "check was", "checks were")
        ));
    }
    if view.examples_alone {
        out.push_str(" Nothing else was looked at.");
    } else if !report.writes {
        out.push_str(" Nothing was to be written.");
    } else if report.written.is_empty() {
        out.push_str(" The plan has no output.");
    }
    out
}
