//! Folders of parts: the files of columns that make one table, in folders within folders.

use std::path::{Path, PathBuf};

use granum_core::port::{COLUMNS, NamedAs, SourceError, SourceErrorKind};

use crate::csv::system_error;

/// Where a file stands, and its name.
type Part = (PathBuf, String);

/// Where the parts in a folder stand, in the order of their paths, each with its name; none where it has no file of columns.
/// What is hidden, or begins with `_`, is no part: programs note there what they did.
///
/// # Errors
/// A folder that cannot be read; a file beside parts that is none, since it would be passed over.
pub(crate) fn parts_of(folder: &Path, name: &str) -> Result<Vec<Part>, SourceError> {
    let mut found = vec![];
    walk(folder, name.trim_end_matches('/'), &mut found)?;
    let is_part = |(_, name): &&Part| COLUMNS.iter().any(|ending| NamedAs::of(name).ends(ending));
    if !found.iter().any(|file| is_part(&file)) {
        return Ok(vec![]);
    }
    match found.iter().find(|file| !is_part(file)) {
        None => Ok(found),
        Some((_, other)) => Err(SourceError {
            kind: SourceErrorKind::Format,
            file: other.clone(),
            line: None,
            message: format!("is in the folder of parts {name} and is none"),
            help: "move it elsewhere, or name the parts:  \"FOLDER/*.parquet\"".into(),
        }),
    }
}

fn walk(folder: &Path, name: &str, found: &mut Vec<Part>) -> Result<(), SourceError> {
    let wrong = |error: std::io::Error| system_error(name, &error);
    let mut entries = vec![];
    for entry in std::fs::read_dir(folder).map_err(wrong)? {
        entries.push(entry.map_err(wrong)?.file_name());
    }
    entries.sort();
    for entry in entries {
        let shown = entry.to_string_lossy();
        if shown.starts_with(['.', '_']) {
            continue;
        }
        let (path, name) = (folder.join(&entry), format!("{name}/{shown}"));
        if std::fs::metadata(&path).map_err(|error| system_error(&name, &error))?.is_dir() {
            walk(&path, &name, found)?;
        } else {
            found.push((path, name));
        }
    }
    Ok(())
}
