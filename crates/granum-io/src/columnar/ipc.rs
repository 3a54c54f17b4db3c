//! Arrow's two kinds: a file, which says at its end where its batches are, and a stream. Both are gone through from
//! beginning to end.

use std::fs::File;
use std::io::{BufReader, Write};
use std::path::Path;
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_schema::{ArrowError, SchemaRef};
use granum_core::port::SourceError;
use granum_core::table::Column;
use granum_core::tally::Unread;
use granum_core::value::Type;

use super::fields::{Columns, Known};
use super::picked::{damaged, doubled, guarded, picked};
use super::seen::Seen;
use super::write::{ColumnsWriter, Kind};
use crate::format::Writer;
use crate::typed::{Native, Piece, Pieces, Stored};

/// So many rows are made into columns at once: what is made of them stays near.
const PIECE: usize = 1 << 15;

/// A file that has been opened.
#[derive(Clone)]
pub(super) struct ArrowFile {
    seen: Arc<Seen>,
    is_stream: bool,
    schema: SchemaRef,
    columns: Arc<Columns>,
}

/// Its batches.
enum Batches {
    File(FileReader<BufReader<File>>),
    Stream(StreamReader<BufReader<File>>),
}

impl Batches {
    fn open(file: File, is_stream: bool, wanted: Option<Vec<usize>>) -> Result<Self, ArrowError> {
        Ok(if is_stream {
            Self::Stream(StreamReader::try_new_buffered(file, wanted)?)
        } else {
            Self::File(FileReader::try_new_buffered(file, wanted)?)
        })
    }

    fn schema(&self) -> SchemaRef {
        match self {
            Self::File(reader) => reader.schema(),
            Self::Stream(reader) => reader.schema(),
        }
    }

    fn next(&mut self) -> Option<Result<RecordBatch, ArrowError>> {
        match self {
            Self::File(reader) => reader.next(),
            Self::Stream(reader) => reader.next(),
        }
    }
}

impl ArrowFile {
    pub fn open(path: &Path, name: &str, is_stream: bool) -> Result<Self, SourceError> {
        let (seen, file) = Seen::first(path, name)?;
        let schema = guarded(name, || {
            let batches = Batches::open(file, is_stream, None);
            batches.map(|batches| batches.schema()).map_err(|error| damaged(name, &error))
        })?;
        let columns = Columns::of(schema.fields()).map_err(|column| doubled(name, &column))?;
        Ok(Self { seen: Arc::new(seen), is_stream, schema, columns: Arc::new(columns) })
    }
}

impl Stored for ArrowFile {
    fn columns(&self) -> &[(String, Type)] {
        &self.columns.named
    }

    fn unread(&self) -> &[Unread] {
        &self.columns.unread
    }

    fn bytes(&self) -> u64 {
        self.seen.bytes
    }

    fn pieces(&self, wanted: &[usize]) -> Result<Box<dyn Pieces>, SourceError> {
        let known = self.columns.at(wanted);
        let outer = |known: &Known| self.schema.index_of(&known.path[0]).ok();
        let mut outer: Vec<usize> = known.iter().filter_map(outer).collect();
        outer.sort_unstable();
        outer.dedup();
        let (name, file) = (&self.seen.name, self.seen.again()?);
        let batches = guarded(name, || {
            Batches::open(file, self.is_stream, Some(outer)).map_err(|error| damaged(name, &error))
        })?;
        Ok(Box::new(ArrowPieces { batches, file: self.clone(), known: known.into(), rest: None }))
    }
}

struct ArrowPieces {
    batches: Batches,
    file: ArrowFile,
    known: Arc<[Known]>,
    /// What is left of a batch of many rows.
    rest: Option<RecordBatch>,
}

impl Pieces for ArrowPieces {
    fn next(&mut self) -> Result<Option<Box<dyn Piece>>, SourceError> {
        let name = &self.file.seen.name;
        let batch = match self.rest.take() {
            Some(batch) => batch,
            None => {
                let batches = &mut self.batches;
                let next = guarded(name, || {
                    batches.next().transpose().map_err(|error| damaged(name, &error))
                })?;
                let Some(batch) = next else { return Ok(None) };
                batch
            }
        };
        let rows = batch.num_rows().min(PIECE);
        if rows < batch.num_rows() {
            self.rest = Some(batch.slice(rows, batch.num_rows() - rows));
        }
        let batch = batch.slice(0, rows);
        let bytes = batch.columns().iter().map(|column| column.get_buffer_memory_size() as u64);
        Ok(Some(Box::new(ArrowPiece {
            seen: self.file.seen.clone(),
            bytes: bytes.sum(),
            batch,
            known: self.known.clone(),
        })))
    }
}

struct ArrowPiece {
    seen: Arc<Seen>,
    batch: RecordBatch,
    bytes: u64,
    known: Arc<[Known]>,
}

impl Piece for ArrowPiece {
    fn rows(&self) -> usize {
        self.batch.num_rows()
    }

    fn bytes(&self) -> u64 {
        self.bytes
    }

    fn natives(&self) -> Result<Vec<Native>, SourceError> {
        picked(&self.seen.name, std::slice::from_ref(&self.batch), &self.known, self.rows())
    }
}

/// Writes finished columns of one length as a stream.
///
/// # Errors
/// What the system says.
pub(crate) fn stream(columns: &[(String, Column)], out: &mut dyn Write) -> std::io::Result<()> {
    let types: Vec<(String, Type)> =
        columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
    let rows = columns.first().map_or(0, |(_, column)| column.len());
    let mut writer = ColumnsWriter::new(Kind::ArrowStream, &types);
    writer.begin(out)?;
    let columns: Vec<Column> = columns.iter().map(|(_, column)| column.clone()).collect();
    writer.take(writer.encoder().encode(&columns, rows), out)?;
    writer.finish(out)
}
