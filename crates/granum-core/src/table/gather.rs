//! Columns of some rows of a column: those that are named, and those that are kept.

use arrow_array::{
    Array, ArrowPrimitiveType, BooleanArray, PrimitiveArray, StringViewArray, UInt32Array,
};
use arrow_buffer::{BooleanBuffer, BooleanBufferBuilder, NullBuffer};

/// Which of the named rows have a value: those that are named by a number, and are not blank there.
fn named_nulls(nulls: Option<&NullBuffer>, rows: &UInt32Array) -> Option<NullBuffer> {
    let found = match (nulls.filter(|nulls| nulls.null_count() > 0), rows.nulls()) {
        (None, None) => return None,
        (None, Some(named)) => return Some(named.clone()),
        (Some(nulls), named) => BooleanBuffer::collect_bool(rows.len(), |at| {
            named.is_none_or(|named| named.is_valid(at))
                && nulls.is_valid(rows.values()[at] as usize)
        }),
    };
    Some(NullBuffer::new(found))
}

/// The values of the named rows; of a blank number some value that has no meaning.
fn named_values<T: Copy>(values: &[T], rows: &UInt32Array, none: T) -> Vec<T> {
    let numbers = rows.values().iter();
    if rows.null_count() == 0 {
        return numbers.map(|row| values[*row as usize]).collect();
    }
    // What stands under a blank is any number.
    numbers.map(|row| values.get(*row as usize).copied().unwrap_or(none)).collect()
}

/// The named rows of numbers or days.
pub(super) fn take<T: ArrowPrimitiveType>(
    array: &PrimitiveArray<T>,
    rows: &UInt32Array,
) -> PrimitiveArray<T> {
    let values = named_values(array.values(), rows, T::Native::default());
    PrimitiveArray::new(values.into(), named_nulls(array.nulls(), rows))
        .with_data_type(array.data_type().clone())
}

/// The named rows of truth values.
pub(super) fn take_truths(array: &BooleanArray, rows: &UInt32Array) -> BooleanArray {
    let values = array.values();
    let there = rows.nulls();
    let found = BooleanBuffer::collect_bool(rows.len(), |at| {
        there.is_none_or(|there| there.is_valid(at)) && values.value(rows.values()[at] as usize)
    });
    BooleanArray::new(found, named_nulls(array.nulls(), rows))
}

/// The named rows of texts. Long texts stay where they are and are shared.
pub(super) fn take_texts(array: &StringViewArray, rows: &UInt32Array) -> StringViewArray {
    let views = named_values(array.views(), rows, 0);
    with_views(array, views, named_nulls(array.nulls(), rows))
}

/// Texts that stand where those of another column stand.
///
/// Arrow's checked way looks at every text again, whether it is UTF-8. Here each view is one of `of`,
/// which was checked when it was made, over the same blocks of bytes; or the empty view.
#[allow(unsafe_code)]
fn with_views(
    of: &StringViewArray,
    views: Vec<u128>,
    nulls: Option<NullBuffer>,
) -> StringViewArray {
    // SAFETY: views are copied from `of`, whose blocks these are, or are 0: a text of no letters.
    unsafe { StringViewArray::new_unchecked(views.into(), of.data_buffers().clone(), nulls) }
}

/// The values where `keep` is true, run by run.
fn kept_values<T: Copy>(values: &[T], keep: &BooleanBuffer) -> Vec<T> {
    let mut out = Vec::with_capacity(keep.count_set_bits());
    for (start, end) in keep.set_slices() {
        out.extend_from_slice(&values[start..end]);
    }
    out
}

fn kept_bits(bits: &BooleanBuffer, keep: &BooleanBuffer) -> BooleanBuffer {
    let mut out = BooleanBufferBuilder::new(keep.count_set_bits());
    for (start, end) in keep.set_slices() {
        out.append_buffer(&bits.slice(start, end - start));
    }
    out.finish()
}

pub(super) fn kept_nulls(nulls: Option<&NullBuffer>, keep: &BooleanBuffer) -> Option<NullBuffer> {
    let nulls = nulls.filter(|nulls| nulls.null_count() > 0)?;
    Some(NullBuffer::new(kept_bits(nulls.inner(), keep)))
}

/// The rows of numbers or days where `keep` is true.
pub(super) fn filter<T: ArrowPrimitiveType>(
    array: &PrimitiveArray<T>,
    keep: &BooleanBuffer,
) -> PrimitiveArray<T> {
    let values = kept_values(array.values(), keep);
    PrimitiveArray::new(values.into(), kept_nulls(array.nulls(), keep))
        .with_data_type(array.data_type().clone())
}

/// The truth values where `keep` is true.
pub(super) fn filter_truths(array: &BooleanArray, keep: &BooleanBuffer) -> BooleanArray {
    BooleanArray::new(kept_bits(array.values(), keep), kept_nulls(array.nulls(), keep))
}

/// The texts where `keep` is true.
pub(super) fn filter_texts(array: &StringViewArray, keep: &BooleanBuffer) -> StringViewArray {
    with_views(array, kept_values(array.views(), keep), kept_nulls(array.nulls(), keep))
}
