//! What several outputs share on its way into one place: a book of sheets, a database of tables.

use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};

/// Those on their way, by their places. Each is let go with the last that shares it.
pub(crate) struct Begun<T>(Mutex<Vec<(PathBuf, Weak<Mutex<T>>)>>);

impl<T> Default for Begun<T> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<T> Begun<T> {
    /// What goes into a place, begun now unless it has been; and whether it was begun now.
    pub fn or_begin<E>(
        &self,
        place: PathBuf,
        begin: impl FnOnce() -> Result<T, E>,
    ) -> Result<(Arc<Mutex<T>>, bool), E> {
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.retain(|(_, one)| one.strong_count() > 0);
        let begun = known.iter().find(|(own, _)| *own == place);
        if let Some(one) = begun.and_then(|(_, one)| one.upgrade()) {
            return Ok((one, false));
        }
        let one = Arc::new(Mutex::new(begin()?));
        known.push((place, Arc::downgrade(&one)));
        Ok((one, true))
    }

    /// All that are on their way.
    pub fn all(&self) -> Vec<Arc<Mutex<T>>> {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.iter().filter_map(|(_, one)| one.upgrade()).collect()
    }
}

/// It, for oneself.
pub(crate) fn locked<T>(one: &Mutex<T>) -> MutexGuard<'_, T> {
    one.lock().unwrap_or_else(PoisonError::into_inner)
}
