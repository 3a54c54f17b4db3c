//! Writes the page that tells all of a run.

use std::path::Path;

use granum_core::Sure;
use granum_core::port::OutputError;
use granum_core::tally::Report;
use granum_io::write_file;
use granum_report::page::page;

use super::plan::Plan;
use super::{Printer, record};
use crate::record::Since;
use crate::render::{self, UNFOLDED};

/// Where standard output is meant.
pub(super) const STANDARD: &str = "-";

/// What a page is made of, beside the plan.
pub(super) struct Paged<'a> {
    pub report: &'a Report,
    pub since: Option<&'a Since>,
    pub settings: &'a [(String, String)],
}

/// Writes the page of a run: whole or not at all; onto standard output where that is said. Gives its size.
///
/// # Errors
/// Why it cannot be written.
pub(super) fn write(
    printer: &mut Printer,
    plan: &Plan,
    paged: &Paged<'_>,
    path: &Path,
) -> Result<u64, OutputError> {
    let error = |message: String| OutputError {
        path: path.display().to_string(),
        message,
        help: "write the page to another path".into(),
    };
    let view = render::Report {
        tally: paged.report,
        plan: &plan.name,
        settings: paged.settings,
        source: &plan.texts.all,
        width: UNFOLDED,
        every_table: false,
        whole_bridges: true,
        examples_alone: false,
        since: paged.since,
        changes: &[],
        anyway: &[],
        page: None,
    };
    let read = record::inputs(plan).map_err(|wrong| error(format!("cannot be made: {wrong}")))?;
    let seen = paged.report.seen.as_ref().sure("what a page shows of a run");
    let beside = render::Beside { seen, tree: &plan.tree, texts: &plan.texts, read: &read };
    let text = page(&render::page(&view, &beside)).map_err(|wrong| error(wrong.to_string()))?;
    if path == Path::new(STANDARD) {
        printer.data(&text);
    } else {
        write_file(path, text.as_bytes())?;
    }
    Ok(text.len() as u64)
}
