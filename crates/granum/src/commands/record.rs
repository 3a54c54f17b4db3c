//! Writes down a run, and compares it with one that was: `run --record`, `run --against`.

use std::io;
use std::path::{Path, PathBuf};

use granum_core::lang::StatementKind;
use granum_core::port::OutputError;
use granum_core::tally::{Earlier, FigureKind, Report, figures};
use granum_io::{Files, write_file};
use serde_json::Value;

use super::outputs;
use super::plan::Plan;
use crate::record::{
    FORMAT, FileRecord, Named, OutputRecord, PlanRecord, Record, Since, between, fingerprint, hash,
};

/// The files that a plan's inputs were read from.
///
/// # Errors
/// A file that cannot be read any more.
fn inputs(plan: &Plan) -> io::Result<Vec<FileRecord>> {
    let mut files = vec![];
    for statement in &plan.tree.statements {
        let StatementKind::Input(input) = &statement.kind else { continue };
        for source in &input.sources {
            for (place, path) in plan.files.files_of(&source.text)? {
                let (bytes, sha256) = fingerprint(&place)?;
                files.push(FileRecord { input: input.name.text.clone(), path, bytes, sha256 });
            }
        }
    }
    Ok(files)
}

/// Reads a record.
///
/// # Errors
/// That it is none, or cannot be read.
pub(super) fn read(path: &Path) -> Result<Record, OutputError> {
    let error = |message: String| OutputError {
        path: path.display().to_string(),
        message,
        help: "a record is what  granum run PLAN --record PATH  wrote".into(),
    };
    let bytes = std::fs::read(path).map_err(|wrong| error(format!("cannot be read: {wrong}")))?;
    let record: Record = serde_json::from_slice(&bytes)
        .map_err(|wrong| error(format!("is no record of a run: {wrong}")))?;
    if record.format > FORMAT {
        return Err(error("is a record of a newer version of this program".into()));
    }
    Ok(record)
}

/// Why a record cannot be written to a path, as far as that is known before.
pub(super) fn refused(plan: &Plan, path: &Path) -> Option<OutputError> {
    let place = Files::new("").place(&path.to_string_lossy()).ok()?;
    let stands = if plan.plans.contains(&place) {
        "a plan stands in this file"
    } else if outputs::places(&plan.tree, &plan.files).contains(&place) {
        "an output of the plan stands in this file"
    } else if reads(plan, &place) {
        "an input is read from this file"
    } else {
        return None;
    };
    Some(OutputError {
        path: path.display().to_string(),
        message: stands.into(),
        help: "write the record to another path".into(),
    })
}

/// Whether a plan reads a file.
fn reads(plan: &Plan, place: &PathBuf) -> bool {
    plan.tree.statements.iter().any(|statement| match &statement.kind {
        StatementKind::Input(input) => {
            let is = |path: &str| plan.files.place(path).is_ok_and(|read| read == *place);
            input.sources.iter().any(|source| is(&source.text))
        }
        _ => false,
    })
}

/// Makes the record of a run.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn made(
    plan: &Plan,
    settings: &[(String, String)],
    (report, told): (&Report, Value),
    seconds: f64,
) -> io::Result<Record> {
    let numbers = figures(report);
    let mut written = vec![];
    for output in &report.written {
        let (bytes, sha256) = fingerprint(&plan.files.place(&output.path)?)?;
        let start = format!("{} ", output.shown());
        let sums = numbers.iter().filter(|figure| figure.kind == FigureKind::Amount);
        let sums = sums.filter_map(|figure| {
            let name = figure.of.strip_prefix(&start)?.to_owned();
            Some(Named { name, value: figure.value.clone() })
        });
        written.push(OutputRecord {
            table: output.table.clone(),
            path: output.path.clone(),
            sheet: output.sheet.clone(),
            named: output.named.clone(),
            rows: output.rows,
            sums: sums.collect(),
            bytes,
            sha256,
        });
    }
    let text = plan.texts.all.clone();
    Ok(Record {
        format: FORMAT,
        program: format!("granum {}", env!("CARGO_PKG_VERSION")),
        plan: PlanRecord { name: plan.name.clone(), sha256: hash(text.as_bytes()), text },
        parameters: settings
            .iter()
            .map(|(name, value)| Named { name: name.clone(), value: value.clone() })
            .collect(),
        inputs: inputs(plan)?,
        outputs: written,
        numbers: Earlier { figures: numbers, moved: report.moved.clone() },
        verdict: if report.held() { "held" } else { "stopped" }.into(),
        seconds,
        report: told,
    })
}

/// Writes a record, whole or not at all.
///
/// # Errors
/// Why it cannot be written.
pub(super) fn write(record: &Record, path: &Path) -> Result<(), OutputError> {
    let mut text = serde_json::to_vec_pretty(record).map_err(|error| OutputError {
        path: path.display().to_string(),
        message: format!("cannot be written: {error}"),
        help: "write the record to another path".into(),
    })?;
    text.push(b'\n');
    write_file(path, &text)
}

/// What is another now than a record says.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn since(
    plan: &Plan,
    settings: &[(String, String)],
    (record, path): (&Record, &Path),
) -> io::Result<Since> {
    let given = settings
        .iter()
        .map(|(name, value)| Named { name: name.clone(), value: value.clone() })
        .collect::<Vec<_>>();
    let text = hash(plan.texts.all.as_bytes());
    Ok(between((record, path), &text, &given, &inputs(plan)?))
}
