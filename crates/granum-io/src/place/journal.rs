//! What is about to be renamed, written down before: several renames are not one act, so that the next run can
//! finish what a killed one began.
//!
//! A journal stands in each folder that has outputs and names all renames of the run. The one in the first folder is
//! written last and removed last: while it stands, the run is to be finished; without it, nothing was renamed.

use std::collections::BTreeSet;
use std::ffi::OsString;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use tempfile::Builder;

use super::folder_of;
use crate::unfinished::{sealed, unsealed};

/// How journals end.
pub(super) const ENDING: &str = ".journal";

/// How one ends that is being written.
pub(super) const WRITING: &str = ".journal.new";

/// A file that is to be put in its place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Move {
    part: OsString,
    target: OsString,
    /// What stands in the place when the run is about to replace it; nothing where nothing does.
    before: Option<Stamp>,
    /// Where the place is a database that is there: what is put into it, in place of replacing it.
    #[serde(default)]
    refill: Option<Refill>,
}

/// Tables of a database that are emptied and filled with what was staged, once for a run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Refill {
    /// What the run is known by.
    pub run: String,
    pub tables: Vec<String>,
}

/// Databases on servers that a run writes to: what they have taken decides for all else of the run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Deciding {
    /// What the run is known by there.
    pub run: String,
    /// Without passwords.
    pub addresses: Vec<String>,
}

/// By what a file is known again.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Stamp {
    bytes: u64,
    /// When its content was changed, in seconds and billionths from 1970.
    changed: (u64, u32),
    /// Its number in the file system, where there is one.
    number: u64,
}

impl Stamp {
    fn of(path: &Path) -> Option<Self> {
        let data = fs::metadata(path).ok()?;
        let changed = data.modified().ok()?.duration_since(std::time::UNIX_EPOCH).ok()?;
        #[cfg(unix)]
        let number = std::os::unix::fs::MetadataExt::ino(&data);
        #[cfg(not(unix))]
        let number = 0;
        Some(Self {
            bytes: data.len(),
            changed: (changed.as_secs(), changed.subsec_nanos()),
            number,
        })
    }
}

impl Move {
    /// A file that goes into a place, as that is now.
    pub fn new(part: &Path, target: &Path) -> Self {
        Self { part: part.into(), target: target.into(), before: Stamp::of(target), refill: None }
    }

    /// The same, for a database that is there.
    #[cfg(feature = "sqlite")]
    pub fn refilling(self, refill: Refill) -> Self {
        Self { refill: Some(refill), ..self }
    }

    /// The same as its place is now.
    pub fn now(&self) -> Self {
        Self { before: Stamp::of(self.target()), ..self.clone() }
    }

    pub fn refill(&self) -> Option<&Refill> {
        self.refill.as_ref()
    }

    pub fn part(&self) -> &Path {
        Path::new(&self.part)
    }

    pub fn target(&self) -> &Path {
        Path::new(&self.target)
    }

    /// Whether its place is as it was.
    pub fn is_as_before(&self) -> bool {
        Stamp::of(self.target()) == self.before
    }
}

/// What stands in a journal.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct Written {
    /// The journal that decides.
    pub first: OsString,
    pub moves: Vec<Move>,
    #[serde(default)]
    pub deciding: Option<Deciding>,
}

impl Written {
    /// Reads a journal; nothing where none stands there.
    pub fn read(path: &Path) -> Option<Self> {
        serde_json::from_slice(&fs::read(path).ok()?).ok()
    }

    /// The folders of its moves, each once.
    pub fn folders(&self) -> BTreeSet<PathBuf> {
        self.moves.iter().map(|moved| folder_of(moved.target()).to_owned()).collect()
    }
}

/// The journals of this run, while they stand.
#[derive(Debug)]
pub(crate) struct Journal {
    /// The one that decides comes first. Each is held locked: the run is alive.
    files: Vec<(PathBuf, File)>,
    folders: BTreeSet<PathBuf>,
}

impl Journal {
    /// Writes down what is about to be done; nothing where there is nothing to do.
    ///
    /// # Errors
    /// A folder that cannot be written to, and which: then no journal stands in any.
    pub fn write(
        moves: Vec<Move>,
        deciding: Option<Deciding>,
    ) -> Result<Option<Self>, (PathBuf, io::Error)> {
        let Some(first) = moves.first().map(|moved| folder_of(moved.target()).to_owned()) else {
            return Ok(None);
        };
        let own = Builder::new().prefix(".granum-").suffix(WRITING).tempfile_in(&first);
        let own = own.map_err(|error| (first.clone(), error))?;
        let name = own.path().file_name().unwrap_or_default().to_string_lossy().into_owned();
        let name = format!("{}{ENDING}", name.strip_suffix(WRITING).unwrap_or(&name));
        let written = Written { first: first.join(&name).into(), moves, deciding };
        let folders = written.folders();
        let mut journal = Self { files: vec![], folders: folders.clone() };
        let others = folders.iter().filter(|folder| **folder != first);
        for folder in others.chain([&first]) {
            match write_one(&folder.join(&name), &written) {
                Ok(file) => journal.files.insert(0, (folder.join(&name), file)),
                Err(error) => {
                    journal.cancel();
                    return Err((folder.clone(), error));
                }
            }
        }
        let refills = written.moves.iter().any(|moved| moved.refill.is_some());
        let final_ones = refills || written.deciding.is_some();
        sealed(journal.files.iter().map(|(path, _)| path.clone()).collect(), final_ones);
        Ok(Some(journal))
    }

    /// All is in its place: the journals go, the one that decides last.
    pub fn done(self) {
        self.folders.iter().for_each(|folder| sync(folder));
        unsealed();
        for (path, _) in self.files.iter().rev() {
            let _ = fs::remove_file(path);
        }
    }

    /// Nothing is in its place: the journals go, the one that decides first.
    pub fn cancel(self) {
        unsealed();
        for (path, _) in &self.files {
            let _ = fs::remove_file(path);
        }
    }
}

/// Writes one journal, whole or not at all, and holds it locked.
fn write_one(path: &Path, written: &Written) -> io::Result<File> {
    let mut name = path.as_os_str().to_owned();
    name.push(".new");
    let new = PathBuf::from(name);
    let write = || {
        let mut file = File::create(&new)?;
        let _ = file.try_lock();
        serde_json::to_writer(&mut file, written).map_err(io::Error::other)?;
        file.flush()?;
        file.sync_all()?;
        fs::rename(&new, path)?;
        sync(folder_of(path));
        Ok(file)
    };
    write().inspect_err(|_| drop(fs::remove_file(&new)))
}

/// Sees to it that what a folder names is kept. Where that cannot be asked, the system does it in its time.
pub(super) fn sync(folder: &Path) {
    #[cfg(unix)]
    let _ = File::open(folder).and_then(|folder| folder.sync_all());
    #[cfg(not(unix))]
    let _ = folder;
}
