//! A table → a file of columns, block by block, both cores at work on the columns of a block.

use std::io::{self, Write};
use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions};
use arrow_ipc::writer::{FileWriter, StreamWriter};
use arrow_schema::{ArrowError, Schema, SchemaRef};
use granum_core::port::{Encoded, Encoder};
use granum_core::table::Column;
use granum_core::value::Type;
use parquet::arrow::ArrowSchemaConverter;
use parquet::arrow::arrow_writer::{ArrowColumnChunk, ArrowRowGroupWriterFactory, compute_leaves};
use parquet::basic::{Compression, ZstdLevel};
use parquet::errors::ParquetError;
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::writer::SerializedFileWriter;
use rayon::prelude::*;

use super::blocks::Blocks;
use super::made::{array, schema};
use crate::format::{AsTheyAre, Writer, rows_of};

/// A row group, and a batch of Arrow, has so many rows.
pub(super) const ROWS: usize = 1 << 16;

/// What a file is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Parquet,
    /// Arrow, to be read from any place.
    ArrowFile,
    /// Arrow, to be read from its beginning to its end.
    ArrowStream,
}

impl Kind {
    /// As the first bytes of a file tell; nothing of another.
    pub fn by(begin: &[u8]) -> Option<Self> {
        match begin {
            [b'P', b'A', b'R', b'1', ..] => Some(Self::Parquet),
            b"ARROW1" => Some(Self::ArrowFile),
            [0xFF, 0xFF, 0xFF, 0xFF, ..] => Some(Self::ArrowStream),
            _ => None,
        }
    }

    /// As the name of a file says.
    pub fn of(name: &str) -> Self {
        let name = name.to_lowercase();
        if name.ends_with(".parquet") {
            Self::Parquet
        } else if name.ends_with(".arrows") {
            Self::ArrowStream
        } else {
            Self::ArrowFile
        }
    }
}

/// Bytes on their way from a writer that keeps its place to where they go.
#[derive(Clone, Default)]
struct Passed(Arc<Mutex<Vec<u8>>>);

impl Write for Passed {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Passed {
    fn on(&self, out: &mut dyn Write) -> io::Result<()> {
        let mut bytes = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        out.write_all(&bytes)?;
        bytes.clear();
        Ok(())
    }
}

enum Form {
    Parquet(SerializedFileWriter<Passed>, ArrowRowGroupWriterFactory),
    File(FileWriter<Passed>),
    Stream(StreamWriter<Passed>),
}

/// Writes a table as columns.
pub(crate) struct ColumnsWriter {
    types: Vec<Type>,
    schema: SchemaRef,
    kind: Kind,
    /// From the first bytes on to the last.
    form: Option<Form>,
    passed: Passed,
    blocks: Blocks,
    groups: usize,
}

impl ColumnsWriter {
    /// Writes columns of these names and types.
    pub fn new(kind: Kind, columns: &[(String, Type)]) -> Self {
        Self {
            types: columns.iter().map(|(_, ty)| *ty).collect(),
            schema: Arc::new(schema(columns)),
            kind,
            form: None,
            passed: Passed::default(),
            blocks: Blocks::new(ROWS),
            groups: 0,
        }
    }

    fn block(&mut self, columns: &[Column]) -> io::Result<()> {
        let arrays: Vec<ArrayRef> =
            columns.par_iter().zip(&self.types).map(|(column, ty)| array(column, *ty)).collect();
        match &mut self.form {
            None => Err(io::Error::other("rows came before the beginning of a file")),
            Some(Form::Parquet(writer, factory)) => {
                let chunks =
                    chunks(factory, self.groups, &self.schema, &arrays).map_err(of_parquet)?;
                self.groups += 1;
                let mut group = writer.next_row_group().map_err(of_parquet)?;
                for chunk in chunks {
                    chunk.append_to_row_group(&mut group).map_err(of_parquet)?;
                }
                group.close().map_err(of_parquet)?;
                Ok(())
            }
            Some(Form::File(writer)) => {
                writer.write(&batch(&self.schema, arrays, columns)?).map_err(of_arrow)
            }
            Some(Form::Stream(writer)) => {
                writer.write(&batch(&self.schema, arrays, columns)?).map_err(of_arrow)
            }
        }
    }
}

fn batch(schema: &SchemaRef, arrays: Vec<ArrayRef>, columns: &[Column]) -> io::Result<RecordBatch> {
    let rows = columns.first().map_or(0, Column::len);
    let options = RecordBatchOptions::new().with_row_count(Some(rows));
    RecordBatch::try_new_with_options(schema.clone(), arrays, &options).map_err(of_arrow)
}

/// The columns of a row group, packed.
fn chunks(
    factory: &ArrowRowGroupWriterFactory,
    group: usize,
    schema: &Schema,
    arrays: &[ArrayRef],
) -> Result<Vec<ArrowColumnChunk>, ParquetError> {
    let writers = factory.create_column_writers(group)?;
    let fields = schema.fields().iter().zip(arrays);
    let work: Vec<_> = writers.into_iter().zip(fields).collect();
    work.into_par_iter()
        .map(|(mut writer, (field, array))| {
            for leaf in compute_leaves(field, array)? {
                writer.write(&leaf)?;
            }
            writer.close()
        })
        .collect()
}

fn of_parquet(error: ParquetError) -> io::Error {
    io::Error::other(error)
}

fn of_arrow(error: ArrowError) -> io::Error {
    io::Error::other(error)
}

impl Writer for ColumnsWriter {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(AsTheyAre)
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        let passed = self.passed.clone();
        self.form = Some(match self.kind {
            Kind::Parquet => {
                // No page is read for these: what is asked is asked of row groups.
                let properties = WriterProperties::builder()
                    .set_compression(Compression::ZSTD(ZstdLevel::default()))
                    .set_created_by("granum".into())
                    .set_statistics_enabled(EnabledStatistics::Chunk)
                    .build();
                let parquet =
                    ArrowSchemaConverter::new().convert(&self.schema).map_err(of_parquet)?;
                let root = parquet.root_schema_ptr();
                let writer = SerializedFileWriter::new(passed, root, Arc::new(properties))
                    .map_err(of_parquet)?;
                let factory = ArrowRowGroupWriterFactory::new(&writer, self.schema.clone());
                Form::Parquet(writer, factory)
            }
            Kind::ArrowFile => {
                Form::File(FileWriter::try_new(passed, &self.schema).map_err(of_arrow)?)
            }
            Kind::ArrowStream => {
                Form::Stream(StreamWriter::try_new(passed, &self.schema).map_err(of_arrow)?)
            }
        });
        self.passed.on(out)
    }

    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()> {
        let (columns, rows) = rows_of(rows)?;
        for block in self.blocks.take(columns, rows) {
            self.block(&block)?;
            self.passed.on(out)?;
        }
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Write) -> io::Result<()> {
        if let Some(block) = self.blocks.rest() {
            self.block(&block)?;
        }
        match self.form.take() {
            None => {}
            Some(Form::Parquet(writer, _)) => {
                writer.close().map_err(of_parquet)?;
            }
            Some(Form::File(mut writer)) => writer.finish().map_err(of_arrow)?,
            Some(Form::Stream(mut writer)) => writer.finish().map_err(of_arrow)?,
        }
        self.passed.on(out)
    }
}
