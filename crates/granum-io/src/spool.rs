//! Temporary files that are read as inputs are.

use std::io::{self, Write};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::unfinished::Unfinished;

/// A temporary file that goes when it is let go, or when a signal ends the program.
#[derive(Debug)]
pub(crate) struct Spooled {
    file: NamedTempFile,
    _begun: Unfinished,
}

impl Spooled {
    /// One that has nothing yet, whose name ends so.
    ///
    /// # Errors
    /// What the system says.
    pub fn begin(ending: &str) -> io::Result<Self> {
        let file = tempfile::Builder::new().prefix("granum-input-").suffix(ending).tempfile()?;
        let begun = Unfinished::begin(file.path().to_owned(), PathBuf::new(), vec![], None);
        Ok(Self { file, _begun: begun })
    }

    /// One that has a text.
    ///
    /// # Errors
    /// As [`Spooled::begin`].
    pub fn of(text: &str) -> io::Result<Self> {
        let mut file = Self::begin("")?;
        file.write_all(text.as_bytes())?;
        Ok(file)
    }

    pub fn path(&self) -> &Path {
        self.file.path()
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
