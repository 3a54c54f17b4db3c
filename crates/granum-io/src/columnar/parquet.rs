//! Parquet: row groups in pieces, each of which is read by itself.

use std::path::Path;
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, Schema};
use granum_core::port::{SourceError, SourceErrorKind};
use granum_core::tally::Unread;
use granum_core::value::Type;
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{
    ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReaderBuilder,
};
use parquet::basic::{Compression, Encoding};
use parquet::errors::ParquetError;
use parquet::file::metadata::{ColumnChunkMetaData, ParquetMetaData, RowGroupMetaData};
use parquet::schema::types::ColumnDescriptor;

use super::fields::{Columns, Known};
use super::picked::{damaged, doubled, guarded, picked};
use super::seen::Seen;
use super::write::ROWS;
use crate::typed::{Native, Piece, Pieces, Stored};

/// A file that has been opened.
#[derive(Clone)]
pub(super) struct ParquetFile(Arc<Opened>);

struct Opened {
    seen: Seen,
    metadata: ArrowReaderMetadata,
    columns: Columns,
}

impl ParquetFile {
    pub fn open(path: &Path, name: &str) -> Result<Self, SourceError> {
        let (seen, file) = Seen::first(path, name)?;
        let metadata = guarded(name, || {
            let loaded = ArrowReaderMetadata::load(&file, ArrowReaderOptions::new());
            loaded.and_then(with_dictionaries).map_err(|error| damaged(name, &error))
        })?;
        if let Some(packed) = packed(metadata.metadata()) {
            return Err(SourceError {
                kind: SourceErrorKind::Format,
                message: format!("is packed by {packed}, which is not read"),
                help: "write it again with zstd, snappy, gzip, lz4 or as it is".into(),
                ..damaged(name, &"")
            });
        }
        let columns =
            Columns::of(metadata.schema().fields()).map_err(|column| doubled(name, &column))?;
        Ok(Self(Arc::new(Opened { seen, metadata, columns })))
    }
}

/// Texts that stand in the file as numbers of a dictionary, in all row groups, are read as such: each is made once.
fn with_dictionaries(loaded: ArrowReaderMetadata) -> Result<ArrowReaderMetadata, ParquetError> {
    let parquet = loaded.parquet_schema();
    let groups = loaded.metadata().row_groups();
    let numbered = |name: &str| {
        let is_it = |leaf: &Arc<ColumnDescriptor>| leaf.path().parts() == [name.to_owned()];
        let Some(leaf) = parquet.columns().iter().position(is_it) else { return false };
        !groups.is_empty()
            && groups.iter().all(|group| {
                group.column(leaf).page_encoding_stats_mask().is_some_and(|mask| {
                    mask.is_only(Encoding::RLE_DICTIONARY)
                        || mask.is_only(Encoding::PLAIN_DICTIONARY)
                })
            })
    };
    let field = |field: &Arc<Field>| {
        if *field.data_type() != DataType::Utf8 || !numbered(field.name()) {
            return field.clone();
        }
        let numbers = DataType::Dictionary(Box::new(DataType::Int32), Box::new(DataType::Utf8));
        Arc::new(field.as_ref().clone().with_data_type(numbers))
    };
    let fields: Vec<Arc<Field>> = loaded.schema().fields().iter().map(field).collect();
    let schema = Arc::new(Schema::new_with_metadata(fields, loaded.schema().metadata().clone()));
    let options = ArrowReaderOptions::new().with_schema(schema);
    ArrowReaderMetadata::try_new(loaded.metadata().clone(), options)
}

impl Stored for ParquetFile {
    fn columns(&self) -> &[(String, Type)] {
        &self.0.columns.named
    }

    fn unread(&self) -> &[Unread] {
        &self.0.columns.unread
    }

    fn bytes(&self) -> u64 {
        self.0.seen.bytes
    }

    fn pieces(&self, wanted: &[usize]) -> Result<Box<dyn Pieces>, SourceError> {
        let known = self.0.columns.at(wanted);
        let schema = self.0.metadata.parquet_schema();
        let leaf = |(_, leaf): &(usize, &Arc<ColumnDescriptor>)| {
            known.iter().any(|known| known.path == leaf.path().parts())
        };
        let leaves = schema.columns().iter().enumerate().filter(leaf).map(|(at, _)| at);
        let mask = ProjectionMask::leaves(schema, leaves);
        let groups = self.0.metadata.metadata().row_groups();
        let sizes = groups.iter().map(|group| {
            let bytes: i64 = group.columns().iter().map(ColumnChunkMetaData::compressed_size).sum();
            (group.num_rows().max(0) as usize, bytes.max(0) as u64)
        });
        Ok(Box::new(ParquetPieces {
            file: self.clone(),
            asked: Arc::new((known, mask)),
            groups: sizes.collect(),
            group: 0,
            from: 0,
        }))
    }
}

struct ParquetPieces {
    file: ParquetFile,
    asked: Arc<(Vec<Known>, ProjectionMask)>,
    /// Rows and bytes of each row group.
    groups: Vec<(usize, u64)>,
    group: usize,
    /// The next row of the row group.
    from: usize,
}

impl Pieces for ParquetPieces {
    fn next(&mut self) -> Result<Option<Box<dyn Piece>>, SourceError> {
        loop {
            let Some((rows, bytes)) = self.groups.get(self.group).copied() else { return Ok(None) };
            let count = ROWS.min(rows - self.from);
            if count == 0 {
                (self.group, self.from) = (self.group + 1, 0);
                continue;
            }
            let piece = ParquetPiece {
                file: self.file.clone(),
                asked: self.asked.clone(),
                group: self.group,
                from: self.from,
                count,
                bytes: (u128::from(bytes) * count as u128 / rows as u128) as u64,
            };
            self.from += count;
            return Ok(Some(Box::new(piece)));
        }
    }
}

struct ParquetPiece {
    file: ParquetFile,
    asked: Arc<(Vec<Known>, ProjectionMask)>,
    group: usize,
    from: usize,
    count: usize,
    bytes: u64,
}

impl ParquetPiece {
    fn batches(&self) -> Result<Vec<RecordBatch>, SourceError> {
        let Opened { seen, metadata, .. } = &*self.file.0;
        let (name, file) = (&seen.name, seen.again()?);
        guarded(name, || {
            let wrong = |error: ParquetError| damaged(name, &error);
            let reader = ParquetRecordBatchReaderBuilder::new_with_metadata(file, metadata.clone())
                .with_row_groups(vec![self.group])
                .with_projection(self.asked.1.clone())
                .with_offset(self.from)
                .with_limit(self.count)
                .with_batch_size(self.count)
                .build()
                .map_err(wrong)?;
            let batches: Result<Vec<RecordBatch>, _> = reader.collect();
            batches.map_err(|error| wrong(error.into()))
        })
    }
}

impl Piece for ParquetPiece {
    fn rows(&self) -> usize {
        self.count
    }

    fn bytes(&self) -> u64 {
        self.bytes
    }

    fn natives(&self) -> Result<Vec<Native>, SourceError> {
        if self.asked.0.is_empty() {
            return Ok(vec![]);
        }
        let name = &self.file.0.seen.name;
        picked(name, &self.batches()?, &self.asked.0, self.count)
    }
}

/// What is not unpacked here.
fn packed(metadata: &ParquetMetaData) -> Option<&'static str> {
    let columns = metadata.row_groups().iter().flat_map(RowGroupMetaData::columns);
    let mut packed = columns.filter_map(|column| match column.compression() {
        Compression::BROTLI(_) => Some("brotli"),
        Compression::LZO => Some("lzo"),
        _ => None,
    });
    packed.next()
}
