//! What a file is, told by its first bytes; its columns picked out of what is read of it.

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_buffer::NullBuffer;
use granum_core::port::{InputSource, InputSpec, NamedAs, SourceError, SourceErrorKind};
use granum_core::table::{Bits, Column};

use super::arrays::{checked, native, present};
use super::fields::Known;
use super::ipc::ArrowFile;
use super::parquet::ParquetFile;
use crate::csv::{LineEnds, Look, system_error};
use crate::typed::{Keys, Native, Opened, Stored, TypedSource};

/// Opens files, each with the name that messages have, as one input.
///
/// # Errors
/// A file that cannot be read, or is not what its name says.
pub(crate) fn open(
    spec: &InputSpec,
    files: &[(PathBuf, String)],
) -> Result<Box<dyn InputSource>, SourceError> {
    let mut opened = vec![];
    for (path, name) in files {
        opened.push(Opened {
            name: name.clone(),
            stored: stored(path, name)?,
            keys: Keys::of(name),
        });
    }
    Ok(Box::new(TypedSource::of(spec, opened)?))
}

/// How a file of columns is written.
///
/// # Errors
/// As when it is read.
pub(crate) fn look(path: &Path, name: &str, format: &'static str) -> Result<Look, SourceError> {
    let stored = stored(path, name)?;
    Ok(Look {
        format,
        encoding: "UTF-8".into(),
        named_encoding: None,
        delimiter: ',',
        header_at: None,
        footer: None,
        line_ends: LineEnds::None,
        bytes: stored.bytes(),
        sheet: None,
        range: None,
        named: None,
    })
}

fn stored(path: &Path, name: &str) -> Result<Arc<dyn Stored>, SourceError> {
    let error = |kind, message: String, help: &str| SourceError {
        kind,
        file: name.to_owned(),
        line: None,
        message,
        help: help.into(),
    };
    let system = |error: std::io::Error| system_error(name, &error);
    let data = std::fs::metadata(path).map_err(system)?;
    if data.is_dir() {
        return Err(system(std::io::ErrorKind::IsADirectory.into()));
    }
    let mut begin = vec![];
    File::open(path).map_err(system)?.take(6).read_to_end(&mut begin).map_err(system)?;
    let named = NamedAs::of(name);
    let arrow = named.ends(".arrow") || named.ends(".arrows");
    if let Some(packed) = named.packed {
        let message = format!("is packed as a whole, and {} is packed within", what(arrow));
        return Err(error(
            SourceErrorKind::Format,
            message,
            if packed == ".gz" { "unpack it:  gunzip FILE" } else { "unpack it:  unzstd FILE" },
        ));
    }
    let parquet = named.ends(".parquet");
    match begin.as_slice() {
        [] => Err(error(
            SourceErrorKind::Empty,
            "is empty: it has not even a schema".into(),
            "ask for the file again, or leave it out of the plan",
        )),
        [b'P', b'A', b'R', b'1', ..] if !arrow => Ok(Arc::new(ParquetFile::open(path, name)?)),
        b"ARROW1" if !parquet => Ok(Arc::new(ArrowFile::open(path, name, false)?)),
        [0xFF, 0xFF, 0xFF, 0xFF, ..] if !parquet => {
            Ok(Arc::new(ArrowFile::open(path, name, true)?))
        }
        [b'P', b'A', b'R', b'1', ..] => Err(error(
            SourceErrorKind::Format,
            "is Parquet, which is not what its name says".into(),
            "call it  FILE.parquet",
        )),
        b"ARROW1" | [0xFF, 0xFF, 0xFF, 0xFF, ..] => Err(error(
            SourceErrorKind::Format,
            "is Arrow, which is not what its name says".into(),
            "call it  FILE.arrow",
        )),
        _ => Err(damaged(name, &format!("it does not begin as {} does", what(arrow)))),
    }
}

fn what(arrow: bool) -> &'static str {
    if arrow { "Arrow" } else { "Parquet" }
}

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
    let rows = granum_core::table::Rows::new(rows, Some(granum_core::table::Present::new(only)));
    Some(Native {
        column: read.column.take(&rows),
        utc: read.utc,
        without: read.without.into_iter().filter(|(row, _)| there.has(*row)).collect(),
        others: vec![],
    })
}
