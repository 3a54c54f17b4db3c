//! The files of one input: columns from all keys of all objects, types from all values.

use std::path::Path;
use std::sync::Arc;

use granum_core::port::{
    Each, InputShape, InputSource, InputSpec, Part, PartReader, RawPart, ReadRequest, SourceError,
    Written,
};
use granum_core::table::{Lines, Origin};
use granum_core::tally::WithoutRows;
use granum_core::value::{Found, Type};

use super::file::JsonFile;
use super::objects::{Objects, Splitter};
use super::seen::{Names, Seen};
use crate::csv::{CsvPart, Layout, LineEnds, Look, MadeOf, settled_type, write_row};
use crate::find::FoundFile;
use crate::stream::Stream;

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
        sheet: None,
        range: None,
        named: None,
    })
}

impl JsonSource {
    /// Looks at all objects: any of them may have a key that no other has.
    pub fn open(spec: &InputSpec, paths: &[FoundFile]) -> Result<Self, SourceError> {
        let mut seen = Seen::of(spec);
        let mut files = vec![];
        for FoundFile { path, name, .. } in paths {
            let written = spec.written_of(name);
            let mut file = JsonFile::open(path, name, written.encoding.as_deref())?;
            seen.file(&mut file)?;
            files.push(file);
        }
        let Seen { names, found, each, without, .. } = seen.checked(paths)?;
        let read = names.all.iter().map(|name| spec.rule_of(name).map(|rule| rule.ty)).collect();
        let each = each.cloned().map(Arc::new);
        Ok(Self { files, names: Arc::new(names), found, read, each, without })
    }
}

impl InputSource for JsonSource {
    fn shape(&self) -> InputShape {
        let types = self.found.iter().zip(&self.read);
        let types = types.map(|(found, read)| read.unwrap_or_else(|| settled_type(Some(*found))));
        InputShape {
            columns: self.names.all.iter().cloned().zip(types).collect(),
            ..InputShape::default()
        }
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
        let (mut text, mut lines) = (vec![], vec![]);
        let mut row: Vec<String> = vec![String::new(); width];
        for (at, (start, end, own)) in self.objects.each.iter().enumerate() {
            let number = self.objects.before + at as u64 + 1;
            let object = &self.objects.text[*start..*end];
            let outer = self.file.cells(object, *own)?;
            for cells in self.file.rows(outer, *own, self.each.as_deref())? {
                row.iter_mut().for_each(String::clear);
                for cell in cells {
                    if let Some(at) = self.names.places.get(&cell.name) {
                        row[*at] = cell.text;
                    }
                }
                lines.push(self.file.place(*own, number).line);
                write_row(row.iter().map(String::as_bytes), &mut text);
            }
        }
        let (file, counted) = (self.file.name.clone(), self.file.counted);
        let origin = Origin { file, counted };
        let part = CsvPart {
            text,
            line: 1,
            name: self.file.name.clone(),
            width,
            fields: (0..width).map(Some).collect(),
            layout: self.layout.clone(),
            made_of: Some(MadeOf { origin, lines: Lines::Each(lines), without: vec![] }),
        };
        part.parse()
    }
}
