//! What is seen of all objects before any is read: which columns there are, and of what types.

use std::collections::HashMap;

use granum_core::port::{Each, InputSpec, SourceError, SourceErrorKind};
use granum_core::table::Counted;
use granum_core::tally::WithoutRows;
use granum_core::value::Found;

use super::cells::{Cell, lies_in};
use super::file::JsonFile;
use crate::find::FoundFile;

/// So many objects without a row are named.
const EXAMPLES: usize = 3;

/// So many names are told where one is not found.
const NAMED: usize = 8;

/// The columns: their paths, in order of first appearance.
#[derive(Debug, Default)]
pub(super) struct Names {
    pub all: Vec<String>,
    pub places: HashMap<String, usize>,
}

impl Names {
    /// The place of a name, which gets one where it has none.
    fn place(&mut self, name: String) -> usize {
        if let Some(at) = self.places.get(&name) {
            return *at;
        }
        self.all.push(name.clone());
        self.places.insert(name, self.all.len() - 1);
        self.all.len() - 1
    }
}

/// What has been seen of the objects.
pub(super) struct Seen<'a> {
    pub names: Names,
    pub found: Vec<Found>,
    pub each: Option<&'a Each>,
    pub without: Option<WithoutRows>,
    /// The names around lists, and whether a list stood there.
    around: HashMap<String, bool>,
}

impl<'a> Seen<'a> {
    pub fn of(spec: &'a InputSpec) -> Self {
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
    pub fn file(&mut self, file: &mut JsonFile) -> Result<(), SourceError> {
        let mut objects = file.objects()?;
        let (mut last, mut without) = (None, vec![]);
        while let Some(part) = file.next(&mut objects)? {
            for (at, (start, end, line)) in part.each.iter().enumerate() {
                if last.replace(*line) == Some(*line) {
                    file.counted = Counted::Object;
                }
                let object = &part.text[*start..*end];
                let outer = file.cells(object, *line)?;
                self.around(&outer);
                let rows = file.rows(outer, *line, self.each)?;
                if self.counted(&rows) && without.len() < EXAMPLES {
                    without.push((*line, part.before + at as u64 + 1));
                }
                for cell in rows.into_iter().flatten() {
                    let at = self.names.place(cell.name);
                    self.found.resize(self.names.all.len(), Found::default());
                    if !cell.text.is_empty() {
                        self.found[at].cell(cell.text.as_bytes());
                    }
                }
            }
        }
        if let Some(known) = &mut self.without {
            let room = EXAMPLES.saturating_sub(known.examples.len());
            let places = without.into_iter().map(|(line, number)| file.place(line, number));
            known.examples.extend(places.take(room));
        }
        Ok(())
    }

    /// Where rows are of lists: the names around them.
    fn around(&mut self, outer: &[Cell]) {
        if self.each.is_none() {
            return;
        }
        for cell in outer {
            match self.around.get_mut(&cell.name) {
                Some(list) => *list |= cell.list,
                None => drop(self.around.insert(cell.name.clone(), cell.list)),
            }
        }
    }

    /// Where rows are of lists: counts an object, whose rows these are; says whether it has none.
    fn counted(&mut self, rows: &[Vec<Cell>]) -> bool {
        let Some(without) = &mut self.without else { return false };
        without.objects += 1;
        without.without += u64::from(rows.is_empty());
        rows.is_empty()
    }

    /// What is null wherever others have an object is no column.
    fn leave_out_nothings(&mut self) {
        let all = std::mem::take(&mut self.names);
        let found = std::mem::take(&mut self.found);
        let object = |name: &str| all.all.iter().any(|other| lies_in(other, name));
        for (name, found) in all.all.iter().zip(found) {
            if found != Found::default() || !object(name) {
                self.names.place(name.clone());
                self.found.push(found);
            }
        }
    }

    /// That there are columns, and all that are named.
    pub fn checked(mut self, paths: &[FoundFile]) -> Result<Self, SourceError> {
        let error = |kind, message: String, help: String| {
            let file = paths.first().map_or(String::new(), |file| file.name.clone());
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
