//! What a run has begun beside its outputs and not finished: so that a signal can take it back, and
//! the next run what a killed one left.

use std::fs::{self, File, TryLockError};
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
}

static BEGUN: Mutex<Vec<Option<Begun>>> = Mutex::new(vec![]);

/// An output's entry among those that are on their way; forgotten when it is let go.
#[derive(Debug)]
pub(crate) struct Unfinished(usize);

impl Unfinished {
    /// Notes a temporary file and its place.
    pub fn begin(part: PathBuf, target: PathBuf, folders: Vec<PathBuf>) -> Self {
        let begun = Begun { part: Some(part), target, folders, ..Begun::default() };
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
/// stood in a place stands there again. For whoever ends the process next.
pub fn take_back() {
    let mut all = BEGUN.lock().unwrap_or_else(PoisonError::into_inner);
    for begun in all.iter_mut().filter_map(Option::take) {
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
}

/// What the temporary files of an output are called before what tells them apart.
pub(crate) fn prefix(target: &Path) -> String {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    // Names can be as long as the system allows; the beginning is enough to find them again.
    let short: String = name.chars().take(80).collect();
    format!(".granum-{short}-")
}

/// Removes what a killed run left beside an output. A run that is alive holds its files locked, which
/// the system forgets when a process ends, however it ends.
pub(crate) fn remove_left(target: &Path) {
    let Some(folder) = target.parent() else { return };
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let prefix = prefix(target);
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if !name.starts_with(&prefix) {
            continue;
        }
        let path = entry.path();
        // What was kept aside belongs to the run that replaces the target.
        let held = if name.ends_with(".before") { target } else { path.as_path() };
        let is_left = name.ends_with(".part") || name.ends_with(".before");
        if is_left && !is_locked(held) {
            let _ = fs::remove_file(&path);
        }
    }
}

fn is_locked(path: &Path) -> bool {
    match File::open(path).map(|file| file.try_lock()) {
        Ok(Err(TryLockError::WouldBlock)) => true,
        // What cannot be asked is left alone.
        Ok(Err(TryLockError::Error(_))) => true,
        Ok(Ok(())) => false,
        Err(error) => error.kind() != std::io::ErrorKind::NotFound,
    }
}
