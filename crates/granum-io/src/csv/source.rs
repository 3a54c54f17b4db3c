//! The files of one input: headers, columns matched by name, types found.

use std::io::{BufRead, BufReader};
use std::sync::Arc;

use granum_core::port::{
    InputShape, InputSource, InputSpec, PartReader, ReadRequest, SourceError, SourceErrorKind,
    Written,
};
use granum_core::tally::BadCell;
use granum_core::value::{Found, Type};

use super::footer::{LeftOut, cut};
use super::foreign;
use super::look::said_by_itself;
use super::part::NOT_UTF8;
use super::part::{CsvPart, Layout, cell, settled_type};
use super::reader::{CsvFile, CsvReader, Current, Splitter, system_error};
use super::scan::{Field, Scanner};
use crate::find::FoundFile;
use crate::stream::{Opening, Stream};

/// Types are first found from about this many bytes of each file.
const SAMPLE: usize = 1 << 20;

/// What stands between fields where nothing is said.
const COMMA: u8 = b',';

/// An input's CSV files.
pub(crate) struct CsvSource {
    files: Vec<CsvFile>,
    names: Vec<String>,
    /// What the cells of columns without a `read` were found to be.
    found: Vec<Option<Found>>,
    /// The type of columns with a `read`.
    read: Vec<Option<Type>>,
    settled: bool,
}

/// The beginning of a file.
struct Beginning {
    file: CsvFile,
    header: Vec<String>,
    /// The first rows.
    rows: Vec<u8>,
    whole: bool,
}

impl CsvSource {
    pub fn open(spec: &InputSpec, files: &[FoundFile]) -> Result<Self, SourceError> {
        let mut beginnings = vec![];
        for file in files {
            beginnings.push(begin(file, spec.written_of(&file.name))?);
        }
        let headers: Vec<(&str, &[String])> = beginnings
            .iter()
            .map(|beginning| (&*beginning.file.name, beginning.header.as_slice()))
            .collect();
        let names = stacked(&headers, spec.filling_blanks)?;
        let read: Vec<Option<Type>> =
            names.iter().map(|name| spec.rule_of(name).map(|rule| rule.ty)).collect();
        let mut source = Self {
            files: vec![],
            found: read.iter().map(|ty| ty.is_none().then(Found::default)).collect(),
            read,
            names,
            settled: beginnings.iter().all(|beginning| beginning.whole),
        };
        for beginning in beginnings {
            let mut file = beginning.file;
            file.fields = source
                .names
                .iter()
                .map(|name| beginning.header.iter().position(|column| column == name))
                .collect();
            file.width = beginning.header.len();
            let part = CsvPart {
                text: beginning.rows,
                line: file.rows_line,
                name: file.name.clone(),
                width: file.width,
                fields: file.fields.clone(),
                layout: layout(&file, ReadRequest::default()),
                made_of: None,
            };
            part.find_types(&mut source.found)?;
            source.files.push(file);
        }
        Ok(source)
    }
}

fn layout(file: &CsvFile, request: ReadRequest) -> Arc<Layout> {
    Arc::new(Layout { delimiter: file.delimiter, request })
}

impl InputSource for CsvSource {
    fn shape(&self) -> InputShape {
        let types = self.found.iter().zip(&self.read);
        let types = types.map(|(found, read)| read.unwrap_or_else(|| settled_type(*found)));
        InputShape {
            columns: self.names.iter().cloned().zip(types).collect(),
            ..InputShape::default()
        }
    }

    fn settled(&self) -> bool {
        self.settled
    }

    fn settle(&mut self) -> Result<(), SourceError> {
        for file in &self.files {
            let layout = layout(file, ReadRequest::default());
            let mut current = Current::open(file)?;
            while let Some((text, line)) = current.next()? {
                let part = CsvPart {
                    text,
                    line,
                    name: file.name.clone(),
                    width: file.width,
                    fields: file.fields.clone(),
                    layout: layout.clone(),
                    made_of: None,
                };
                part.find_types(&mut self.found)?;
            }
        }
        self.settled = true;
        Ok(())
    }

    fn left_out(&self) -> Vec<BadCell> {
        self.files.iter().flat_map(|file| file.left_out.lines()).collect()
    }

    fn bytes(&self) -> u64 {
        self.files.iter().map(|file| file.bytes).sum()
    }

    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        Ok(Box::new(CsvReader {
            files: self.files.clone(),
            layouts: self.files.iter().map(|file| layout(file, request.clone())).collect(),
            current: None,
            next_file: 0,
        }))
    }
}

/// The input's columns: those of the first file in its order, then what others add.
/// Each file is given by its name and its header.
pub(crate) fn stacked(
    files: &[(&str, &[String])],
    filling: bool,
) -> Result<Vec<String>, SourceError> {
    let mut names: Vec<String> = vec![];
    for (_, header) in files {
        let more: Vec<String> =
            header.iter().filter(|name| !names.contains(name)).cloned().collect();
        names.extend(more);
    }
    if filling {
        return Ok(names);
    }
    for (file, header) in files {
        let lacking: Vec<String> = names
            .iter()
            .filter(|name| !header.contains(name))
            .map(|name| format!("`{name}`"))
            .collect();
        if !lacking.is_empty() {
            return Err(SourceError {
                kind: SourceErrorKind::Columns,
                file: (*file).to_owned(),
                line: None,
                message: format!(
                    "has no column {}, which another file of the same input has",
                    lacking.join(", ")
                ),
                help: "say  filling blanks  after the files if that is as it should be".into(),
            });
        }
    }
    Ok(names)
}

fn begin(found: &FoundFile, written: &Written) -> Result<Beginning, SourceError> {
    let FoundFile { path, name, coming } = found;
    let opening = Opening::new(found, name, written.encoding.as_deref())?;
    let delimiter = written.delimiter.unwrap_or(COMMA);
    let system = |error: std::io::Error| system_error(name, &error);
    let error = |kind, line, message: &str, help: &str| SourceError {
        kind,
        file: name.clone(),
        line,
        message: message.to_owned(),
        help: help.to_owned(),
    };
    let data = std::fs::metadata(path).map_err(system)?;
    if data.is_dir() {
        return Err(system(std::io::ErrorKind::IsADirectory.into()));
    }
    foreign::check(found, name)?;
    let opening = opening.with_mark_of(found).map_err(system)?;
    let line = written.header_at.unwrap_or(1);
    let above = above(opening.open(found, 0).map_err(system)?, line).map_err(system)?;
    let Some((skipped, before)) = above else {
        let message = format!("has no line {line}, where its header is said to be");
        let help = "look where the header is, or leave  header at  out";
        return Err(error(SourceErrorKind::Header, None, &message, help));
    };
    let stream = opening.open(found, skipped).map_err(system)?;
    let mut splitter = Splitter::new(stream, delimiter, SAMPLE);
    let first = splitter.next_part().map_err(|failed| match failed.kind() {
        std::io::ErrorKind::InvalidData => {
            let (kind, what, help) = unended(splitter.unended());
            error(kind, Some(1), what, help)
        }
        _ => system(failed),
    })?;
    let Some(text) = first else {
        if before > 0 {
            return Err(error(
                SourceErrorKind::Empty,
                Some(1),
                "has only empty lines: there is no header",
                "ask for the file again, or leave it out of the plan",
            ));
        }
        return Err(error(
            SourceErrorKind::Empty,
            None,
            "is empty: it has not even a header",
            "ask for the file again, or leave it out of the plan",
        ));
    };
    let body = text.as_slice();
    if let Some(found) = not_text(body) {
        return Err(error(SourceErrorKind::Encoding, Some(1), found.0, found.1));
    }
    if let Some(sign) = said_by_itself(body) {
        let sign = char::from(sign);
        return Err(error(
            SourceErrorKind::Header,
            Some(before + 1),
            &format!("begins with `sep={sign}`, a word to a spreadsheet and no header"),
            &format!(
                "say after the file:  delimiter \"{}\" header at {}",
                sign.escape_default(),
                before + 2
            ),
        ));
    }
    if ends_in_returns(body, delimiter) {
        return Err(error(
            SourceErrorKind::LineEnds,
            Some(1),
            "has lines that end in a carriage return alone",
            "save it with line feeds, as every system does today",
        ));
    }
    let (header, length, line) = header(body, name, delimiter, before)?;
    let mut rows = body[length..].to_vec();
    if let Some(footer) = written.footer {
        // Types are found without it.
        cut(&mut rows, delimiter, footer, &name.as_str().into(), line);
    }
    Ok(Beginning {
        file: CsvFile {
            found: found.clone(),
            name: name.as_str().into(),
            bytes: coming.as_ref().map_or(data.len(), |coming| coming.bytes().unwrap_or_default()),
            opening,
            modified: data.modified().ok(),
            rows_at: skipped + length as u64,
            rows_line: line,
            fields: vec![],
            width: 0,
            delimiter,
            footer: written.footer.unwrap_or(0),
            left_out: LeftOut::default(),
        },
        header,
        rows,
        whole: splitter.ended(),
    })
}

/// What a file is that is no text in UTF-8, told by its bytes of zero; and what to do.
fn not_text(text: &[u8]) -> Option<(&'static str, &'static str)> {
    let begin = &text[..text.len().min(1 << 12)];
    let zeros = |from: usize| begin.iter().skip(from).step_by(2).filter(|byte| **byte == 0).count();
    let (even, odd) = (zeros(0), zeros(1));
    let half = begin.len() / 2;
    match (even * 2 > half, odd * 2 > half) {
        (true, true) => Some((
            "has nothing but bytes of zero: it was never written to its end",
            "ask for the file again",
        )),
        (false, true) => Some((
            "is UTF-16 without a mark that says so",
            "say how it is written:  encoding \"utf-16le\"",
        )),
        (true, false) => Some((
            "is UTF-16 without a mark that says so",
            "say how it is written:  encoding \"utf-16be\"",
        )),
        (false, false) => None,
    }
}

/// What is wrong with a file whose first row does not end, and what helps.
pub(super) fn unended(text: &[u8]) -> (SourceErrorKind, &'static str, &'static str) {
    if let Some((what, help)) = not_text(text) {
        (SourceErrorKind::Encoding, what, help)
    } else if memchr::memchr(b'"', text).is_some() {
        let what = "begins with a row that does not end: a quote is opened and never closed";
        (SourceErrorKind::OpenQuote, what, "look for a quote at the beginning of a field")
    } else {
        let what = "begins with a line of more than 64 MiB";
        (SourceErrorKind::RecordSize, what, "look whether it is the file that was meant")
    }
}

/// Whether lines end in a carriage return alone: one stands in the header outside quotes, and no line
/// feed behind it.
fn ends_in_returns(text: &[u8], delimiter: u8) -> bool {
    let mut quoted = false;
    let mut fresh = true;
    for (at, byte) in text.iter().enumerate() {
        match byte {
            b'"' if quoted || fresh => quoted = !quoted,
            b'\n' if !quoted => return false,
            b'\r' if !quoted => {
                return text.get(at + 1).is_some_and(|next| *next != b'\n');
            }
            _ => {}
        }
        fresh = *byte == delimiter;
    }
    false
}

/// The bytes and lines above a header: marks at the beginning, the lines before `line`, and empty ones
/// behind those. Nothing if the text ends before.
fn above(stream: Stream, line: u64) -> std::io::Result<Option<(u64, u64)>> {
    let mut text = BufReader::with_capacity(1 << 16, stream);
    let (mut bytes, mut lines) = (0, 0);
    // Some programs put a mark before a text that has one.
    while text.fill_buf()?.starts_with(b"\xEF\xBB\xBF") {
        text.consume(3);
        bytes += 3;
    }
    while lines + 1 < line {
        let skipped = text.skip_until(b'\n')? as u64;
        if skipped == 0 {
            return Ok(None);
        }
        (bytes, lines) = (bytes + skipped, lines + 1);
    }
    if line > 1 && text.fill_buf()?.is_empty() {
        return Ok(None);
    }
    loop {
        let ends = text.fill_buf()?;
        let count = ends.iter().take_while(|byte| matches!(byte, b'\r' | b'\n')).count();
        lines += memchr::memchr_iter(b'\n', &ends[..count]).count() as u64;
        // A carriage return alone is looked at with the line behind it.
        let ended = count < ends.len() || count == 0;
        text.consume(count);
        bytes += count as u64;
        if ended {
            return Ok(Some((bytes, lines)));
        }
    }
}

/// The header's names, its length in bytes, and the line behind it; `above` lines stand before it.
fn header(
    text: &[u8],
    name: &str,
    delimiter: u8,
    above: u64,
) -> Result<(Vec<String>, usize, u64), SourceError> {
    let at_line = |kind, line, message: String, help: &str| SourceError {
        kind,
        file: name.to_owned(),
        line: Some(above + line),
        message,
        help: help.to_owned(),
    };
    let mut scanner = Scanner::new(text, delimiter);
    let mut fields: Vec<Field> = vec![];
    let mut start = 0;
    loop {
        let more = scanner.next(&mut fields).map_err(|_| {
            at_line(
                SourceErrorKind::OpenQuote,
                1,
                "the header has a quote that is not closed, or text after one".into(),
                "look for a quote at the beginning of a column's name",
            )
        })?;
        if !more {
            return Err(at_line(
                SourceErrorKind::Empty,
                1,
                "has only empty lines: there is no header".into(),
                "ask for the file again, or leave it out of the plan",
            ));
        }
        let length = scanner.position();
        if text[start..length].iter().any(|byte| !matches!(byte, b'\r' | b'\n')) {
            break;
        }
        start = length;
    }
    let length = scanner.position();
    let lines = memchr::memchr_iter(b'\n', &text[..length]).count() as u64;
    let decoded = std::str::from_utf8(&text[..length]).map_err(|error| {
        at_line(
            SourceErrorKind::Encoding,
            lines.max(1),
            format!("is not UTF-8: byte {:#04x} in the header", text[error.valid_up_to()]),
            NOT_UTF8,
        )
    })?;
    let named: Vec<_> = fields.iter().map(|field| cell(decoded, *field).into_owned()).collect();
    let mut names: Vec<String> = vec![];
    for (at, field) in fields.iter().enumerate() {
        let mut column = cell(decoded, *field).into_owned();
        if column.is_empty() {
            // Spreadsheets leave such behind; it can be named all the same, unlike any other.
            let mut free = (at + 1..).map(|place| format!("column_{place}"));
            let taken = |own: &String| named.contains(own) || names.contains(own);
            column = free.find(|own| !taken(own)).unwrap_or_default();
        }
        if names.contains(&column) {
            return Err(at_line(
                SourceErrorKind::Header,
                lines.max(1),
                format!("has two columns called `{column}`"),
                "give each column a name of its own",
            ));
        }
        names.push(column);
    }
    Ok((names, length, above + lines + 1))
}
