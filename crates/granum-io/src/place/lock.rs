//! A lock beside a place: of two runs only one may write there. The system holds it, and forgets it when the
//! process ends, however it ends.

use std::fs::{self, File, OpenOptions, TryLockError};
use std::path::{Path, PathBuf};

use super::{folder_of, prefix};

/// A place that is locked for this process, as long as this is there.
#[derive(Debug)]
pub(super) struct PlaceLock {
    path: PathBuf,
    _file: File,
}

/// What came of asking for a lock.
pub(super) enum Locked {
    /// It is ours.
    Own(PlaceLock),
    /// Another run has it.
    Other,
    /// The file system has no locks, or nothing can be written there.
    Cannot,
}

impl PlaceLock {
    /// Locks a place.
    pub fn take(target: &Path) -> Locked {
        let path = folder_of(target).join(format!("{}lock", prefix(target)));
        loop {
            let opened =
                OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path);
            let Ok(file) = opened else { return Locked::Cannot };
            match file.try_lock() {
                Ok(()) if is_still(&file, &path) => {
                    return Locked::Own(Self { path, _file: file });
                }
                // The run that had it removed it meanwhile: a new one stands there, or will.
                Ok(()) => {}
                Err(TryLockError::WouldBlock) => return Locked::Other,
                Err(TryLockError::Error(_)) => {
                    let _ = fs::remove_file(&path);
                    return Locked::Cannot;
                }
            }
        }
    }

    /// The file that is locked.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

impl Drop for PlaceLock {
    fn drop(&mut self) {
        // While it is still locked: whoever opened it before finds out that it is gone.
        let _ = fs::remove_file(&self.path);
    }
}

/// Whether an open file still stands at its path.
#[cfg(unix)]
fn is_still(file: &File, path: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let number = |data: fs::Metadata| (data.dev(), data.ino());
    let own = file.metadata().map(number).ok();
    own.is_some() && own == fs::metadata(path).map(number).ok()
}

/// Elsewhere a file that is open cannot be removed.
#[cfg(not(unix))]
fn is_still(_: &File, path: &Path) -> bool {
    path.exists()
}

/// Whether a process holds a file locked.
pub(super) fn is_locked(path: &Path) -> bool {
    match File::open(path).map(|file| file.try_lock()) {
        Ok(Err(TryLockError::WouldBlock)) => true,
        // What cannot be asked is left alone.
        Ok(Err(TryLockError::Error(_))) => true,
        Ok(Ok(())) => false,
        Err(error) => error.kind() != std::io::ErrorKind::NotFound,
    }
}
