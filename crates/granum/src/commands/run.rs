//! `run` and `check`.

use std::time::Instant;

use granum_core::engine::{Want, run as run_plan};

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::PlanArgs;
use crate::progress::Progress;
use crate::render::{self, Report};

/// What a run leaves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Writes {
    Nothing,
    Outputs,
}

pub(super) fn run(printer: &mut Printer, args: &PlanArgs, writes: Writes) -> Exit {
    let begun = Instant::now();
    let plan = match Plan::open(printer, &args.plan) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let want = match writes {
        Writes::Nothing => Want::Check,
        Writes::Outputs => Want::Outputs(&plan.files),
    };
    let progress = Progress::new(printer.global.quiet);
    let report = run_plan(&plan.parsed.tree, &args.settings, &plan.files, want, &progress);
    let stages = progress.finish();
    let report = match report {
        Ok(report) => report,
        Err(error) => return plan.failed(printer, error),
    };
    let view = Report {
        tally: &report,
        plan: &args.plan.display().to_string(),
        source: &plan.text,
        width: printer.width,
        every_table: printer.global.verbose,
    };
    let text = if printer.global.quiet { view.verdict() } else { view.whole() };
    printer.result(&text);
    if printer.global.verbose {
        let all = ("in all".to_owned(), begun.elapsed().as_secs_f64());
        for (stage, seconds) in stages.into_iter().chain([all]) {
            printer.diagnostic(&format!("{}\n", render::dim(&format!("{seconds:7.2} s  {stage}"))));
        }
    }
    if report.held() { Exit::Held } else { Exit::DataFailed }
}
