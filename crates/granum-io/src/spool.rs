//! What cannot be read twice is read once, into a temporary file: pipes, and standard input. Files are
//! looked at before they are read, to find types.

use std::fs::File;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc;
use std::time::Duration;

use tempfile::NamedTempFile;

use crate::unfinished::Unfinished;

/// What was read once: a temporary file that goes when it is let go, or when a signal ends the program.
#[derive(Debug)]
pub(crate) struct Spooled {
    file: NamedTempFile,
    _begun: Unfinished,
}

impl Spooled {
    pub fn path(&self) -> &Path {
        self.file.path()
    }

    /// One that has nothing yet.
    ///
    /// # Errors
    /// What the system says.
    #[cfg(feature = "sheets")]
    pub fn empty() -> io::Result<Self> {
        Self::begin("")
    }

    fn begin(ending: &str) -> io::Result<Self> {
        let file = tempfile::Builder::new().prefix("granum-input-").suffix(ending).tempfile()?;
        let begun = Unfinished::begin(file.path().to_owned(), PathBuf::new(), vec![], None);
        Ok(Self { file, _begun: begun })
    }
}

impl Write for Spooled {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// Of what is no file so many bytes are taken at most: input without an end ends there.
const MOST: u64 = 1 << 36;

/// So many bytes tell how something is packed.
const MARK: u64 = 4;

/// After so long it is said what is waited for.
const PATIENCE: Duration = Duration::from_secs(1);

/// Whether a path is there and can be read only once.
pub(crate) fn reads_once(path: &Path) -> bool {
    std::fs::metadata(path).is_ok_and(|data| !data.is_file() && !data.is_dir())
}

/// A temporary file that has all of what a path gives. `notice` is told if nothing comes for a while.
///
/// # Errors
/// What the system says, or that there is no end of it.
pub(crate) fn spool(path: &Path, notice: impl FnOnce() + Send + 'static) -> io::Result<Spooled> {
    if is_endless(path) {
        return Err(io::Error::other("is a device that gives bytes without an end"));
    }
    let (opened, waiting) = mpsc::channel::<()>();
    std::thread::spawn(move || {
        if waiting.recv_timeout(PATIENCE) == Err(mpsc::RecvTimeoutError::Timeout) {
            notice();
        }
    });
    // A pipe is opened when somebody begins to write to it.
    let file = File::open(path)?;
    drop(opened);
    // It has no name that could say that it is packed.
    let named = path.extension().is_some_and(|ending| ending == "gz" || ending == "zst");
    let ending = path.extension().filter(|_| named).map(|ending| format!(".{}", ending.display()));
    copied(file, ending)
}

/// The same of standard input.
pub(crate) fn spool_standard_input() -> io::Result<Spooled> {
    copied(io::stdin().lock(), None)
}

/// The same of a text.
pub(crate) fn spool_text(text: &str) -> io::Result<Spooled> {
    copied(text.as_bytes(), Some(String::new()))
}

fn copied(mut from: impl Read, ending: Option<String>) -> io::Result<Spooled> {
    let mut begin = vec![];
    from.by_ref().take(MARK).read_to_end(&mut begin)?;
    let ending = ending.as_deref().unwrap_or(if begin.starts_with(&[0x1F, 0x8B]) {
        ".gz"
    } else if begin == [0x28, 0xB5, 0x2F, 0xFD] {
        ".zst"
    } else {
        ""
    });
    let mut spooled = Spooled::begin(ending)?;
    spooled.write_all(&begin)?;
    let taken = io::copy(&mut from.take(MOST), &mut spooled)?;
    if taken == MOST {
        return Err(io::Error::other("does not end: more than 64 GiB came"));
    }
    Ok(spooled)
}

/// Devices that never end.
fn is_endless(path: &Path) -> bool {
    let real: PathBuf = path.canonicalize().unwrap_or_else(|_| path.to_owned());
    ["/dev/zero", "/dev/random", "/dev/urandom", "/dev/full"]
        .iter()
        .any(|known| real == Path::new(known))
}
