//! The sheets of one input: columns matched by name, rows read again from their text.

use std::io::{Read, Seek, SeekFrom};
use std::path::PathBuf;
use std::sync::Arc;

use granum_core::port::{
    InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest, SourceError,
};
use granum_core::table::Lines;
use granum_core::tally::BadCell;
use granum_core::value::{Type, day};

use super::book::Book;
use super::look::chosen;
use super::sheet::{Kinds, Sheet, SheetPart};
use super::translate::translate;
use crate::csv::{CsvPart, Field, Layout, MadeOf, Scanner, stacked, system_error, write_text};

/// An input's sheets.
pub(crate) struct SheetSource {
    sheets: Vec<Arc<Sheet>>,
    names: Vec<String>,
    kinds: Arc<Vec<Kinds>>,
    /// The type of columns with a `read`.
    read: Vec<Option<Type>>,
}

impl SheetSource {
    /// Goes through the sheets that are meant.
    pub fn open(spec: &InputSpec, files: &[(PathBuf, String)]) -> Result<Self, SourceError> {
        let mut sheets = vec![];
        for file in files {
            let (path, name) = file;
            let written = spec.written_of(name);
            let mut book = Book::open(path, name)?;
            for sheet in chosen(&mut book, name, written.sheet.as_deref())? {
                sheets.push(Arc::new(translate(file, &sheet, written)?));
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
        Ok(Self { sheets, names, kinds: Arc::new(kinds), read })
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
        InputShape { columns: self.names.iter().cloned().zip(types).collect() }
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
        let sheets = self.sheets.iter().map(|sheet| Reading {
            sheet: sheet.clone(),
            fields: fields(&self.names, sheet),
            kinds: self.kinds.clone(),
            next: 0,
        });
        Ok(Box::new(SheetReader { sheets: sheets.rev().collect(), layout }))
    }
}

/// A sheet that is being read.
struct Reading {
    sheet: Arc<Sheet>,
    fields: Vec<Option<usize>>,
    kinds: Arc<Vec<Kinds>>,
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
            parts.push(Box::new(RawSheet {
                sheet: reading.sheet.clone(),
                part: part.clone(),
                text,
                fields: reading.fields.clone(),
                kinds: reading.kinds.clone(),
                layout: self.layout.clone(),
            }));
        }
        Ok(parts)
    }
}

/// Some rows of a sheet, as text.
struct RawSheet {
    sheet: Arc<Sheet>,
    part: SheetPart,
    text: Vec<u8>,
    fields: Vec<Option<usize>>,
    kinds: Arc<Vec<Kinds>>,
    layout: Arc<Layout>,
}

impl RawPart for RawSheet {
    fn bytes(&self) -> u64 {
        self.part.bytes as u64
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let part = CsvPart {
            text: self.with_midnights(),
            line: 1,
            name: self.sheet.origin.file.clone(),
            width: self.sheet.names.len(),
            fields: self.fields.clone(),
            layout: self.layout.clone(),
            made_of: Some(MadeOf {
                origin: self.sheet.origin.clone(),
                lines: Lines::Each(self.part.lines.clone()),
                without: self.part.without.clone(),
            }),
        };
        let mut part = part.parse()?;
        let troubles = part.troubles.iter_mut().map(|known| (known.column, &mut known.examples));
        let hours = part.odd_hours.iter_mut().map(|known| (known.column, &mut known.examples));
        for (column, examples) in troubles.chain(hours) {
            let field = self.fields[self.layout.request.columns[column].column];
            for (_, place) in examples {
                if let Some(field) = field {
                    *place = self.sheet.cell(place.line, field);
                }
            }
        }
        Ok(part)
    }
}

impl RawSheet {
    /// The text, with a time of day behind days where moments are read.
    fn with_midnights(&self) -> Vec<u8> {
        let mut moments = vec![false; self.sheet.names.len()];
        for asked in &self.layout.request.columns {
            let Some(field) = self.fields[asked.column] else { continue };
            let kinds = self.kinds[asked.column];
            moments[field] |= match asked.ty {
                Type::Date => false,
                Type::DateTime => kinds.days,
                _ => kinds.mixed(),
            };
        }
        if !moments.contains(&true) {
            return self.text.clone();
        }
        let mut scanner = Scanner::new(&self.text, b',');
        let mut fields: Vec<Field> = vec![];
        let mut out = Vec::with_capacity(self.text.len() * 5 / 4);
        while matches!(scanner.next(&mut fields), Ok(true)) {
            for (at, field) in fields.iter().enumerate() {
                if at > 0 {
                    out.push(b',');
                }
                let cell = &self.text[field.start..field.end];
                // Quotes in a cell stand there twice, and are left so.
                if field.escaped {
                    out.push(b'"');
                    out.extend_from_slice(cell);
                    out.push(b'"');
                } else {
                    write_text(cell, b',', &mut out);
                }
                if moments[at] && cell.len() == 10 && day::parse_iso(cell).is_some() {
                    out.extend_from_slice(b"T00:00:00");
                }
                // A blank in the only column would be an empty line, which is no row.
                if fields.len() == 1 && cell.is_empty() {
                    out.extend_from_slice(b"\"\"");
                }
            }
            out.push(b'\n');
        }
        out
    }
}
