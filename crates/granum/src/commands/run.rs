//! `run` and `check`.

use std::path::Path;
use std::time::Instant;

use granum_core::engine::{Running, Want, run_as, run_examples};

use granum_core::tally;

use super::plan::Plan;
use super::{Exit, Printer, aside, left};
use crate::args::{Deny, Format, PlanArgs};
use crate::progress::Progress;
use crate::render::{Report, json};

/// What is asked of a plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Does<'a> {
    /// Its worked examples come out.
    Examples,
    /// All holds.
    Checks,
    /// All holds, and its outputs are written; rows that steps took out go into a folder.
    Outputs { aside: Option<&'a Path> },
}

pub(super) fn run(printer: &mut Printer, args: &PlanArgs, does: Does<'_>) -> Exit {
    let begun = Instant::now();
    let options = &args.options;
    let plan = match Plan::open(printer, &args.source(), options.format) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    match does {
        Does::Outputs { .. } => left::finish(printer, &plan),
        Does::Checks => left::tell(printer, &plan),
        Does::Examples => {}
    }
    let running =
        Running { deny_warnings: args.deny == Some(Deny::Warnings), ..Running::default() };
    let progress = Progress::new(printer.global.quiet);
    let worked =
        |want| run_as(&plan.tree, &options.settings, &plan.files, want, &progress, running);
    // First: where they cannot be written, nothing is.
    let aside = match does {
        Does::Outputs { aside: Some(folder) } => {
            aside::write(&plan, &options.settings, folder, &progress)
        }
        _ => Ok(vec![]),
    };
    let report = aside.and_then(|aside| {
        let report = match does {
            Does::Examples => run_examples(&plan.tree, &plan.files),
            Does::Checks => worked(Want::Check),
            Does::Outputs { .. } => worked(Want::Outputs(&plan.files)),
        };
        Ok(tally::Report { aside, ..report? })
    });
    let stages = progress.finish();
    let report = match report {
        Ok(report) => report,
        Err(error) => return plan.failed(printer, error),
    };
    let view = Report {
        tally: &report,
        plan: &plan.name,
        settings: &options.settings,
        source: &plan.texts.all,
        width: printer.width,
        every_table: printer.global.verbose,
        whole_bridges: args.bridge,
        examples_alone: does == Does::Examples,
    };
    let text = match options.format {
        Format::Json => json::report(&plan.name, &report),
        Format::Text if printer.global.quiet => view.verdict(),
        Format::Text => view.whole(),
    };
    printer.told(options.format, &text);
    let all = ("in all".to_owned(), begun.elapsed().as_secs_f64());
    printer.stages(stages.into_iter().chain([all]));
    if report.held() { Exit::Held } else { Exit::DataFailed }
}
