//! Columns picked out of what is read of a file; what is wrong with one.

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_buffer::NullBuffer;
use granum_core::port::{SourceError, SourceErrorKind};
use granum_core::table::{Bits, Column, Present, Rows};

use super::arrays::{checked, native, present};
use super::fields::Known;
use crate::typed::Native;

pub(super) fn guarded<T>(
    name: &str,
    work: impl FnOnce() -> Result<T, SourceError>,
) -> Result<T, SourceError> {
    crate::guarded::guarded(work, || damaged(name, &"it is not as a file of columns has to be"))
}

pub(super) fn damaged(name: &str, error: &dyn std::fmt::Display) -> SourceError {
    SourceError {
        kind: SourceErrorKind::Damaged,
        file: name.to_owned(),
        line: None,
        message: format!("cannot be read as a file of columns: {error}"),
        help: "ask for the file again: it may have been cut off on its way".into(),
    }
}

pub(super) fn doubled(name: &str, column: &str) -> SourceError {
    SourceError {
        kind: SourceErrorKind::Header,
        file: name.to_owned(),
        line: None,
        message: format!("has two columns called `{column}`"),
        help: "give each column a name of its own".into(),
    }
}

/// Columns of batches that are `rows` long in all.
///
/// # Errors
/// A file that has fewer rows than it says.
pub(super) fn picked(
    name: &str,
    batches: &[RecordBatch],
    known: &[Known],
    rows: usize,
) -> Result<Vec<Native>, SourceError> {
    let there: usize = batches.iter().map(RecordBatch::num_rows).sum();
    if there != rows {
        return Err(damaged(name, &format!("{there} rows are where it says that {rows} are")));
    }
    guarded(name, || known.iter().map(|known| of_batches(name, batches, known)).collect())
}

fn of_batches(name: &str, batches: &[RecordBatch], known: &Known) -> Result<Native, SourceError> {
    let lacks = || damaged(name, &format!("`{}` is not where its schema says", known.name));
    let mut natives = vec![];
    for batch in batches {
        natives.push(checked(of_batch(batch, known).ok_or_else(lacks)?, known.ty));
    }
    if natives.len() == 1 {
        return natives.pop().ok_or_else(lacks);
    }
    let (mut without, mut row) = (vec![], 0);
    for native in &natives {
        without.extend(native.without.iter().map(|(at, text)| (row + at, text.clone())));
        row += native.column.len();
    }
    let utc = natives.iter().any(|native| native.utc);
    let columns: Vec<Column> = natives.into_iter().map(|native| native.column).collect();
    Ok(Native { column: Column::concat(&columns), utc, without, others: vec![] })
}

/// A column of a batch. A field of an object that is not there is blank.
fn of_batch(batch: &RecordBatch, known: &Known) -> Option<Native> {
    let (outer, way) = known.path.split_first()?;
    let mut array: ArrayRef = batch.column_by_name(outer)?.clone();
    let mut nulls: Option<NullBuffer> = None;
    for field in way {
        nulls = NullBuffer::union(nulls.as_ref(), array.nulls());
        let inner = array.as_struct_opt()?.column_by_name(field)?.clone();
        array = inner;
    }
    let read = native(array.as_ref());
    let Some(there) = nulls.as_ref().and_then(present) else { return Some(read) };
    let rows: Vec<u32> = (0..array.len() as u32).collect();
    let only = Bits::collect(array.len(), |row| there.has(row));
    let rows = Rows::new(rows, Some(Present::new(only)));
    Some(Native {
        column: read.column.take(&rows),
        utc: read.utc,
        without: read.without.into_iter().filter(|(row, _)| there.has(*row)).collect(),
        others: vec![],
    })
}
