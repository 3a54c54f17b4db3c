//! One file: its objects, the rows that they are, and what is no row.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::SystemTime;

use granum_core::port::{Each, SourceError, SourceErrorKind};
use granum_core::table::{Counted, Place};

use super::cells::{Cell, Odd, cells, rows};
use super::objects::{Objects, Splitter, Wrong};
use crate::csv::{changed, system_error};
use crate::stream::{Opening, Stream};

/// A file, as it was when it was opened.
#[derive(Debug, Clone)]
pub(super) struct JsonFile {
    path: PathBuf,
    pub name: Arc<str>,
    pub opening: Opening,
    pub bytes: u64,
    /// What its rows are counted by: objects, where several share a line.
    pub counted: Counted,
    modified: Option<SystemTime>,
}

impl JsonFile {
    pub fn open(path: &PathBuf, name: &str, encoding: Option<&str>) -> Result<Self, SourceError> {
        let system = |error: std::io::Error| system_error(name, &error);
        let data = std::fs::metadata(path).map_err(system)?;
        if data.is_dir() {
            return Err(system(std::io::ErrorKind::IsADirectory.into()));
        }
        let opening = Opening::new(path, name, encoding)?.with_mark_of(path).map_err(system)?;
        let (bytes, modified) = (data.len(), data.modified().ok());
        Ok(Self {
            path: path.clone(),
            name: name.into(),
            opening,
            bytes,
            counted: Counted::Line,
            modified,
        })
    }

    /// Where an object stands that begins on a line, by its number, counted from 1.
    pub fn place(&self, line: u64, number: u64) -> Place {
        let (file, cell) = (self.name.clone(), None);
        let line = if self.counted == Counted::Line { line } else { number };
        Place { file, line, counted: self.counted, cell }
    }

    pub fn objects(&self) -> Result<Splitter<Stream>, SourceError> {
        let stream = self.opening.open_ahead(&self.path, 0);
        Ok(Splitter::new(stream.map_err(|error| system_error(&self.name, &error))?))
    }

    pub fn next(&self, from: &mut Splitter<Stream>) -> Result<Option<Objects>, SourceError> {
        from.next_part().map_err(|wrong| match wrong {
            Wrong::System(error) => system_error(&self.name, &error),
            Wrong::NoObject(line, found) => self.error(
                line,
                format!("has `{found}` where an object begins or ends"),
                "rows are objects, one behind the other or in one list:  {\"order_no\": \"M1\", \u{2026}}",
            ),
            Wrong::Unended(line) => self.error(
                line,
                "ends before what begins here does".into(),
                "the file was cut off: ask for it again",
            ),
            Wrong::TooLong(line) => self.error(
                line,
                "has an object of more than 64 MiB, which is no row".into(),
                "look whether it is the file that was meant",
            ),
        })
    }

    fn error(&self, line: u64, message: String, help: &str) -> SourceError {
        SourceError {
            kind: SourceErrorKind::Json,
            file: self.name.to_string(),
            line: Some(line),
            message,
            help: help.to_owned(),
        }
    }

    /// The cells of an object that begins on a line.
    pub fn cells(&self, object: &[u8], line: u64) -> Result<Vec<Cell>, SourceError> {
        cells(object).map_err(|odd| self.odd(odd, line, None))
    }

    /// The rows that an object is which has these cells: itself, or those of a list in it.
    pub fn rows(
        &self,
        outer: Vec<Cell>,
        line: u64,
        each: Option<&Each>,
    ) -> Result<Vec<Vec<Cell>>, SourceError> {
        let Some(each) = each else { return Ok(vec![outer]) };
        rows(outer, each).map_err(|odd| self.odd(odd, line, Some(each)))
    }

    /// Why the object that begins on a line is no row; `each` where its list was looked into.
    fn odd(&self, odd: Odd, line: u64, each: Option<&Each>) -> SourceError {
        match odd {
            Odd::NoJson(words) => {
                self.error(line, format!("has an object that is no JSON: {words}"), "mend the file")
            }
            Odd::Twice(name) if each.is_some_and(|each| each.with.contains(&name)) => self.error(
                line,
                format!("has `{name}` in the list and around it"),
                "leave it out behind `with`",
            ),
            Odd::Twice(name) => self.error(
                line,
                format!("has an object with two values called `{name}`"),
                "give each a name of its own",
            ),
            Odd::NoList(list) => self.error(
                line,
                format!("has something in `{list}` that is no list"),
                "`each` names a list of objects",
            ),
            Odd::NoObject(list) => self.error(
                line,
                format!("has something in the list `{list}` that is no object"),
                "`each` names a list of objects",
            ),
        }
    }

    /// A file that changed while it was read may have given anything.
    pub fn unchanged(&self) -> Result<(), SourceError> {
        let now =
            std::fs::metadata(&self.path).map_err(|error| system_error(&self.name, &error))?;
        if !now.is_file() || (now.len() == self.bytes && now.modified().ok() == self.modified) {
            return Ok(());
        }
        Err(changed(&self.name))
    }
}
