//! `run` and `check`.

use std::path::Path;
use std::time::Instant;

use granum_core::engine::{RunError, Running, Want, run_as, run_examples};
use granum_core::port::OutputError;
use granum_core::tally::Report;

use super::changes::Kept;
use super::plan::Plan;
use super::record::{self, Record, Since};
use super::{Exit, Printer, anyway, aside, left};
use crate::args::{Deny, Format, PlanArgs, Writing};
use crate::progress::Progress;
use crate::render::{Report as View, json};

/// What is asked of a plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Does<'a> {
    /// Its worked examples come out.
    Examples,
    /// All holds.
    Checks,
    /// All holds, and its outputs are written, with what is written beside.
    Outputs(&'a Writing),
}

pub(super) fn run(printer: &mut Printer, args: &PlanArgs, does: Does<'_>) -> Exit {
    let begun = Instant::now();
    let options = &args.options;
    let opened = Plan::open(printer, &args.source(), options.format).and_then(|plan| match does {
        Does::Outputs(writing) => plan.only(printer, &writing.only),
        Does::Examples | Does::Checks => Ok(plan),
    });
    let plan = match opened {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    match does {
        Does::Outputs(_) => left::finish(printer, &plan),
        Does::Checks => left::tell(printer, &plan),
        Does::Examples => {}
    }
    let progress = Progress::new(printer.global.quiet);
    let done = work(&plan, args, does, &progress);
    let stages = progress.finish();
    let done = match done {
        Ok(done) => done,
        Err(error) => return plan.failed(printer, error),
    };
    let seconds = begun.elapsed().as_secs_f64();
    let report = &done.report;
    let view = View {
        tally: report,
        plan: &plan.name,
        settings: &options.settings,
        source: &plan.texts.all,
        width: printer.width,
        every_table: printer.global.verbose,
        whole_bridges: args.bridge,
        examples_alone: does == Does::Examples,
        since: done.since.as_ref(),
        changes: &done.changes,
        anyway: &done.anyway,
    };
    let text = match options.format {
        Format::Json => json::report(&plan.name, report, &done.changes, &done.anyway),
        // In a pipeline nobody reads that all is well.
        Format::Text if printer.global.quiet && report.held() && !report.warns() => String::new(),
        Format::Text if printer.global.quiet => view.verdict(),
        Format::Text => view.whole(),
    };
    printer.told(options.format, &text);
    let all = ("in all".to_owned(), seconds);
    printer.stages(stages.into_iter().chain([all]));
    if let Does::Outputs(Writing { record: Some(path), .. }) = does
        && let Err(error) = write_record(&plan, args, report, (path, seconds))
    {
        return plan.failed(printer, RunError::Output(error));
    }
    if report.held() { Exit::Held } else { Exit::DataFailed }
}

/// What came of a plan.
struct Done {
    report: Report,
    since: Option<Since>,
    /// Outputs compared with what they replaced.
    changes: Vec<(String, granum_core::compare::Compared)>,
    /// What was written of a run that stopped.
    anyway: Vec<granum_core::tally::Written>,
}

fn work(
    plan: &Plan,
    args: &PlanArgs,
    does: Does<'_>,
    progress: &Progress,
) -> Result<Done, RunError> {
    let settings = &args.options.settings;
    let none = Writing::default();
    let writing = match does {
        Does::Outputs(writing) => writing,
        Does::Examples | Does::Checks => &none,
    };
    if let Some(refused) = writing.record.as_deref().and_then(|path| record::refused(plan, path)) {
        return Err(RunError::Output(refused));
    }
    let earlier = writing.against.as_deref().map(|path| Ok((record::read(path)?, path)));
    let earlier: Option<(Record, &Path)> = earlier.transpose().map_err(RunError::Output)?;
    // First: where they cannot be written, nothing is.
    let aside = match &writing.aside {
        Some(folder) => aside::write(plan, settings, folder, progress)?,
        None => vec![],
    };
    let kept =
        if writing.changes { Kept::of(plan).map_err(RunError::Output)? } else { Kept::default() };
    let running = Running {
        deny_warnings: args.deny == Some(Deny::Warnings),
        earlier: earlier.as_ref().map(|(record, _)| &record.numbers),
        ..Running::default()
    };
    let worked = |want| run_as(&plan.tree, settings, &plan.files, want, progress, running);
    let report = match does {
        Does::Examples => run_examples(&plan.tree, &plan.files),
        Does::Checks => worked(Want::Check),
        Does::Outputs(_) => worked(Want::Outputs(&plan.files)),
    }?;
    let report = Report { aside, ..report };
    let since = earlier.map(|(record, path)| record::since(plan, settings, (&record, path)));
    let since = since.transpose().map_err(|error| RunError::Output(unread(&error)))?;
    let changes = kept.compared(plan, &report, progress)?;
    let anyway = match &writing.anyway_to {
        Some(folder) if !report.held() => anyway::write(plan, settings, &report, folder, progress)?,
        _ => vec![],
    };
    Ok(Done { report, since, changes, anyway })
}

fn unread(error: &std::io::Error) -> OutputError {
    OutputError {
        path: "a file of the plan".into(),
        message: format!("cannot be read again: {error}"),
        help: "the outputs are written; the record is not".into(),
    }
}

fn write_record(
    plan: &Plan,
    args: &PlanArgs,
    report: &Report,
    (path, seconds): (&Path, f64),
) -> Result<(), OutputError> {
    let told = json::report_value(report);
    let made = record::made(plan, &args.options.settings, (report, told), seconds);
    record::write(&made.map_err(|error| unread(&error))?, path)
}
