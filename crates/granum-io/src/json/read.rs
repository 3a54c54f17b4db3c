//! The files of one input: columns from all keys of all objects, types from all values.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

use granum_core::port::{
    Each, InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest, SourceError,
    SourceErrorKind, Written,
};
use granum_core::table::{Lines, Place};
use granum_core::tally::WithoutRows;
use granum_core::value::{Found, Type};

use super::cells::{Cell, Odd, cells, rows};
use super::objects::{Objects, Splitter, Wrong};
use crate::csv::{CsvPart, Layout, LineEnds, Look, settled_type, system_error};
use crate::stream::{Opening, Stream};

/// So many objects without a row are named.
const EXAMPLES: usize = 3;

/// So many names are told where one is not found.
const NAMED: usize = 8;

/// An input's JSON files.
pub(crate) struct JsonSource {
    files: Vec<JsonFile>,
    names: Arc<Names>,
    found: Vec<Found>,
    /// The type of columns with a `read`.
    read: Vec<Option<Type>>,
    each: Option<Arc<Each>>,
    /// Where rows are of lists: the objects of which none comes.
    without: Option<WithoutRows>,
}

/// The columns: their paths, in order of first appearance.
#[derive(Debug, Default)]
struct Names {
    all: Vec<String>,
    places: HashMap<String, usize>,
}

impl Names {
    fn place(&mut self, name: String) -> usize {
        if let Some(at) = self.places.get(&name) {
            return *at;
        }
        self.all.push(name.clone());
        self.places.insert(name, self.all.len() - 1);
        self.all.len() - 1
    }
}

/// A file, as it was when it was opened.
#[derive(Debug, Clone)]
struct JsonFile {
    path: PathBuf,
    name: Arc<str>,
    opening: Opening,
    bytes: u64,
    modified: Option<SystemTime>,
}

impl JsonFile {
    fn open(path: &PathBuf, name: &str, encoding: Option<&str>) -> Result<Self, SourceError> {
        let system = |error: std::io::Error| system_error(name, &error);
        let data = std::fs::metadata(path).map_err(system)?;
        if data.is_dir() {
            return Err(system(std::io::ErrorKind::IsADirectory.into()));
        }
        let opening = Opening::new(path, name, encoding)?.with_mark_of(path).map_err(system)?;
        let (bytes, modified) = (data.len(), data.modified().ok());
        Ok(Self { path: path.clone(), name: name.into(), opening, bytes, modified })
    }

    fn objects(&self) -> Result<Splitter<Stream>, SourceError> {
        let stream = self.opening.open(&self.path, 0);
        Ok(Splitter::new(stream.map_err(|error| system_error(&self.name, &error))?))
    }

    fn next(&self, from: &mut Splitter<Stream>) -> Result<Option<Objects>, SourceError> {
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

    /// The rows of an object that begins on a line: its own cells, or those of a list in it.
    fn rows(
        &self,
        object: &[u8],
        line: u64,
        each: Option<&Each>,
    ) -> Result<Vec<Vec<Cell>>, SourceError> {
        let found = cells(object).and_then(|outer| match each {
            Some(each) => rows(outer, each),
            None => Ok(vec![outer]),
        });
        found.map_err(|odd| match odd {
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
        })
    }

    /// A file that changed while it was read may have given anything.
    fn unchanged(&self) -> Result<(), SourceError> {
        let now =
            std::fs::metadata(&self.path).map_err(|error| system_error(&self.name, &error))?;
        if !now.is_file() || (now.len() == self.bytes && now.modified().ok() == self.modified) {
            return Ok(());
        }
        Err(SourceError {
            kind: SourceErrorKind::Changed,
            file: self.name.to_string(),
            line: None,
            message: "changed while it was read".into(),
            help: "run again when nothing writes to it".into(),
        })
    }
}

/// How a file is written: it is JSON, and what it is packed in or its encoding are no matter of a plan.
///
/// # Errors
/// As when it is read.
pub(crate) fn look(path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
    let file = JsonFile::open(&path.to_owned(), name, said.encoding.as_deref())?;
    Ok(Look {
        format: "JSON",
        encoding: said.encoding.clone().or(file.opening.encoding_name()).unwrap_or("UTF-8".into()),
        named_encoding: said.encoding.clone(),
        delimiter: ',',
        header_at: None,
        footer: None,
        line_ends: LineEnds::None,
        bytes: file.bytes,
    })
}

/// That nothing is said of how fields and lines are written: there are none.
fn no_lines(written: &Written, name: &str) -> Result<(), SourceError> {
    let said = [
        ("delimiter", written.delimiter.is_some()),
        ("header at", written.header_at.is_some()),
        ("footer", written.footer.is_some()),
    ];
    let Some((option, _)) = said.into_iter().find(|(_, said)| *said) else { return Ok(()) };
    Err(SourceError {
        kind: SourceErrorKind::Json,
        file: name.to_owned(),
        line: None,
        message: format!("is JSON, which has no `{option}`"),
        help: format!("leave `{option}` out of its input"),
    })
}

/// What has been seen of the objects.
struct Seen<'a> {
    names: Names,
    found: Vec<Found>,
    each: Option<&'a Each>,
    without: Option<WithoutRows>,
    /// The names around lists, and whether a list stood there.
    around: HashMap<String, bool>,
}

impl<'a> Seen<'a> {
    fn of(spec: &'a InputSpec) -> Self {
        let each = spec.each.as_ref();
        let without = each.map(|each| WithoutRows {
            list: each.list.clone(),
            objects: 0,
            without: 0,
            examples: vec![],
        });
        let mut names = Names::default();
        each.iter().flat_map(|each| &each.with).for_each(|name| {
            names.place(name.clone());
        });
        let found = vec![Found::default(); names.all.len()];
        Self { names, found, each, without, around: HashMap::new() }
    }

    /// Looks at all objects of a file.
    fn file(&mut self, file: &JsonFile) -> Result<(), SourceError> {
        let mut objects = file.objects()?;
        while let Some(part) = file.next(&mut objects)? {
            for (start, end, line) in &part.each {
                let object = &part.text[*start..*end];
                let rows = file.rows(object, *line, self.each)?;
                self.object(object, &rows, Place { file: file.name.clone(), line: *line });
                for cell in rows.into_iter().flatten() {
                    let at = self.names.place(cell.name);
                    self.found.resize(self.names.all.len(), Found::default());
                    if !cell.text.is_empty() {
                        self.found[at].cell(cell.text.as_bytes());
                    }
                }
            }
        }
        Ok(())
    }

    /// Where rows are of lists: counts an object.
    fn object(&mut self, object: &[u8], rows: &[Vec<Cell>], place: Place) {
        let Some(without) = &mut self.without else { return };
        without.objects += 1;
        for cell in cells(object).unwrap_or_default() {
            *self.around.entry(cell.name).or_default() |= cell.list;
        }
        if rows.is_empty() {
            without.without += 1;
            if without.examples.len() < EXAMPLES {
                without.examples.push(place);
            }
        }
    }

    /// What is null wherever others have an object is no column.
    fn leave_out_nothings(&mut self) {
        let all = std::mem::take(&mut self.names);
        let found = std::mem::take(&mut self.found);
        let object = |name: &str| {
            let inside =
                |other: &String| other.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'));
            all.all.iter().any(inside)
        };
        for (name, found) in all.all.iter().zip(found) {
            if found != Found::default() || !object(name) {
                self.names.place(name.clone());
                self.found.push(found);
            }
        }
    }

    /// That there are columns, and all that are named.
    fn checked(mut self, paths: &[(PathBuf, String)]) -> Result<Self, SourceError> {
        let error = |kind, message: String, help: String| {
            let file = paths.first().map_or(String::new(), |(_, name)| name.clone());
            Err(SourceError { kind, file, line: None, message, help })
        };
        if let Some(each) = self.each {
            let known = |lists: bool| {
                let names = self.around.iter().filter(|(_, list)| !lists || **list);
                let mut names: Vec<String> = names.map(|(name, _)| format!("`{name}`")).collect();
                names.sort();
                names.truncate(NAMED);
                names.join(", ")
            };
            if !self.around.is_empty() && self.around.get(&each.list) != Some(&true) {
                let message = format!("has no list called `{}`", each.list);
                let help = match known(true) {
                    none if none.is_empty() => "it has no lists: leave `each` out".to_owned(),
                    known => format!("its lists are {known}"),
                };
                return error(SourceErrorKind::Json, message, help);
            }
            let missing = |name: &&String| !self.around.contains_key(*name);
            if let Some(name) = each.with.iter().find(missing).filter(|_| !self.around.is_empty()) {
                let message = format!("has no `{name}` around `{}`", each.list);
                return error(
                    SourceErrorKind::Json,
                    message,
                    format!("there are {}", known(false)),
                );
            }
        }
        if self.names.all.is_empty() {
            let message = "has no objects, so nothing says which columns there are".to_owned();
            let help = "ask for the file again, or leave it out of the plan".to_owned();
            return error(SourceErrorKind::Empty, message, help);
        }
        self.without = self.without.filter(|without| without.without > 0);
        self.leave_out_nothings();
        Ok(self)
    }
}

impl JsonSource {
    /// Looks at all objects: any of them may have a key that no other has.
    pub fn open(spec: &InputSpec, paths: &[(PathBuf, String)]) -> Result<Self, SourceError> {
        let mut seen = Seen::of(spec);
        let mut files = vec![];
        for (path, name) in paths {
            let written = spec.written_of(name);
            no_lines(written, name)?;
            let file = JsonFile::open(path, name, written.encoding.as_deref())?;
            seen.file(&file)?;
            files.push(file);
        }
        let Seen { names, found, each, without, .. } = seen.checked(paths)?;
        let rule = |name: &String| spec.reads.iter().rev().find(|(read, _)| read == name);
        let read = names.all.iter().map(|name| rule(name).map(|(_, rule)| rule.ty)).collect();
        let each = each.cloned().map(Arc::new);
        Ok(Self { files, names: Arc::new(names), found, read, each, without })
    }
}

impl InputSource for JsonSource {
    fn shape(&self) -> InputShape {
        let types = self.found.iter().zip(&self.read);
        let types = types.map(|(found, read)| read.unwrap_or_else(|| settled_type(Some(*found))));
        InputShape { columns: self.names.all.iter().cloned().zip(types).collect() }
    }

    fn settled(&self) -> bool {
        true
    }

    fn settle(&mut self) -> Result<(), SourceError> {
        Ok(())
    }

    fn without_rows(&self) -> Option<WithoutRows> {
        self.without.clone()
    }

    fn bytes(&self) -> u64 {
        self.files.iter().map(|file| file.bytes).sum()
    }

    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        Ok(Box::new(JsonReader {
            files: self.files.clone().into_iter(),
            current: None,
            names: self.names.clone(),
            each: self.each.clone(),
            layout: Arc::new(Layout { delimiter: b',', request }),
        }))
    }
}

/// Reads the objects of an input's files.
struct JsonReader {
    files: std::vec::IntoIter<JsonFile>,
    current: Option<(JsonFile, Splitter<Stream>)>,
    names: Arc<Names>,
    each: Option<Arc<Each>>,
    layout: Arc<Layout>,
}

impl PartReader for JsonReader {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let mut parts: Vec<Box<dyn RawPart>> = vec![];
        while parts.len() < count {
            let Some((file, objects)) = &mut self.current else {
                let Some(file) = self.files.next() else { break };
                let objects = file.objects()?;
                self.current = Some((file, objects));
                continue;
            };
            match file.next(objects)? {
                Some(objects) => parts.push(Box::new(JsonPart {
                    file: file.clone(),
                    objects,
                    names: self.names.clone(),
                    each: self.each.clone(),
                    layout: self.layout.clone(),
                })),
                None => {
                    file.unchanged()?;
                    self.current = None;
                }
            }
        }
        Ok(parts)
    }
}

/// Whole objects of one file.
struct JsonPart {
    file: JsonFile,
    objects: Objects,
    names: Arc<Names>,
    each: Option<Arc<Each>>,
    layout: Arc<Layout>,
}

impl RawPart for JsonPart {
    fn bytes(&self) -> u64 {
        self.objects.text.len() as u64
    }

    /// Cells become values as those of text with signs between fields do.
    fn parse(&self) -> Result<Part, SourceError> {
        let width = self.names.all.len();
        let mut text = vec![];
        // For each row the line of the text that it begins on, and its line in the file.
        let (mut begins, mut lines) = (vec![], vec![]);
        let mut line = 1;
        let mut row: Vec<String> = vec![String::new(); width];
        for (start, end, own) in &self.objects.each {
            let object = &self.objects.text[*start..*end];
            for cells in self.file.rows(object, *own, self.each.as_deref())? {
                row.iter_mut().for_each(String::clear);
                for cell in cells {
                    if let Some(at) = self.names.places.get(&cell.name) {
                        row[*at] = cell.text;
                    }
                }
                begins.push(line);
                lines.push(*own);
                let before = text.len();
                fields(&row, &mut text);
                line += memchr::memchr_iter(b'\n', &text[before..]).count() as u64;
            }
        }
        let part = CsvPart {
            text,
            line: 1,
            name: self.file.name.clone(),
            width,
            fields: (0..width).map(Some).collect(),
            layout: self.layout.clone(),
        };
        let mut part = part.parse()?;
        let line = |line: u64| {
            let at = begins.partition_point(|begin| *begin <= line);
            at.checked_sub(1).map_or(0, |at| lines[at])
        };
        let troubles = part.troubles.iter_mut().flat_map(|trouble| &mut trouble.examples);
        let hours = part.odd_hours.iter_mut().flat_map(|hours| &mut hours.examples);
        troubles.chain(hours).for_each(|(_, place)| place.line = line(place.line));
        part.lines = Lines::Each(lines.clone());
        Ok(part)
    }
}

/// A row of cells with commas between them.
fn fields(row: &[String], out: &mut Vec<u8>) {
    for (at, cell) in row.iter().enumerate() {
        if at > 0 {
            out.push(b',');
        }
        let special = |byte: u8| matches!(byte, b',' | b'"' | b'\n' | b'\r');
        let alone = cell.is_empty() && row.len() == 1;
        if !alone && !cell.bytes().any(special) {
            out.extend_from_slice(cell.as_bytes());
            continue;
        }
        out.push(b'"');
        for byte in cell.bytes() {
            if byte == b'"' {
                out.push(b'"');
            }
            out.push(byte);
        }
        out.push(b'"');
    }
    out.push(b'\n');
}
