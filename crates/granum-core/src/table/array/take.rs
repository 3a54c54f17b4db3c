//! Arrays of some rows of an array: those that are named, and those that are kept.

use super::{Bits, BitsBuilder, Fixed, Native, Present, Truths};

/// Which of the named rows have a value: those that are named by a number, and are not blank there.
pub(in crate::table) fn named(present: Option<&Present>, rows: &Fixed<u32>) -> Option<Present> {
    match (present.filter(|present| present.blanks() > 0), rows.present()) {
        (None, named) => named.cloned(),
        (Some(present), None) => {
            let (numbers, has) = (rows.values(), present.bits().asked());
            Some(Present::new(Bits::collect(numbers.len(), |at| has(numbers[at] as usize))))
        }
        (Some(present), Some(named)) => {
            let (numbers, has) = (rows.values(), present.bits().asked());
            let named = named.bits().asked();
            Some(Present::new(Bits::collect(numbers.len(), |at| {
                named(at) && has(numbers[at] as usize)
            })))
        }
    }
}

/// The values of the named rows; of a blank number some value that has no meaning.
pub(super) fn named_values<T: Copy>(values: &[T], rows: &Fixed<u32>, none: T) -> Vec<T> {
    let numbers = rows.values().iter();
    if rows.blanks() == 0 {
        return numbers.map(|row| values[*row as usize]).collect();
    }
    // What stands under a blank is any number.
    numbers.map(|row| values.get(*row as usize).copied().unwrap_or(none)).collect()
}

/// The values where `keep` is true, run by run.
pub(super) fn kept_values<T: Copy>(values: &[T], keep: &Bits) -> Vec<T> {
    let mut out = Vec::with_capacity(keep.count());
    for (start, end) in keep.runs() {
        out.extend_from_slice(&values[start..end]);
    }
    out
}

fn kept_bits(bits: &Bits, keep: &Bits) -> Bits {
    let mut out = BitsBuilder::default();
    for (start, end) in keep.runs() {
        out.append(&bits.slice(start, end - start));
    }
    out.finish()
}

pub(super) fn kept(present: Option<&Present>, keep: &Bits) -> Option<Present> {
    let present = present.filter(|present| present.blanks() > 0)?;
    Some(Present::new(kept_bits(present.bits(), keep)))
}

impl<T: Native> Fixed<T> {
    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        let values = named_values(self.values(), rows, T::default());
        Self::new(values, named(self.present(), rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        Self::new(kept_values(self.values(), keep), kept(self.present(), keep))
    }

    /// The same, moved up in their own memory if nobody shares it.
    pub(crate) fn into_filtered(self, keep: &Bits) -> Self {
        let (mut values, present) = self.into_parts();
        let present = kept(present.as_ref(), keep);
        let mut stays = 0;
        for (start, end) in keep.runs() {
            values.copy_within(start..end, stays);
            stays += end - start;
        }
        values.truncate(stays);
        Self::new(values, present)
    }
}

impl Truths {
    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        let found =
            Bits::collect(rows.len(), |at| rows.has(at) && self.value(rows.values()[at] as usize));
        Self::new(found, named(self.present(), rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        Self::new(kept_bits(self.values(), keep), kept(self.present(), keep))
    }
}
