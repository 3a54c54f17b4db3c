//! `show`: the rows of a table, or the tables that there are.

use granum_core::engine::{Showing, outline, show as show_rows};

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::progress::Progress;
use crate::render::{self, json};

/// The tables of a plan with what one row of each is, and their columns.
pub(super) fn tables(printer: &mut Printer, source: &PlanSource, options: &PlanOptions) -> Exit {
    let plan = match Plan::open(printer, source, options.format) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    match outline(&plan.tree, &options.settings, &plan.files) {
        Ok(tables) => {
            let text = match options.format {
                Format::Text => render::outline(&tables, &plan.name, printer.width),
                Format::Json => json::outcome(&plan.name, "held", "tables", json::value(&tables)),
            };
            printer.told(options.format, &text);
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    showing: &Showing,
) -> Exit {
    let opened = Plan::open(printer, source, options.format)
        .and_then(|plan| plan.asked(printer, |text| showing.beside(text)));
    let plan = match opened {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let shown = show_rows(&plan.tree, &options.settings, &plan.files, showing, &progress);
    let _ = progress.finish();
    match shown {
        Ok(shown) if options.format == Format::Json => {
            printer.data(&json::rows(&plan.name, &shown));
            if shown.problems.is_empty() { Exit::Held } else { Exit::DataFailed }
        }
        Ok(shown) if !shown.problems.is_empty() => {
            let text = render::problems(&shown.problems, &plan.texts.all);
            printer.diagnostic(&format!("{text}\n`{}` could not be built.\n", shown.table));
            Exit::DataFailed
        }
        Ok(shown) => {
            let text = render::rows(&shown, showing, printer.width);
            printer.result(&text);
            printer.result(&render::warnings(&shown.warnings, printer.width));
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}
