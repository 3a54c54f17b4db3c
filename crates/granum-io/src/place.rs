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
            // Sole empty folders go.
            let _ = fs::remove_dir(folder);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn begun(dir: &Path, name: &str, text: &str) -> PlacedFile {
        let mut file = PlacedFile::begin(dir.join(name), name).unwrap();
        file.write(text.as_bytes()).unwrap();
        assert_eq!(file.complete().unwrap(), text.len() as u64);
        file
    }

    fn names(dir: &Path) -> Vec<String> {
        let entries = fs::read_dir(dir).unwrap();
        let mut names: Vec<String> =
            entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    #[test]
    fn nothing_is_seen_before_it_is_published_and_nothing_is_left_when_it_is_not() {
        let dir = tempfile::tempdir().unwrap();
        let file = begun(dir.path(), "new/deep/a.csv", "x");
        assert!(!dir.path().join("new/deep/a.csv").exists());
        drop(file);
        assert_eq!(names(dir.path()), Vec::<String>::new());
    }

    #[test]
    fn what_is_withdrawn_gives_back_what_stood_there() {
        let dir = tempfile::tempdir().unwrap();
        fs::write(dir.path().join("a.csv"), "old").unwrap();
        let mut replaced = begun(dir.path(), "a.csv", "new");
        let mut fresh = begun(dir.path(), "b.csv", "new");
        replaced.publish().unwrap();
        fresh.publish().unwrap();
        assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "new");
        fresh.withdraw();
        replaced.withdraw();
        drop((fresh, replaced));
        assert_eq!(names(dir.path()), ["a.csv"]);
        assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "old");
    }

    #[test]
    fn what_is_settled_leaves_nothing_beside() {
        let dir = tempfile::tempdir().unwrap();
        fs::write(dir.path().join("a.csv"), "old").unwrap();
        let mut file = begun(dir.path(), "a.csv", "new");
        file.publish().unwrap();
        assert_eq!(names(dir.path()).len(), 2, "the old one is kept aside");
        file.settle();
        drop(file);
        assert_eq!(names(dir.path()), ["a.csv"]);
        assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "new");
    }

    #[test]
    fn a_place_that_became_a_folder_meanwhile_is_no_place() {
        let dir = tempfile::tempdir().unwrap();
        let mut file = begun(dir.path(), "a.csv", "new");
        fs::create_dir(dir.path().join("a.csv")).unwrap();
        let error = file.publish().unwrap_err();
        assert!(error.message.starts_with("cannot be replaced"), "{error}");
        drop(file);
        assert_eq!(names(dir.path()), ["a.csv"]);
    }

    #[cfg(unix)]
    #[test]
    fn a_link_is_followed_and_stays_a_link() {
        let dir = tempfile::tempdir().unwrap();
        fs::create_dir(dir.path().join("real")).unwrap();
        fs::write(dir.path().join("real/a.csv"), "old").unwrap();
        std::os::unix::fs::symlink("real/a.csv", dir.path().join("a.csv")).unwrap();
        let mut file = begun(dir.path(), "a.csv", "new");
        file.publish().unwrap();
        file.settle();
        assert!(dir.path().join("a.csv").is_symlink());
        assert_eq!(fs::read_to_string(dir.path().join("real/a.csv")).unwrap(), "new");
    }
}
