//! The sheets of one input: columns matched by name, rows read again from their text.

use std::borrow::Cow;
use std::io::{Read, Seek, SeekFrom};
use std::sync::Arc;

use granum_core::port::{
    InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest, SourceError,
};
use granum_core::table::Lines;
use granum_core::tally::BadCell;
use granum_core::value::{Type, day};

use super::book::Book;
use super::look::chosen;
use super::sheet::{Kinds, Sheet};
use super::translate::translate;
use crate::csv::{CsvPart, Field, Layout, MadeOf, Scanner, cell, stacked, system_error, write_row};
use crate::find::FoundFile;

/// An input's sheets.
pub(crate) struct SheetSource {
    sheets: Vec<Arc<Sheet>>,
    names: Vec<String>,
    kinds: Vec<Kinds>,
    /// The type of columns with a `read`.
    read: Vec<Option<Type>>,
}

impl SheetSource {
    /// Goes through the sheets that are meant.
    pub fn open(spec: &InputSpec, files: &[FoundFile]) -> Result<Self, SourceError> {
        let mut sheets = vec![];
        for FoundFile { path, name, .. } in files {
            let written = spec.written_of(name);
            let mut book = Book::open(path, name)?;
            for sheet in chosen(&mut book, name, written.sheet.as_deref())? {
                sheets.push(Arc::new(translate(&mut book, name, &sheet, written)?));
            }
        }
        let headers: Vec<(&str, &[String])> =
            sheets.iter().map(|sheet| (&*sheet.origin.file, sheet.names.as_slice())).collect();
        let names = stacked(&headers, spec.filling_blanks)?;
        let read: Vec<Option<Type>> =
            names.iter().map(|name| spec.rule_of(name).map(|rule| rule.ty)).collect();
        let mut kinds = vec![Kinds::default(); names.len()];
        for sheet in &sheets {
            for (field, kinds) in fields(&names, sheet).into_iter().zip(&mut kinds) {
                if let Some(field) = field {
                    kinds.merge(sheet.kinds[field]);
                }
            }
        }
        Ok(Self { sheets, names, kinds, read })
    }
}

/// For each of an input's columns its place in a sheet, if it is there.
fn fields(names: &[String], sheet: &Sheet) -> Vec<Option<usize>> {
    let place = |name: &String| sheet.names.iter().position(|column| column == name);
    names.iter().map(place).collect()
}

impl InputSource for SheetSource {
    fn shape(&self) -> InputShape {
        let types = self.kinds.iter().zip(&self.read);
        let types = types.map(|(kinds, read)| read.unwrap_or_else(|| kinds.settled().ty()));
        InputShape {
            columns: self.names.iter().cloned().zip(types).collect(),
            ..InputShape::default()
        }
    }

    fn settled(&self) -> bool {
        true
    }

    fn settle(&mut self) -> Result<(), SourceError> {
        Ok(())
    }

    fn bytes(&self) -> u64 {
        let parts = self.sheets.iter().flat_map(|sheet| &sheet.parts);
        parts.map(|part| part.bytes as u64).sum()
    }

    fn left_out(&self) -> Vec<BadCell> {
        self.sheets.iter().flat_map(|sheet| sheet.left_out.iter().cloned()).collect()
    }

    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        let layout = Arc::new(Layout { delimiter: b',', request });
        let sheets = self.sheets.iter().map(|sheet| {
            let fields = fields(&self.names, sheet);
            let moments = self.moments(sheet, &fields, &layout.request);
            Reading { sheet: sheet.clone(), fields, moments: moments.into(), next: 0 }
        });
        Ok(Box::new(SheetReader { sheets: sheets.rev().collect(), layout: layout.clone() }))
    }
}

impl SheetSource {
    /// Which columns of a sheet have days that are read as moments.
    fn moments(&self, sheet: &Sheet, fields: &[Option<usize>], request: &ReadRequest) -> Vec<bool> {
        let mut moments = vec![false; sheet.names.len()];
        for asked in &request.columns {
            let Some(field) = fields[asked.column] else { continue };
            let kinds = self.kinds[asked.column];
            moments[field] |= match asked.ty {
                Type::Date => false,
                Type::DateTime => kinds.days,
                _ => kinds.mixed(),
            };
        }
        moments
    }
}

/// A sheet that is being read.
struct Reading {
    sheet: Arc<Sheet>,
    fields: Vec<Option<usize>>,
    /// Columns of the sheet in which a day is its midnight.
    moments: Arc<[bool]>,
    next: usize,
}

/// Reads the rows of an input's sheets; the last is read first.
struct SheetReader {
    sheets: Vec<Reading>,
    layout: Arc<Layout>,
}

impl PartReader for SheetReader {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let mut parts: Vec<Box<dyn RawPart>> = vec![];
        while parts.len() < count {
            let Some(reading) = self.sheets.last_mut() else { break };
            let Some(part) = reading.sheet.parts.get(reading.next) else {
                self.sheets.pop();
                continue;
            };
            reading.next += 1;
            let system = |error| system_error(&reading.sheet.origin.file, &error);
            let mut text = vec![0; part.bytes];
            let mut file = std::fs::File::open(reading.sheet.text.path()).map_err(system)?;
            file.seek(SeekFrom::Start(part.from)).map_err(system)?;
            file.read_exact(&mut text).map_err(system)?;
            let sheet = reading.sheet.clone();
            let part = CsvPart {
                text,
                line: 1,
                name: sheet.origin.file.clone(),
                width: sheet.names.len(),
                fields: reading.fields.clone(),
                layout: self.layout.clone(),
                made_of: Some(MadeOf {
                    origin: sheet.origin.clone(),
                    lines: Lines::Each(part.lines.clone()),
                    without: part.without.clone(),
                }),
            };
            parts.push(Box::new(RawSheet { sheet, part, moments: reading.moments.clone() }));
        }
        Ok(parts)
    }
}

/// Some rows of a sheet, as text.
struct RawSheet {
    sheet: Arc<Sheet>,
    part: CsvPart,
    moments: Arc<[bool]>,
}

impl RawPart for RawSheet {
    fn bytes(&self) -> u64 {
        self.part.bytes()
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let mut part = if self.moments.contains(&true) {
            CsvPart { text: self.with_midnights()?, ..self.part.clone() }.parse()?
        } else {
            self.part.parse()?
        };
        let troubles = part.troubles.iter_mut().map(|known| (known.column, &mut known.examples));
        let hours = part.odd_hours.iter_mut().map(|known| (known.column, &mut known.examples));
        let asked = &self.part.layout.request.columns;
        for (column, examples) in troubles.chain(hours) {
            let Some(field) = self.part.fields[asked[column].column] else { continue };
            for (_, place) in examples {
                *place = self.sheet.cell(place.line, field);
            }
        }
        Ok(part)
    }
}

impl RawSheet {
    /// The text, with a time of day behind days where moments are read.
    fn with_midnights(&self) -> Result<Vec<u8>, SourceError> {
        let text = self.part.utf8()?;
        let mut scanner = Scanner::new(text.as_bytes(), b',');
        let mut fields: Vec<Field> = vec![];
        let mut out = Vec::with_capacity(text.len() * 5 / 4);
        while matches!(scanner.next(&mut fields), Ok(true)) {
            let cells: Vec<Cow<'_, str>> = fields
                .iter()
                .zip(self.moments.iter())
                .map(|(field, moment)| {
                    let shown = cell(text, *field);
                    let day = *moment && day::parse_iso(shown.as_bytes()).is_some();
                    if day { format!("{shown}T00:00:00").into() } else { shown }
                })
                .collect();
            write_row(cells.iter().map(|cell| cell.as_bytes()), &mut out);
        }
        Ok(out)
    }
}
