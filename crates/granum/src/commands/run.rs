//! `run` and `check`.

use std::path::Path;
use std::time::Instant;

use granum_core::engine::{RunError, Running, Want, run_as, run_examples};
use granum_core::port::OutputError;
use granum_core::tally::Report;

use super::changes::Kept;
use super::plan::Plan;
use super::record;
use super::{Exit, Printer, anyway, aside, left, page};
use crate::args::{Deny, Format, PlanArgs, Writing};
use crate::memory::Used;
use crate::progress::Progress;
use crate::record::{Record, Since};
use crate::render::Report as View;
use crate::render::json::{self, ChangeTold, ErrorTold, Outcome, PageTold, RunTold, Told};

/// What is asked of a plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Does<'a> {
    /// Its worked examples come out.
    Examples,
    /// All holds.
    Checks,
    /// All holds, and a page tells it.
    Page(&'a Writing),
    /// All holds, and its outputs are written, with what is written beside.
    Outputs(&'a Writing),
}

impl<'a> Does<'a> {
    /// What is written, if anything may be.
    fn writing(self) -> Option<&'a Writing> {
        match self {
            Self::Page(writing) | Self::Outputs(writing) => Some(writing),
            Self::Examples | Self::Checks => None,
        }
    }
}

pub(super) fn run(printer: &mut Printer, args: &PlanArgs, does: Does<'_>) -> Exit {
    let piped =
        does.writing().is_some_and(|own| own.report.as_deref() == Some(Path::new(page::STANDARD)));
    if piped && args.options.format == Format::Json {
        let text = "error: the page and --format json would both go to standard output\n  write the page to a file: \
                    its path in place of -\n";
        printer.diagnostic(text);
        return Exit::PlanWrong;
    }
    match done(printer, args, does) {
        Ok((plan, done)) => {
            let text = match args.options.format {
                Format::Json => document(&plan, &done),
                Format::Text => told(printer, &view(printer, &plan, args, (&done, does)), does),
            };
            if piped {
                printer.diagnostic(&text);
            } else {
                printer.told(args.options.format, &text);
            }
            printer.stages(done.stages.iter().cloned());
            printer.beside(&done.memory.told());
            match done.unwritten {
                Some(_) if args.options.format == Format::Json => Exit::FileFailed,
                Some(error) => plan.failed(printer, RunError::Output(error)),
                None if done.report.held() => Exit::Held,
                None => Exit::DataFailed,
            }
        }
        Err(exit) => exit,
    }
}

/// Opens a plan and does what is asked of it; what went wrong has been told.
pub(super) fn done(
    printer: &mut Printer,
    args: &PlanArgs,
    does: Does<'_>,
) -> Result<(Plan, Done), Exit> {
    let begun = Instant::now();
    let plan = Plan::open(printer, &args.source(), (args.options.format, &args.options.settings))?;
    let plan = match does {
        Does::Outputs(writing) => plan.only(printer, &writing.only)?,
        Does::Examples | Does::Checks | Does::Page(_) => plan,
    };
    match does {
        Does::Outputs(_) => left::finish(printer, &plan),
        Does::Checks | Does::Page(_) => left::tell(printer, &plan),
        Does::Examples => {}
    }
    let progress = Progress::new(printer.global.quiet);
    let done = work(&plan, args, does, &progress);
    let mut stages = progress.finish();
    let mut done = done.map_err(|error| plan.failed(printer, error))?;
    let seconds = begun.elapsed().as_secs_f64();
    stages.push(("in all".to_owned(), seconds));
    done.stages = stages;
    let Some(writing) = does.writing() else { return Ok((plan, done)) };
    if let Some(path) = &writing.record {
        done.unwritten = write_record(&plan, args, &done, (path, seconds)).err();
    }
    if let Some(path) = &writing.report {
        let (report, since) = (&done.report, done.since.as_ref());
        let paged = page::Paged { report, since, settings: &args.options.settings };
        match page::write(printer, &plan, &paged, path) {
            Ok(bytes) => done.page = Some(PageTold { path: path.display().to_string(), bytes }),
            Err(error) => done.unwritten = done.unwritten.or(Some(error)),
        }
    }
    Ok((plan, done))
}

/// What is to be printed, and how.
pub(super) fn view<'a>(
    printer: &Printer,
    plan: &'a Plan,
    args: &'a PlanArgs,
    (done, does): (&'a Done, Does<'_>),
) -> View<'a> {
    View {
        tally: &done.report,
        plan: &plan.name,
        settings: &args.options.settings,
        source: &plan.texts.all,
        width: printer.width,
        every_table: printer.global.verbose,
        whole_bridges: args.bridge,
        examples_alone: does == Does::Examples,
        since: done.since.as_ref(),
        changes: &done.changes,
        anyway: &done.anyway,
        page: done.page.as_ref().map(|page| (page.path.as_str(), page.bytes)),
    }
}

/// What is told as text.
pub(super) fn told(printer: &Printer, view: &View<'_>, does: Does<'_>) -> String {
    match printer.global.quiet {
        // In a pipeline nobody reads that all is well.
        true if view.tally.held() && !view.tally.warns() => String::new(),
        true => view.verdict(),
        false if matches!(does, Does::Page(_)) => view.verdict(),
        false => view.whole(),
    }
}

/// The document of a run or a check.
fn document(plan: &Plan, done: &Done) -> String {
    json::of_plan(&plan.name, done.outcome(), Told::Report(done.told()))
}

/// What came of a plan.
pub(super) struct Done {
    pub report: Report,
    since: Option<Since>,
    /// Outputs compared with what they replaced.
    changes: Vec<(String, granum_core::compare::Compared)>,
    /// What was written of a run that stopped.
    anyway: Vec<granum_core::tally::Written>,
    /// What took how many seconds.
    stages: Vec<(String, f64)>,
    /// What memory was used.
    memory: Used,
    /// The page that was written.
    page: Option<PageTold>,
    /// Why its record or its page could not be written.
    unwritten: Option<OutputError>,
}

impl Done {
    /// How it ended.
    pub fn outcome(&self) -> Outcome {
        match self.unwritten {
            Some(_) => Outcome::FileFailed,
            None => Outcome::of(self.report.held()),
        }
    }

    /// The same as a part of a document.
    pub fn told(&self) -> RunTold<'_> {
        let changes = self.changes.iter();
        RunTold {
            report: &self.report,
            since: self.since.as_ref(),
            changes: changes.map(|(path, compared)| ChangeTold { path, compared }).collect(),
            anyway: &self.anyway,
            page: self.page.as_ref(),
            unwritten: self.unwritten.as_ref().map(ErrorTold::from),
        }
    }
}

fn work(
    plan: &Plan,
    args: &PlanArgs,
    does: Does<'_>,
    progress: &Progress,
) -> Result<Done, RunError> {
    let settings = &args.options.settings;
    let none = Writing::default();
    let writing = does.writing().unwrap_or(&none);
    for (path, what) in [(&writing.record, "record"), (&writing.report, "page")] {
        let refused = path.as_deref().and_then(|path| record::refused(plan, path, what));
        refused.map_or(Ok(()), |refused| Err(RunError::Output(refused)))?;
    }
    let earlier = writing.against.as_deref().map(|path| Ok((record::read(path)?, path)));
    let earlier: Option<(Record, &Path)> = earlier.transpose().map_err(RunError::Output)?;
    let memory = &args.memory;
    let room = match does.writing() {
        Some(_) => memory.room(),
        None => memory.room_to_check(plan.bytes_read()),
    };
    // First: where they cannot be written, nothing is.
    let aside = match &writing.aside {
        Some(folder) => aside::write(plan, (settings, &room), folder, progress)?,
        None => vec![],
    };
    let kept =
        if writing.changes { Kept::of(plan).map_err(RunError::Output)? } else { Kept::default() };
    let running = Running {
        room: Some(&room),
        deny_warnings: args.deny == Some(Deny::Warnings),
        earlier: earlier.as_ref().map(|(record, _)| &record.numbers),
        seen: writing.report.is_some(),
        reads_last: writing.reads_last(),
        ..Running::default()
    };
    let worked = |want| run_as(&plan.tree, settings, &plan.files, want, progress, running);
    let report = match does {
        Does::Examples => run_examples(&plan.tree, &plan.files),
        Does::Checks | Does::Page(_) => worked(Want::Check),
        Does::Outputs(_) => worked(Want::Outputs(&plan.files)),
    }?;
    let report = Report { aside, ..report };
    let since = earlier.map(|(record, path)| record::since(plan, settings, (&record, path)));
    let since = since.transpose().map_err(|error| RunError::Output(unread(&error)))?;
    let changes = kept.compared((plan, &room), &report, progress)?;
    let anyway = match &writing.anyway_to {
        Some(folder) if !report.held() => {
            anyway::write(plan, (settings, &room), &report, folder, progress)?
        }
        _ => vec![],
    };
    let memory = Used::from(&room);
    let (stages, page, unwritten) = (vec![], None, None);
    Ok(Done { report, since, changes, anyway, stages, memory, page, unwritten })
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
    done: &Done,
    (path, seconds): (&Path, f64),
) -> Result<(), OutputError> {
    let report = &done.report;
    let told = serde_json::to_value(report).map_err(|error| OutputError {
        path: path.display().to_string(),
        message: format!("cannot be written: {error}"),
        help: "write the record to another path".into(),
    })?;
    let made = record::made(plan, &args.options.settings, (report, told), (seconds, done.memory));
    record::write(&made.map_err(|error| unread(&error))?, path)
}
