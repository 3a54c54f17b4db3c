//! Inputs: what is asked of files, and the typed rows that they give, each with its place.

use serde::Serialize;

use crate::lang::{Otherwise, Span};
use crate::table::{Column, Lines, Origin, Place, ScratchError};
use crate::tally::{BadCell, Unread, WithoutRows};
use crate::value::{Type, Zone};

/// What an input asks of its files.
#[derive(Debug, Clone, PartialEq)]
pub struct InputSpec {
    /// The input's name in the plan.
    pub name: String,
    /// Paths and globs as written.
    pub sources: Vec<String>,
    /// A header and rows in place of files, with commas between cells.
    pub rows: Option<String>,
    /// Where the sources stand in the plan.
    pub span: Span,
    /// How the files are written, as far as the plan says it.
    pub written: Written,
    /// Where the plan says the encoding.
    pub encoding_span: Span,
    /// Of files that are written in another way than the others, by their paths. No plan says so.
    pub apart: Vec<(String, Written)>,
    /// Whether a column that a source lacks is blank there.
    pub filling_blanks: bool,
    /// The list in each object whose own objects are the rows.
    pub each: Option<Each>,
    /// What `read` says of columns, by name.
    pub reads: Vec<(String, ReadRule)>,
}

/// A list in each object, whose own objects are rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Each {
    /// The path to it.
    pub list: String,
    /// The columns of the object around it that each row has.
    pub with: Vec<String>,
}

/// How files are written, as far as somebody has said it. What it means, and what holds where nothing is
/// said, is the matter of the format that reads them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Written {
    /// The sign between fields.
    pub delimiter: Option<u8>,
    /// How letters are written, as a plan names it.
    pub encoding: Option<String>,
    /// The line of the header.
    pub header_at: Option<u64>,
    /// How many records at the end of each file are left out.
    pub footer: Option<u64>,
    /// The sheet of a book; with `*` or `?` in it all whose names it finds.
    pub sheet: Option<String>,
    /// The cells of a sheet that are meant: `B4:H900`.
    pub range: Option<String>,
    /// The table of a database.
    pub named: Option<String>,
    /// What a database on a server is asked in place of a table.
    pub query: Option<String>,
    /// The columns by which its rows come in order; those of its key where none is said.
    pub ordered: Vec<String>,
}

impl InputSpec {
    /// What `read` says of a column: the last word counts.
    pub fn rule_of(&self, column: &str) -> Option<&ReadRule> {
        self.reads.iter().rev().find(|(read, _)| read == column).map(|(_, rule)| rule)
    }

    /// How one of its files is written, by the name that messages have.
    pub fn written_of(&self, name: &str) -> &Written {
        let apart = self.apart.iter().find(|(of, _)| of == name);
        apart.map_or(&self.written, |(_, written)| written)
    }

    /// Files of which nothing is said but their paths.
    pub fn of_files(name: String, sources: Vec<String>) -> Self {
        Self {
            name,
            sources,
            rows: None,
            span: Span::default(),
            written: Written::default(),
            encoding_span: Span::default(),
            apart: vec![],
            filling_blanks: false,
            each: None,
            reads: vec![],
        }
    }
}

/// How the cells of a column become values.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadRule {
    /// The type they get.
    pub ty: Type,
    /// `strptime` formats, tried in order; empty for ISO 8601.
    pub formats: Vec<String>,
    /// The place whose clock moments are read by: those with an offset from UTC become what it showed.
    pub zone: Option<Zone>,
    /// What becomes of a cell that cannot be read.
    pub otherwise: Otherwise,
    /// Where it stands in the plan.
    pub span: Span,
}

impl ReadRule {
    /// Cells as they stand, of a type; one that is not of it is told.
    pub fn plain(ty: Type) -> Self {
        Self { ty, formats: vec![], zone: None, otherwise: Otherwise::Stop, span: Span::default() }
    }
}

/// A column that is read: its place among the input's columns, its type, and how it is read.
#[derive(Debug, Clone, PartialEq)]
pub struct InputColumn {
    /// The column's number in [`InputShape::columns`].
    pub column: usize,
    /// The type of its values.
    pub ty: Type,
    /// What `read` says; without it the type is what the cells were found to be.
    pub rule: Option<ReadRule>,
}

/// What is known of an input's files before their rows are read.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct InputShape {
    /// The columns of the stacked files, and the type that each has when nothing is said.
    pub columns: Vec<(String, Type)>,
    /// Whether the files say those types; else they were found from cells.
    pub typed: bool,
    /// Columns of its files that are none here, since what they hold is no value.
    pub unread: Vec<Unread>,
}

/// Opens the files of inputs.
pub trait Sources: Sync {
    /// Finds an input's files and looks at their beginnings; or takes the rows that stand in the plan.
    ///
    /// # Errors
    /// A file that is not there or cannot be read, an encoding that nobody knows, headers that do not go
    /// together.
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError>;

    /// Whether an input's files can be looked at without taking anything from them: standard input and pipes
    /// cannot.
    fn at_rest(&self, spec: &InputSpec) -> bool;

    /// Opens rows that stand in a plan: a header and rows, with commas between cells. Messages call them
    /// `called`.
    ///
    /// # Errors
    /// As a file of these bytes.
    fn rows(
        &self,
        spec: &InputSpec,
        rows: &str,
        called: &str,
    ) -> Result<Box<dyn InputSource>, SourceError>;
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
    /// What a database says of its table.
    fn declared(&self) -> Declared {
        Declared::default()
    }
    /// The objects of which no row comes, since their list is empty or not there.
    fn without_rows(&self) -> Option<WithoutRows> {
        None
    }
    /// Begins to read rows.
    ///
    /// # Errors
    /// A file that cannot be read, or that has changed since it was opened.
    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError>;
}

/// What a database says of a table.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Declared {
    /// The columns that tell all its rows apart.
    pub key: Vec<String>,
    /// The tables that it leads to.
    pub leads: Vec<Leads>,
}

/// Columns of a table that lead to another, each by the one beside it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leads {
    /// The table, as an input of it is called in messages.
    pub to: String,
    /// Its own columns, and those of the other table.
    pub keys: Vec<(String, String)>,
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
    /// Whether nobody reads the input again: what comes as through a pipe need not be kept.
    pub last: bool,
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
    pub origin: Origin,
    /// The lines of its rows.
    pub lines: Lines,
    /// Columns that have cells which could not be read.
    pub troubles: Vec<CellTrouble>,
    /// Columns that have moments in hours that a clock showed twice, or never.
    pub odd_hours: Vec<OddHours>,
    /// Whether a cell contradicts the type that its column was found to have.
    pub contradicts: bool,
}

/// Moments of a column in hours that the clock of its zone showed twice, or never.
#[derive(Debug)]
pub struct OddHours {
    /// The column's place in the request.
    pub column: usize,
    /// How many in hours that it showed twice.
    pub twice: u64,
    /// How many in hours that it never showed.
    pub never: u64,
    /// The first few: text and place.
    pub examples: Vec<(String, Place)>,
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
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
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
    /// What should be JSON and is not, or is no object.
    Json,
    /// A book of sheets that has not the one that is meant, or of which nobody said which.
    Sheet,
    /// A database that has not the table that is meant, or of which nobody said which.
    Table,
    /// Columns that rows are to be ordered by, and that do not tell them apart.
    Order,
    /// A database that somebody else holds.
    Locked,
    /// A server that cannot be reached, or has gone.
    Server,
    /// A database that does not let in, or does not allow what is asked.
    Access,
    /// What a database is asked, and refuses.
    Query,
    /// A record too long to be one.
    RecordSize,
    /// One file named twice for one input.
    Doubled,
    /// A format that this version does not read.
    Format,
    /// A file that changed while it was read.
    Changed,
    /// The folder for what memory has no room for.
    Spill,
    /// Anything else the system says.
    System,
}

/// Why a file cannot be read.
#[derive(Debug, Clone, PartialEq, Serialize, thiserror::Error)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
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

impl From<ScratchError> for SourceError {
    fn from(ScratchError { folder, message, help }: ScratchError) -> Self {
        Self { kind: SourceErrorKind::Spill, file: folder, line: None, message, help }
    }
}
