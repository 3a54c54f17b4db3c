//! Writes down a run, and compares it with one that was: `run --record`, `run --against`.

use std::io;
use std::path::{Path, PathBuf};

use granum_core::lang::{InputTree, Quoted, StatementKind};
use granum_core::port::{
    InputSpec, OutputError, ReadRequest, SourceError, Sources, Written, is_address,
};
use granum_core::tally::{Earlier, FigureKind, Report, Written as Output, figures};
use granum_io::{Files, part_name, write_file};
use serde_json::Value;

use super::outputs;
use super::plan::Plan;
use crate::memory::Used;
use crate::record::{
    FORMAT, FileRecord, Hashing, Named, OutputRecord, PlanRecord, Record, Since, between,
    fingerprint, hash,
};

/// The files that a plan's inputs were read from.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn inputs(plan: &Plan) -> io::Result<Vec<FileRecord>> {
    let mut files = vec![];
    for statement in &plan.tree.statements {
        let StatementKind::Input(input) = &statement.kind else { continue };
        for source in &input.sources {
            if is_address(&source.text) {
                files.push(table_read(plan, input, source)?);
                continue;
            }
            for (place, path) in plan.files.files_of(&source.text)? {
                let (bytes, sha256) = fingerprint(&place)?;
                files.push(FileRecord { input: input.name.text.clone(), path, bytes, sha256 });
            }
        }
    }
    Ok(files)
}

/// The size and the hash of what was written.
fn print_of(plan: &Plan, output: &Output) -> io::Result<(u64, String)> {
    if is_address(&output.path) {
        let written = Written { named: output.named.clone(), ..Written::default() };
        // As it is now: what the run read is as it was before.
        return table_fingerprint(&Files::new(""), &output.path, written);
    }
    fingerprint(&plan.files.place(&output.path)?)
}

/// What an input read from a database on a server, as the run saw it.
fn table_read(plan: &Plan, input: &InputTree, source: &Quoted) -> io::Result<FileRecord> {
    let text = |said: &Option<Quoted>| said.as_ref().map(|said| said.text.clone());
    let written = Written {
        named: text(&input.named),
        query: text(&input.query),
        ordered: input.ordered.iter().map(|column| column.text.clone()).collect(),
        ..Written::default()
    };
    let path = match (&written.named, &written.query) {
        (Some(named), _) => part_name(&source.text, named),
        (None, Some(_)) => part_name(&source.text, &format!("query of {}", input.name.text)),
        (None, None) => source.text.clone(),
    };
    let (bytes, sha256) = table_fingerprint(&plan.files, &source.text, written)?;
    Ok(FileRecord { input: input.name.text.clone(), path, bytes, sha256 })
}

/// How many bytes of a table a server sends, and the SHA-256 of its rows.
fn table_fingerprint(files: &Files, address: &str, written: Written) -> io::Result<(u64, String)> {
    let mut spec = InputSpec::of_files("rows".into(), vec![address.to_owned()]);
    spec.written = written;
    let other = io::Error::other::<SourceError>;
    let source = files.open(&spec).map_err(other)?;
    let columns = source.shape().columns;
    let request =
        ReadRequest { fingerprints: vec![(0..columns.len()).collect()], ..ReadRequest::default() };
    let mut reader = source.read(request).map_err(other)?;
    let (mut bytes, mut hashing, mut print) = (0, Hashing::default(), vec![]);
    columns.iter().for_each(|(name, ty)| hashing.update(format!("{name:?} {ty}\n").as_bytes()));
    loop {
        let parts = reader.next(1).map_err(other)?;
        let Some(part) = parts.first() else { break };
        bytes += part.bytes();
        let part = part.parse().map_err(other)?;
        for prints in &part.fingerprints {
            for row in 0..part.rows {
                print.clear();
                prints.write_value(row, &mut print);
                print.push(b'\n');
                hashing.update(&print);
            }
        }
    }
    Ok((bytes, hashing.finish()))
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

/// Why a record or a page (`what`) cannot be written to a path, as far as that is known before.
pub(super) fn refused(plan: &Plan, path: &Path, what: &str) -> Option<OutputError> {
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
        help: format!("write the {what} to another path"),
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
    (seconds, memory): (f64, Used),
) -> io::Result<Record> {
    let numbers = figures(report);
    let mut written = vec![];
    for output in &report.written {
        let (bytes, sha256) = print_of(plan, output)?;
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
            chart: output.chart.clone(),
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
        memory,
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
