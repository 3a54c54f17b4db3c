//! Writes the page that tells all of a run: `report`, and `run --report`.

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

use granum_core::port::OutputError;
use granum_core::tally::Report;
use granum_io::write_file;
use granum_report::page::page;

use super::plan::Plan;
use super::run::Does;
use super::{Exit, Printer, record};
use crate::args::{PlanArgs, PlanSource, Writing};
use crate::record::Since;
use crate::render::{self, UNFOLDED};

/// Where standard output is meant.
pub(super) const STANDARD: &str = "-";

/// By this a page is known as one of this program's.
const OWN: &str = "<meta name=\"generator\" content=\"granum ";

/// So far into a file that is looked for.
const HEAD: u64 = 4_096;

/// `report`: checks a plan, and writes its page.
pub(super) fn run(
    printer: &mut Printer,
    args: &PlanArgs,
    to: Option<&Path>,
    against: Option<&Path>,
) -> Exit {
    let path = to.map_or_else(|| beside(&args.source()), Path::to_path_buf);
    if to.is_none() && is_foreign(&path) {
        let name = path.display();
        printer.diagnostic(&format!(
            "error: {name}: stands there already, and is no page of this program\n  say where the page goes:  \
             --to PAGE.html\n"
        ));
        return Exit::FileFailed;
    }
    let writing = Writing {
        report: Some(path),
        against: against.map(Path::to_path_buf),
        ..Writing::default()
    };
    super::run::run(printer, args, Does::Page(&writing))
}

/// The page's path where none is said: the plan's name in the current folder.
fn beside(source: &PlanSource) -> PathBuf {
    match source {
        PlanSource::File(path) => {
            PathBuf::from(path.file_name().unwrap_or_default()).with_extension("html")
        }
        PlanSource::Text(_) => PathBuf::from("report.html"),
    }
}

/// Whether a file stands there that this program did not write.
fn is_foreign(path: &Path) -> bool {
    let Ok(file) = File::open(path) else { return path.exists() };
    let mut head = vec![];
    // What cannot be read is not ours either.
    let read = file.take(HEAD).read_to_end(&mut head);
    read.is_err() || !String::from_utf8_lossy(&head).contains(OWN)
}

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
    let seen = paged.report.seen.clone().unwrap_or_default();
    let beside = render::Beside { seen: &seen, tree: &plan.tree, texts: &plan.texts, read: &read };
    let text = page(&render::page(&view, &beside)).map_err(|wrong| error(wrong.to_string()))?;
    if path == Path::new(STANDARD) {
        printer.data(&text);
    } else {
        write_file(path, text.as_bytes())?;
    }
    Ok(text.len() as u64)
}
