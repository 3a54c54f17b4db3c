//! `run --changes`: each output beside the file that it replaced.

use std::fs;
use std::path::{Path, PathBuf};

use granum_core::compare::{CompareError, Compared, Comparing, compare};
use granum_core::engine::RunError;
use granum_core::lang::StatementKind;
use granum_core::port::{InputSpec, MYSQL, OutputError, SourceError, Sources, Written, is_address};
use granum_core::table::Room;
use granum_core::tally::{Report, Written as Output};
use granum_io::{Files, copy_database, is_database, part_name};
use tempfile::TempDir;

use super::plan::Plan;
use crate::progress::Progress;

/// What stood in the places of outputs before a run.
#[derive(Default)]
pub(super) struct Kept {
    /// By path: the same file under another name, or a copy.
    files: Vec<(String, PathBuf)>,
    /// Where copies are, for as long as they are needed.
    folders: Vec<TempDir>,
    /// Tables on servers, by their names, each seen as it was.
    tables: Vec<(String, Files)>,
}

impl Kept {
    /// Keeps what stands in the places of a plan's outputs.
    ///
    /// # Errors
    /// A file that cannot be kept.
    pub fn of(plan: &Plan) -> Result<Self, OutputError> {
        let mut kept = Self::default();
        for statement in &plan.tree.statements {
            let StatementKind::Output(output) = &statement.kind else { continue };
            let path = &output.path.text;
            if MYSQL.iter().any(|scheme| path.starts_with(scheme)) {
                return Err(OutputError {
                    path: path.clone(),
                    message: "cannot be compared with what it was: its old rows are gone when the new ones are there"
                        .into(),
                    help: "nothing was written; leave --changes out".into(),
                });
            }
            if is_address(path) {
                let named =
                    output.style.named.as_ref().map_or(&output.table.text, |name| &name.text);
                let before = Files::new("");
                // Where it is not there, or cannot be read, there is nothing to compare with.
                if before.look(path, &of_table(named)).is_ok() {
                    kept.tables.push((part_name(path, named), before));
                }
                continue;
            }
            let Some(place) = plan.files.place(path).ok().filter(|place| {
                // An empty file is no database yet.
                fs::metadata(place)
                    .is_ok_and(|data| data.is_file() && !(is_database(path) && data.len() == 0))
            }) else {
                continue;
            };
            let copied = tempfile::tempdir().and_then(|folder| {
                let copy = folder.path().join(place.file_name().unwrap_or_default());
                // A name more costs nothing, where both are on one disk.
                if is_database(path) {
                    // It is filled where it stands.
                    copy_database(&place, &copy)?;
                } else {
                    fs::hard_link(&place, &copy).or_else(|_| fs::copy(&place, &copy).map(drop))?;
                }
                Ok((folder, copy))
            });
            let (folder, copy) = copied.map_err(|error| OutputError {
                path: path.clone(),
                message: format!("cannot be kept to be compared with: {error}"),
                help: "nothing was written; make room in the folder for temporary files".into(),
            })?;
            kept.files.push((path.clone(), copy));
            kept.folders.push(folder);
        }
        Ok(kept)
    }

    /// Compares what was written with what stood there, by each table's grain.
    ///
    /// # Errors
    /// A file that cannot be read any more.
    pub fn compared(
        &self,
        (plan, room): (&Plan, &Room),
        report: &Report,
        progress: &Progress,
    ) -> Result<Vec<(String, Compared)>, RunError> {
        let mut all = vec![];
        for written in &report.written {
            let fresh = Files::new("");
            let table = self.tables.iter().find(|(shown, _)| *shown == written.shown());
            let file = self.files.iter().find(|(path, _)| *path == written.path);
            let beside = match (table, file) {
                (Some((_, before)), _) => {
                    [(before, written.path.clone()), (&fresh, written.path.clone())]
                }
                (None, Some((_, before))) => {
                    let now = place(plan, &written.path)?;
                    [(&fresh, shown(before)), (&fresh, shown(&now))]
                }
                (None, None) => continue,
            };
            let tally = report.table(&written.table);
            let mut grain = tally.map_or_else(Vec::new, |tally| tally.grain.clone());
            if written.total {
                // The total row has no key of its own.
                grain.clear();
            }
            let told = match two(&beside, written, grain, (room, progress)) {
                // What stood there was another table, or no table at all.
                Err(CompareError::NoColumn { .. } | CompareError::Repeated(_)) => {
                    two(&beside, written, vec![], (room, progress))
                }
                told => told,
            };
            // What stood there may be no table: all of it is new then.
            if let Ok(compared) = told {
                all.push((written.shown(), compared));
            }
        }
        Ok(all)
    }
}

/// Where a file is that was written.
fn place(plan: &Plan, path: &str) -> Result<PathBuf, RunError> {
    plan.files.place(path).map_err(|error| {
        RunError::Output(OutputError {
            path: path.to_owned(),
            message: format!("cannot be found again: {error}"),
            help: "it was written; what changed is not told".into(),
        })
    })
}

fn shown(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// A table of a database.
fn of_table(named: &str) -> Written {
    Written { named: Some(named.to_owned()), ..Written::default() }
}

/// Compares what stood in a place with what does now, as outputs are written; of books one sheet, of databases one table.
fn two(
    [before, now]: &[(&Files, String); 2],
    written: &Output,
    grain: Vec<String>,
    (room, progress): (&Room, &Progress),
) -> Result<Compared, CompareError> {
    let open = |(files, path): &(&Files, String)| -> Result<_, SourceError> {
        let part = Written {
            sheet: written.sheet.clone(),
            named: written.named.clone(),
            ..Written::default()
        };
        let look = files.look(path, &part)?;
        let mut spec = InputSpec::of_files("build".into(), vec![path.clone()]);
        // Signs and letters are seen; a header and rows alone are what outputs have.
        spec.written = Written {
            delimiter: Some(look.delimiter as u8).filter(|sign| *sign != b','),
            encoding: look.named_encoding,
            ..part
        };
        files.open(&spec)
    };
    let (mut before, mut now) = (open(before)?, open(now)?);
    let comparing = Comparing { grain, tolerance: None };
    compare((before.as_mut(), now.as_mut()), &comparing, room, progress)
}
