//! `show`

use granum_core::engine::{Showing, show as show_rows};

use super::plan::Plan;
use super::{Exit, Printer};
use crate::args::PlanArgs;
use crate::progress::Progress;
use crate::render;

pub(super) fn run(printer: &mut Printer, args: &PlanArgs, showing: &Showing) -> Exit {
    let plan = match Plan::open(printer, &args.plan) {
        Ok(plan) => plan,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let shown = show_rows(&plan.parsed.tree, &args.settings, &plan.files, showing, &progress);
    let _ = progress.finish();
    match shown {
        Ok(shown) if !shown.problems.is_empty() => {
            let text = render::problems(&shown.problems, &plan.text);
            printer.diagnostic(&format!("{text}\n`{}` could not be built.\n", shown.table));
            Exit::DataFailed
        }
        Ok(shown) => {
            let text = render::rows(&shown, showing.unmatched.as_deref(), printer.width);
            printer.result(&text);
            Exit::Held
        }
        Err(error) => plan.failed(printer, error),
    }
}
