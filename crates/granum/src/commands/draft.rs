//! `draft`: a first plan from files.

use granum_core::draft::{DraftedFiles, draft};
use granum_core::engine::RunError;
use granum_core::port::SourceError;
use granum_core::table::Room;
use granum_io::Files;

use super::files::{self, Looked};
use super::{Exit, Printer, plan, relate};
use crate::args::{Format, Reading};
use crate::progress::Progress;
use crate::render::Texts;
use crate::render::json::{self, Outcome, Told};

pub(super) fn run(
    printer: &mut Printer,
    names: &[String],
    (reading, room): (&Reading, &Room),
) -> Exit {
    // One for all: standard input can be read once.
    let folder = Files::new("").with_notice(super::waits);
    let (relations, looked) = match relate::relations(printer, &folder, names, (reading, room)) {
        Ok(found) => found,
        Err(error) => return files::failed(printer, reading.format, &error),
    };
    let tables = relations.tables.iter();
    let tables = tables.map(|table| drafted(&folder, &table.survey.files, &looked, table.filling));
    let drafted = match tables.collect::<Result<Vec<_>, SourceError>>() {
        Ok(drafted) => drafted,
        Err(error) => return files::failed(printer, reading.format, &error),
    };
    let progress = Progress::new(printer.global.quiet);
    let made = draft(&relations, &drafted, (&folder, room), &progress);
    let _ = progress.finish();
    match made {
        Ok(draft) => {
            let text = match reading.format {
                Format::Text => draft.text,
                Format::Json => {
                    let told = Told::Draft { text: &draft.text, report: &draft.report };
                    json::document(Outcome::Held, told)
                }
            };
            printer.data(&text);
            Exit::Held
        }
        Err(RunError::Source(error)) => files::failed(printer, reading.format, &error),
        Err(RunError::Scratch(error)) => files::failed(printer, reading.format, &error.into()),
        Err(RunError::Output(_)) => Exit::FileFailed,
        // The draft itself is wrong, which its tests do not know of: it is said, not hidden.
        Err(RunError::Plan(diagnostics)) => {
            plan::plan_wrong(printer, reading.format, "draft", &Texts::default(), &diagnostics);
            Exit::PlanWrong
        }
    }
}

/// The files of a table, by how they are written.
fn drafted(
    folder: &Files,
    paths: &[String],
    looked: &[Looked],
    filling: bool,
) -> Result<Vec<DraftedFiles>, SourceError> {
    let mut groups: Vec<DraftedFiles> = vec![];
    for path in paths {
        let looked = looked.iter().find(|looked| looked.file == *path);
        let columns = match looked.filter(|_| filling) {
            Some(looked) => files::open(folder, "", &[looked], false)?.1.shape().columns,
            None => vec![],
        };
        let written = looked.map(files::written_as).unwrap_or_default();
        let own = DraftedFiles { filling, written, ..DraftedFiles::default() };
        let bare =
            |group: &DraftedFiles| DraftedFiles { paths: vec![], columns: vec![], ..group.clone() };
        let at = groups.iter().position(|group| bare(group) == own).unwrap_or_else(|| {
            groups.push(own);
            groups.len() - 1
        });
        let path = looked.map_or(path, |looked| &looked.path);
        groups[at].paths.push(path.clone());
        groups[at].columns.extend(columns.into_iter().map(|(name, _)| name));
    }
    Ok(groups)
}
