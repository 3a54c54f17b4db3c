//! Tables → the sheets of a book: cells of their types, a header that stays in sight and can be filtered by, columns as
//! wide as what they hold.

use std::io;
use std::path::Path;
use std::sync::{Arc, Mutex};

use granum_core::port::{Encoded, Encoder, Output, OutputError, Style};
use granum_core::table::Column;
use granum_core::value::Type;
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook, Worksheet, XlsxError};

use super::area::{COLUMNS, ROWS};
use super::typed::{Typed, typed};
use crate::format::{AsTheyAre, rows_of};
use crate::place::{Begun, Move, PlacedFile, locked, place};

/// Books on their way.
#[derive(Default)]
pub(crate) struct Books(Begun<Book>);

/// A book on its way.
struct Book {
    file: PlacedFile,
    name: String,
    workbook: Workbook,
    /// Of each sheet its columns, and how wide what they hold is.
    names: Vec<Vec<String>>,
    widths: Vec<Vec<usize>>,
    rows: Vec<u32>,
    /// How many bytes it has, once it is complete.
    bytes: Option<u64>,
    header: Format,
}

/// So many rows tell how wide a column is.
const MEASURED: u32 = 1_000;

/// A column is at least and at most so wide, in letters.
const WIDTHS: (usize, usize) = (6, 48);

impl Books {
    /// Begins a sheet of the book in a place. Gives what will move the book, where this is its first sheet.
    ///
    /// # Errors
    /// What is in the way of it, or what a sheet cannot hold.
    pub fn begin(
        &self,
        target: &Path,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<(Box<dyn Output>, Option<Move>), OutputError> {
        let own = place(target).unwrap_or_else(|_| target.to_owned());
        let (book, first) = self
            .0
            .or_begin(own, || PlacedFile::begin(target, name).map(|file| Book::new(file, name)))?;
        let moves = first.then(|| locked(&book).file.moves());
        let sheet = Book::add(&mut locked(&book), columns, style)?;
        let formats = columns.iter().map(|(_, ty)| format_of(*ty)).collect();
        Ok((Box::new(SheetOutput { book, sheet, first, formats }), moves))
    }
}

/// How cells of a type are shown. A moment with parts of a second has the second.
fn format_of(ty: Type) -> [Option<Format>; 2] {
    let shown = |text: &str| Some(Format::new().set_num_format(text));
    match ty {
        Type::Decimal(scale) if scale.0 > 0 => {
            [shown(&format!("0.{}", "0".repeat(usize::from(scale.0.min(15))))), None]
        }
        Type::Date => [shown("yyyy-mm-dd"), None],
        Type::DateTime => [shown("yyyy-mm-dd hh:mm:ss"), shown("yyyy-mm-dd hh:mm:ss.000")],
        _ => [None, None],
    }
}

impl Book {
    fn new(file: PlacedFile, name: &str) -> Self {
        let mut workbook = Workbook::new();
        // The same tables give the same bytes, today and tomorrow.
        if let Ok(always) = ExcelDateTime::from_ymd(2000, 1, 1) {
            workbook.set_properties(&DocProperties::new().set_creation_datetime(&always));
        }
        Self {
            file,
            name: name.to_owned(),
            workbook,
            names: vec![],
            widths: vec![],
            rows: vec![],
            bytes: None,
            header: Format::new().set_bold(),
        }
    }

    fn error(&self, message: String, help: &str) -> OutputError {
        OutputError { path: self.name.clone(), message, help: help.to_owned() }
    }

    /// Adds a sheet with a header; gives its number.
    fn add(&mut self, columns: &[(String, Type)], style: &Style) -> Result<usize, OutputError> {
        let name = style.sheet.clone().unwrap_or_else(|| {
            let stem = self.name.rsplit('/').next().and_then(|file| file.split('.').next());
            let stem = stem.unwrap_or_default().chars().filter(|sign| !"[]:*?/\\'".contains(*sign));
            let stem: String = stem.take(31).collect();
            if stem.is_empty() { "Sheet1".into() } else { stem }
        });
        if columns.len() > COLUMNS as usize {
            let message = format!("has {} columns, and a sheet holds {COLUMNS}", columns.len());
            return Err(self.error(message, "leave some out, or write .csv"));
        }
        let begun = self.workbook.add_worksheet_with_constant_memory().and_then(|sheet| {
            sheet.set_name(&name)?;
            for (at, (name, _)) in columns.iter().enumerate() {
                sheet.write_string_with_format(0, at as u16, name, &self.header)?;
            }
            sheet.set_freeze_panes(1, 0)?;
            Ok(())
        });
        begun.map_err(|error| failed(&self.name, &error))?;
        self.names.push(columns.iter().map(|(name, _)| name.clone()).collect());
        self.widths.push(columns.iter().map(|(name, _)| name.chars().count() + 2).collect());
        self.rows.push(0);
        Ok(self.rows.len() - 1)
    }

    /// Writes rows of a sheet.
    fn take(
        &mut self,
        sheet: usize,
        columns: &[Column],
        rows: usize,
        formats: &[[Option<Format>; 2]],
    ) -> Result<(), OutputError> {
        let first = self.rows[sheet] + 1;
        let end = u64::from(first) + rows as u64;
        if end > u64::from(ROWS) {
            return Err(self.error(
                format!("has more rows than the {} that a sheet holds", ROWS - 1),
                "write .csv, or take the table apart: a sheet for each month",
            ));
        }
        let worksheet =
            self.workbook.worksheet_from_index(sheet).map_err(|e| failed(&self.name, &e))?;
        let widths = &mut self.widths[sheet];
        let mut scratch = vec![];
        for row in 0..rows {
            let number = first + row as u32;
            for (at, column) in columns.iter().enumerate() {
                let cell = typed(column, row, &mut scratch).map_err(|wrong| OutputError {
                    path: self.name.clone(),
                    message: format!("`{}` in row {} {wrong}", self.names[sheet][at], number + 1),
                    help: "nothing was written; make it a text that fits, or write .csv".into(),
                })?;
                let Some(cell) = cell else { continue };
                if number <= MEASURED {
                    widths[at] = widths[at].max(cell.width());
                }
                put(worksheet, (number, at as u16), &cell, &formats[at])
                    .map_err(|error| failed(&self.name, &error))?;
            }
        }
        self.rows[sheet] += rows as u32;
        Ok(())
    }

    /// All sheets have all rows: the book is made of them. Gives how many bytes it has.
    fn complete(&mut self) -> Result<u64, OutputError> {
        if let Some(bytes) = self.bytes {
            return Ok(bytes);
        }
        for (at, widths) in self.widths.iter().enumerate() {
            let rows = self.rows[at];
            let sheet =
                self.workbook.worksheet_from_index(at).map_err(|e| failed(&self.name, &e))?;
            let mut settle = || {
                for (column, width) in widths.iter().enumerate() {
                    let width = (*width).clamp(WIDTHS.0, WIDTHS.1);
                    sheet.set_column_width(column as u16, width as f64)?;
                }
                if !widths.is_empty() {
                    sheet.autofilter(0, 0, rows, widths.len() as u16 - 1)?;
                }
                Ok(())
            };
            settle().map_err(|error| failed(&self.name, &error))?;
        }
        let workbook = &mut self.workbook;
        self.file.write_by(|out| workbook.save_to_writer(out).map_err(told))?;
        let bytes = self.file.complete()?;
        self.bytes = Some(bytes);
        Ok(bytes)
    }
}

fn failed(name: &str, error: &XlsxError) -> OutputError {
    OutputError {
        path: name.to_owned(),
        message: format!("cannot be written: {error}"),
        help: "nothing was written; see to its folder and to the one for temporary files, and run again"
            .into(),
    }
}

/// What the system said, where it was that.
fn told(error: XlsxError) -> io::Error {
    match error {
        XlsxError::IoError(error) => error,
        error => io::Error::other(error.to_string()),
    }
}

fn put(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    cell: &Typed<'_>,
    [format, finer]: &[Option<Format>; 2],
) -> Result<(), XlsxError> {
    match (cell, format, finer) {
        (Typed::Text(text), ..) => sheet.write_string(row, column, *text)?,
        (Typed::Boolean(is), ..) => sheet.write_boolean(row, column, *is)?,
        (Typed::Number { value, fine: true, .. }, _, Some(format)) => {
            sheet.write_number_with_format(row, column, *value, format)?
        }
        (Typed::Number { value, .. }, Some(format), _) => {
            sheet.write_number_with_format(row, column, *value, format)?
        }
        (Typed::Number { value, .. }, None, _) => sheet.write_number(row, column, *value)?,
    };
    Ok(())
}

/// A sheet on its way. The first of a book takes the book to its place.
struct SheetOutput {
    book: Arc<Mutex<Book>>,
    sheet: usize,
    first: bool,
    formats: Vec<[Option<Format>; 2]>,
}

/// Rows as they are: a sheet is written by one.
impl Output for SheetOutput {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(AsTheyAre)
    }

    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        let mut book = locked(&self.book);
        let rows = rows_of(rows);
        let (columns, rows) =
            rows.map_err(|fault| book.error(fault.to_string(), "please report it"))?;
        book.take(self.sheet, &columns, rows, &self.formats)
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        locked(&self.book).complete()
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        if self.first { locked(&self.book).file.publish() } else { Ok(()) }
    }

    fn withdraw(&mut self) {
        if self.first {
            locked(&self.book).file.withdraw();
        }
    }

    fn settle(&mut self) {
        if self.first {
            locked(&self.book).file.settle();
        }
    }
}
