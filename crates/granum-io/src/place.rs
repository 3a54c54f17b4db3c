//! A file that appears in its place whole, or not at all.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use tempfile::{Builder, NamedTempFile, TempPath};

use crate::formats::Writer;
use crate::unfinished::{Unfinished, folders_made_for, prefix, remove_left};
use granum_core::port::{Encoded, Encoder, Output, OutputError};

/// Links are followed so often at most.
const LINKS: usize = 40;

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
    /// Keeps others from taking its files for left ones.
    locked: Option<File>,
    unfinished: Option<Unfinished>,
}

/// Where a path leads: links are followed, also one that leads to no file yet, and `..` is taken away.
/// Two paths of one file give one place.
///
/// # Errors
/// What is in the way: a circle of links, a folder that cannot be looked into.
pub(crate) fn place(path: &Path) -> io::Result<PathBuf> {
    let mut path = path.to_path_buf();
    for _ in 0..LINKS {
        if let Ok(real) = path.canonicalize() {
            return Ok(real);
        }
        let folder = match path.parent() {
            Some(folder) if folder.as_os_str().is_empty() => PathBuf::from("."),
            Some(folder) => folder.to_path_buf(),
            None => return Ok(path),
        };
        match fs::symlink_metadata(&path) {
            Ok(data) if data.is_symlink() => path = folder.join(fs::read_link(&path)?),
            _ => {
                // Of folders that are not there yet only the names are known.
                let name = path.components().next_back();
                let folder = place(&folder)?;
                return Ok(match name {
                    Some(Component::ParentDir) => {
                        folder.parent().map_or_else(|| folder.clone(), Path::to_path_buf)
                    }
                    Some(Component::Normal(name)) => folder.join(name),
                    _ => folder,
                });
            }
        }
    }
    Err(io::Error::other("links lead in a circle"))
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
            bytes: 0,
            backup: None,
            published: false,
            folders,
            locked: None,
            unfinished: None,
        };
        let file = builder
            .tempfile_in(&folder)
            .map_err(|error| failed(name, "its folder cannot be written to", &error))?;
        let part = file.path().to_path_buf();
        made.unfinished = Some(Unfinished::begin(part, made.target.clone(), made.folders.clone()));
        // Where a file system has no locks, only a run at the same time would be at a loss.
        made.locked = file.as_file().try_clone().ok().filter(|file| file.lock().is_ok());
        made.file = Some(file);
        Ok(made)
    }
}

/// What the system says, with what helps against it.
fn failed(name: &str, what: &str, error: &io::Error) -> OutputError {
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
pub(crate) fn too_many_open(error: &io::Error) -> bool {
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
        write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> Result<(), OutputError> {
        let Some(file) = &mut self.file else { return Ok(()) };
        let mut counted = Counted { file, bytes: &mut self.bytes };
        write(&mut counted).map_err(|error| failed(&self.name, "cannot be written", &error))
    }

    /// All is written: sees to it that it is kept. Gives how many bytes there are.
    pub fn complete(&mut self) -> Result<u64, OutputError> {
        if let Some(file) = &mut self.file {
            let kept = file.flush().and_then(|()| file.as_file().sync_data());
            kept.map_err(|error| failed(&self.name, "cannot be written", &error))?;
        }
        Ok(self.bytes)
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
        file.persist(&self.target)
            .map_err(|error| failed(&self.name, "cannot be put in its place", &error.error))?;
        self.unfinished.iter().for_each(Unfinished::published);
        self.published = true;
        Ok(())
    }

    /// What stood there before stands there again.
    pub fn withdraw(&mut self) {
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

    /// Everything is in its place: what was kept aside can go.
    pub fn settle(&mut self) {
        self.unfinished = None;
        self.backup = None;
        self.locked = None;
    }
}

/// A file, and how many bytes went into it.
struct Counted<'a> {
    file: &'a mut NamedTempFile,
    bytes: &'a mut u64,
}

impl Write for Counted<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        *self.bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// A table on its way into a file, in one format.
pub(crate) struct PlacedTable {
    file: PlacedFile,
    writer: Box<dyn Writer>,
}

impl PlacedTable {
    pub fn begin(file: PlacedFile, writer: Box<dyn Writer>) -> Result<Self, OutputError> {
        let mut table = Self { file, writer };
        table.file.write_by(|out| table.writer.begin(out))?;
        Ok(table)
    }
}

impl Output for PlacedTable {
    fn encoder(&self) -> Arc<dyn Encoder> {
        self.writer.encoder()
    }

    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        self.file.write_by(|out| self.writer.take(rows, out))
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        self.file.write_by(|out| self.writer.finish(out))?;
        self.file.complete()
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        self.file.publish()
    }

    fn withdraw(&mut self) {
        self.file.withdraw();
    }

    fn settle(&mut self) {
        self.file.settle();
    }
}

impl Drop for PlacedFile {
    fn drop(&mut self) {
        self.unfinished = None;
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

#[cfg(test)]
mod tests {
    use super::*;

    fn begun(dir: &Path, name: &str, text: &str) -> PlacedFile {
        let mut file = PlacedFile::begin(&dir.join(name), name).unwrap();
        file.write_by(|out| out.write_all(text.as_bytes())).unwrap();
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
    fn a_new_folder_goes_with_the_last_of_its_outputs() {
        let dir = tempfile::tempdir().unwrap();
        let first = begun(dir.path(), "new/deep/a.csv", "1");
        let second = begun(dir.path(), "new/b.csv", "2");
        drop(first);
        assert_eq!(names(dir.path()), ["new"]);
        drop(second);
        assert!(names(dir.path()).is_empty());
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

    #[cfg(unix)]
    #[test]
    fn a_link_to_what_is_not_there_yet_is_followed_and_a_circle_refused() {
        let dir = tempfile::tempdir().unwrap();
        let link = |to: &str, name: &str| {
            std::os::unix::fs::symlink(to, dir.path().join(name)).unwrap();
        };
        link("real.csv", "a.csv");
        let mut file = begun(dir.path(), "a.csv", "new");
        file.publish().unwrap();
        file.settle();
        assert!(dir.path().join("a.csv").is_symlink());
        assert_eq!(fs::read_to_string(dir.path().join("real.csv")).unwrap(), "new");
        link("c.csv", "b.csv");
        link("b.csv", "c.csv");
        let error = PlacedFile::begin(&dir.path().join("b.csv"), "b.csv").err().unwrap();
        assert!(error.message.contains("links lead in a circle"), "{error}");
        let error = PlacedFile::begin(Path::new("/dev/null"), "/dev/null").err().unwrap();
        assert!(error.message.starts_with("is a pipe or a device"), "{error}");
    }

    #[test]
    fn paths_of_one_file_have_one_place() {
        let dir = tempfile::tempdir().unwrap();
        fs::create_dir(dir.path().join("q")).unwrap();
        let place = |path: &str| place(&dir.path().join(path)).unwrap();
        for same in ["./x.csv", "q/../x.csv", "new/../x.csv", "q/./../x.csv"] {
            assert_eq!(place(same), place("x.csv"), "{same}");
        }
        assert_ne!(place("q/x.csv"), place("x.csv"));
    }

    #[test]
    fn what_a_killed_run_left_goes_and_what_a_living_one_holds_stays() {
        let dir = tempfile::tempdir().unwrap();
        fs::write(dir.path().join(".granum-a.csv-dead.part"), "x").unwrap();
        fs::write(dir.path().join(".granum-b.csv-dead.part"), "x").unwrap();
        let living = begun(dir.path(), "a.csv", "one");
        let other = begun(dir.path(), "a.csv", "two");
        let parts = |of: &str| names(dir.path()).iter().filter(|name| name.contains(of)).count();
        assert_eq!((parts("-a.csv-"), parts("-b.csv-")), (2, 1));
        drop((living, other));
        drop(begun(dir.path(), "b.csv", "x"));
        assert_eq!(names(dir.path()), Vec::<String>::new());
    }
}
