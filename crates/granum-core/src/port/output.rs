//! Outputs: batches of finished columns on their way to a place, where they appear whole or not at all.

use std::sync::Arc;

use serde::Serialize;

use super::address::is_address;
use crate::table::Column;
use crate::tally::{Chart, Taken, part_name};
use crate::value::Type;

/// How an output is written, as far as somebody has said it. What holds where nothing is said is the matter of its
/// format.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Style {
    /// The sign between fields.
    pub delimiter: Option<u8>,
    /// The sign before decimal places.
    pub decimals: Option<u8>,
    /// How letters are written, as a plan names it.
    pub encoding: Option<String>,
    /// Whether a mark stands before everything that says the encoding.
    pub marked: bool,
    /// The sheet of a book, as people name it.
    pub sheet: Option<String>,
    /// The table of a database.
    pub named: Option<String>,
    /// The columns that tell the rows of that apart, where the plan says them.
    pub key: Vec<String>,
    /// Whether rows whose key is there are replaced and the others added; else the rows are all that the table has.
    pub adding: bool,
}

impl Style {
    /// An output as messages name it: its path, with the sheet or table where that has several.
    pub fn shown(&self, path: &str) -> String {
        let part = self.sheet.as_ref().or(self.named.as_ref());
        part.map_or_else(|| path.to_owned(), |part| part_name(path, part))
    }

    /// Whether anything is said.
    pub fn is_said(&self) -> bool {
        *self != Self::default()
    }
}

/// How the names of files end that can be written: text with signs between fields, and objects of JSON.
pub const FIELDS: [&str; 3] = [".csv", ".tsv", ".txt"];
/// The same of objects: one a line, and one array of all.
pub const OBJECTS: [&str; 3] = [".jsonl", ".ndjson", ".json"];
/// The same of books of sheets.
pub const BOOKS: [&str; 1] = [".xlsx"];
/// A sheet's name has at most this many letters, in every program that reads books.
pub const LONGEST_SHEET: usize = 31;
/// The same of files of whole columns: Parquet, Arrow's file and its stream.
pub const COLUMNS: [&str; 3] = [".parquet", ".arrow", ".arrows"];
/// The same of files that are databases.
pub const DATABASES: [&str; 3] = [".db", ".sqlite", ".sqlite3"];
/// What may stand behind the first two: it is packed.
pub const PACKED: [&str; 2] = [".gz", ".zst"];

/// What a file's name says of how it is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedAs {
    /// The name in small letters, without what says that it is packed.
    bare: String,
    /// How it is packed, of [`PACKED`].
    pub packed: Option<&'static str>,
    /// Whether it is no file's name, but the address of a database on a server.
    server: bool,
}

impl NamedAs {
    /// What a name says.
    pub fn of(name: &str) -> Self {
        if is_address(name) {
            return Self { bare: String::new(), packed: None, server: true };
        }
        let lower = name.to_lowercase();
        let packed = PACKED.into_iter().find(|ending| lower.ends_with(ending));
        let bare = packed.and_then(|ending| lower.strip_suffix(ending)).unwrap_or(&lower).into();
        Self { bare, packed, server: false }
    }

    /// Whether it ends so, packed or not.
    pub fn ends(&self, ending: &str) -> bool {
        self.bare.ends_with(ending)
    }

    /// What the file is written as, if it can be.
    pub fn written(&self) -> Option<Family> {
        let file = |ending: &&str| {
            self.bare.strip_suffix(*ending).is_some_and(|stem| !stem.ends_with('/'))
        };
        if self.server {
            Some(Family::Server)
        } else if FIELDS.iter().any(file) {
            Some(Family::Fields)
        } else if OBJECTS.iter().any(file) {
            Some(Family::Objects)
        } else {
            // What is packed within is not packed again.
            let family = if BOOKS.iter().any(file) { Some(Family::Book) } else { None };
            let columns = COLUMNS.iter().any(file).then_some(Family::Columns);
            let database = DATABASES.iter().any(file).then_some(Family::Database);
            family.or(columns).or(database).filter(|_| self.packed.is_none())
        }
    }
}

/// What a picture is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Picture {
    /// Lines and letters, which are sharp at any size.
    Svg,
    /// Points.
    Png,
}

impl Picture {
    /// As a path's ending says.
    pub fn of(path: &str) -> Option<Self> {
        let ending = path.rsplit_once('.').filter(|(stem, _)| !stem.is_empty())?.1;
        match ending.to_ascii_lowercase().as_str() {
            "svg" => Some(Self::Svg),
            "png" => Some(Self::Png),
            _ => None,
        }
    }
}

/// What files of one kind have in common.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Family {
    /// Text with signs between fields.
    Fields,
    /// Objects of JSON.
    Objects,
    /// Sheets of cells.
    Book,
    /// Whole columns that have types.
    Columns,
    /// Tables of a database in a file.
    Database,
    /// Tables of a database on a server.
    Server,
}

/// Takes results to their places.
pub trait Outputs: Sync {
    /// Prepares to write rows of these columns to a path. Nothing is seen there until
    /// [`Output::publish`].
    ///
    /// # Errors
    /// A place that cannot be written to.
    fn begin(
        &self,
        path: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Output>, OutputError>;

    /// Draws a chart, to be put in its place like what [`Outputs::begin`] writes; all of it has been taken.
    ///
    /// # Errors
    /// The same; that it cannot be drawn.
    fn draw(&self, path: &str, chart: &Chart) -> Result<Box<dyn Output>, OutputError>;

    /// Puts outputs that are complete in their places: all of them, or none.
    ///
    /// # Errors
    /// Why one cannot be; then what stood in their places stands there still.
    fn publish(&self, outputs: Vec<Box<dyn Output>>) -> Result<(), OutputError>;
}

/// Puts outputs in their places one after the other; where one cannot be, those before it are taken back.
///
/// # Errors
/// Why one cannot be.
pub fn publish_each(outputs: &mut [Box<dyn Output>]) -> Result<(), OutputError> {
    for at in 0..outputs.len() {
        if let Err(error) = outputs[at].publish() {
            outputs[..at].iter_mut().rev().for_each(|output| output.withdraw());
            return Err(error);
        }
    }
    outputs.iter_mut().for_each(|output| output.settle());
    Ok(())
}

/// One file on its way. Dropped before it is published, it leaves no trace.
pub trait Output: Send + Sync {
    /// What prepares rows.
    fn encoder(&self) -> Arc<dyn Encoder>;
    /// Takes rows in their order, as its encoder left them.
    ///
    /// # Errors
    /// What the system says, such as that a disk is full.
    fn take(&mut self, rows: Encoded) -> Result<(), OutputError>;
    /// All rows have been given: sees to it that they are kept. Gives how many bytes there are.
    ///
    /// # Errors
    /// The same.
    fn complete(&mut self) -> Result<u64, OutputError>;
    /// Once it is complete: what became of its table, where a database says that.
    fn taken(&self) -> Option<Taken> {
        None
    }
    /// Puts the file in its place; what stood there is kept aside.
    ///
    /// # Errors
    /// The same; then what stood in its place stands there still.
    fn publish(&mut self) -> Result<(), OutputError>;
    /// Whether [`Output::publish`] cannot be undone, as in a database whose transaction is over. Such are put in their
    /// places before all others.
    fn is_final(&self) -> bool {
        false
    }
    /// Whether what becomes of it decides for all others: a database on a server says afterwards what it has taken, also
    /// where nobody heard it. Such come first of all.
    fn decides(&self) -> bool {
        false
    }
    /// Undoes [`Output::publish`], unless it is final: what stood there stands there again.
    fn withdraw(&mut self);
    /// Everything is in its place: what was kept aside can go.
    fn settle(&mut self);
}

/// Prepares rows for an output, on any thread and in any order: what can be done of them alone.
pub trait Encoder: Send + Sync {
    /// A batch of rows: finished columns of one length.
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded;
}

/// Rows as an encoder leaves them to its output.
#[derive(Debug, Clone)]
pub enum Encoded {
    /// Their bytes, where each row is written by itself.
    Bytes(Vec<u8>),
    /// The columns as they were, for a format that must see rows in order.
    Rows(Vec<Column>, usize),
}

/// Why a file cannot be written.
#[derive(Debug, Clone, PartialEq, Serialize, thiserror::Error)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[error("{path}: {message}")]
pub struct OutputError {
    /// The path as the plan has it.
    pub path: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}
