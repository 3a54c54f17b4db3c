//! A file that appears in its place whole, or not at all.

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use granum_core::engine::{Encoder, Output, OutputError};
use tempfile::{Builder, NamedTempFile, TempPath};

use crate::csv::CsvEncoder;

/// A file on its way: a temporary file beside its place until it is published.
pub(crate) struct PlacedFile {
    /// As the plan names it.
    name: String,
    target: PathBuf,
    file: Option<NamedTempFile>,
    bytes: u64,
    /// What stood there before, kept until all is settled.
    backup: Option<TempPath>,
    published: bool,
    /// Folders that were made for it, innermost first.
    folders: Vec<PathBuf>,
}

impl PlacedFile {
    pub fn begin(target: PathBuf, name: &str) -> Result<Self, OutputError> {
        // A link is followed, so that what it points at is replaced and not the link.
        let target = target.canonicalize().unwrap_or(target);
        if target.is_dir() {
            return Err(OutputError {
                path: name.to_owned(),
                message: "is a folder, not a file".into(),
                help: "name a file in it".into(),
            });
        }
        let folder = target.parent().map_or_else(|| PathBuf::from("."), Path::to_path_buf);
        let mut folders = vec![];
        let mut missing = folder.as_path();
        while !missing.as_os_str().is_empty() && !missing.exists() {
            folders.push(missing.to_path_buf());
            let Some(parent) = missing.parent() else { break };
            missing = parent;
        }
        fs::create_dir_all(&folder)
            .map_err(|error| failed(name, "its folder cannot be made", &error))?;
        let mut builder = Builder::new();
        builder.prefix(".granum-").suffix(".part");
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // As any new file: the system takes away what its owner does not grant. A file that
            // is replaced keeps its own.
            let mode = fs::metadata(&target).map_or(0o666, |data| data.permissions().mode());
            builder.permissions(fs::Permissions::from_mode(mode));
        }
        let mut made = Self {
            name: name.to_owned(),
            target,
            file: None,
            bytes: 0,
            backup: None,
            published: false,
            folders,
        };
        let file = builder
            .tempfile_in(&folder)
            .map_err(|error| failed(name, "its folder cannot be written to", &error))?;
        made.file = Some(file);
        Ok(made)
    }
}

fn failed(name: &str, what: &str, error: &std::io::Error) -> OutputError {
    OutputError {
        path: name.to_owned(),
        message: format!("{what}: {error}"),
        help: "nothing was written; see to its folder and run again".into(),
    }
}

impl Output for PlacedFile {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(CsvEncoder)
    }

    fn write(&mut self, bytes: &[u8]) -> Result<(), OutputError> {
        self.bytes += bytes.len() as u64;
        let Some(file) = &mut self.file else { return Ok(()) };
        file.write_all(bytes).map_err(|error| failed(&self.name, "cannot be written", &error))
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        if let Some(file) = &mut self.file {
            let kept = file.flush().and_then(|()| file.as_file().sync_data());
            kept.map_err(|error| failed(&self.name, "cannot be written", &error))?;
        }
        Ok(self.bytes)
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        let Some(file) = self.file.take() else { return Ok(()) };
        if self.target.exists() {
            let folder = self.target.parent().unwrap_or(Path::new("."));
            let aside = Builder::new()
                .prefix(".granum-")
                .suffix(".before")
                .make_in(folder, |path| fs::hard_link(&self.target, path))
                .or_else(|_| {
                    // File systems without hard links keep a copy.
                    Builder::new()
                        .prefix(".granum-")
                        .suffix(".before")
                        .make_in(folder, |path| fs::copy(&self.target, path).map(|_| ()))
                })
                .map_err(|error| failed(&self.name, "cannot be replaced", &error))?;
            self.backup = Some(aside.into_temp_path());
        }
        file.persist(&self.target)
            .map_err(|error| failed(&self.name, "cannot be put in its place", &error.error))?;
        self.published = true;
        Ok(())
    }

    fn withdraw(&mut self) {
        if !self.published {
            return;
        }
        self.published = false;
        match self.backup.take() {
            Some(backup) => {
                if let Err(error) = backup.persist(&self.target) {
                    // The copy stays beside the file for its owner to find.
                    let _ = error.path.keep();
                }
            }
            None => {
                let _ = fs::remove_file(&self.target);
            }
        }
    }

    fn settle(&mut self) {
        self.backup = None;
    }
}

impl Drop for PlacedFile {
    fn drop(&mut self) {
        if self.published {
            return;
        }
        self.file = None;
        for folder in &self.folders {
            // Only empty folders go.
            let _ = fs::remove_dir(folder);
        }
    }
}
