//! Values that take as many bytes as each other: numbers and days.

use std::fmt::Debug;

use super::{Present, Shared};

/// What an array of one width may hold.
pub trait Native: Copy + Default + PartialOrd + Debug + Send + Sync + 'static {
    /// Adds the bytes of values.
    fn put(values: &[Self], out: &mut Vec<u8>);

    /// The values that bytes are of.
    fn got(bytes: &[u8]) -> Vec<Self>;
}

macro_rules! native {
    ($($type:ty),*) => {$(
        impl Native for $type {
            fn put(values: &[Self], out: &mut Vec<u8>) {
                out.reserve(size_of_val(values));
                values.iter().for_each(|value| out.extend_from_slice(&value.to_le_bytes()));
            }

            fn got(bytes: &[u8]) -> Vec<Self> {
                let (values, _) = bytes.as_chunks();
                values.iter().map(|value| Self::from_le_bytes(*value)).collect()
            }
        }
    )*};
}

native!(i8, i16, i32, i64, i128, f64, u16, u32);

/// Numbers or days, some of them blank. What stands under a blank has no meaning.
#[derive(Debug, Clone)]
pub struct Fixed<T> {
    values: Shared<T>,
    present: Option<Present>,
}

impl<T: Native> Fixed<T> {
    /// Values, and which of them there are; all where that is not said.
    pub fn new(values: Vec<T>, present: Option<Present>) -> Self {
        let rows = present.as_ref().map_or(values.len(), |present| present.bits().len());
        assert_eq!(values.len(), rows, "as many values as rows");
        Self { values: values.into(), present }
    }

    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        Self::new(vec![T::default(); rows], Some(Present::none(rows)))
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The values.
    #[inline]
    pub fn values(&self) -> &[T] {
        &self.values
    }

    /// The value of a row, which has one.
    #[inline]
    pub fn value(&self, row: usize) -> T {
        self.values[row]
    }

    /// Which rows there are; `None` where all are.
    pub fn present(&self) -> Option<&Present> {
        self.present.as_ref()
    }

    /// Whether a row has a value.
    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.present.as_ref().is_none_or(|present| present.has(row))
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        self.present.as_ref().map_or(0, Present::blanks)
    }

    /// The value of a row; `None` where blank.
    #[inline]
    pub fn get(&self, row: usize) -> Option<T> {
        self.has(row).then(|| self.values[row])
    }

    /// Each row's value.
    pub fn iter(&self) -> impl Iterator<Item = Option<T>> {
        self.values.iter().enumerate().map(|(row, value)| self.has(row).then_some(*value))
    }

    /// Another value for each, blank for blank.
    pub fn map<O: Native>(&self, work: impl Fn(T) -> O) -> Fixed<O> {
        let values = self.values.iter().map(|value| work(*value)).collect();
        Fixed::new(values, self.present.clone())
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        Self {
            values: self.values.slice(offset, length),
            present: self.present.as_ref().map(|present| present.slice(offset, length)),
        }
    }

    /// Sets 1 for each row whose value is not that of the row before, the first left out.
    pub(in crate::table) fn mark_changes(&self, changed: &mut [u8]) {
        mark(self.values(), T::eq, changed);
    }

    /// What [`mark_rises`] says.
    pub(in crate::table) fn mark_rises(&self, level: &mut [u8]) -> bool
    where
        T: Ord,
    {
        mark_rises(self.values(), T::lt, level)
    }

    /// The values, without a copy where nobody else holds them, and which there are.
    pub fn into_parts(self) -> (Vec<T>, Option<Present>) {
        (self.values.into_vec(), self.present)
    }
}

impl<T: Native> From<Vec<T>> for Fixed<T> {
    fn from(values: Vec<T>) -> Self {
        Self::new(values, None)
    }
}

impl<T: Native> From<Vec<Option<T>>> for Fixed<T> {
    fn from(values: Vec<Option<T>>) -> Self {
        values.into_iter().collect()
    }
}

impl<T: Native> FromIterator<Option<T>> for Fixed<T> {
    fn from_iter<I: IntoIterator<Item = Option<T>>>(rows: I) -> Self {
        let rows = rows.into_iter();
        let mut values = Vec::with_capacity(rows.size_hint().0);
        let mut present = super::PresentBuilder::default();
        for value in rows {
            present.push(value.is_some());
            values.push(value.unwrap_or_default());
        }
        Self::new(values, present.finish())
    }
}

/// Sets 1 for each value that is not the `same` as the one before it.
pub(in crate::table) fn mark<T>(values: &[T], same: impl Fn(&T, &T) -> bool, changed: &mut [u8]) {
    let (Some(own), Some(changed)) = (values.get(1..), changed.get_mut(1..)) else { return };
    // Without a branch, so that many are looked at at once.
    let pairs = values.iter().zip(own);
    for ((before, own), changed) in pairs.zip(changed) {
        *changed |= u8::from(!same(before, own));
    }
}

/// Of the rows that are 1 in `level`, the first left out, sets 0 for each whose value is greater than the one before it.
/// Gives whether none of them is less.
pub(in crate::table) fn mark_rises<T>(
    values: &[T],
    less: impl Fn(&T, &T) -> bool,
    level: &mut [u8],
) -> bool {
    let (Some(own), Some(level)) = (values.get(1..), level.get_mut(1..)) else { return true };
    // Without a branch, so that many are looked at at once.
    let mut fell = 0;
    for ((before, own), level) in values.iter().zip(own).zip(level) {
        fell |= *level & u8::from(less(own, before));
        *level &= u8::from(!less(before, own));
    }
    fell == 0
}
