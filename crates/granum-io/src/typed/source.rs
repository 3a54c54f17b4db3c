//! The tables of one input whose values have types: columns matched by name, pieces made into parts.

use std::collections::VecDeque;
use std::sync::Arc;

use granum_core::Sure;
use granum_core::port::{
    Declared, InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest,
    SourceError,
};
use granum_core::table::{Column, Counted, Origin};
use granum_core::tally::Unread;
use granum_core::value::{Scalar, Type};

use super::keys::Keys;
use super::{Native, Typed, needed};
use crate::csv::stacked;

/// A file or table that has been opened.
pub(crate) trait Stored: Send + Sync {
    /// Its columns and their types.
    fn columns(&self) -> &[(String, Type)];
    /// What it has that no value can be.
    fn unread(&self) -> &[Unread];
    /// What it says of its key, and of where it leads.
    fn declared(&self) -> Declared {
        Declared::default()
    }
    /// How many bytes it has; none where that is not known.
    fn bytes(&self) -> u64;
    /// Begins to read some of its columns, named by their places among those that it has.
    fn pieces(&self, wanted: &[usize]) -> Result<Box<dyn Pieces>, SourceError>;
}

/// The rows of a file, some at a time, in their order.
pub(crate) trait Pieces: Send {
    fn next(&mut self) -> Result<Option<Box<dyn Piece>>, SourceError>;
}

/// Some rows of a file. Made into columns on any thread.
pub(crate) trait Piece: Send + Sync {
    fn rows(&self) -> usize;
    /// How many bytes of the file it is, about.
    fn bytes(&self) -> u64;
    /// The columns that are wanted, in that order.
    fn natives(&self) -> Result<Vec<Native>, SourceError>;
}

/// Where a column of an input comes from in one file.
#[derive(Debug, Clone, Copy)]
enum From {
    /// One of the file's columns.
    Own(usize),
    /// What the file's path says.
    Path(usize),
}

struct File {
    name: Arc<str>,
    stored: Arc<dyn Stored>,
    /// The columns that its path says, each with its one value.
    keys: Vec<Scalar>,
    /// For each of the input's columns.
    from: Vec<Option<From>>,
}

/// An input's files.
pub(crate) struct TypedSource {
    files: Vec<Arc<File>>,
    columns: Vec<(String, Type)>,
    unread: Vec<Unread>,
    /// Whether all files have each column in one type.
    alike: bool,
}

/// A file and what its path says.
pub(crate) struct Opened {
    pub name: String,
    pub stored: Arc<dyn Stored>,
    pub keys: Keys,
}

impl TypedSource {
    /// Lays files below each other.
    ///
    /// # Errors
    /// Columns that some lack.
    pub fn of(spec: &InputSpec, opened: Vec<Opened>) -> Result<Self, SourceError> {
        let headers: Vec<Vec<String>> = opened.iter().map(header).collect();
        let named = opened.iter().zip(&headers);
        let named: Vec<(&str, &[String])> =
            named.map(|(file, header)| (file.name.as_str(), header.as_slice())).collect();
        let names = stacked(&named, spec.filling_blanks)?;
        let mut unread: Vec<Unread> = vec![];
        for column in opened.iter().flat_map(|file| file.stored.unread()) {
            if !unread.iter().any(|known| known.column == column.column) {
                unread.push(column.clone());
            }
        }
        let found = Keys::types(opened.iter().map(|file| &file.keys));
        let mut columns = vec![];
        let mut keys: Vec<Vec<Scalar>> = vec![vec![]; opened.len()];
        let mut from: Vec<Vec<Option<From>>> = vec![vec![]; opened.len()];
        let mut alike = true;
        for name in names {
            let mut types: Vec<Type> = vec![];
            let rule = spec.rule_of(&name);
            for (at, file) in opened.iter().enumerate() {
                let known = file.stored.columns();
                let own = known.iter().position(|(known, _)| *known == name);
                from[at].push(if let Some(own) = own {
                    types.push(known[own].1);
                    Some(From::Own(own))
                } else if let Some(text) = file.keys.value(&name) {
                    let found = found.iter().find(|(key, _)| *key == name);
                    let found = found.map(|(_, ty)| *ty).sure("the type of a column of paths");
                    types.push(found);
                    // What a plan reads in its own way it reads from the text.
                    keys[at]
                        .push(Keys::read(text, if rule.is_some() { Type::Text } else { found }));
                    Some(From::Path(keys[at].len() - 1))
                } else {
                    None
                });
            }
            types.retain(|ty| *ty != Type::Blank);
            types.dedup();
            alike &= types.len() < 2;
            let common = |one: Type, other| one.common(other).unwrap_or(Type::Text);
            let ty = types.into_iter().reduce(common).unwrap_or(Type::Blank);
            columns.push((name, rule.map_or(ty, |rule| rule.ty)));
        }
        let files = opened.into_iter().zip(keys).zip(from);
        let files = files.map(|((file, keys), from)| {
            Arc::new(File { name: file.name.into(), stored: file.stored, keys, from })
        });
        Ok(Self { files: files.collect(), columns, unread, alike })
    }
}

/// The columns of a file; those that its path says are the last.
fn header(file: &Opened) -> Vec<String> {
    let mut names: Vec<String> =
        file.stored.columns().iter().map(|(name, _)| name.clone()).collect();
    let unread = file.stored.unread();
    for key in file.keys.names() {
        if !names.contains(key) && !unread.iter().any(|unread| unread.column == *key) {
            names.push(key.clone());
        }
    }
    names
}

impl InputSource for TypedSource {
    fn shape(&self) -> InputShape {
        InputShape { columns: self.columns.clone(), typed: true, unread: self.unread.clone() }
    }

    fn settled(&self) -> bool {
        true
    }

    fn settle(&mut self) -> Result<(), SourceError> {
        Ok(())
    }

    fn bytes(&self) -> u64 {
        self.files.iter().map(|file| file.stored.bytes()).sum()
    }

    fn declared(&self) -> Declared {
        match self.files.as_slice() {
            [only] => only.stored.declared(),
            _ => Declared::default(),
        }
    }

    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        let wanted = needed(&request);
        Ok(Box::new(Reader {
            files: self.files.iter().cloned().collect(),
            current: None,
            asked: Arc::new(Asked {
                request,
                wanted,
                width: self.columns.len(),
                alike: self.alike,
            }),
        }))
    }
}

/// What is asked of all files.
struct Asked {
    request: ReadRequest,
    /// The input's columns that are needed.
    wanted: Vec<usize>,
    width: usize,
    alike: bool,
}

struct Current {
    file: Arc<File>,
    pieces: Box<dyn Pieces>,
    /// The number of the next row.
    row: u64,
}

struct Reader {
    files: VecDeque<Arc<File>>,
    current: Option<Current>,
    asked: Arc<Asked>,
}

impl Reader {
    /// Begins the next file, if there is one.
    fn begin(&mut self) -> Result<bool, SourceError> {
        let Some(file) = self.files.pop_front() else { return Ok(false) };
        let own = |column: &usize| match file.from[*column] {
            Some(From::Own(own)) => Some(own),
            _ => None,
        };
        let own: Vec<usize> = self.asked.wanted.iter().filter_map(own).collect();
        let pieces = file.stored.pieces(&own)?;
        self.current = Some(Current { file, pieces, row: 1 });
        Ok(true)
    }
}

impl PartReader for Reader {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let mut parts: Vec<Box<dyn RawPart>> = vec![];
        while parts.len() < count {
            let Some(current) = &mut self.current else {
                if self.begin()? {
                    continue;
                }
                break;
            };
            match current.pieces.next()? {
                Some(piece) => {
                    let first = current.row;
                    current.row += piece.rows() as u64;
                    let (file, asked) = (current.file.clone(), self.asked.clone());
                    parts.push(Box::new(RawPiece { piece, file, asked, first }));
                }
                None => self.current = None,
            }
        }
        Ok(parts)
    }
}

struct RawPiece {
    piece: Box<dyn Piece>,
    file: Arc<File>,
    asked: Arc<Asked>,
    first: u64,
}

impl RawPart for RawPiece {
    fn bytes(&self) -> u64 {
        self.piece.bytes()
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let rows = self.piece.rows();
        let mut own = self.piece.natives()?.into_iter();
        let natives = self.asked.wanted.iter().map(|column| {
            let native = match self.file.from[*column] {
                Some(From::Own(_)) => own.next().sure("a column of a piece"),
                Some(From::Path(key)) => {
                    let value = &self.file.keys[key];
                    Column::constant(value, value.ty(), rows).into()
                }
                None => Column::Blank(rows).into(),
            };
            (*column, native)
        });
        Typed {
            request: &self.asked.request,
            width: self.asked.width,
            rows,
            natives: natives.collect(),
            origin: Origin { file: self.file.name.clone(), counted: Counted::Row },
            first: self.first,
            alike: self.asked.alike,
        }
        .part()
    }
}
