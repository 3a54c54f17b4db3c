//! `example`: a worked example of real rows.

use granum_core::engine::{RealExample, Tracing, real_example};
use serde_json::json;

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::{Format, PlanOptions, PlanSource};
use crate::progress::Progress;
use crate::render::{self, json};

pub(super) fn run(
    printer: &mut Printer,
    source: &PlanSource,
    options: &PlanOptions,
    asked: (&Tracing, bool),
) -> Exit {
    let plan = match Plan::open(printer, source, options.format) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let made = real_example(&plan.tree, &options.settings, &plan.files, asked, &progress);
    let _ = progress.finish();
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
        (Format::Json, _) => printer.data(&told(&plan.name, &made)),
    }
    if made.text.is_some() { Exit::Held } else { Exit::DataFailed }
}

fn told(plan: &str, made: &RealExample) -> String {
    let differs = made.differs.iter().map(|differs| {
        let (all, here) = differs
            .values
            .as_ref()
            .map_or((None, None), |(all, here)| (all.as_ref(), here.as_ref()));
        json!({ "column": differs.column, "of_all_rows": all, "of_these_rows": here })
    });
    let told = json!({
        "text": made.text,
        "rows": made.rows,
        "cut": made.cut,
        "differs": differs.collect::<Vec<_>>(),
        "masked": made.masked,
    });
    let outcome = if made.text.is_some() { "held" } else { "stopped" };
    json::outcome(plan, outcome, "example", told)
}
