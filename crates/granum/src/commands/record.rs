//! What is written down of a run, and compared with the next: `run --record`, `run --against`.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

use granum_core::lang::StatementKind;
use granum_core::port::OutputError;
use granum_core::tally::{Earlier, FigureKind, Report, figures};
use granum_io::{Files, write_file};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use sha2::{Digest, Sha256};

use super::outputs;
use super::plan::Plan;

/// The version of records.
const FORMAT: u64 = 1;

/// All that is written down of a run.
#[derive(Debug, Serialize, Deserialize)]
pub struct Record {
    /// The version of this layout.
    pub format: u64,
    /// The program and its version.
    pub program: String,
    /// The plan.
    pub plan: PlanRecord,
    /// The values that parameters were given.
    pub parameters: Vec<Named>,
    /// The files of each input.
    pub inputs: Vec<FileRecord>,
    /// What was written.
    pub outputs: Vec<OutputRecord>,
    /// Its numbers, and how they had moved.
    #[serde(flatten)]
    pub numbers: Earlier,
    /// `held` or `stopped`.
    pub verdict: String,
    /// How long it took.
    pub seconds: f64,
    /// The whole report.
    pub report: Value,
}

/// A value with its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Named {
    pub name: String,
    pub value: String,
}

/// A plan as it was run.
#[derive(Debug, Serialize, Deserialize)]
pub struct PlanRecord {
    pub name: String,
    /// Its text, with those of the plans that it uses behind it.
    pub text: String,
    pub sha256: String,
}

/// A file as it was read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileRecord {
    /// The input.
    pub input: String,
    pub path: String,
    pub bytes: u64,
    pub sha256: String,
}

/// A file that was written.
#[derive(Debug, Serialize, Deserialize)]
pub struct OutputRecord {
    pub table: String,
    pub path: String,
    pub rows: u64,
    /// The sums of its tracked amounts.
    pub sums: Vec<Named>,
    pub bytes: u64,
    pub sha256: String,
}

/// What is another than it was when a record was written.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Since {
    /// The record.
    pub record: String,
    /// Whether the plan's text is another.
    pub plan: bool,
    /// Parameters with other values: name, before, now.
    pub parameters: Vec<(String, Option<String>, Option<String>)>,
    /// The files that were read.
    pub inputs: ChangedFiles,
    /// The files that were written, where both runs are written down.
    pub outputs: Option<ChangedFiles>,
}

/// Files that are others than they were.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct ChangedFiles {
    /// Path, bytes before, bytes now.
    pub others: Vec<(String, Option<u64>, Option<u64>)>,
    /// How many are as they were.
    pub same: usize,
}

/// A file's size and the SHA-256 of its bytes.
fn fingerprint(path: &Path) -> io::Result<(u64, String)> {
    let (mut file, mut hasher, mut bytes) = (File::open(path)?, Sha256::new(), 0);
    let mut part = vec![0; 1 << 20];
    loop {
        match file.read(&mut part)? {
            0 => break,
            length => {
                hasher.update(&part[..length]);
                bytes += length as u64;
            }
        }
    }
    Ok((bytes, hex(&hasher.finalize())))
}

fn hex(bytes: &[u8]) -> String {
    use std::fmt::Write;
    bytes.iter().fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

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
        let start = format!("{} ", output.path);
        let sums = numbers.iter().filter(|figure| figure.kind == FigureKind::Amount);
        let sums = sums.filter_map(|figure| {
            let name = figure.of.strip_prefix(&start)?.to_owned();
            Some(Named { name, value: figure.value.clone() })
        });
        written.push(OutputRecord {
            table: output.table.clone(),
            path: output.path.clone(),
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
        plan: PlanRecord {
            name: plan.name.clone(),
            sha256: hex(&Sha256::digest(text.as_bytes())),
            text,
        },
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
    let text = hex(&Sha256::digest(plan.texts.all.as_bytes()));
    Ok(between((record, path), &text, &given, &inputs(plan)?))
}

/// What is another in one record than in another.
pub(super) fn between_records(old: (&Record, &Path), new: &Record) -> Since {
    let mut since = between(old, &new.plan.sha256, &new.parameters, &new.inputs);
    let output = |output: &OutputRecord| (output.path.clone(), output.bytes, output.sha256.clone());
    let (before, now): (Vec<_>, Vec<_>) =
        (old.0.outputs.iter().map(output).collect(), new.outputs.iter().map(output).collect());
    since.outputs = Some(changed_files(&before, &now));
    since
}

fn between(
    (record, path): (&Record, &Path),
    plan: &str,
    given: &[Named],
    files: &[FileRecord],
) -> Since {
    let named = |given: &[Named]| -> BTreeMap<String, String> {
        given.iter().map(|given| (given.name.clone(), given.value.clone())).collect()
    };
    let (before, now) = (named(&record.parameters), named(given));
    let mut parameters: Vec<_> = before
        .keys()
        .chain(now.keys())
        .filter(|name| before.get(*name) != now.get(*name))
        .map(|name| (name.clone(), before.get(name).cloned(), now.get(name).cloned()))
        .collect();
    parameters.sort();
    parameters.dedup();
    let file = |file: &FileRecord| (file.path.clone(), file.bytes, file.sha256.clone());
    let old: Vec<_> = record.inputs.iter().map(file).collect();
    let new: Vec<_> = files.iter().map(file).collect();
    Since {
        record: path.display().to_string(),
        plan: record.plan.sha256 != plan,
        parameters,
        inputs: changed_files(&old, &new),
        outputs: None,
    }
}

/// Which of some files are others: path, size and hash of each.
fn changed_files(old: &[(String, u64, String)], new: &[(String, u64, String)]) -> ChangedFiles {
    let mut changed = ChangedFiles::default();
    for (path, bytes, hash) in new {
        match old.iter().find(|(before, ..)| before == path) {
            Some((.., before)) if before == hash => changed.same += 1,
            before => changed.others.push((
                path.clone(),
                before.map(|(_, bytes, _)| *bytes),
                Some(*bytes),
            )),
        }
    }
    for (path, bytes, _) in old {
        if !new.iter().any(|(now, ..)| now == path) {
            changed.others.push((path.clone(), Some(*bytes), None));
        }
    }
    changed
}
