//! Where columns go for which there is no room in memory.

use serde::Serialize;

/// Gives files that have no name and go with whoever holds them, however that ends.
pub trait Scratch: Send + Sync {
    /// Another file, with nothing in it.
    ///
    /// # Errors
    /// What the system says.
    fn begin(&self) -> Result<Box<dyn ScratchFile>, ScratchError>;
}

/// A file that bytes are put into and got from, by several threads at once.
pub trait ScratchFile: Send + Sync {
    /// Puts bytes where nothing is yet; gives where that is.
    ///
    /// # Errors
    /// What the system says, such as that a disk is full.
    fn put(&self, bytes: &[u8]) -> Result<u64, ScratchError>;

    /// Gets the bytes that were put at a place.
    ///
    /// # Errors
    /// What the system says.
    fn get(&self, from: u64, into: &mut [u8]) -> Result<(), ScratchError>;
}

/// Why what memory has no room for cannot be put away, or not be got again.
#[derive(Debug, Clone, PartialEq, Serialize, thiserror::Error)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[error("{folder}: {message}")]
pub struct ScratchError {
    /// Where it goes.
    pub folder: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}
