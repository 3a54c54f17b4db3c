//! A file that appears in its place whole, or not at all.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use granum_core::port::OutputError;
use tempfile::{Builder, NamedTempFile, TempPath};

use super::filled::Filled;
use super::journal::Move;
use super::left::remove_left;
use super::lock::{Locked, PlaceLock};
use super::{place, prefix};
use crate::format::Unwritable;
use crate::unfinished::{Unfinished, folders_made_for};

/// A file on its way: a temporary file beside its place until it is published.
pub(crate) struct PlacedFile {
    /// As the plan names it.
    name: String,
    target: PathBuf,
    file: Option<NamedTempFile>,
    filled: Filled,
    /// What stood there before, kept until all is settled.
    backup: Option<TempPath>,
    published: bool,
    /// Folders that were made for it, innermost first.
    folders: Vec<PathBuf>,
    /// The temporary file's path, also once it is in its place.
    part: PathBuf,
    /// Keeps other runs from the same place.
    locked: Option<PlaceLock>,
    unfinished: Option<Unfinished>,
}

impl PlacedFile {
    pub fn begin(path: &Path, name: &str) -> Result<Self, OutputError> {
        // A link is followed, so that what it points at is replaced and not the link.
        let target =
            place(path).map_err(|error| failed(name, "its place cannot be found", &error))?;
        let wrong = |message: &str, help: &str| OutputError {
            path: name.to_owned(),
            message: message.into(),
            help: help.into(),
        };
        match fs::metadata(&target) {
            Ok(data) if data.is_dir() => {
                return Err(wrong("is a folder, not a file", "name a file in it"));
            }
            Ok(data) if !data.is_file() => {
                return Err(wrong(
                    "is a pipe or a device: what is written there cannot be taken back",
                    "write to a file; `granum show PLAN TABLE` prints rows",
                ));
            }
            _ => {}
        }
        let folder = target.parent().map_or_else(|| PathBuf::from("."), Path::to_path_buf);
        let mut folders = vec![];
        let mut missing = folder.as_path();
        while !missing.as_os_str().is_empty() && !missing.exists() {
            folders.push(missing.to_path_buf());
            let Some(parent) = missing.parent() else { break };
            missing = parent;
        }
        fs::create_dir_all(&folder).map_err(|error| {
            folders.iter().for_each(|folder| drop(fs::remove_dir(folder)));
            failed(name, "its folder cannot be made", &error)
        })?;
        // Whichever output in a new folder is let go last takes it back.
        folders.extend(folders_made_for(&target));
        let locked = match PlaceLock::take(&target) {
            Locked::Own(lock) => Some(lock),
            // Where a file system has no locks, only a run at the same time would be at a loss.
            Locked::Cannot => None,
            Locked::Other => {
                folders.iter().for_each(|folder| drop(fs::remove_dir(folder)));
                return Err(wrong(
                    "another run is writing this file",
                    "nothing was written; wait until that run has ended, and run again",
                ));
            }
        };
        remove_left(&target);
        let before = prefix(&target);
        let mut builder = Builder::new();
        builder.prefix(&before).suffix(".part");
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
            filled: Filled::default(),
            backup: None,
            published: false,
            folders,
            part: PathBuf::new(),
            locked,
            unfinished: None,
        };
        let file = builder
            .tempfile_in(&folder)
            .map_err(|error| failed(name, "its folder cannot be written to", &error))?;
        made.part = file.path().to_path_buf();
        let lock = made.locked.as_ref().map(|lock| lock.path().to_owned());
        let noted =
            Unfinished::begin(made.part.clone(), made.target.clone(), made.folders.clone(), lock);
        made.unfinished = Some(noted);
        made.file = Some(file);
        Ok(made)
    }
}

/// What the system says, with what helps against it.
fn failed(name: &str, what: &str, error: &io::Error) -> OutputError {
    let told = error.get_ref().and_then(|error| error.downcast_ref::<Unwritable>());
    if let Some(Unwritable { message, help }) = told {
        let (path, message, help) = (name.to_owned(), message.clone(), help.clone());
        return OutputError { path, message, help };
    }
    let help = match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
            "nothing was written; make room, or write to another disk"
        }
        io::ErrorKind::InvalidFilename => "nothing was written; give it a shorter name",
        _ if too_many_open(error) => {
            "nothing was written; let more files be open at once:  ulimit -n 10000"
        }
        _ => "nothing was written; see to its folder and run again",
    };
    OutputError { path: name.to_owned(), message: format!("{what}: {error}"), help: help.into() }
}

/// Whether the system has no more open files to give, to this process or at all.
fn too_many_open(error: &io::Error) -> bool {
    // With a path told beside it, only the words are left of the system's own number.
    let said = || error.to_string();
    matches!(error.raw_os_error(), Some(23 | 24))
        || error.get_ref().is_some()
            && ["(os error 23)", "(os error 24)"].iter().any(|number| said().contains(number))
}

impl PlacedFile {
    /// Has something written into it.
    pub fn write_by(
        &mut self,
        write: impl FnOnce(&mut (dyn Write + Send)) -> io::Result<()>,
    ) -> Result<(), OutputError> {
        let Some(file) = &self.file else { return Ok(()) };
        let written = write(&mut Into { file, filled: &mut self.filled });
        written.map_err(|error| failed(&self.name, "cannot be written", &error))
    }

    /// All is written: sees to it that it is kept. Gives how many bytes there are.
    pub fn complete(&mut self) -> Result<u64, OutputError> {
        if let Some(file) = &self.file {
            let kept = self.filled.complete(file);
            kept.map_err(|error| failed(&self.name, "cannot be written", &error))?;
        }
        Ok(self.filled.bytes())
    }

    /// The temporary file.
    #[cfg(feature = "sqlite")]
    pub fn part(&self) -> &Path {
        &self.part
    }

    /// What [`PlacedFile::publish`] will do.
    pub fn moves(&self) -> Move {
        Move::new(&self.part, &self.target)
    }

    /// Puts the file in its place; what stood there is kept aside.
    pub fn publish(&mut self) -> Result<(), OutputError> {
        let Some(file) = self.file.take() else { return Ok(()) };
        if self.target.exists() {
            let folder = self.target.parent().unwrap_or(Path::new("."));
            let before = prefix(&self.target);
            let aside = Builder::new()
                .prefix(&before)
                .suffix(".before")
                .make_in(folder, |path| fs::hard_link(&self.target, path))
                .or_else(|_| {
                    // File systems without hard links keep a copy.
                    Builder::new()
                        .prefix(&before)
                        .suffix(".before")
                        .make_in(folder, |path| fs::copy(&self.target, path).map(|_| ()))
                })
                .map_err(|error| failed(&self.name, "cannot be replaced", &error))?;
            let aside = aside.into_temp_path();
            self.unfinished.iter().for_each(|unfinished| unfinished.kept_aside(&aside));
            self.backup = Some(aside);
        }
        file.into_temp_path()
            .keep()
            .map_err(|error| error.error)
            .and_then(|part| fs::rename(part, &self.target))
            .map_err(|error| failed(&self.name, "cannot be put in its place", &error))?;
        self.unfinished.iter().for_each(Unfinished::published);
        self.published = true;
        Ok(())
    }

    /// What stood there before stands there again; the file itself is beside it again, so that a journal
    /// that names it could still be followed.
    pub fn withdraw(&mut self) {
        if !self.published {
            return;
        }
        self.published = false;
        let _ = fs::rename(&self.target, &self.part);
        if let Some(Err(error)) = self.backup.take().map(|backup| backup.persist(&self.target)) {
            // The copy stays beside the file for its owner to find.
            let _ = error.path.keep();
        }
    }

    /// Everything is in its place: what was kept aside can go.
    pub fn settle(&mut self) {
        self.unfinished = None;
        self.backup = None;
        self.locked = None;
    }
}

/// Where an output's bytes go.
struct Into<'a> {
    file: &'a NamedTempFile,
    filled: &'a mut Filled,
}

impl Write for Into<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.filled.take(self.file, bytes)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Drop for PlacedFile {
    fn drop(&mut self) {
        self.unfinished = None;
        if self.published {
            return;
        }
        self.file = None;
        let _ = fs::remove_file(&self.part);
        self.locked = None;
        for folder in &self.folders {
            // Only empty folders go.
            let _ = fs::remove_dir(folder);
        }
    }
}
