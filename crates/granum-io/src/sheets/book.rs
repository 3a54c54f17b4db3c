//! A book: its sheets, and the cells of one.

use std::fs::File;
use std::io::{BufReader, Read, Seek};
use std::path::Path;

use calamine::{
    DataRef, Dimensions, Ods, Reader, SheetType, SheetVisible, Xls, Xlsb, Xlsx, XlsxError,
};
use granum_core::port::{NamedAs, SourceError, SourceErrorKind};

use super::cell::Value;
use crate::csv::system_error;

type From = BufReader<File>;

/// An open book.
pub(super) struct Book {
    kind: Kind,
    /// As the plan names it.
    name: String,
}

enum Kind {
    Xlsx(Box<Xlsx<From>>),
    Xlsb(Box<Xlsb<From>>),
    Xls(Box<Xls<From>>),
    Ods(Box<Ods<From>>),
}

/// What cells show that have no value, where a book keeps no more of it.
const ERRORS: [&str; 7] = ["#N/A", "#DIV/0!", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!"];

/// A sheet, and whether it is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct SheetName {
    pub name: String,
    pub hidden: bool,
}

/// The names of the sheets of a book that are shown and have cells, in their order.
///
/// # Errors
/// Why it cannot be read.
pub(crate) fn tables(path: &Path, name: &str) -> Result<Vec<String>, SourceError> {
    Book::open(path, name)?.shown()
}

/// What a file that is called a book is in truth, by its first bytes.
fn other_than_book(begin: &[u8]) -> Option<&'static str> {
    let text = begin.trim_ascii_start().to_ascii_lowercase();
    if begin.starts_with(b"PK") || begin.starts_with(&[0xD0, 0xCF, 0x11, 0xE0]) {
        None
    } else if text.starts_with(b"<") {
        Some("a page or a document of tags")
    } else if begin.iter().all(|byte| *byte >= b' ' || b"\t\r\n".contains(byte)) {
        Some("text")
    } else if begin.starts_with(&[0x09]) {
        // The oldest books have no frame.
        None
    } else {
        Some("something else")
    }
}

impl Book {
    /// Opens a book by the ending of its name.
    ///
    /// # Errors
    /// That there is none, or that it is no book.
    pub fn open(path: &Path, name: &str) -> Result<Self, SourceError> {
        let system = |error: std::io::Error| system_error(name, &error);
        let data = std::fs::metadata(path).map_err(system)?;
        if data.is_dir() {
            return Err(system(std::io::ErrorKind::IsADirectory.into()));
        }
        let mut begin = vec![];
        let mut file = File::open(path).map_err(system)?;
        file.by_ref().take(512).read_to_end(&mut begin).map_err(system)?;
        let error = |kind: SourceErrorKind, message: String, help: &str| SourceError {
            kind,
            file: name.to_owned(),
            line: None,
            message,
            help: help.to_owned(),
        };
        if begin.is_empty() {
            return Err(error(SourceErrorKind::Empty, "is empty".into(), "ask for it again"));
        }
        if let Some(other) = other_than_book(&begin) {
            return Err(error(
                SourceErrorKind::Damaged,
                format!("is called a book of sheets and is {other}"),
                "open it in a spreadsheet and save it as .xlsx; if it is text with signs between \
                 fields, give it the ending .csv",
            ));
        }
        file.rewind().map_err(system)?;
        let named = NamedAs::of(name);
        let zipped = begin.starts_with(b"PK");
        let opened = guarded(name, || {
            let from = BufReader::new(file);
            let wrong = |error: &dyn std::fmt::Display| damaged(name, error);
            if zipped && named.ends(".ods") {
                Ods::new(from).map(|ods| Kind::Ods(Box::new(ods))).map_err(|e| wrong(&e))
            } else if zipped && named.ends(".xlsb") {
                Xlsb::new(from).map(|xlsb| Kind::Xlsb(Box::new(xlsb))).map_err(|e| wrong(&e))
            } else if zipped || !named.ends(".xls") {
                Xlsx::new(from).map(|xlsx| Kind::Xlsx(Box::new(xlsx))).map_err(|e| match e {
                    XlsxError::Password => locked(name),
                    e => wrong(&e),
                })
            } else {
                Xls::new(from).map(|xls| Kind::Xls(Box::new(xls))).map_err(|e| match e {
                    calamine::XlsError::Password => locked(name),
                    e => wrong(&e),
                })
            }
        })?;
        Ok(Self { kind: opened, name: name.to_owned() })
    }

    /// Its sheets of cells, in their order.
    pub fn sheets(&self) -> Vec<SheetName> {
        let all = match &self.kind {
            Kind::Xlsx(book) => book.sheets_metadata(),
            Kind::Xlsb(book) => book.sheets_metadata(),
            Kind::Xls(book) => book.sheets_metadata(),
            Kind::Ods(book) => book.sheets_metadata(),
        };
        let cells = all.iter().filter(|sheet| sheet.typ == SheetType::WorkSheet);
        let named = cells.map(|sheet| SheetName {
            name: sheet.name.clone(),
            hidden: sheet.visible != SheetVisible::Visible,
        });
        named.collect()
    }

    /// The names of its sheets that are shown and have cells, in their order.
    pub fn shown(&mut self) -> Result<Vec<String>, SourceError> {
        let mut names = vec![];
        for sheet in self.sheets() {
            if !sheet.hidden && self.has_cells(&sheet.name)? {
                names.push(sheet.name);
            }
        }
        Ok(names)
    }

    /// Whether anything stands in a sheet.
    fn has_cells(&mut self, sheet: &str) -> Result<bool, SourceError> {
        let mut any = false;
        self.cells(sheet, &mut |_, _, value| {
            any = value != Value::Nothing;
            Ok(!any)
        })?;
        Ok(any)
    }

    /// Gives each cell of a sheet by its row and column, counted from 0, in the order of the file, as long as more is
    /// wanted.
    ///
    /// # Errors
    /// Why it cannot be read; or what `each` says.
    pub fn cells(
        &mut self,
        sheet: &str,
        each: &mut dyn FnMut(u32, u32, Value<'_>) -> Result<bool, SourceError>,
    ) -> Result<(), SourceError> {
        let (name, kind) = (&self.name, &mut self.kind);
        guarded(name, || match kind {
            Kind::Xlsx(book) => {
                let wrong = |error: XlsxError| damaged(name, &error);
                let mut cells = book.worksheet_cells_reader(sheet).map_err(wrong)?;
                while let Some(cell) = cells.next_cell_with_formula_metadata().map_err(wrong)? {
                    let (row, column) = cell.pos;
                    let value = match (&cell.value, &cell.formula) {
                        (DataRef::Empty, Some(_)) => Value::Formula,
                        (value, _) => Value::from(value),
                    };
                    if !each(row, column, value)? {
                        break;
                    }
                }
                Ok(())
            }
            Kind::Xlsb(book) => {
                let range = book.worksheet_range(sheet).map_err(|e| damaged(name, &e))?;
                each_of(&range, each)
            }
            Kind::Xls(book) => {
                let range = book.worksheet_range(sheet).map_err(|e| damaged(name, &e))?;
                each_of(&range, each)
            }
            Kind::Ods(book) => {
                let range = book.worksheet_range(sheet).map_err(|e| damaged(name, &e))?;
                // Errors stand there as the text that they show.
                each_of(&range, &mut |row, column, value| {
                    let value = match value {
                        Value::Text(text) if ERRORS.contains(&text) => Value::Failed(text),
                        value => value,
                    };
                    each(row, column, value)
                })
            }
        })
    }

    /// What is merged in a sheet: several cells that show one value. Not every kind of book tells it.
    pub fn merged(&mut self, sheet: &str) -> Result<Vec<Dimensions>, SourceError> {
        let (name, kind) = (&self.name, &mut self.kind);
        guarded(name, || match kind {
            Kind::Xlsx(book) => {
                book.merge_cells_by_sheet_name(sheet).map_err(|error| damaged(name, &error))
            }
            Kind::Xls(book) => {
                book.merge_cells_by_sheet_name(sheet).map_err(|error| damaged(name, &error))
            }
            Kind::Xlsb(_) | Kind::Ods(_) => Ok(vec![]),
        })
    }
}

fn each_of(
    range: &calamine::Range<calamine::Data>,
    each: &mut dyn FnMut(u32, u32, Value<'_>) -> Result<bool, SourceError>,
) -> Result<(), SourceError> {
    let Some((row, column)) = range.start() else { return Ok(()) };
    for (down, right, value) in range.used_cells() {
        if !each(row + down as u32, column + right as u32, Value::from(value))? {
            break;
        }
    }
    Ok(())
}

fn guarded<T>(name: &str, work: impl FnOnce() -> Result<T, SourceError>) -> Result<T, SourceError> {
    crate::guarded::guarded(work, || damaged(name, &"it is not as a book has to be"))
}

fn damaged(name: &str, error: &dyn std::fmt::Display) -> SourceError {
    SourceError {
        kind: SourceErrorKind::Damaged,
        file: name.to_owned(),
        line: None,
        message: format!("cannot be read as a book of sheets: {error}"),
        help: "open it in a spreadsheet and save it again as .xlsx".into(),
    }
}

fn locked(name: &str) -> SourceError {
    SourceError {
        kind: SourceErrorKind::Damaged,
        file: name.to_owned(),
        line: None,
        message: "is kept by a password".into(),
        help: "save it in a spreadsheet without one".into(),
    }
}
