//! Finds the files that a source names: a file, a pattern, a folder of parts, standard input.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use granum_core::port::{SourceError, SourceErrorKind, is_address};

use crate::parts::parts_of;
use crate::spool::{Spooled, reads_once, spool, spool_standard_input};

/// Standard input, where one file is expected.
pub(crate) const STANDARD_INPUT: &str = "-";

/// A source as messages name it.
pub fn shown_name(source: &str) -> &str {
    if source == STANDARD_INPUT { "standard input" } else { source }
}

/// Finds files as seen from a folder.
pub(crate) struct Finder {
    pub folder: PathBuf,
    /// What was read of what can be read only once.
    spooled: Mutex<Vec<(PathBuf, Spooled)>>,
    /// Whom to tell what is waited for.
    pub notice: fn(&str),
}

impl Finder {
    pub fn new(folder: PathBuf) -> Self {
        Self { folder, spooled: Mutex::new(vec![]), notice: |_| {} }
    }

    /// Whether a source can be looked at without taking anything from it: standard input and pipes cannot.
    pub fn at_rest(&self, source: &str) -> bool {
        is_address(source) || source != STANDARD_INPUT && !reads_once(&self.folder.join(source))
    }

    /// The file that has all of what can be read only once: standard input, a pipe.
    fn spooled(&self, path: &Path, name: &str) -> std::io::Result<PathBuf> {
        let mut known = self.spooled.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, file)) = known.iter().find(|(of, _)| of == path) {
            return Ok(file.path().to_owned());
        }
        let file = if path == Path::new(STANDARD_INPUT) {
            spool_standard_input()?
        } else {
            let (notice, name) = (self.notice, name.to_owned());
            spool(path, move || notice(&format!("waiting for {name}: nothing comes from it yet")))?
        };
        let place = file.path().to_owned();
        known.push((path.to_owned(), file));
        Ok(place)
    }

    /// The files that a source names, in the order of their paths.
    pub fn find(&self, source: &str) -> Result<Vec<(PathBuf, String)>, SourceError> {
        if source == STANDARD_INPUT {
            let standard = Path::new(STANDARD_INPUT);
            let path = self.spooled(standard, source).map_err(|error| SourceError {
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
            let path = if reads_once(&path) {
                self.spooled(&path, source).map_err(|error| SourceError {
                    kind: SourceErrorKind::System,
                    file: source.into(),
                    line: None,
                    message: format!("cannot be read: {error}"),
                    help: "it is no file, so it is read once into a temporary one (TMPDIR says where); \
                           give a file in its place"
                        .into(),
                })?
            } else {
                path
            };
            if path.is_dir() {
                let parts = parts_of(&path, source)?;
                if !parts.is_empty() {
                    return Ok(parts);
                }
            }
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
        let named = |path: &Path| {
            path.strip_prefix(&self.folder).unwrap_or(path).to_string_lossy().into_owned()
        };
        let mut files: Vec<(PathBuf, String)> = vec![];
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
                files.push((path.clone(), named(&path)));
            }
        }
        files.sort();
        if files.is_empty() {
            return Err(missing("no file is found by this pattern".into()));
        }
        Ok(files)
    }
}
