//! `draft`: a first plan from files.

use granum_core::draft::{DraftedFiles, draft};
use granum_core::engine::RunError;
use granum_io::Files;

use super::files::{self, Looked};
use super::{Exit, Printer, plan, relate};
use crate::args::{Format, Reading};
use crate::progress::Progress;
use crate::render::{Texts, json};

pub(super) fn run(printer: &mut Printer, names: &[String], reading: &Reading) -> Exit {
    // One for all: standard input can be read once.
    let folder = Files::new("").with_notice(super::waits);
    let (relations, looked) = match relate::relations(printer, &folder, names, reading) {
        Ok(found) => found,
        Err(error) => return files::failed(printer, reading.format, &error),
    };
    let drafted: Vec<DraftedFiles> =
        relations.tables.iter().map(|table| drafted(&table.survey.files, &looked)).collect();
    let progress = Progress::new(printer.global.quiet);
    let made = draft(&relations, &drafted, &folder, &progress);
    let _ = progress.finish();
    match made {
        Ok(draft) => {
            let text = match reading.format {
                Format::Text => draft.text,
                Format::Json => {
                    let told =
                        [("text", draft.text.into()), ("report", json::value(&draft.report))];
                    json::document(None, "held", told)
                }
            };
            printer.data(&text);
            Exit::Held
        }
        Err(RunError::Source(error)) => files::failed(printer, reading.format, &error),
        Err(RunError::Output(_)) => Exit::FileFailed,
        // The draft itself is wrong, which its tests do not know of: it is said, not hidden.
        Err(RunError::Plan(diagnostics)) => {
            plan::plan_wrong(printer, reading.format, "draft", &Texts::default(), &diagnostics);
            Exit::PlanWrong
        }
    }
}

/// How the files of a table are written.
fn drafted(paths: &[String], looked: &[Looked]) -> DraftedFiles {
    let look = looked.iter().find(|looked| paths.contains(&looked.file)).map(|looked| &looked.look);
    DraftedFiles {
        paths: paths.to_vec(),
        delimiter: look.map(|look| look.delimiter).filter(|sign| *sign != ','),
        encoding: look.and_then(|look| look.named_encoding.clone()),
        header_at: look.and_then(|look| look.header_at),
        footer: look.and_then(|look| look.footer),
    }
}
