//! `show`: the rows of a table, or the tables that there are.

use std::io::{self, IsTerminal};

use granum_core::engine::{RunError, Showing, Shown, outline, show as show_rows, show_removed};
use granum_core::port::OutputError;
use granum_core::tally::Written;
use granum_io::{Files, write_stream};

use super::plan::Plan;
use super::{Exit, Printer, left};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, Outcome, TableTold, Told};

/// The tables of a plan with what one row of each is, and their columns.
pub(super) fn tables(printer: &mut Printer, source: &PlanSource, options: &PlanOptions) -> Exit {
    let plan = match Plan::open(printer, source, (options.format, &options.settings)) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    match outline(&plan.tree, &options.settings, &plan.files, None) {
        Ok(tables) => {
            let text = match options.format {
                Format::Text => render::outline(&tables, &plan.name, printer.width),
                Format::Json => json::of_plan(&plan.name, Outcome::Held, Told::Outline(&tables)),
            };
            printer.told(options.format, &text);
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}

/// What is to be shown, and where.
pub(super) struct Asked {
    pub showing: Showing,
    /// Rows that steps took out, in place of the table's.
    pub removed: bool,
    /// The file that they are written into.
    pub to: Option<String>,
    /// Whether they are sent on as a stream of Arrow.
    pub stream: bool,
}

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    asked: &Asked,
) -> Exit {
    let (showing, to) = (&asked.showing, asked.to.as_deref());
    let opened = Plan::open(printer, source, (options.format, &options.settings))
        .and_then(|plan| plan.asked(printer, |text| showing.beside(text)));
    let plan = match opened {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    if asked.stream && io::stdout().is_terminal() {
        printer.diagnostic(
            "error: a stream of Arrow is for a program, not for a terminal\n  \
             send it on, as in  | PROGRAM  or  > FILE.arrows\n",
        );
        return Exit::PlanWrong;
    }
    left::tell(printer, &plan);
    if let Some(refused) = to.and_then(|to| refused(&plan, to)) {
        return plan.failed(printer, RunError::Output(refused));
    }
    let progress = Progress::new(printer.global.quiet);
    let shown = if asked.removed {
        show_removed(&plan.tree, &options.settings, &plan.files, showing, &progress)
    } else {
        show_rows(&plan.tree, &options.settings, &plan.files, showing, &progress)
    };
    let _ = progress.finish();
    match shown {
        Ok(shown) if !shown.problems.is_empty() && options.format == Format::Json => {
            printer.data(&rows(&plan.name, &shown));
            Exit::DataFailed
        }
        Ok(shown) if !shown.problems.is_empty() && shown.rows == 0 => {
            let text = render::problems(&shown.problems, &plan.texts.all);
            printer.diagnostic(&format!("{text}\n`{}` could not be built.\n", shown.table));
            Exit::DataFailed
        }
        Ok(shown) if asked.stream => sent(printer, &plan, &shown),
        Ok(shown) => {
            let told = match to {
                Some(to) => saved(&plan, &shown, showing, to),
                None => Ok(match options.format {
                    Format::Json => rows(&plan.name, &shown),
                    Format::Text => render::rows(&shown, showing, printer.width),
                }),
            };
            match told {
                Ok(text) => printer.told(options.format, &text),
                Err(error) => return plan.failed(printer, error),
            }
            if options.format == Format::Text {
                printer.result(&render::warnings(&shown.warnings, printer.width));
            }
            if !shown.problems.is_empty() {
                // What could be worked has been shown.
                printer.diagnostic(&render::problems(&shown.problems, &plan.texts.all));
                return Exit::DataFailed;
            }
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}

/// Sends rows on. What else is to be told is told beside them.
fn sent(printer: &mut Printer, plan: &Plan, shown: &Shown) -> Exit {
    let mut out = io::BufWriter::new(io::stdout().lock());
    let sent = write_stream(&shown.columns, &mut out);
    drop(out);
    if let Err(error) = sent {
        return plan.failed(printer, RunError::Output(error));
    }
    let warnings = render::warnings(&shown.warnings, printer.width);
    if !warnings.is_empty() {
        printer.diagnostic(&warnings);
    }
    if shown.problems.is_empty() {
        return Exit::Held;
    }
    printer.diagnostic(&render::problems(&shown.problems, &plan.texts.all));
    Exit::DataFailed
}

/// Rows as a document.
fn rows(plan: &str, shown: &Shown) -> String {
    let told = Told::Table(TableTold::of(shown));
    json::of_plan(plan, Outcome::of(shown.problems.is_empty()), told)
}

/// Why rows cannot be written to a file, as far as that is known before they are.
fn refused(plan: &Plan, to: &str) -> Option<OutputError> {
    let error = |message: &str, help: &str| {
        Some(OutputError { path: to.to_owned(), message: message.into(), help: help.into() })
    };
    match Files::new("").place(to) {
        Ok(place) if plan.plans.contains(&place) => {
            error("a plan stands in this file", "write to another path")
        }
        _ => None,
    }
}

/// Writes rows to a file; gives what is told of it.
fn saved(plan: &Plan, shown: &Shown, showing: &Showing, to: &str) -> Result<String, RunError> {
    let bytes = plan.files.save(to, &shown.columns).map_err(RunError::Output)?;
    let written = Written {
        sheet: None,
        named: None,
        chart: None,
        table: shown.table.clone(),
        path: to.to_owned(),
        rows: shown.shown as u64,
        total: shown.total,
        taken: None,
        bytes,
    };
    Ok(match plan.format {
        Format::Json => json::of_plan(&plan.name, Outcome::Held, Told::Written(&written)),
        Format::Text => render::saved(shown, showing, &written),
    })
}
