//! What a format is: what can be said of its files, what opens them, what writes them.

use std::io::{self, Write};
use std::path::Path;
use std::sync::Arc;

use granum_core::port::{
    Encoded, Encoder, InputSource, InputSpec, SourceError, SourceErrorKind, Style, Written,
};
#[cfg(any(feature = "sheets", feature = "columnar", feature = "sqlite"))]
use granum_core::table::Column;
use granum_core::value::Type;

use crate::csv::Look;
use crate::find::FoundFile;

/// A format.
pub(crate) trait Format: Sync {
    /// What it is called.
    fn name(&self) -> &'static str;
    /// How the names of its files end, in small letters.
    fn endings(&self) -> &'static [&'static str];
    /// What can be said of how its files are written.
    fn takes(&self) -> &'static [Said];
    /// Whether it reads what has not come to its end; of all others the whole is waited for.
    fn follows(&self) -> bool {
        false
    }
    /// Opens files, each with the name that messages have, as one input.
    fn open(
        &self,
        spec: &InputSpec,
        files: &[FoundFile],
    ) -> Result<Box<dyn InputSource>, SourceError>;
    /// The tables in a file that can have several; none of a file that is one.
    ///
    /// # Errors
    /// As when it is read.
    fn tables(&self, _path: &Path, _name: &str) -> Result<Vec<String>, SourceError> {
        Ok(vec![])
    }
    /// Looks at the beginning of a file to see how it is written, where `said` leaves that open.
    ///
    /// # Errors
    /// As when it is read.
    fn look(&self, path: &Path, name: &str, said: &Written) -> Result<Look, SourceError>;
    /// What writes columns of these names and types into a file of a name, as is said.
    ///
    /// # Errors
    /// What cannot be done as it is said.
    fn writer(
        &self,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Writer>, Unwritable>;
}

/// What an input can say of how its files are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Said {
    Delimiter,
    Encoding,
    HeaderAt,
    Footer,
    Sheet,
    Range,
    Named,
    Query,
    Ordered,
    Each,
}

impl Said {
    /// All, with how a plan says each.
    const ALL: [(Self, &'static str); 10] = [
        (Self::Delimiter, "delimiter"),
        (Self::Encoding, "encoding"),
        (Self::HeaderAt, "header at"),
        (Self::Footer, "footer"),
        (Self::Sheet, "sheet"),
        (Self::Range, "range"),
        (Self::Named, "named"),
        (Self::Query, "query"),
        (Self::Ordered, "ordered by"),
        (Self::Each, "each"),
    ];

    /// Whether an input says it of a file.
    fn is_of(self, spec: &InputSpec, name: &str) -> bool {
        let written = spec.written_of(name);
        match self {
            Self::Delimiter => written.delimiter.is_some(),
            Self::Encoding => written.encoding.is_some(),
            Self::HeaderAt => written.header_at.is_some(),
            Self::Footer => written.footer.is_some(),
            Self::Sheet => written.sheet.is_some(),
            Self::Range => written.range.is_some(),
            Self::Named => written.named.is_some(),
            Self::Query => written.query.is_some(),
            Self::Ordered => !written.ordered.is_empty(),
            Self::Each => spec.each.is_some(),
        }
    }
}

/// That an input says nothing of a file which means nothing in its format.
///
/// # Errors
/// What it says.
pub(crate) fn fits(format: &dyn Format, spec: &InputSpec, name: &str) -> Result<(), SourceError> {
    said_beside((format.name(), format.takes()), spec, name)
}

/// The same of what is called so, and of which that can be said.
///
/// # Errors
/// What it says beside.
pub(crate) fn said_beside(
    (called, takes): (&str, &[Said]),
    spec: &InputSpec,
    name: &str,
) -> Result<(), SourceError> {
    let said = Said::ALL.iter().filter(|(said, _)| !takes.contains(said));
    let Some((said, word)) = said.into_iter().find(|(said, _)| said.is_of(spec, name)) else {
        return Ok(());
    };
    let (mut lack, mut help) = (format!("no `{word}`"), format!("leave `{word}` out of its input"));
    if *said == Said::Each {
        lack = "no lists for `each`".into();
        help.push_str(
            "; parts of a cell become rows by  turn COLUMN split by \";\" into rows NAME",
        );
    }
    Err(SourceError {
        kind: SourceErrorKind::Format,
        file: name.to_owned(),
        line: None,
        message: format!("is {called}, which has {lack}"),
        help,
    })
}

/// What a format cannot hold, with what to do.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Unwritable {
    pub message: String,
    pub help: String,
}

/// Writes one table.
pub(crate) trait Writer: Send + Sync {
    /// What prepares its rows.
    fn encoder(&self) -> Arc<dyn Encoder>;
    /// Writes what stands before all rows.
    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()>;
    /// Writes rows in their order.
    fn take(&mut self, rows: Encoded, out: &mut dyn Write) -> io::Result<()>;
    /// Writes what stands behind all rows.
    fn finish(&mut self, out: &mut dyn Write) -> io::Result<()>;
}

/// Rows that are put together by their writer.
#[cfg(any(feature = "sheets", feature = "columnar", feature = "sqlite"))]
pub(crate) struct AsTheyAre;

#[cfg(any(feature = "sheets", feature = "columnar", feature = "sqlite"))]
impl Encoder for AsTheyAre {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        Encoded::Rows(columns.to_vec(), rows)
    }
}

/// Rows as [`AsTheyAre`] left them.
///
/// # Errors
/// That they came in another way: a fault of the program.
#[cfg(any(feature = "sheets", feature = "columnar", feature = "sqlite"))]
pub(crate) fn rows_of(encoded: Encoded) -> io::Result<(Vec<Column>, usize)> {
    match encoded {
        Encoded::Rows(columns, rows) => Ok((columns, rows)),
        Encoded::Bytes(_) => {
            Err(io::Error::other("bytes came in place of rows: a fault of the program"))
        }
    }
}
