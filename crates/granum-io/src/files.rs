//! Files around a plan: paths are relative to its folder.

use std::collections::hash_map::Entry;
use std::collections::{HashMap, HashSet};
#[cfg(feature = "columnar")]
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

#[cfg(any(feature = "sheets", feature = "sqlite"))]
use granum_core::port::{Family, NamedAs};
use granum_core::port::{
    InputSource, InputSpec, Output, OutputError, Outputs, Picture, SourceError, SourceErrorKind,
    Sources, Style, Written, is_address, publish_each,
};
use granum_core::table::Column;
use granum_core::tally::{Chart, part_name};
use granum_core::value::Type;

use crate::csv::Look;
use crate::find::{Finder, FoundFile};
#[cfg(feature = "columnar")]
use crate::find::{STANDARD_INPUT, shown_name};
use crate::format::{Format, Unwritable, Writer, fits};
#[cfg(feature = "columnar")]
use crate::formats::format_by;
use crate::formats::{FORMATS, file_and_part, format_of, has_tables, is_database};
use crate::packed::Packer;
use crate::picture::Drawn;
use crate::place::{
    Deciding, Journal, LeftRun, Move, PlacedFile, PlacedTable, Reaching, Refill, finish_left,
    left_in, place,
};
use crate::servers::{Servers, took};
#[cfg(feature = "sheets")]
use crate::sheets::Books;
use crate::spool::Spooled;
#[cfg(feature = "sqlite")]
use crate::sqlite::Databases;
#[cfg(feature = "columnar")]
use crate::stream::Bytes;

/// Reads inputs from, and writes outputs to, files.
pub struct Files {
    finder: Finder,
    /// Files that inputs were opened from, so that no output replaces one.
    opened: Mutex<Vec<PathBuf>>,
    /// Files of rows that stand in a plan, by those.
    texts: Mutex<HashMap<String, Spooled>>,
    /// Outputs on their way: what is put in which place.
    begun: Mutex<Vec<Move>>,
    /// Folders in which nothing of killed runs is left.
    finished: Mutex<HashSet<PathBuf>>,
    /// Killed runs that were finished.
    left: Mutex<Vec<LeftRun>>,
    /// Books on their way.
    #[cfg(feature = "sheets")]
    books: Books,
    /// Databases on their way.
    #[cfg(feature = "sqlite")]
    databases: Databases,
    /// Databases on servers.
    servers: Servers,
    /// Who draws charts.
    painter: Painter,
    /// What the run is known by in databases.
    run: String,
}

/// Draws a chart; gives the bytes of its picture, or why there is none.
pub type Painter = fn(&Chart, Picture) -> Result<Vec<u8>, String>;

/// The format of a file that is read.
fn reads(name: &str) -> Result<&'static dyn Format, SourceError> {
    format_of(name).map_err(|wrong| SourceError {
        kind: SourceErrorKind::Format,
        file: name.to_owned(),
        line: None,
        message: wrong.message,
        help: wrong.help,
    })
}

/// The format of what comes from a path: that of standard input its first bytes tell, of all else the name.
fn reads_from(file: &FoundFile) -> Result<&'static dyn Format, SourceError> {
    #[cfg(feature = "columnar")]
    if file.name == shown_name(STANDARD_INPUT) {
        let mut begin = vec![];
        let read = file.read_from(0).and_then(|bytes| bytes.take(6).read_to_end(&mut begin));
        if read.is_ok()
            && let Some(format) = format_by(&begin)
        {
            return Ok(format);
        }
    }
    reads(&file.name)
}

/// What stands for a table of a database among places that are read; for a file its place.
fn part_of(place: PathBuf, named: Option<&str>) -> PathBuf {
    match named {
        Some(named) => part_name(&place.to_string_lossy(), &named.to_lowercase()).into(),
        None => place,
    }
}

/// Puts what was staged into a database, for a run that was killed before it could. False where that cannot be.
fn refilled(part: &Path, target: &Path, refill: &Refill) -> bool {
    #[cfg(feature = "sqlite")]
    return crate::sqlite::refill(part, target, refill).is_ok();
    #[cfg(not(feature = "sqlite"))]
    {
        let _ = (part, target, refill);
        false
    }
}

/// A name that no other run has.
fn some_name() -> String {
    use std::hash::{BuildHasher, RandomState};
    let some = || RandomState::new().hash_one(std::process::id());
    format!("{:016x}{:016x}", some(), some())
}

/// So many rows of a table are made ready to be written at once.
const SAVED_AT_ONCE: usize = 1 << 16;

impl Files {
    /// Files as seen from a plan's folder.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self {
            finder: Finder::new(folder.into()),
            opened: Mutex::new(vec![]),
            texts: Mutex::new(HashMap::new()),
            begun: Mutex::new(vec![]),
            finished: Mutex::new(HashSet::new()),
            left: Mutex::new(vec![]),
            #[cfg(feature = "sheets")]
            books: Books::default(),
            #[cfg(feature = "sqlite")]
            databases: Databases::default(),
            servers: Servers::default(),
            painter: |_, _| Err("nobody here draws charts".into()),
            run: some_name(),
        }
    }

    /// Looks at the beginning of a file to see how it is written, where `said` leaves that open. Of
    /// several that a pattern finds, the first is looked at.
    ///
    /// # Errors
    /// That there is no such file, or that it cannot be read.
    pub fn look(&self, source: &str, said: &Written) -> Result<Look, SourceError> {
        if is_address(source) {
            return self.servers.look(source, said);
        }
        let found = self.finder.find(source)?;
        let Some(file) = found.first() else {
            return Err(SourceError {
                kind: SourceErrorKind::Missing,
                file: source.to_owned(),
                line: None,
                message: "there is no such file".into(),
                help: "look at the path".into(),
            });
        };
        // Its end is looked at as well.
        file.whole()?;
        reads_from(file)?.look(&file.path, &file.name, said)
    }

    /// The tables in a file that can have several, such as a book of sheets; none of a file that is one.
    ///
    /// # Errors
    /// That it cannot be read.
    pub fn tables(&self, source: &str) -> Result<Vec<String>, SourceError> {
        if is_address(source) {
            return self.servers.tables(source);
        }
        match self.finder.find(source)?.as_slice() {
            [file] => {
                file.whole()?;
                reads_from(file)?.tables(&file.path, &file.name)
            }
            _ => Ok(vec![]),
        }
    }

    /// Writes finished columns of one length as a table, whole, or leaves what stood there. The path begins in
    /// the current folder. Gives how many bytes there are.
    ///
    /// # Errors
    /// Why it cannot be written: among others that an input was read from there.
    pub fn save(&self, path: &str, columns: &[(String, Column)]) -> Result<u64, OutputError> {
        Ok(self.save_all(&[(path, columns)])?.into_iter().sum())
    }

    /// The same of several tables: all appear or none. Gives how many bytes each has.
    ///
    /// # Errors
    /// As [`Files::save`].
    pub fn save_all(
        &self,
        tables: &[(&str, &[(String, Column)])],
    ) -> Result<Vec<u64>, OutputError> {
        let filled = tables.iter().map(|(path, columns)| self.filled(path, columns));
        let mut outputs = filled.collect::<Result<Vec<_>, _>>()?;
        // All have all rows before the first is complete: several may share a file.
        let sizes = outputs.iter_mut().map(|output| output.complete());
        let sizes = sizes.collect::<Result<Vec<_>, _>>()?;
        self.publish(outputs)?;
        Ok(sizes)
    }

    /// An output that has all rows of finished columns.
    fn filled(
        &self,
        path: &str,
        columns: &[(String, Column)],
    ) -> Result<Box<dyn Output>, OutputError> {
        let types: Vec<(String, Type)> =
            columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
        // A sheet of a book, or a table of a database, is named behind its path.
        let (path, part) = match file_and_part(path).filter(|_| !Path::new(path).exists()) {
            Some((file, part)) => (file, Some(part.to_owned())),
            None => (path, None),
        };
        let (named, sheet) = if has_tables(path) { (part, None) } else { (None, part) };
        let style = Style { named, sheet, ..Style::default() };
        let mut output = self.begin_at(Path::new(path), path, &types, &style)?;
        let encoder = output.encoder();
        let rows = columns.first().map_or(0, |(_, column)| column.len());
        for start in (0..rows).step_by(SAVED_AT_ONCE) {
            let count = SAVED_AT_ONCE.min(rows - start);
            let part: Vec<Column> =
                columns.iter().map(|(_, column)| column.slice(start, count)).collect();
            output.take(encoder.encode(&part, count))?;
        }
        Ok(output)
    }

    /// The databases that have taken what was staged, and keep it.
    fn kept(&self) -> Vec<String> {
        #[cfg_attr(not(feature = "sqlite"), allow(unused_mut))]
        let mut kept = self.servers.committed();
        #[cfg(feature = "sqlite")]
        kept.extend(self.databases.written());
        kept
    }

    fn begin_at(
        &self,
        target: &Path,
        name: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Output>, OutputError> {
        if is_address(name) {
            return self.servers.begin(name, columns, style, &self.run);
        }
        let opened = self.opened.lock().unwrap_or_else(PoisonError::into_inner);
        let read = |place: PathBuf| opened.contains(&part_of(place, style.named.as_deref()));
        if place(target).is_ok_and(read) {
            let (what, help) = match style.named {
                Some(_) => {
                    ("table", "write to another table:  named \"\u{2026}\"  behind the path")
                }
                None => ("file", "write to another path"),
            };
            return Err(OutputError {
                path: name.to_owned(),
                message: format!("an input is read from this {what}"),
                help: help.into(),
            });
        }
        drop(opened);
        let wrong = |wrong: Unwritable| OutputError {
            path: name.to_owned(),
            message: wrong.message,
            help: wrong.help,
        };
        let format = format_of(name).map_err(wrong)?;
        if let Ok(place) = place(target) {
            self.finish_left(&place);
        }
        #[cfg(feature = "sheets")]
        if NamedAs::of(name).written() == Some(Family::Book) {
            let (output, moves) = self.books.begin(target, name, columns, style)?;
            self.begun.lock().unwrap_or_else(PoisonError::into_inner).extend(moves);
            return Ok(output);
        }
        #[cfg(feature = "sqlite")]
        if NamedAs::of(name).written() == Some(Family::Database) {
            let (output, moves) = self.databases.begin(target, name, columns, style, &self.run)?;
            self.begun.lock().unwrap_or_else(PoisonError::into_inner).extend(moves);
            return Ok(output);
        }
        let writer = format.writer(name, columns, style).map_err(wrong)?;
        self.placed(target, name, writer)
    }

    /// A file on its way to its place.
    fn placed(
        &self,
        target: &Path,
        name: &str,
        writer: Box<dyn Writer>,
    ) -> Result<Box<dyn Output>, OutputError> {
        let file = PlacedFile::begin(target, name)?;
        self.begun.lock().unwrap_or_else(PoisonError::into_inner).push(file.moves());
        Ok(Box::new(PlacedTable::begin(file, writer, Packer::of(name))?))
    }

    /// Finishes what killed runs left in the folder of a place; once in each folder.
    fn finish_left(&self, place: &Path) {
        let folder = place.parent().unwrap_or(Path::new(".")).to_owned();
        let mut finished = self.finished.lock().unwrap_or_else(PoisonError::into_inner);
        if finished.insert(folder.clone()) {
            let mut left = self.left.lock().unwrap_or_else(PoisonError::into_inner);
            left.extend(finish_left(&folder, Reaching { refill: refilled, took }));
        }
    }

    /// Finishes what killed runs had begun to put into the places of some outputs, before anything else
    /// is done. Gives what that was.
    pub fn finish_runs<'p>(&self, outputs: impl Iterator<Item = &'p str>) -> Vec<LeftRun> {
        outputs.filter_map(|path| self.place(path).ok()).for_each(|place| self.finish_left(&place));
        std::mem::take(&mut self.left.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// What killed runs had begun to put into the places of some files, and nobody has finished.
    pub fn unfinished_runs<'p>(&self, files: impl Iterator<Item = &'p str>) -> Vec<LeftRun> {
        let mut folders: Vec<PathBuf> =
            files.filter_map(|path| Some(self.place(path).ok()?.parent()?.to_owned())).collect();
        folders.sort();
        folders.dedup();
        let mut runs: Vec<LeftRun> = vec![];
        for run in folders.iter().flat_map(|folder| left_in(folder)) {
            if !runs.contains(&run) {
                runs.push(run);
            }
        }
        runs
    }

    /// Whom to tell what is waited for.
    #[must_use]
    pub fn with_notice(mut self, notice: fn(&str)) -> Self {
        self.finder.notice = notice;
        self
    }

    /// Who draws charts.
    #[must_use]
    pub fn with_painter(mut self, painter: Painter) -> Self {
        self.painter = painter;
        self
    }

    /// The place of an output: two paths of one file have one place.
    ///
    /// # Errors
    /// What is in the way of it; that it is no file.
    pub fn place(&self, path: &str) -> std::io::Result<PathBuf> {
        if is_address(path) {
            return Err(std::io::Error::other("is no file"));
        }
        place(&self.finder.folder.join(path))
    }

    /// The files that a source names, in the order of their paths, each with its name: of what is read only once
    /// the file that has all of it.
    ///
    /// # Errors
    /// That there is none, or that it cannot be looked for.
    pub fn files_of(&self, source: &str) -> std::io::Result<Vec<(PathBuf, String)>> {
        let files = self.finder.find(source).and_then(|files| {
            files.iter().try_for_each(FoundFile::whole)?;
            Ok(files.into_iter().map(|file| (file.path, file.name)).collect())
        });
        files.map_err(|error| std::io::Error::other(error.to_string()))
    }
}

impl Files {
    /// How many bytes the files have that a source names; none of what is no file, or only comes.
    pub fn bytes_of(&self, source: &str) -> u64 {
        if is_address(source) || !self.finder.at_rest(source) {
            return 0;
        }
        let files = self.finder.find(source).unwrap_or_default();
        let bytes = |file: FoundFile| std::fs::metadata(&file.path).map_or(0, |file| file.len());
        files.into_iter().map(bytes).sum()
    }
}

impl Sources for Files {
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError> {
        if let Some(rows) = &spec.rows {
            return self.rows(spec, rows, &format!("rows of {}", spec.name));
        }
        if spec.sources.iter().any(|source| is_address(source)) {
            return self.servers.open(spec);
        }
        let mut files = vec![];
        let mut first: Option<(&'static dyn Format, String)> = None;
        for source in &spec.sources {
            for file in self.finder.find(source)? {
                let own = reads_from(&file)?;
                fits(own, spec, &file.name)?;
                if !own.follows() {
                    file.whole()?;
                }
                let (format, of) = first.get_or_insert_with(|| (own, file.name.clone()));
                if format.name() != own.name() {
                    return Err(SourceError {
                        kind: SourceErrorKind::Format,
                        message: format!(
                            "is {}, and {of} of the same input is {}",
                            own.name(),
                            format.name()
                        ),
                        file: file.name,
                        line: None,
                        help: "name them as two inputs, and stack those in a table: from A, B"
                            .into(),
                    });
                }
                let real = file.path.canonicalize().unwrap_or_else(|_| file.path.clone());
                if files.iter().any(|(_, known)| *known == real) {
                    return Err(SourceError {
                        kind: SourceErrorKind::Doubled,
                        file: file.name,
                        line: None,
                        message: "is named twice for one input, so all its rows would be doubled"
                            .into(),
                        help: "name it once; a pattern may find it a second time".into(),
                    });
                }
                files.push((file, real));
            }
        }
        let format = first.map_or(FORMATS[0], |(format, _)| format);
        let mut opened = self.opened.lock().unwrap_or_else(PoisonError::into_inner);
        for (file, real) in &files {
            // Of a database one table is read: the one that is named, or the only one.
            let named = match &spec.written_of(&file.name).named {
                None if is_database(&file.name) => {
                    format.tables(&file.path, &file.name)?.into_iter().next()
                }
                named => named.clone(),
            };
            opened.push(part_of(real.clone(), named.as_deref()));
        }
        drop(opened);
        let files: Vec<FoundFile> = files.into_iter().map(|(file, _)| file).collect();
        format.open(spec, &files)
    }

    fn at_rest(&self, spec: &InputSpec) -> bool {
        spec.sources.iter().all(|source| self.finder.at_rest(source))
    }

    fn rows(
        &self,
        spec: &InputSpec,
        rows: &str,
        called: &str,
    ) -> Result<Box<dyn InputSource>, SourceError> {
        let mut known = self.texts.lock().unwrap_or_else(PoisonError::into_inner);
        let file = match known.entry(rows.to_owned()) {
            Entry::Occupied(file) => file.into_mut(),
            Entry::Vacant(place) => {
                place.insert(Spooled::of(rows).map_err(|error| SourceError {
                    kind: SourceErrorKind::System,
                    file: called.to_owned(),
                    line: None,
                    message: format!("cannot be put into a temporary file: {error}"),
                    help: "make room in the folder for temporary files".into(),
                })?)
            }
        };
        let path = file.path().to_owned();
        FORMATS[0].open(spec, &[FoundFile::at(path, called.to_owned())])
    }
}

impl Outputs for Files {
    fn begin(
        &self,
        path: &str,
        columns: &[(String, Type)],
        style: &Style,
    ) -> Result<Box<dyn Output>, OutputError> {
        self.begin_at(&self.finder.folder.join(path), path, columns, style)
    }

    fn draw(&self, path: &str, chart: &Chart) -> Result<Box<dyn Output>, OutputError> {
        let wrong = |message| OutputError {
            path: path.to_owned(),
            message,
            help: "nothing was written; end its path in .svg or .png, or leave the chart out"
                .into(),
        };
        let kind = Picture::of(path).ok_or_else(|| wrong("is no picture's path".into()))?;
        let picture = (self.painter)(chart, kind).map_err(wrong)?;
        let target = self.finder.folder.join(path);
        if let Ok(place) = place(&target) {
            self.finish_left(&place);
        }
        self.placed(&target, path, Box::new(Drawn(picture)))
    }

    fn publish(&self, mut outputs: Vec<Box<dyn Output>>) -> Result<(), OutputError> {
        let begun = std::mem::take(&mut *self.begun.lock().unwrap_or_else(PoisonError::into_inner));
        // Of what was let go meanwhile nothing is there. The places are looked at now.
        let moves = begun.iter().filter(|moved| moved.part().exists());
        #[cfg_attr(not(feature = "sqlite"), allow(unused_mut))]
        let mut moves: Vec<Move> = moves.map(Move::now).collect();
        #[cfg(feature = "sqlite")]
        moves.extend(self.databases.refills());
        // What a server has taken decides for all else; what cannot be undone comes before what can.
        outputs.sort_by_key(|output| (!output.decides(), !output.is_final()));
        let addresses = self.servers.addresses();
        let deciding = Deciding { run: self.run.clone(), addresses };
        let deciding = (!deciding.addresses.is_empty()).then_some(deciding);
        let journal = Journal::write(moves, deciding).map_err(|(folder, error)| OutputError {
            path: folder.display().to_string(),
            message: format!("a journal cannot be written there: {error}"),
            help: "nothing was written; see to the folder and run again".into(),
        })?;
        let placed = publish_each(&mut outputs);
        let placed = placed.map_err(|error| match self.kept().as_slice() {
            [] => error,
            kept => OutputError {
                help: format!(
                    "only {} has been written, and keeps it; {}",
                    kept.join(", "),
                    error.help.trim_start_matches("nothing was written; ")
                ),
                ..error
            },
        });
        match (journal, &placed) {
            (Some(journal), Ok(())) => journal.done(),
            (Some(journal), Err(_)) => journal.cancel(),
            (None, _) => {}
        }
        placed
    }
}

/// Writes a file whole, or leaves what stood there.
///
/// # Errors
/// Why it cannot be written.
pub fn write_file(path: &Path, bytes: &[u8]) -> Result<(), OutputError> {
    let mut file = PlacedFile::begin(path, &path.to_string_lossy())?;
    file.write_by(|out| out.write_all(bytes))?;
    file.complete()?;
    file.publish()?;
    file.settle();
    Ok(())
}
