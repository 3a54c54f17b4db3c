//! `example`: a worked example of real rows.

use granum_core::engine::{Tracing, real_example};

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::memory::Used;
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, ExampleTold, Outcome, Told};

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    asked: (&Tracing, bool),
) -> Exit {
    let plan = match Plan::open(printer, source, (options.format, &options.settings)) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let made = real_example(&plan.tree, &options.settings, &plan.files, asked, &progress);
    let _ = progress.finish();
    if let Some(room) = &asked.0.room {
        printer.beside(&Used::from(room).told());
    }
    let made = match made {
        Ok(made) => made,
        Err(error) => return plan.failed(printer, error),
    };
    match (options.format, &made.text) {
        (Format::Text, Some(text)) => {
            let remarks = render::example_remarks(&made, &asked.0.table, printer.width);
            printer.result(&format!("{remarks}{text}"));
        }
        (Format::Text, None) => {
            printer.diagnostic(&render::problems(&made.problems, &plan.texts.all));
            printer.diagnostic(&render::no_example(&made, &asked.0.table, &plan.name));
        }
        (Format::Json, text) => {
            let outcome = Outcome::of(text.is_some());
            let told = Told::Example(ExampleTold::of(&made));
            printer.data(&json::of_plan(&plan.name, outcome, told));
        }
    }
    if made.text.is_some() { Exit::Held } else { Exit::DataFailed }
}
