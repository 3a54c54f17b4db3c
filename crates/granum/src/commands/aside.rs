//! `run --aside DIR`: a file for each step of the rows that it took out.

use std::path::{Path, PathBuf};

use granum_core::engine::{RemovedRows, RunError, removed};
use granum_core::port::{Family, LONGEST_SHEET, NamedAs, OutputError};
use granum_core::table::Room;
use granum_core::tally::AsideFile;
use granum_io::{file_and_part, part_name};

use super::plan::Plan;
use crate::progress::Progress;

/// Writes the rows that steps took out, all files or none. A step that took out none has a file without
/// rows, so that none of an earlier run is taken for one of this.
///
/// # Errors
/// Why they cannot be worked or written.
pub(super) fn write(
    plan: &Plan,
    (settings, room): (&[(String, String)], &Room),
    folder: &Path,
    progress: &Progress,
) -> Result<Vec<AsideFile>, RunError> {
    let (steps, _) = removed(&plan.tree, settings, &plan.files, (None, Some(room)), progress)?;
    let mut paths: Vec<String> = vec![];
    for step in &steps {
        let path = path(folder, step, &paths);
        let file = file_and_part(&path).map_or(path.as_str(), |(file, _)| file);
        if let Ok(place) = granum_io::Files::new("").place(file)
            && let Some(what) = stands_there(plan, &place)
        {
            let message = format!("{what} stands in this file");
            let help = "name another folder".into();
            return Err(RunError::Output(OutputError { path, message, help }));
        }
        paths.push(path);
    }
    let tables: Vec<_> = paths
        .iter()
        .zip(&steps)
        .map(|(path, step)| (path.as_str(), step.columns.as_slice()))
        .collect();
    let sizes = plan.files.save_all(&tables).map_err(RunError::Output)?;
    let files = steps.into_iter().zip(paths).zip(sizes).map(|((step, path), bytes)| AsideFile {
        rows: step.rows as u64,
        step: step.step,
        path,
        bytes,
    });
    Ok(files.collect())
}

/// What must not be replaced at a place; that it is an input is told where it is begun.
fn stands_there(plan: &Plan, place: &PathBuf) -> Option<&'static str> {
    if plan.plans.contains(place) {
        return Some("a plan");
    }
    let outputs = super::outputs::places(&plan.tree, &plan.files);
    outputs.contains(place).then_some("an output of the plan")
}

/// The file of a step: `lines-1-dedupe.csv`.
fn path(folder: &Path, removed: &RemovedRows, known: &[String]) -> String {
    let plain = |text: &str| -> String {
        let letter = |letter: char| if letter.is_alphanumeric() { letter } else { '_' };
        text.chars().take(80).map(letter).collect()
    };
    let step = &removed.step;
    let word = step.text.split_whitespace().next().unwrap_or("step");
    let number = step.number.map_or_else(String::new, |number| format!("-{number}"));
    let name = format!("{}{number}-{}", plain(&step.table), plain(word));
    let place = folder.to_string_lossy();
    let family = if folder.is_dir() { None } else { NamedAs::of(&place).written() };
    let path = |more: &str| match family {
        // All stand in one place, each by its name.
        Some(Family::Book) => {
            let short: String = name.chars().take(LONGEST_SHEET - more.len()).collect();
            part_name(&place, &format!("{short}{more}"))
        }
        Some(Family::Database | Family::Server) => part_name(&place, &format!("{name}{more}")),
        _ => folder.join(format!("{name}{more}.csv")).display().to_string(),
    };
    // Names may differ only in signs that files do not have.
    let mut found = path("");
    let mut again = 2;
    while known.contains(&found) {
        found = path(&format!("-{again}"));
        again += 1;
    }
    found
}
