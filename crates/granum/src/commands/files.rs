//! Opens files of which no plan says anything yet.

use std::path::Path;

use granum_core::port::{InputSource, InputSpec, SourceError, SourceErrorKind, Sources, Written};
use granum_io::{Files, Look, file_and_part, has_tables, part_name, shown_name};

use super::{Exit, Printer};
use crate::args::Format;
use crate::render::json::{self, Outcome, Told};

/// What files that are not UTF-8 are mostly written in.
const OTHER_ENCODING: &str = "windows-1252";

/// A file, a sheet of a book, or a table of a database, that has been looked at.
pub(super) struct Looked {
    /// As it is told: of a sheet or table that had to be named its file and it.
    pub file: String,
    /// Its file.
    pub path: String,
    /// The sheet or table, where it has to be said.
    pub part: Option<String>,
    pub look: Look,
}

/// Looks at the beginning of a file.
pub(super) fn look(files: &Files, file: &str, said: &Written) -> Result<Looked, SourceError> {
    let (path, named) = match file_and_part(file).filter(|_| !Path::new(file).exists()) {
        Some((path, part)) => (path, Some(part.to_owned())),
        None => (file, None),
    };
    let part = named.or_else(|| said.sheet.clone());
    let look = files.look(path, &with_part(said, path, part.clone())).map_err(|mut error| {
        match error.kind {
            SourceErrorKind::Sheet if part.is_none() => {
                error.help = error.help.replace("sheet \"", "--sheet \"");
            }
            SourceErrorKind::Table if part.is_none() => {
                let named = error.help.split('"').nth(1).unwrap_or_default();
                error.help = format!("say which:  {}", part_name(path, named));
            }
            _ => {}
        }
        error
    })?;
    let file = match &part {
        Some(part) => part_name(path, part),
        None => file.to_owned(),
    };
    Ok(Looked { file, path: path.to_owned(), part, look })
}

/// What is said of a file, with its sheet or table.
fn with_part(said: &Written, path: &str, part: Option<String>) -> Written {
    let (sheet, named) = if has_tables(path) { (None, part) } else { (part, None) };
    Written { sheet, named, ..said.clone() }
}

/// The same of all sheets of a book that have cells, and of all tables of a database, where nobody said which.
pub(super) fn look_at_all(
    files: &Files,
    file: &str,
    said: &Written,
) -> Result<Vec<Looked>, SourceError> {
    let named = said.sheet.is_some() || file_and_part(file).is_some();
    let tables = if named { vec![] } else { files.tables(file)? };
    match tables.as_slice() {
        [] | [_] => Ok(vec![look(files, file, said)?]),
        several => several.iter().map(|part| look(files, &part_name(file, part), said)).collect(),
    }
}

/// Opens files as one input, each as it is written; `filling` says whether some may lack columns.
pub(super) fn open(
    files: &Files,
    name: &str,
    looked: &[&Looked],
    filling: bool,
) -> Result<(InputSpec, Box<dyn InputSource>), SourceError> {
    let sources = looked.iter().map(|looked| looked.path.clone()).collect();
    let mut spec = InputSpec::of_files(name.to_owned(), sources);
    // Files of one pattern are written alike; others are known by their names.
    spec.written = looked.first().map(|first| written_as(first)).unwrap_or_default();
    let written = |looked: &&Looked| (shown_name(&looked.path).to_owned(), written_as(looked));
    spec.apart = looked.iter().map(written).collect();
    spec.filling_blanks = filling;
    let source = files.open(&spec)?;
    Ok((spec, source))
}

/// Does something with files. Where one proves not to be UTF-8 further down than was looked at, it
/// is taken for the encoding that such files mostly have, and all is done again.
pub(super) fn with_encodings<T>(
    looked: &mut [Looked],
    said: &Written,
    mut work: impl FnMut(&[Looked]) -> Result<T, SourceError>,
) -> Result<T, SourceError> {
    loop {
        let error = match work(looked) {
            Err(error) if error.kind == SourceErrorKind::Encoding => error,
            done => return done,
        };
        let guilty = looked.iter_mut().find(|looked| {
            error.file == shown_name(&looked.file) && looked.look.named_encoding.is_none()
        });
        match guilty {
            Some(looked) if said.encoding.is_none() => {
                looked.look.named_encoding = Some(OTHER_ENCODING.into());
                looked.look.encoding = OTHER_ENCODING.into();
            }
            _ => return Err(error),
        }
    }
}

/// Says why a file that the call names cannot be read.
pub(super) fn failed(printer: &mut Printer, format: Format, error: &SourceError) -> Exit {
    let mut error = error.clone();
    if error.kind == SourceErrorKind::Missing {
        error.help = "paths are relative to the folder that this is called in".into();
    }
    match format {
        Format::Text => printer.diagnostic(&format!("error: {error}\n  {}\n", error.help)),
        Format::Json => {
            printer.data(&json::document(Outcome::FileFailed, Told::Error((&error).into())));
        }
    }
    match error.kind {
        // The call names it, not the file.
        SourceErrorKind::UnknownEncoding => Exit::PlanWrong,
        _ => Exit::FileFailed,
    }
}

/// How a file is written, as a plan has to say it.
pub(super) fn written_as(looked: &Looked) -> Written {
    let look = &looked.look;
    Written {
        // A comma is not said.
        delimiter: Some(look.delimiter as u8).filter(|sign| *sign != b','),
        encoding: look.named_encoding.clone(),
        header_at: look.header_at,
        footer: look.footer,
        range: look.range.clone(),
        ..with_part(&Written::default(), &looked.path, looked.part.clone())
    }
}
