//! What runs that were killed left beside outputs: finished where they had begun to put outputs in their places,
//! removed where they had not.

use std::fs::{self, File, TryLockError};
use std::path::{Path, PathBuf};

use super::journal::{Deciding, ENDING, Refill, WRITING, Written, sync};
use super::lock::is_locked;
use super::{folder_of, prefix};

/// A run that was killed while it put outputs in their places.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LeftRun {
    /// Outputs that are in their places now, or wait for it.
    pub outputs: Vec<PathBuf>,
    /// Places that somebody changed since: they stay as they are.
    pub changed: Vec<PathBuf>,
}

/// Removes what a killed run left beside an output whose place is locked for this one.
pub(super) fn remove_left(target: &Path) {
    let prefix = prefix(target);
    let Ok(entries) = fs::read_dir(folder_of(target)) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if name.starts_with(&prefix) && (name.ends_with(".part") || name.ends_with(".before")) {
            let _ = fs::remove_file(entry.path());
        }
    }
}

/// The journals of runs that are no longer alive in a folder, each with whether it is to be followed.
fn journals(folder: &Path) -> Vec<(PathBuf, Written, bool)> {
    let Ok(entries) = fs::read_dir(folder) else { return vec![] };
    let named = |entry: &fs::DirEntry, ending: &str| {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        name.starts_with(".granum-") && name.ends_with(ending)
    };
    let journals = entries.flatten().filter(|entry| named(entry, ENDING)).map(|entry| entry.path());
    let left = journals.filter(|path| !is_locked(path));
    let read = left.filter_map(|path| {
        let written = Written::read(&path)?;
        let decided = Path::new(&written.first).exists();
        Some((path, written, decided))
    });
    let mut found: Vec<_> = read.collect();
    found.sort_by(|(one, ..), (other, ..)| one.cmp(other));
    found
}

/// What runs that were killed wait to have finished in a folder.
pub(crate) fn left_in(folder: &Path) -> Vec<LeftRun> {
    let decided = journals(folder).into_iter().filter(|(.., decided)| *decided);
    let told = decided.map(|(_, written, _)| LeftRun {
        outputs: written
            .moves
            .iter()
            .filter(|moved| moved.part().exists())
            .map(|moved| moved.target().to_owned())
            .collect(),
        changed: vec![],
    });
    told.filter(|run| !run.outputs.is_empty()).collect()
}

/// How databases are reached that a killed run was about to fill.
#[derive(Clone, Copy)]
pub(crate) struct Reaching {
    /// Puts what was staged into one in a file. False where that cannot be.
    pub refill: fn(part: &Path, target: &Path, refill: &Refill) -> bool,
    /// Whether one on a server has taken what a run had for it; nothing where it cannot be asked.
    pub took: fn(address: &str, run: &str) -> Option<bool>,
}

impl Reaching {
    /// Whether a run is to be finished, as servers decide it: one that has taken its rows does not give them back.
    fn decided(self, deciding: &Deciding) -> Option<bool> {
        let asked = deciding.addresses.iter().map(|address| (self.took)(address, &deciding.run));
        let asked: Vec<Option<bool>> = asked.collect();
        if asked.contains(&Some(true)) {
            return Some(true);
        }
        (!asked.contains(&None)).then_some(false)
    }
}

/// Finishes what runs that were killed had begun in a folder: what was to be put in its place is, in all
/// folders, or none of it where that had not been decided.
pub(crate) fn finish_left(folder: &Path, reaching: Reaching) -> Vec<LeftRun> {
    remove_unwritten(folder);
    let mut told = vec![];
    for (path, written, decided) in journals(folder) {
        // Another run may be about to do the same.
        let Ok(file) = File::open(&path) else { continue };
        if matches!(file.try_lock(), Err(TryLockError::WouldBlock)) {
            continue;
        }
        let decided = match &written.deciding {
            Some(deciding) if decided => match reaching.decided(deciding) {
                Some(decided) => decided,
                None => continue,
            },
            _ => decided,
        };
        let mut run = LeftRun::default();
        // Databases first, as the run itself would have done it. Where one cannot be filled now, all waits.
        let refills = written.moves.iter().filter_map(|moved| Some((moved, moved.refill()?)));
        let mut refills = refills.filter(|(moved, _)| decided && moved.part().exists());
        if !refills.all(|(moved, refill)| (reaching.refill)(moved.part(), moved.target(), refill)) {
            continue;
        }
        for moved in &written.moves {
            let target = moved.target().to_owned();
            if !moved.part().exists() {
                if decided {
                    run.outputs.push(target);
                }
            } else if !decided {
                let _ = fs::remove_file(moved.part());
            } else if moved.refill().is_some() {
                let _ = fs::remove_file(moved.part());
                run.outputs.push(target);
            } else if moved.is_as_before() {
                if fs::rename(moved.part(), &target).is_ok() {
                    run.outputs.push(target);
                }
            } else {
                let _ = fs::remove_file(moved.part());
                run.changed.push(target);
            }
            remove_left(moved.target());
        }
        let folders = written.folders();
        folders.iter().for_each(|folder| sync(folder));
        let name = path.file_name().unwrap_or_default();
        let first = Path::new(&written.first);
        for folder in folders.iter().filter(|folder| Some(folder.as_path()) != first.parent()) {
            let _ = fs::remove_file(folder.join(name));
        }
        let _ = fs::remove_file(first);
        let _ = fs::remove_file(&path);
        if decided {
            told.push(run);
        }
    }
    told
}

/// Journals that were being written when their run was killed say nothing.
fn remove_unwritten(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        let unwritten = name.starts_with(".granum-") && name.ends_with(WRITING);
        if unwritten && !is_locked(&entry.path()) {
            let _ = fs::remove_file(entry.path());
        }
    }
}
