//! A folder for what memory has no room for: files without a name, so that nothing of them is left however the
//! program ends.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use granum_core::table::{Scratch, ScratchError, ScratchFile};

use crate::at::{read_at, write_at};

/// Files in a folder that is there.
#[derive(Debug)]
pub struct ScratchFolder(PathBuf);

impl ScratchFolder {
    /// In the folder that is named; else where the system wants large temporary files.
    pub fn new(named: Option<&Path>) -> Self {
        Self(named.map_or_else(large_files, Path::to_path_buf))
    }
}

/// Where temporary files go that may be large: `/tmp` is memory itself on many systems, `/var/tmp` is not.
fn large_files() -> PathBuf {
    let large = Path::new("/var/tmp");
    if std::env::var_os("TMPDIR").is_none() && large.is_dir() {
        return large.to_owned();
    }
    std::env::temp_dir()
}

impl Scratch for ScratchFolder {
    fn begin(&self) -> Result<Box<dyn ScratchFile>, ScratchError> {
        let file = tempfile::tempfile_in(&self.0);
        let file = file.map_err(|error| told(&self.0, "cannot be written to", &error))?;
        Ok(Box::new(Unnamed { folder: self.0.clone(), file, end: AtomicU64::new(0) }))
    }
}

/// A file without a name.
struct Unnamed {
    folder: PathBuf,
    file: File,
    /// Where nothing is yet.
    end: AtomicU64,
}

impl ScratchFile for Unnamed {
    fn put(&self, bytes: &[u8]) -> Result<u64, ScratchError> {
        let from = self.end.fetch_add(bytes.len() as u64, Ordering::Relaxed);
        let put = write_at(&self.file, bytes, from);
        put.map_err(|error| {
            told(&self.folder, "has no room for what memory has none for", &error)
        })?;
        Ok(from)
    }

    fn get(&self, from: u64, into: &mut [u8]) -> Result<(), ScratchError> {
        let got = read_at(&self.file, into, from);
        got.map_err(|error| told(&self.folder, "does not give back what was put there", &error))
    }
}

fn told(folder: &Path, what: &str, error: &io::Error) -> ScratchError {
    let help = "nothing was written; name another folder with  --spill DIR , or give more with  --memory SIZE";
    ScratchError {
        folder: folder.display().to_string(),
        message: format!("{what}: {error}"),
        help: help.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_put_comes_back_and_no_file_is_seen() {
        let folder = tempfile::tempdir().unwrap();
        let scratch = ScratchFolder::new(Some(folder.path()));
        let file = scratch.begin().unwrap();
        let places =
            [file.put(b"one").unwrap(), file.put(b"").unwrap(), file.put(b"three").unwrap()];
        let mut into = [0; 5];
        file.get(places[2], &mut into).unwrap();
        assert_eq!(&into, b"three");
        file.get(places[0], &mut into[..3]).unwrap();
        assert_eq!(&into[..3], b"one");
        assert!(folder.path().read_dir().unwrap().next().is_none());
        let missing = file.get(3, &mut into[..]).and_then(|()| file.get(4, &mut into));
        assert!(
            missing.unwrap_err().message.starts_with("does not give back"),
            "too much came back"
        );
    }

    #[test]
    fn a_folder_that_is_not_there_is_told() {
        let nowhere = ScratchFolder::new(Some(Path::new("/nowhere/at/all")));
        let Err(error) = nowhere.begin() else { panic!("a file nowhere") };
        assert!(
            error.to_string().starts_with("/nowhere/at/all: cannot be written to: "),
            "{error}"
        );
    }
}
