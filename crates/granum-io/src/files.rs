//! Files around a plan: paths are relative to its folder.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use granum_core::engine::{
    InputSource, Output, OutputError, Outputs, SourceError, SourceErrorKind, Sources,
};
use granum_core::resolve::InputSpec;
use granum_core::value::Type;

use crate::csv::CsvSource;
use crate::place::PlacedFile;

/// Reads inputs from, and writes outputs to, files.
pub struct Files {
    folder: PathBuf,
    /// Files that inputs were opened from, so that no output replaces one.
    opened: Mutex<Vec<PathBuf>>,
}

impl Files {
    /// Files as seen from a plan's folder.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self { folder: folder.into(), opened: Mutex::new(vec![]) }
    }

    /// The files that a source names, in the order of their paths.
    fn find(&self, source: &str) -> Result<Vec<(PathBuf, String)>, SourceError> {
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
