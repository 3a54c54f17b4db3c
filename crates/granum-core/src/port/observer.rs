//! Someone to tell how far a run is.

/// Is told how a run goes on.
pub trait Observer: Sync {
    /// What is being done now, and how many bytes or rows it will take (0 if not known).
    fn stage(&self, what: &str, size: u64);
    /// So many more are done.
    fn advance(&self, done: u64);
}

/// An observer that nobody is told by.
pub struct Silent;

impl Observer for Silent {
    fn stage(&self, _what: &str, _size: u64) {}
    fn advance(&self, _done: u64) {}
}
