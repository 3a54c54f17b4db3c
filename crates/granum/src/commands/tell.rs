//! `tell`: a plan in plain sentences.

use granum_core::engine::outline;

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::render;
use crate::render::json::{self, Outcome, Told};

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    table: Option<&str>,
) -> Exit {
    let plan = match Plan::open(printer, source, (options.format, &options.settings)) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    match outline(&plan.tree, &options.settings, &plan.files, table) {
        Ok(tables) => {
            let tale = render::tale(&plan.tree, &tables, table);
            let text = match options.format {
                Format::Text => tale.text(&plan.name, table, printer.width),
                Format::Json => json::of_plan(&plan.name, Outcome::Held, Told::Tale(&tale)),
            };
            printer.told(options.format, &text);
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}
