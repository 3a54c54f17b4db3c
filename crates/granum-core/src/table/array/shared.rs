//! A run of values that several may hold.

use std::ops::Deref;
use std::sync::Arc;

/// A run of values that are shared: with copies of it, and with other runs of the same.
#[derive(Debug, Clone)]
pub struct Shared<T> {
    of: Arc<Vec<T>>,
    from: usize,
    to: usize,
}

impl<T: Clone> Shared<T> {
    /// `length` of its values from `offset` on, which it has.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        let there = self.len();
        assert!(
            offset <= there && length <= there - offset,
            "{length} values from {offset} on of {there}"
        );
        let from = self.from + offset;
        Self { of: Arc::clone(&self.of), from, to: from + length }
    }

    /// The values by themselves: without a copy, if nobody else holds them.
    #[must_use]
    pub fn into_vec(self) -> Vec<T> {
        let Self { of, from, to } = self;
        if from > 0 {
            return of[from..to].to_vec();
        }
        let mut values = Arc::try_unwrap(of).unwrap_or_else(|of| of[..to].to_vec());
        values.truncate(to);
        values
    }
}

impl<T> Deref for Shared<T> {
    type Target = [T];

    /// Looked at for every value of every row, so that a second look at the bounds is felt: a tenth
    /// of a run.
    #[inline]
    #[allow(unsafe_code)]
    fn deref(&self) -> &[T] {
        // SAFETY: `from <= to <= of.len()` where a run is made, in this file alone: from a whole
        // vector, or by `slice`, which asserts it. Nobody changes a vector that is shared.
        unsafe { self.of.get_unchecked(self.from..self.to) }
    }
}

impl<T> From<Vec<T>> for Shared<T> {
    fn from(values: Vec<T>) -> Self {
        Self { from: 0, to: values.len(), of: Arc::new(values) }
    }
}

/// Room for `room` values, if there is so much: what is expected need not come, and is no reason
/// to fail.
pub(crate) fn with_room<T>(room: usize) -> Vec<T> {
    let mut values = Vec::new();
    let _ = values.try_reserve_exact(room);
    values
}
