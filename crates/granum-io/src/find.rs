//! Finds the files that a source names: a file, a pattern, a folder of parts, standard input.

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use granum_core::port::{SourceError, SourceErrorKind, is_address};

use crate::coming::{Coming, reads_once};
use crate::csv::{not_kept, system_error};
use crate::parts::parts_of;
use crate::stream::{Bytes, Stream};

/// Standard input, where one file is expected.
pub(crate) const STANDARD_INPUT: &str = "-";

/// A source as messages name it.
pub fn shown_name(source: &str) -> &str {
    if source == STANDARD_INPUT { "standard input" } else { source }
}

/// A file that a source names.
#[derive(Debug, Clone)]
pub(crate) struct FoundFile {
    pub path: PathBuf,
    /// As messages name it.
    pub name: String,
    /// What it is where it is no file: at the path is what has come of it.
    pub coming: Option<Arc<Coming>>,
}

impl FoundFile {
    /// A file at rest.
    pub fn at(path: PathBuf, name: String) -> Self {
        Self { path, name, coming: None }
    }

    /// Waits until all of it stands at its path.
    ///
    /// # Errors
    /// Why that cannot be.
    pub fn whole(&self) -> Result<(), SourceError> {
        let come = self.coming.as_ref().map_or(Ok(()), |coming| coming.whole());
        come.map_err(|error| system_error(&self.name, &error))
    }
}

impl Bytes for FoundFile {
    fn path(&self) -> &Path {
        &self.path
    }

    fn read_from(&self, from: u64) -> std::io::Result<Stream> {
        match &self.coming {
            Some(coming) => coming.read_from(from),
            None => self.path.read_from(from),
        }
    }
}

/// Finds files as seen from a folder.
pub(crate) struct Finder {
    pub folder: PathBuf,
    /// What can be read only once.
    coming: Mutex<Vec<(PathBuf, Arc<Coming>)>>,
    /// Whom to tell what is waited for.
    pub notice: fn(&str),
}

impl Finder {
    pub fn new(folder: PathBuf) -> Self {
        Self { folder, coming: Mutex::new(vec![]), notice: |_| {} }
    }

    /// Whether a source can be looked at without taking anything from it: standard input and pipes cannot.
    pub fn at_rest(&self, source: &str) -> bool {
        is_address(source) || source != STANDARD_INPUT && !reads_once(&self.folder.join(source))
    }

    /// What can be read only once: standard input, a pipe.
    fn coming(&self, path: &Path, name: &str) -> std::io::Result<FoundFile> {
        let mut known = self.coming.lock().unwrap_or_else(PoisonError::into_inner);
        let found = |coming: &Arc<Coming>| FoundFile {
            path: coming.path().to_owned(),
            name: shown_name(name).into(),
            coming: Some(coming.clone()),
        };
        if let Some((_, coming)) = known.iter().find(|(of, _)| of == path) {
            coming.keep();
            return Ok(found(coming));
        }
        let coming = if path == Path::new(STANDARD_INPUT) {
            Coming::standard_input()?
        } else {
            let (notice, name) = (self.notice, name.to_owned());
            let told = move || notice(&format!("waiting for {name}: nothing comes from it yet"));
            Coming::from_path(path, told)?
        };
        let coming = Arc::new(coming);
        let found = found(&coming);
        known.push((path.to_owned(), coming));
        Ok(found)
    }

    /// The files that a source names, in the order of their paths.
    pub fn find(&self, source: &str) -> Result<Vec<FoundFile>, SourceError> {
        if source == STANDARD_INPUT {
            let standard = Path::new(STANDARD_INPUT);
            let found = self.coming(standard, source).map_err(|error| SourceError {
                kind: SourceErrorKind::System,
                file: shown_name(source).into(),
                line: None,
                message: format!("cannot be read: {error}"),
                help: "give a file's path in place of -".into(),
            })?;
            return Ok(vec![found]);
        }
        let path = self.folder.join(source);
        let literal = path.exists() || !source.contains(['*', '?', '[']);
        if literal {
            if reads_once(&path) {
                let found = self.coming(&path, source);
                return Ok(vec![found.map_err(|error| not_kept(source, &error))?]);
            }
            if path.is_dir() {
                let parts = parts_of(&path, source)?;
                if !parts.is_empty() {
                    let found = parts.into_iter().map(|(path, name)| FoundFile::at(path, name));
                    return Ok(found.collect());
                }
            }
            return Ok(vec![FoundFile::at(path, source.to_owned())]);
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
        let named = |path: &Path| {
            path.strip_prefix(&self.folder).unwrap_or(path).to_string_lossy().into_owned()
        };
        let mut files: Vec<FoundFile> = vec![];
        for path in found {
            let path = path.map_err(|error| SourceError {
                kind: SourceErrorKind::System,
                file: named(error.path()),
                line: None,
                message: format!("cannot be looked into: {}", error.error()),
                help: format!(
                    "the pattern {source} would pass over it; mend its rights, or leave it \
                               out of the pattern"
                ),
            })?;
            if std::fs::metadata(&path).is_err() {
                return Err(SourceError {
                    kind: SourceErrorKind::Missing,
                    file: named(&path),
                    line: None,
                    message: "is a link that leads nowhere".into(),
                    help: format!("the pattern {source} finds it; mend the link or remove it"),
                });
            }
            if path.is_file() {
                files.push(FoundFile::at(path.clone(), named(&path)));
            }
        }
        files.sort_by(|one, other| one.path.cmp(&other.path));
        if files.is_empty() {
            return Err(missing("no file is found by this pattern".into()));
        }
        Ok(files)
    }
}
