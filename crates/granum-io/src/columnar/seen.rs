//! A file as it was when it was opened, so that nobody reads another in its place.

use std::fs::File;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use granum_core::port::SourceError;

use crate::csv::{changed, system_error};

/// A file, and by what it is known again.
#[derive(Debug, Clone)]
pub(super) struct Seen {
    path: PathBuf,
    pub name: String,
    pub bytes: u64,
    modified: Option<SystemTime>,
}

impl Seen {
    /// Opens a file for the first time.
    pub fn first(path: &Path, name: &str) -> Result<(Self, File), SourceError> {
        let system = |error: std::io::Error| system_error(name, &error);
        let file = File::open(path).map_err(system)?;
        let data = file.metadata().map_err(system)?;
        let (bytes, modified) = (data.len(), data.modified().ok());
        Ok((Self { path: path.to_owned(), name: name.to_owned(), bytes, modified }, file))
    }

    /// Opens it again.
    ///
    /// # Errors
    /// That it is not what it was.
    pub fn again(&self) -> Result<File, SourceError> {
        let (now, file) = Self::first(&self.path, &self.name)?;
        if (now.bytes, now.modified) == (self.bytes, self.modified) {
            Ok(file)
        } else {
            Err(changed(&self.name))
        }
    }
}
