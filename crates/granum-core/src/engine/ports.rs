//! What the engine asks of the world outside: files to read, places to write, someone to tell.

use std::sync::Arc;

use serde::Serialize;

use crate::resolve::{InputColumn, InputShape, InputSpec};
use crate::table::{Column, Lines, Place};
use crate::tally::BadCell;
use crate::value::Type;

/// Opens the files of inputs.
pub trait Sources: Sync {
    /// Finds an input's files and looks at their beginnings.
    ///
    /// # Errors
    /// A file that is not there or cannot be read, an encoding that nobody knows, headers that do not go
    /// together.
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError>;
}

/// The files of one input.
pub trait InputSource: Send + Sync {
    /// Its columns, with the types that their cells were found to have so far.
    fn shape(&self) -> InputShape;
    /// Whether the types were found from all cells. If not, a cell further on may contradict them.
    fn settled(&self) -> bool;
    /// Looks at all cells of the columns whose types no `read` says. Afterwards it is settled.
    ///
    /// # Errors
    /// A file that cannot be read, or a row in it that is none.
    fn settle(&mut self) -> Result<(), SourceError>;
    /// How many bytes its files have.
    fn bytes(&self) -> u64;
    /// The records below the rows that were left out of each file when it was read last.
    fn left_out(&self) -> Vec<BadCell> {
        vec![]
    }
    /// Begins to read rows.
    ///
    /// # Errors
    /// A file that cannot be read, or that has changed since it was opened.
    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError>;
}

/// What to make of an input's rows.
#[derive(Debug, Clone, Default)]
pub struct ReadRequest {
    /// The columns that are wanted.
    pub columns: Vec<InputColumn>,
    /// For each a set of columns: a fingerprint of their text, after unquoting, is wanted.
    pub fingerprints: Vec<Vec<usize>>,
    /// Whether it is wanted which rows have a cell that sets them aside.
    pub aside: bool,
}

/// Takes files apart into parts of whole rows.
pub trait PartReader: Send {
    /// The next parts in the order of the files, `count` at most; none at the end.
    ///
    /// # Errors
    /// A file that cannot be read on.
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError>;
}

/// Rows as they stand in a file. Parts are parsed on any thread.
pub trait RawPart: Send + Sync {
    /// How many bytes it has.
    fn bytes(&self) -> u64;
    /// Makes columns of it.
    ///
    /// # Errors
    /// The first row that is none: with too many fields or too few, or with a quote that stays open.
    fn parse(&self) -> Result<Part, SourceError>;
}

/// The columns of a part, in the order of the request.
#[derive(Debug)]
pub struct Part {
    /// How many rows.
    pub rows: usize,
    /// One column for each that was asked for.
    pub columns: Vec<Column>,
    /// One column of 128-bit fingerprints, as decimals without places, for each set asked for.
    pub fingerprints: Vec<Column>,
    /// Whether a cell sets a row aside, if that was asked for: truth values without blanks.
    pub aside: Option<Column>,
    /// The file.
    pub file: Arc<str>,
    /// The lines of its rows.
    pub lines: Lines,
    /// Columns that have cells which could not be read.
    pub troubles: Vec<CellTrouble>,
    /// Whether a cell contradicts the type that its column was found to have.
    pub contradicts: bool,
}

/// Cells of a column that could not be read and are blank in its place.
#[derive(Debug)]
pub struct CellTrouble {
    /// The column's place in the request.
    pub column: usize,
    /// How many.
    pub count: u64,
    /// The first few: text and place.
    pub examples: Vec<(String, Place)>,
}

/// The stable kind of a [`SourceError`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum SourceErrorKind {
    /// No such file, or a glob that finds none.
    Missing,
    /// A directory where a file was expected.
    Directory,
    /// A file of no bytes.
    Empty,
    /// Bytes that are not UTF-8.
    Encoding,
    /// An encoding that nobody knows: the plan is wrong, not the file.
    UnknownEncoding,
    /// A packed file that cannot be unpacked.
    Damaged,
    /// A header with two columns of one name, or that is not where it should be.
    Header,
    /// A file that lacks a column that another of the same input has.
    Columns,
    /// A row with too few or too many fields.
    RowLength,
    /// A quote that is never closed.
    OpenQuote,
    /// Text between a closing quote and the next delimiter.
    AfterQuote,
    /// Line ends without a line feed.
    LineEnds,
    /// A record too long to be one.
    RecordSize,
    /// One file named twice for one input.
    Doubled,
    /// A format that this version does not read.
    Format,
    /// A file that changed while it was read.
    Changed,
    /// Anything else the system says.
    System,
}

/// Why a file cannot be read.
#[derive(Debug, Clone, PartialEq, Serialize, thiserror::Error)]
#[error("{file}{}: {message}", .line.map(|line| format!(" line {line}")).unwrap_or_default())]
pub struct SourceError {
    /// The stable kind.
    pub kind: SourceErrorKind,
    /// The file as the plan names it.
    pub file: String,
    /// The line, where one is to blame.
    pub line: Option<u64>,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

/// Takes results to their places.
pub trait Outputs: Sync {
    /// Prepares to write rows of these columns to a path. Nothing is seen there until
    /// [`Output::publish`].
    ///
    /// # Errors
    /// A place that cannot be written to.
    fn begin(&self, path: &str, columns: &[(String, Type)])
    -> Result<Box<dyn Output>, OutputError>;
}

/// One file on its way. Dropped before it is published, it leaves no trace.
pub trait Output: Send + Sync {
    /// What makes bytes of rows.
    fn encoder(&self) -> Arc<dyn Encoder>;
    /// Takes bytes in the order of the rows.
    ///
    /// # Errors
    /// What the system says, such as that a disk is full.
    fn write(&mut self, bytes: &[u8]) -> Result<(), OutputError>;
    /// All bytes have been given: sees to it that they are kept.
    ///
    /// # Errors
    /// The same.
    fn complete(&mut self) -> Result<u64, OutputError>;
    /// Puts the file in its place; what stood there is kept aside.
    ///
    /// # Errors
    /// The same; then what stood in its place stands there still.
    fn publish(&mut self) -> Result<(), OutputError>;
    /// Undoes [`Output::publish`]: what stood there stands there again.
    fn withdraw(&mut self);
    /// Everything is in its place: what was kept aside can go.
    fn settle(&mut self);
}

/// Makes bytes of rows, on any thread, for rows in any order.
pub trait Encoder: Send + Sync {
    /// The bytes of these rows.
    fn encode(&self, columns: &[Column], rows: usize) -> Vec<u8>;
}

/// Why a file cannot be written.
#[derive(Debug, Clone, PartialEq, Serialize, thiserror::Error)]
#[error("{path}: {message}")]
pub struct OutputError {
    /// The path as the plan has it.
    pub path: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

/// Is told how a run goes on.
pub trait Observer: Sync {
    /// What is being done now, and how many bytes or rows it will take (0 if not known).
    fn stage(&self, what: &str, size: u64);
    /// So many more are done.
    fn advance(&self, done: u64);
}

/// An observer that nobody is told by.
pub struct Silent;

impl Observer for Silent {
    fn stage(&self, _what: &str, _size: u64) {}
    fn advance(&self, _done: u64) {}
}
