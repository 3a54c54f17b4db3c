//! Files around a plan: paths are relative to its folder.

use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use granum_core::engine::{
    InputSource, Output, OutputError, Outputs, SourceError, SourceErrorKind, Sources,
};
use granum_core::resolve::InputSpec;
use granum_core::value::Type;
use tempfile::NamedTempFile;

use crate::csv::{CsvSource, Look, Written, look};
use crate::place::PlacedFile;

/// Reads inputs from, and writes outputs to, files.
pub struct Files {
    folder: PathBuf,
    /// Files that inputs were opened from, so that no output replaces one.
    opened: Mutex<Vec<PathBuf>>,
    /// What was read from standard input, once it has been.
    standard_input: Mutex<Option<NamedTempFile>>,
}

/// So many bytes tell how something is packed.
const MARK: u64 = 4;

/// Standard input, where one file is expected.
const STANDARD_INPUT: &str = "-";

/// A source as messages name it.
pub fn shown_name(source: &str) -> &str {
    if source == STANDARD_INPUT { "standard input" } else { source }
}

impl Files {
    /// Files as seen from a plan's folder.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self { folder: folder.into(), opened: Mutex::new(vec![]), standard_input: Mutex::new(None) }
    }

    /// Looks at the beginning of a file to see how it is written, where `said` leaves that open. Of
    /// several that a pattern finds, the first is looked at.
    ///
    /// # Errors
    /// That there is no such file, or that it cannot be read.
    pub fn look(&self, source: &str, said: &Written) -> Result<Look, SourceError> {
        let found = self.find(source)?;
        let Some((path, name)) = found.first() else {
            return Err(SourceError {
                kind: SourceErrorKind::Missing,
                file: source.to_owned(),
                line: None,
                message: "there is no such file".into(),
                help: "look at the path".into(),
            });
        };
        look(path, name, said)
    }

    /// A file that has all of standard input: files are read more than once.
    fn standard_input(&self) -> std::io::Result<PathBuf> {
        let mut known = self.standard_input.lock().unwrap_or_else(PoisonError::into_inner);
        if known.is_none() {
            let mut input = std::io::stdin().lock();
            let mut begin = vec![];
            input.by_ref().take(MARK).read_to_end(&mut begin)?;
            // It has no name that could say that it is packed.
            let ending = if begin.starts_with(&[0x1F, 0x8B]) {
                ".gz"
            } else if begin == [0x28, 0xB5, 0x2F, 0xFD] {
                ".zst"
            } else {
                ""
            };
            let mut file = tempfile::Builder::new().suffix(ending).tempfile()?;
            file.write_all(&begin)?;
            std::io::copy(&mut input, file.as_file_mut())?;
            *known = Some(file);
        }
        Ok(known.as_ref().map_or_else(PathBuf::new, |file| file.path().to_owned()))
    }

    /// The files that a source names, in the order of their paths.
    fn find(&self, source: &str) -> Result<Vec<(PathBuf, String)>, SourceError> {
        if source == STANDARD_INPUT {
            let path = self.standard_input().map_err(|error| SourceError {
                kind: SourceErrorKind::System,
                file: shown_name(source).into(),
                line: None,
                message: format!("cannot be read: {error}"),
                help: "give a file's path in place of -".into(),
            })?;
            return Ok(vec![(path, shown_name(source).into())]);
        }
        let path = self.folder.join(source);
        let literal = path.exists() || !source.contains(['*', '?', '[']);
        if literal {
            return Ok(vec![(path, source.to_owned())]);
        }
        let missing = |message: String| SourceError {
            kind: SourceErrorKind::Missing,
            file: source.to_owned(),
            line: None,
            message,
            help: "paths are relative to the plan's folder".into(),
        };
        // Signs of a pattern in the folder's own name stand for themselves.
        let folder = glob::Pattern::escape(&self.folder.to_string_lossy());
        let pattern = Path::new(&folder).join(source).to_string_lossy().into_owned();
        let found =
            glob::glob(&pattern).map_err(|error| missing(format!("is no pattern: {error}")))?;
        let mut files: Vec<(PathBuf, String)> = found
            .flatten()
            .filter(|path| path.is_file())
            .map(|path| {
                let name = path.strip_prefix(&self.folder).unwrap_or(&path);
                let name = name.to_string_lossy().into_owned();
                (path, name)
            })
            .collect();
        files.sort();
        if files.is_empty() {
            return Err(missing("no file is found by this pattern".into()));
        }
        Ok(files)
    }
}

impl Sources for Files {
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError> {
        let mut files = vec![];
        for source in &spec.sources {
            for (path, name) in self.find(source)? {
                let lower = name.to_lowercase();
                let other = [".parquet", ".xlsx", ".sqlite", ".db", ".json"];
                if other.iter().any(|ending| lower.ends_with(ending)) {
                    return Err(SourceError {
                        kind: SourceErrorKind::Format,
                        file: name,
                        line: None,
                        message: "this version reads CSV only".into(),
                        help: "export it as CSV".into(),
                    });
                }
                let real = path.canonicalize().unwrap_or_else(|_| path.clone());
                if files.iter().any(|(_, _, known)| *known == real) {
                    return Err(SourceError {
                        kind: SourceErrorKind::Doubled,
                        file: name,
                        line: None,
                        message: "is named twice for one input, so all its rows would be doubled"
                            .into(),
                        help: "name it once; a pattern may find it a second time".into(),
                    });
                }
                files.push((path, name, real));
            }
        }
        let mut opened = self.opened.lock().unwrap_or_else(PoisonError::into_inner);
        opened.extend(files.iter().map(|(_, _, real)| real.clone()));
        let files: Vec<(PathBuf, String)> =
            files.into_iter().map(|(path, name, _)| (path, name)).collect();
        Ok(Box::new(CsvSource::open(spec, &files)?))
    }
}

impl Outputs for Files {
    fn begin(
        &self,
        path: &str,
        columns: &[(String, Type)],
    ) -> Result<Box<dyn Output>, OutputError> {
        let target = self.folder.join(path);
        let opened = self.opened.lock().unwrap_or_else(PoisonError::into_inner);
        if target.canonicalize().is_ok_and(|target| opened.contains(&target)) {
            return Err(OutputError {
                path: path.to_owned(),
                message: "an input is read from this file".into(),
                help: "write to another path".into(),
            });
        }
        let header = crate::csv::header(columns.iter().map(|(name, _)| name.as_str()));
        let mut file = PlacedFile::begin(target, path)?;
        file.write(&header)?;
        Ok(Box::new(file))
    }
}

/// Writes a file whole, or leaves what stood there.
///
/// # Errors
/// Why it cannot be written.
pub fn write_file(path: &Path, bytes: &[u8]) -> Result<(), OutputError> {
    let mut file = PlacedFile::begin(path.to_owned(), &path.to_string_lossy())?;
    file.write(bytes)?;
    file.complete()?;
    file.publish()?;
    file.settle();
    Ok(())
}
