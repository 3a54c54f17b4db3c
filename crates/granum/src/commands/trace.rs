//! `trace`: the story of a row.

use granum_core::engine::{Tracing, trace};

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::memory::Used;
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, Outcome, Told};

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    tracing: &Tracing,
) -> Exit {
    let plan = match Plan::open(printer, source, (options.format, &options.settings)) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let told = trace(&plan.tree, &options.settings, &plan.files, tracing, &progress);
    let _ = progress.finish();
    if let Some(room) = &tracing.room {
        printer.beside(&Used::from(room).told());
    }
    let story = match told {
        Ok(story) => story,
        Err(error) => return plan.failed(printer, error),
    };
    match options.format {
        Format::Text => {
            printer.result(&render::story(&story, &plan.texts.all, printer.width));
        }
        Format::Json => {
            let outcome = Outcome::of(story.found > 0);
            printer.data(&json::of_plan(&plan.name, outcome, Told::Story(&story)));
        }
    }
    if story.found > 0 { Exit::Held } else { Exit::DataFailed }
}
