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
    let tables = relations.tables.iter();
    let drafted: Vec<Vec<DraftedFiles>> =
        tables.map(|table| drafted(&table.survey.files, &looked, table.filling)).collect();
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

/// The files of a table, by how they are written.
fn drafted(paths: &[String], looked: &[Looked], filling: bool) -> Vec<DraftedFiles> {
    let mut groups: Vec<DraftedFiles> = vec![];
    for path in paths {
        let look = looked.iter().find(|looked| looked.file == *path).map(|looked| &looked.look);
        let own = DraftedFiles {
            paths: vec![],
            delimiter: look.map(|look| look.delimiter).filter(|sign| *sign != ','),
            encoding: look.and_then(|look| look.named_encoding.clone()),
            header_at: look.and_then(|look| look.header_at),
            footer: look.and_then(|look| look.footer),
            filling,
        };
        let alike = groups
            .iter_mut()
            .find(|group| DraftedFiles { paths: vec![], ..(*group).clone() } == own);
        match alike {
            Some(group) => group.paths.push(path.clone()),
            None => groups.push(DraftedFiles { paths: vec![path.clone()], ..own }),
        }
    }
    groups
}
