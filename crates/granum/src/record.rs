//! What is written down of a run, and what is another in the next.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

use granum_core::tally::{Earlier, part_name};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use sha2::{Digest, Sha256};

use crate::memory::Used;

/// The version of records.
pub const FORMAT: u64 = 1;

/// All that is written down of a run.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
    /// The memory that tables used; nothing in a record of before that was noted.
    #[serde(default)]
    pub memory: Used,
    /// The whole report.
    #[cfg_attr(test, schemars(with = "granum_core::tally::Report"))]
    pub report: Value,
}

/// A value with its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Named {
    pub name: String,
    pub value: String,
}

/// A plan as it was run.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct PlanRecord {
    pub name: String,
    /// Its text, with those of the plans that it uses behind it.
    pub text: String,
    pub sha256: String,
}

/// A file as it was read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct FileRecord {
    /// The input.
    pub input: String,
    pub path: String,
    pub bytes: u64,
    pub sha256: String,
}

/// A file that was written.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct OutputRecord {
    pub table: String,
    pub path: String,
    /// In a book the sheet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// In a database the table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub named: Option<String>,
    /// Of a picture the chart's title.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub chart: Option<String>,
    pub rows: u64,
    /// The sums of its tracked amounts.
    pub sums: Vec<Named>,
    pub bytes: u64,
    pub sha256: String,
}

/// What is another than it was when a record was written.
#[derive(Debug, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Since {
    /// The record.
    pub record: String,
    /// Whether the plan's text is another.
    pub plan: bool,
    /// Parameters with other values.
    pub parameters: Vec<ChangedParameter>,
    /// The files that were read.
    pub inputs: ChangedFiles,
    /// The files that were written, where both runs are written down.
    pub outputs: Option<ChangedFiles>,
}

/// Files that are others than they were.
#[derive(Debug, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChangedFiles {
    /// Those that are.
    pub others: Vec<ChangedFile>,
    /// How many are as they were.
    pub same: usize,
}

/// A file that is another than it was, is new, or is no more.
#[derive(Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChangedFile {
    /// Its path.
    pub path: String,
    /// Its size before; nothing where it was not there.
    pub before: Option<u64>,
    /// Its size now; nothing where it is not there.
    pub now: Option<u64>,
}

/// A parameter that has another value than it had.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChangedParameter {
    /// Its name.
    pub name: String,
    /// Its value before; nothing where it was as the plan says.
    pub before: Option<String>,
    /// Its value now; nothing where it is as the plan says.
    pub now: Option<String>,
}

/// A file's size and the SHA-256 of its bytes.
///
/// # Errors
/// A file that cannot be read.
pub fn fingerprint(path: &Path) -> io::Result<(u64, String)> {
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

/// The SHA-256 of what comes bit by bit.
#[derive(Default)]
pub struct Hashing(Sha256);

impl Hashing {
    pub fn update(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    pub fn finish(self) -> String {
        hex(&self.0.finalize())
    }
}

/// The SHA-256 of bytes.
pub fn hash(bytes: &[u8]) -> String {
    hex(&Sha256::digest(bytes))
}

fn hex(bytes: &[u8]) -> String {
    use std::fmt::Write;
    bytes.iter().fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

/// What is another in one record than in another.
pub fn between_records(old: (&Record, &Path), new: &Record) -> Since {
    let mut since = between(old, &new.plan.sha256, &new.parameters, &new.inputs);
    let output = |output: &OutputRecord| {
        let path = match &output.named {
            Some(named) => part_name(&output.path, named),
            None => output.path.clone(),
        };
        (path, output.bytes, output.sha256.clone())
    };
    let (before, now): (Vec<_>, Vec<_>) =
        (old.0.outputs.iter().map(output).collect(), new.outputs.iter().map(output).collect());
    since.outputs = Some(changed_files(&before, &now));
    since
}

/// What is another than a record says.
pub fn between(
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
        .map(|name| ChangedParameter {
            name: name.clone(),
            before: before.get(name).cloned(),
            now: now.get(name).cloned(),
        })
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
            before => changed.others.push(ChangedFile {
                path: path.clone(),
                before: before.map(|(_, bytes, _)| *bytes),
                now: Some(*bytes),
            }),
        }
    }
    for (path, bytes, _) in old {
        if !new.iter().any(|(now, ..)| now == path) {
            changed.others.push(ChangedFile {
                path: path.clone(),
                before: Some(*bytes),
                now: None,
            });
        }
    }
    changed
}
