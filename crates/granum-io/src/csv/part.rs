//! One part of a file on its way into columns.

use std::borrow::Cow;
use std::hash::Hasher;
use std::sync::Arc;

use granum_core::engine::{CellTrouble, Part, RawPart, ReadRequest, SourceError, SourceErrorKind};
use granum_core::table::{Column, Lines, Place};
use granum_core::value::{Found, Scale, Type};
use memchr::memchr_iter;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::cells::{CellBuilder, Read};
use super::scan::{Fault, Field, Scanner};

/// Bad cells are listed up to this many a column and part.
const EXAMPLES: usize = 5;

/// What all parts of an input have in common.
#[derive(Debug)]
pub(super) struct Layout {
    pub delimiter: u8,
    pub request: ReadRequest,
}

/// Whole records of one file.
pub(super) struct CsvPart {
    pub text: Vec<u8>,
    /// The line of its first byte.
    pub line: u64,
    pub name: Arc<str>,
    pub width: usize,
    pub fields: Vec<Option<usize>>,
    pub layout: Arc<Layout>,
}

/// A cell's text, doubled quotes made single.
pub(super) fn cell(text: &str, field: Field) -> Cow<'_, str> {
    let cell = &text[field.start..field.end];
    if field.escaped { Cow::Owned(cell.replace("\"\"", "\"")) } else { Cow::Borrowed(cell) }
}

impl RawPart for CsvPart {
    fn bytes(&self) -> u64 {
        self.text.len() as u64
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let text = self.utf8()?;
        let request = &self.layout.request;
        // Room for as many rows as there are lines: nothing grows, and nothing is held in vain.
        let room = memchr_iter(b'\n', &self.text).count() + 1;
        let mut builders: Vec<CellBuilder> =
            request.columns.iter().map(|column| CellBuilder::new(column, room)).collect();
        let places: Vec<Option<usize>> =
            request.columns.iter().map(|column| self.fields[column.column]).collect();
        let mut prints: Vec<Fingerprints> = request
            .fingerprints
            .iter()
            .map(|columns| Fingerprints::new(columns, self, room))
            .collect();
        let mut troubles: Vec<CellTrouble> = vec![];
        let mut contradicts = false;
        let mut records = Records::new(self, text);
        while let Some(line) = records.next()? {
            for (at, builder) in builders.iter_mut().enumerate() {
                let Some(place) = places[at] else {
                    builder.push_blank();
                    continue;
                };
                let value = cell(text, records.fields[place]);
                match builder.push(&value) {
                    Read::Well => {}
                    Read::Badly if request.columns[at].rule.is_none() => contradicts = true,
                    Read::Badly => {
                        let known = troubles.iter().position(|trouble| trouble.column == at);
                        let known = known.unwrap_or_else(|| {
                            troubles.push(CellTrouble { column: at, count: 0, examples: vec![] });
                            troubles.len() - 1
                        });
                        let trouble = &mut troubles[known];
                        trouble.count += 1;
                        if trouble.examples.len() < EXAMPLES {
                            let place = Place { file: self.name.clone(), line };
                            trouble.examples.push((value.into_owned(), place));
                        }
                    }
                }
            }
            for print in &mut prints {
                print.push(text, &records.fields);
            }
        }
        Ok(Part {
            rows: records.rows,
            columns: builders.into_iter().map(CellBuilder::finish).collect(),
            fingerprints: prints.into_iter().map(Fingerprints::finish).collect(),
            file: self.name.clone(),
            lines: records.lines(),
            troubles,
            contradicts,
        })
    }
}

impl CsvPart {
    pub(super) fn error(
        &self,
        kind: SourceErrorKind,
        line: u64,
        message: String,
        help: &str,
    ) -> SourceError {
        SourceError {
            kind,
            file: self.name.to_string(),
            line: Some(line),
            message,
            help: help.to_owned(),
        }
    }

    fn line_at(&self, byte: usize) -> u64 {
        self.line + memchr_iter(b'\n', &self.text[..byte.min(self.text.len())]).count() as u64
    }

    pub(super) fn utf8(&self) -> Result<&str, SourceError> {
        std::str::from_utf8(&self.text).map_err(|error| {
            let line = self.line_at(error.valid_up_to());
            let byte = self.text[error.valid_up_to()];
            self.error(
                SourceErrorKind::Encoding,
                line,
                format!("is not UTF-8: byte {byte:#04x} does not belong there"),
                "save the file as UTF-8",
            )
        })
    }

    fn fault(&self, fault: Fault) -> SourceError {
        match fault {
            Fault::OpenQuote(at) => self.error(
                SourceErrorKind::OpenQuote,
                self.line_at(at),
                "a quote is opened here and never closed".into(),
                "close it, or double it if it is part of the text",
            ),
            Fault::AfterQuote(at) => self.error(
                SourceErrorKind::AfterQuote,
                self.line_at(at),
                "text follows a closing quote".into(),
                "a quote within a quoted field is written twice",
            ),
        }
    }

    /// Takes in all cells of some columns, to find their types. `found` has one place a column.
    pub(super) fn find_types(&self, found: &mut [Option<Found>]) -> Result<(), SourceError> {
        let text = self.utf8()?;
        let mut records = Records::new(self, text);
        while records.next()?.is_some() {
            for (found, place) in found.iter_mut().zip(&self.fields) {
                if let (Some(found), Some(place)) = (found, place) {
                    let value = cell(text, records.fields[*place]);
                    if !value.is_empty() {
                        found.cell(value.as_bytes());
                    }
                }
            }
        }
        Ok(())
    }
}

/// The records of a part, each checked for its length, with their lines.
struct Records<'a> {
    part: &'a CsvPart,
    text: &'a str,
    scanner: Scanner<'a>,
    fields: Vec<Field>,
    rows: usize,
    line: u64,
    /// Kept from the first row on that does not stand one line below the one before.
    each: Option<Vec<u64>>,
}

impl<'a> Records<'a> {
    fn new(part: &'a CsvPart, text: &'a str) -> Self {
        Self {
            part,
            text,
            scanner: Scanner::new(&part.text, part.layout.delimiter),
            fields: Vec::with_capacity(part.width),
            rows: 0,
            line: part.line,
            each: None,
        }
    }

    /// Goes on to the next record; gives its line. Empty lines are passed over.
    fn next(&mut self) -> Result<Option<u64>, SourceError> {
        loop {
            let start = self.scanner.position();
            let more = self.scanner.next(&mut self.fields);
            if !more.map_err(|fault| self.part.fault(fault))? {
                return Ok(None);
            }
            let end = self.scanner.position();
            let line = self.line;
            // Only a quoted field can hold line ends of its own.
            let lone = self.fields.len() == 1;
            self.line += if self.fields.iter().all(|field| !self.spans_lines(*field)) {
                1
            } else {
                memchr_iter(b'\n', &self.text.as_bytes()[start..end]).count() as u64
            };
            if lone && is_empty_line(&self.text.as_bytes()[start..end]) {
                continue;
            }
            if self.fields.len() != self.part.width {
                return Err(self.wrong_length(line));
            }
            if self.each.is_none() && line != self.part.line + self.rows as u64 {
                self.each = Some((0..self.rows as u64).map(|row| self.part.line + row).collect());
            }
            if let Some(each) = &mut self.each {
                each.push(line);
            }
            self.rows += 1;
            return Ok(Some(line));
        }
    }

    fn spans_lines(&self, field: Field) -> bool {
        let bytes = self.text.as_bytes();
        field.start > 0
            && bytes[field.start - 1] == b'"'
            && memchr::memchr(b'\n', &bytes[field.start..field.end]).is_some()
    }

    fn wrong_length(&self, line: u64) -> SourceError {
        let (found, width) = (self.fields.len(), self.part.width);
        let shown: String = self.fields.iter().take(4).map(|field| cell(self.text, *field)).fold(
            String::new(),
            |all, one| {
                if all.is_empty() { one.into_owned() } else { format!("{all} | {one}") }
            },
        );
        let shown: String = shown.chars().take(60).collect();
        let plural = if found == 1 { "field" } else { "fields" };
        self.part.error(
            SourceErrorKind::RowLength,
            line,
            format!("this row has {found} {plural}, and the header has {width}: {shown}"),
            if found > width {
                "a delimiter within a field needs quotes around the field"
            } else {
                "the row is cut off, or its fields have another delimiter"
            },
        )
    }

    fn lines(self) -> Lines {
        self.each.map_or(Lines::From(self.part.line), Lines::Each)
    }
}

fn is_empty_line(record: &[u8]) -> bool {
    matches!(record, [] | [b'\n' | b'\r'] | [b'\r', b'\n'])
}

/// Fingerprints of the text of some columns: 128 bits of `SipHash` over the cells, each followed by a
/// byte that no text has. Two rows of a billion share one by chance with odds below 10^-20.
struct Fingerprints {
    places: Vec<Option<usize>>,
    values: Vec<i128>,
    scratch: Vec<u8>,
}

impl Fingerprints {
    fn new(columns: &[usize], part: &CsvPart, room: usize) -> Self {
        Self {
            places: columns.iter().map(|column| part.fields[*column]).collect(),
            values: Vec::with_capacity(room),
            scratch: vec![],
        }
    }

    fn push(&mut self, text: &str, fields: &[Field]) {
        self.scratch.clear();
        for place in &self.places {
            if let Some(place) = place {
                let field = fields[*place];
                if field.escaped {
                    self.scratch.extend_from_slice(cell(text, field).as_bytes());
                } else {
                    self.scratch.extend_from_slice(&text.as_bytes()[field.start..field.end]);
                }
            }
            self.scratch.push(0xFF);
        }
        let mut hasher = SipHasher13::new();
        hasher.write(&self.scratch);
        self.values.push(hasher.finish128().as_u128() as i128);
    }

    fn finish(self) -> Column {
        Column::decimal(self.values, None, Scale(0))
    }
}

/// The type that a column has when nothing is said, from what its cells were found to be.
pub(super) fn settled_type(found: Option<Found>) -> Type {
    found.map_or(Type::Blank, Found::ty)
}
