//! Takes files apart into parts of whole records.

use granum_core::port::{PartReader, RawPart, SourceError, SourceErrorKind};
use std::io::Read;
use std::sync::Arc;
use std::time::SystemTime;

use memchr::memchr_iter;

use super::footer::{LeftOut, cut, records};
use super::part::{CsvPart, Layout};
use super::scan::last_record_end;
use crate::find::FoundFile;
use crate::stream::{Damaged, Lost, Malformed, Opening, Stream};

/// Parts are about this many bytes.
const PART: usize = 1 << 18;

/// A record is at most this many bytes; a longer one is a quote that nobody closed.
const LONGEST: usize = 1 << 26;

/// Splits a stream of bytes where records end, without looking into them further.
pub struct Splitter<R> {
    from: R,
    delimiter: u8,
    part: usize,
    /// The beginning of a record whose end has not been read.
    rest: Vec<u8>,
    done: bool,
}

impl<R: Read> Splitter<R> {
    /// Splits into parts of about `part` bytes. The stream begins where a record does.
    pub fn new(from: R, delimiter: u8, part: usize) -> Self {
        Self { from, delimiter, part: part.max(1), rest: vec![], done: false }
    }

    /// Whether the last part had everything that was left.
    pub fn ended(&self) -> bool {
        self.done && self.rest.is_empty()
    }

    /// What was read of a record whose end has not been found.
    pub fn unended(&self) -> &[u8] {
        &self.rest
    }

    /// The next part: whole records. `None` at the end.
    ///
    /// # Errors
    /// What the system says; one of kind `InvalidData` where a record does not end.
    pub fn next_part(&mut self) -> std::io::Result<Option<Vec<u8>>> {
        let mut wanted = self.part;
        let mut text = std::mem::take(&mut self.rest);
        text.reserve(wanted);
        loop {
            if !self.done {
                let room = (wanted.saturating_sub(text.len())).max(1) as u64;
                let read = (&mut self.from).take(room).read_to_end(&mut text)?;
                self.done = (read as u64) < room;
            }
            if self.done {
                return Ok((!text.is_empty()).then_some(text));
            }
            if let Some(end) = last_record_end(&text, self.delimiter) {
                self.rest = text[end..].to_vec();
                text.truncate(end);
                return Ok(Some(text));
            }
            if text.len() > LONGEST {
                self.rest = text;
                return Err(std::io::ErrorKind::InvalidData.into());
            }
            wanted = text.len() * 2;
        }
    }
}

/// A file of an input, as it was when it was opened.
#[derive(Debug, Clone)]
pub(super) struct CsvFile {
    pub found: FoundFile,
    /// As the plan names it.
    pub name: Arc<str>,
    pub bytes: u64,
    /// How its bytes become text.
    pub opening: Opening,
    pub modified: Option<SystemTime>,
    /// Where the rows begin: behind the header.
    pub rows_at: u64,
    /// The line of the first row.
    pub rows_line: u64,
    /// For each of the input's columns the field it stands in, if the file has it.
    pub fields: Vec<Option<usize>>,
    /// How many fields each row must have.
    pub width: usize,
    /// The sign between fields.
    pub delimiter: u8,
    /// So many records at its end are left out.
    pub footer: u64,
    pub left_out: LeftOut,
}

/// Reads the rows of an input's files.
pub(super) struct CsvReader {
    pub files: Vec<CsvFile>,
    /// How each of them is taken apart.
    pub layouts: Vec<Arc<Layout>>,
    pub current: Option<Current>,
    pub next_file: usize,
}

/// The file that is being read.
pub(super) struct Current {
    file: CsvFile,
    splitter: Splitter<Stream>,
    line: u64,
    read: u64,
    /// The part before the next, with its first line: what may be the footer is held back.
    held: Option<(Vec<u8>, u64)>,
}

impl Current {
    pub fn open(file: &CsvFile) -> Result<Self, SourceError> {
        let system = |error: std::io::Error| system_error(&file.name, &error);
        let opened = file.opening.open_ahead(&file.found, file.rows_at).map_err(system)?;
        Ok(Self {
            file: file.clone(),
            splitter: Splitter::new(opened, file.delimiter, PART),
            line: file.rows_line,
            read: file.rows_at,
            held: None,
        })
    }

    /// The next part of the file and its first line, without the footer.
    pub fn next(&mut self) -> Result<Option<(Vec<u8>, u64)>, SourceError> {
        if self.file.footer == 0 {
            return self.part();
        }
        loop {
            let Some((text, line)) = self.part()? else {
                let Some((mut text, line)) = self.held.take() else { return Ok(None) };
                let CsvFile { footer, name, left_out, .. } = &self.file;
                left_out.note(name, cut(&mut text, self.file.delimiter, *footer, name, line));
                return Ok(Some((text, line)));
            };
            match &mut self.held {
                None => self.held = Some((text, line)),
                // All of the footer stands in the last part, or in what is held with it.
                Some((held, _)) if records(&text, self.file.delimiter) < self.file.footer => {
                    held.extend(text);
                }
                Some(_) => return Ok(self.held.replace((text, line))),
            }
        }
    }

    /// The next part as it stands.
    fn part(&mut self) -> Result<Option<(Vec<u8>, u64)>, SourceError> {
        let part = self.splitter.next_part().map_err(|error| {
            if error.kind() == std::io::ErrorKind::InvalidData {
                return endless(&self.file.name, self.line);
            }
            system_error(&self.file.name, &error)
        })?;
        let Some(text) = part else {
            self.unchanged()?;
            return Ok(None);
        };
        let line = self.line;
        self.line += memchr_iter(b'\n', &text).count() as u64;
        self.read += text.len() as u64;
        Ok(Some((text, line)))
    }

    /// A file that changed while it was read may have given anything.
    fn unchanged(&self) -> Result<(), SourceError> {
        if self.file.found.coming.is_some() {
            return Ok(());
        }
        let now = std::fs::metadata(&self.file.found.path)
            .map_err(|error| system_error(&self.file.name, &error))?;
        // Of other files it cannot be told from the number of bytes whether all came.
        let same = now.len() == self.file.bytes
            && (self.read == self.file.bytes || !self.file.opening.is_plain())
            && now.modified().ok() == self.file.modified;
        // What is no file has no size to compare.
        if same || !now.is_file() {
            return Ok(());
        }
        Err(changed(&self.file.name))
    }
}

/// That a file is another than it was when it was opened.
pub(crate) fn changed(file: &str) -> SourceError {
    SourceError {
        kind: SourceErrorKind::Changed,
        file: file.to_owned(),
        line: None,
        message: "changed while it was read".into(),
        help: "run again when nothing writes to it".into(),
    }
}

fn endless(file: &str, line: u64) -> SourceError {
    SourceError {
        kind: SourceErrorKind::RecordSize,
        file: file.to_owned(),
        line: Some(line),
        message: "has a row that does not end within 64 MiB: somewhere from this line on a quote \
                  is opened and never closed"
            .into(),
        help: "look for a quote at the beginning of a field".into(),
    }
}

/// What unpacking or decoding says of a file.
fn unreadable(file: &str, error: &std::io::Error) -> Option<SourceError> {
    let inner = error.get_ref()?;
    if inner.is::<Lost>() {
        return Some(not_kept(file, error));
    }
    let (kind, line, help) = if let Some(malformed) = inner.downcast_ref::<Malformed>() {
        let help = "say the encoding that it has:  encoding \"…\"";
        (SourceErrorKind::Encoding, Some(malformed.line), help)
    } else if inner.is::<Damaged>() {
        (
            SourceErrorKind::Damaged,
            None,
            "ask for the file again: it is cut off, or was never packed",
        )
    } else {
        return None;
    };
    let message = inner.to_string();
    Some(SourceError { kind, file: file.to_owned(), line, message, help: help.into() })
}

/// Why what can be read only once cannot be read.
pub(crate) fn not_kept(file: &str, error: &std::io::Error) -> SourceError {
    SourceError {
        kind: SourceErrorKind::System,
        file: file.to_owned(),
        line: None,
        message: format!("cannot be read: {error}"),
        help: "it is no file, so what comes is kept in a temporary one (TMPDIR says where); give a file in its place"
            .into(),
    }
}

/// What the system says of a file, in the user's terms.
pub(crate) fn system_error(file: &str, error: &std::io::Error) -> SourceError {
    use std::io::ErrorKind as Kind;
    if let Some(error) = unreadable(file, error) {
        return error;
    }
    let (kind, message, help) = match error.kind() {
        Kind::NotFound => (
            SourceErrorKind::Missing,
            "there is no such file".to_owned(),
            "paths are relative to the plan's folder",
        ),
        Kind::IsADirectory => {
            (SourceErrorKind::Directory, "is a folder, not a file".to_owned(), "name a file in it")
        }
        Kind::PermissionDenied => (
            SourceErrorKind::System,
            "may not be read".to_owned(),
            "ask its owner for permission to read it",
        ),
        _ => (SourceErrorKind::System, format!("cannot be read: {error}"), "try again"),
    };
    SourceError { kind, file: file.to_owned(), line: None, message, help: help.into() }
}

impl PartReader for CsvReader {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let mut parts: Vec<Box<dyn RawPart>> = vec![];
        while parts.len() < count {
            let Some(current) = &mut self.current else {
                let Some(file) = self.files.get(self.next_file) else { break };
                // Not before: what comes meanwhile from those that are read later must not wait for that.
                if self.layouts[self.next_file].request.last
                    && let Some(coming) = &file.found.coming
                {
                    coming.let_go();
                }
                self.next_file += 1;
                self.current = Some(Current::open(file)?);
                continue;
            };
            match current.next()? {
                Some((text, line)) => parts.push(Box::new(CsvPart {
                    text,
                    line,
                    name: current.file.name.clone(),
                    width: current.file.width,
                    fields: current.file.fields.clone(),
                    layout: self.layouts[self.next_file - 1].clone(),
                    made_of: None,
                })),
                None => self.current = None,
            }
        }
        Ok(parts)
    }
}
