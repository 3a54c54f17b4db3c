//! What a run has begun beside its outputs and not finished: so that a signal can take it back, and
//! the next run what a killed one left.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// One output on its way.
#[derive(Debug, Clone, Default)]
struct Begun {
    /// The temporary file.
    part: Option<PathBuf>,
    target: PathBuf,
    /// What stood in its place, kept aside.
    backup: Option<PathBuf>,
    /// Whether the target has been replaced, or made.
    published: bool,
    /// Folders that were made for it, innermost first.
    folders: Vec<PathBuf>,
    /// The lock of its place.
    lock: Option<PathBuf>,
}

/// The journals that stand, the one that decides first: while they do, what was begun is finished.
static SEALED: Mutex<Vec<PathBuf>> = Mutex::new(vec![]);

/// Whether that takes more than to rename files: a database is being filled. Then the next run does it.
static LATER: Mutex<bool> = Mutex::new(false);

static BEGUN: Mutex<Vec<Option<Begun>>> = Mutex::new(vec![]);

/// An output's entry among those that are on their way; forgotten when it is let go.
#[derive(Debug)]
pub(crate) struct Unfinished(usize);

impl Unfinished {
    /// Notes a temporary file and its place.
    pub fn begin(
        part: PathBuf,
        target: PathBuf,
        folders: Vec<PathBuf>,
        lock: Option<PathBuf>,
    ) -> Self {
        let begun = Begun { part: Some(part), target, folders, lock, ..Begun::default() };
        let mut all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
        all.push(Some(begun));
        Self(all.len() - 1)
    }

    fn change(&self, change: impl FnOnce(&mut Begun)) {
        let mut all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(Some(begun)) = all.get_mut(self.0) {
            change(begun);
        }
    }

    /// What stands in the place is about to be kept aside.
    pub fn kept_aside(&self, backup: &Path) {
        self.change(|begun| begun.backup = Some(backup.to_owned()));
    }

    /// The temporary file is in its place now.
    pub fn published(&self) {
        self.change(|begun| (begun.part, begun.published) = (None, true));
    }
}

impl Drop for Unfinished {
    fn drop(&mut self) {
        let mut all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(begun) = all.get_mut(self.0) {
            *begun = None;
        }
    }
}

/// From now on what was begun is finished, whatever ends the process; by the next run, if `later`.
pub(crate) fn sealed(journals: Vec<PathBuf>, later: bool) {
    *LATER.lock().unwrap_or_else(PoisonError::into_inner) = later;
    *SEALED.lock().unwrap_or_else(PoisonError::into_inner) = journals;
}

/// From now on what was begun is taken back again.
pub(crate) fn unsealed() {
    SEALED.lock().unwrap_or_else(PoisonError::into_inner).clear();
}

/// The folders above a place that were made for outputs still on their way, innermost first.
pub(crate) fn folders_made_for(target: &Path) -> Vec<PathBuf> {
    let all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
    let made = all.iter().flatten().flat_map(|begun| &begun.folders);
    let mut above: Vec<PathBuf> =
        made.filter(|folder| target.starts_with(folder)).cloned().collect();
    above.sort_by_key(|folder| std::cmp::Reverse(folder.components().count()));
    above.dedup();
    above
}

/// Takes back all that has been begun in this process: temporary files and new folders go, and what
/// stood in a place stands there again. Where outputs are being put in their places already, that is finished:
/// it takes no longer. For whoever ends the process next.
pub fn take_back() {
    let sealed = !SEALED.lock().unwrap_or_else(PoisonError::into_inner).is_empty();
    if sealed && *LATER.lock().unwrap_or_else(PoisonError::into_inner) {
        return;
    }
    let journals = std::mem::take(&mut *SEALED.lock().unwrap_or_else(PoisonError::into_inner));
    let mut all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
    for begun in all.iter_mut().filter_map(Option::take) {
        if let Some(lock) = &begun.lock {
            let _ = fs::remove_file(lock);
        }
        if !journals.is_empty() {
            match &begun.part {
                Some(part) if !begun.target.as_os_str().is_empty() => {
                    drop(fs::rename(part, &begun.target));
                }
                Some(part) => drop(fs::remove_file(part)),
                None => {}
            }
            if let Some(backup) = &begun.backup {
                let _ = fs::remove_file(backup);
            }
            continue;
        }
        if let Some(part) = &begun.part {
            let _ = fs::remove_file(part);
        }
        match (&begun.backup, begun.published) {
            (Some(backup), true) => {
                let _ = fs::rename(backup, &begun.target);
            }
            (Some(backup), false) => {
                let _ = fs::remove_file(backup);
            }
            (None, true) => {
                let _ = fs::remove_file(&begun.target);
            }
            (None, false) => {}
        }
        for folder in &begun.folders {
            let _ = fs::remove_dir(folder);
        }
    }
    for journal in journals.iter().rev() {
        let _ = fs::remove_file(journal);
    }
}
