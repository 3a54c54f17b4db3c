//! One part of a file on its way into columns.

use std::borrow::Cow;
use std::hash::Hasher;
use std::ops::Range;
use std::sync::Arc;

use granum_core::lang::Otherwise;
use granum_core::port::{
    CellTrouble, InputColumn, OddHours, Part, RawPart, ReadRequest, SourceError, SourceErrorKind,
};
use granum_core::table::{Column, Lines, Origin, Place};
use granum_core::value::{Found, OddHour, Scale, Type};
use memchr::memchr_iter;
use siphasher::sip128::{Hasher128, SipHasher13};

use super::cells::{CellColumn, Cells};
use super::grid::Grid;
use super::records::Records;
use super::scan::{Fault, Field};

/// What to do about a file in another encoding.
pub(super) const NOT_UTF8: &str =
    "say how it is written, often  encoding \"windows-1252\"  (or save it as UTF-8)";

/// Bad cells are listed up to this many a column and part.
const EXAMPLES: usize = 5;

/// What all parts of an input have in common.
#[derive(Debug)]
pub(crate) struct Layout {
    pub delimiter: u8,
    pub request: ReadRequest,
}

/// Whole records of one file.
#[derive(Clone)]
pub(crate) struct CsvPart {
    pub text: Vec<u8>,
    /// The line of its first byte.
    pub line: u64,
    pub name: Arc<str>,
    pub width: usize,
    pub fields: Vec<Option<usize>>,
    pub layout: Arc<Layout>,
    /// Where its rows are made of something else than this text: what is known of them.
    pub made_of: Option<MadeOf>,
}

/// Where rows stand that were no text before, and which of their cells have no value.
#[derive(Debug, Clone)]
pub(crate) struct MadeOf {
    pub origin: Origin,
    pub lines: Lines,
    /// By their rows, counted from the part's first.
    pub without: Vec<WithoutValue>,
}

/// A cell that has no value, and is blank in the text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct WithoutValue {
    pub row: usize,
    pub field: usize,
    /// What stands there.
    pub text: Arc<str>,
}

/// Of a part's cells without a value those in one field, for some of its rows.
fn without_in(
    part: &CsvPart,
    field: Option<usize>,
    rows: Range<usize>,
) -> impl Iterator<Item = &WithoutValue> {
    let all = part.made_of.as_ref().map_or(&[][..], |made| &made.without);
    let from = all.partition_point(|cell| cell.row < rows.start);
    let cells = all[from..].iter().take_while(move |cell| cell.row < rows.end);
    cells.filter(move |cell| Some(cell.field) == field)
}

/// A cell's text, doubled quotes made single.
pub(crate) fn cell(text: &str, field: Field) -> Cow<'_, str> {
    let cell = &text[field.start..field.end];
    if field.escaped { Cow::Owned(cell.replace("\"\"", "\"")) } else { Cow::Borrowed(cell) }
}

impl RawPart for CsvPart {
    fn bytes(&self) -> u64 {
        self.text.len() as u64
    }

    fn parse(&self) -> Result<Part, SourceError> {
        let text = self.utf8()?;
        let request = &self.layout.request;
        // Room for as many rows as there are lines: nothing grows, and nothing is held in vain.
        let room = memchr_iter(b'\n', &self.text).count() + 1;
        let mut columns: Vec<CellColumn> =
            request.columns.iter().map(|column| CellColumn::new(column, room)).collect();
        let mut prints: Vec<Fingerprints> = request
            .fingerprints
            .iter()
            .map(|columns| Fingerprints::new(columns, self, room))
            .collect();
        let mut troubles: Vec<CellTrouble> = vec![];
        let mut odd_hours: Vec<OddHours> = vec![];
        let mut contradicts = false;
        let mut aside: Vec<bool> = vec![];
        let mut records = Records::new(self, text);
        let mut grid = Grid::new(self.width);
        while records.fill(&mut grid)? {
            let first = records.rows() - grid.rows();
            let mut all_bad: Vec<(usize, Vec<usize>)> = vec![];
            for (at, (column, wanted)) in columns.iter_mut().zip(&request.columns).enumerate() {
                let cells = Cells { text, grid: &grid, place: self.fields[wanted.column] };
                let bad = column.take(&cells);
                for (row, hour) in column.odd_hours() {
                    note_hour(&mut odd_hours, at, *hour, || {
                        (cells.text(*row).into_owned(), self.place(&records, first + row))
                    });
                }
                if !bad.is_empty() && wanted.rule.is_none() {
                    contradicts = true;
                    continue;
                }
                let rows = first..first + grid.rows();
                let without = without_in(self, self.fields[wanted.column], rows);
                let without = without.map(|cell| cell.row - first);
                let without: Vec<usize> =
                    without.filter(|row| cells.text(*row).is_empty()).collect();
                let bad = if without.is_empty() { bad } else { merged(bad, without) };
                if bad.is_empty() {
                    continue;
                }
                if sets_aside(wanted) && request.aside {
                    aside.resize(records.rows(), false);
                    bad.iter().for_each(|row| aside[first + row] = true);
                }
                all_bad.push((at, bad));
            }
            for (at, mut bad) in all_bad {
                let wanted = &request.columns[at];
                // What else stands in a row that is left out is nobody's trouble.
                if !sets_aside(wanted) {
                    bad.retain(|row| !aside.get(first + row).is_some_and(|aside| *aside));
                }
                if bad.is_empty() {
                    continue;
                }
                let known = troubles.iter().position(|trouble| trouble.column == at);
                let known = known.unwrap_or_else(|| {
                    troubles.push(CellTrouble { column: at, count: 0, examples: vec![] });
                    troubles.len() - 1
                });
                let cells = Cells { text, grid: &grid, place: self.fields[wanted.column] };
                let trouble = &mut troubles[known];
                trouble.count += bad.len() as u64;
                for row in bad.into_iter().take(EXAMPLES - trouble.examples.len()) {
                    let rows = first + row..first + row + 1;
                    let text = match without_in(self, cells.place, rows).next() {
                        Some(without) => without.text.to_string(),
                        None => cells.text(row).into_owned(),
                    };
                    trouble.examples.push((text, self.place(&records, first + row)));
                }
            }
            for print in &mut prints {
                print.take(text, &grid);
            }
        }
        aside.resize(records.rows(), false);
        Ok(Part {
            rows: records.rows(),
            aside: request.aside.then(|| Column::Boolean(aside.into())),
            columns: columns.into_iter().map(CellColumn::finish).collect(),
            fingerprints: prints.into_iter().map(Fingerprints::finish).collect(),
            origin: self.origin(),
            lines: self.made_of.as_ref().map_or_else(|| records.lines(), |made| made.lines.clone()),
            troubles,
            odd_hours,
            contradicts,
        })
    }
}

/// Rows of two kinds in their order.
fn merged(mut some: Vec<usize>, others: Vec<usize>) -> Vec<usize> {
    some.extend(others);
    some.sort_unstable();
    some
}

/// Notes a moment in an hour that a clock showed twice, or never.
fn note_hour(
    all: &mut Vec<OddHours>,
    column: usize,
    hour: OddHour,
    example: impl FnOnce() -> (String, Place),
) {
    let known = all.iter().position(|odd| odd.column == column);
    let at = known.unwrap_or_else(|| {
        all.push(OddHours { column, twice: 0, never: 0, examples: vec![] });
        all.len() - 1
    });
    match hour {
        OddHour::Twice => all[at].twice += 1,
        OddHour::Never => all[at].never += 1,
    }
    if all[at].examples.len() < EXAMPLES {
        all[at].examples.push(example());
    }
}

/// Whether cells of a column that cannot be read set their rows aside.
fn sets_aside(column: &InputColumn) -> bool {
    column.rule.as_ref().is_some_and(|rule| rule.otherwise == Otherwise::Aside)
}

impl CsvPart {
    fn origin(&self) -> Origin {
        let made = self.made_of.as_ref().map(|made| made.origin.clone());
        made.unwrap_or_else(|| Origin::lines(self.name.clone()))
    }

    /// Where a row stands, counted from the part's first.
    fn place(&self, records: &Records<'_>, row: usize) -> Place {
        match &self.made_of {
            Some(made) => made.origin.place(made.lines.line(row)),
            None => Place::line(self.name.clone(), records.line_of(row)),
        }
    }

    pub(super) fn error(
        &self,
        kind: SourceErrorKind,
        line: u64,
        message: String,
        help: &str,
    ) -> SourceError {
        SourceError {
            kind,
            file: self.name.to_string(),
            line: Some(line),
            message,
            help: help.to_owned(),
        }
    }

    fn line_at(&self, byte: usize) -> u64 {
        self.line + memchr_iter(b'\n', &self.text[..byte.min(self.text.len())]).count() as u64
    }

    pub(crate) fn utf8(&self) -> Result<&str, SourceError> {
        std::str::from_utf8(&self.text).map_err(|error| {
            let line = self.line_at(error.valid_up_to());
            let byte = self.text[error.valid_up_to()];
            self.error(
                SourceErrorKind::Encoding,
                line,
                format!("is not UTF-8: byte {byte:#04x} does not belong there"),
                NOT_UTF8,
            )
        })
    }

    pub(super) fn fault(&self, fault: Fault) -> SourceError {
        match fault {
            Fault::OpenQuote(at) => self.error(
                SourceErrorKind::OpenQuote,
                self.line_at(at),
                "a quote is opened here and never closed".into(),
                "close it, or double it if it is part of the text",
            ),
            Fault::AfterQuote(at) => self.error(
                SourceErrorKind::AfterQuote,
                self.line_at(at),
                "text follows a closing quote".into(),
                "a quote within a quoted field is written twice",
            ),
        }
    }

    /// Takes in all cells of some columns, to find their types. `found` has one place a column.
    pub(super) fn find_types(&self, found: &mut [Option<Found>]) -> Result<(), SourceError> {
        let text = self.utf8()?;
        let mut records = Records::new(self, text);
        let mut grid = Grid::new(self.width);
        while records.fill(&mut grid)? {
            for (found, place) in found.iter_mut().zip(&self.fields) {
                let (Some(found), Some(place)) = (found, place) else { continue };
                for row in 0..grid.rows() {
                    let value = cell(text, grid.field(row, *place));
                    if !value.is_empty() {
                        found.cell(value.as_bytes());
                    }
                }
            }
        }
        Ok(())
    }
}

/// Fingerprints of the text of some columns: 128 bits of `SipHash` over the cells as they would stand
/// beside each other without quotes. A delimiter or line end within a cell is told from one between
/// cells by a byte that no text has. Two rows of a billion share one by chance with odds below
/// 10^-20.
struct Fingerprints {
    places: Vec<Option<usize>>,
    /// The first and the last of them, where they are one after the other.
    beside: Option<(usize, usize)>,
    values: Vec<i128>,
    scratch: Vec<u8>,
    delimiter: u8,
}

/// Stands before a delimiter that is part of a cell; no UTF-8 text has it.
const PART_OF_CELL: u8 = 0xFF;

impl Fingerprints {
    fn new(columns: &[usize], part: &CsvPart, room: usize) -> Self {
        let places: Vec<Option<usize>> =
            columns.iter().map(|column| part.fields[*column]).collect();
        let next =
            |pair: &[Option<usize>]| pair[1].is_some() && pair[1] == pair[0].map(|at| at + 1);
        let ends = places.first().copied().flatten().zip(places.last().copied().flatten());
        Self {
            beside: ends.filter(|_| places.windows(2).all(next)),
            places,
            values: Vec::with_capacity(room),
            scratch: vec![],
            delimiter: part.layout.delimiter,
        }
    }

    fn take(&mut self, text: &str, grid: &Grid) {
        for row in 0..grid.rows() {
            let print = match self.as_they_stand(grid, row) {
                Some(cells) => fingerprint(&text.as_bytes()[cells]),
                None => {
                    self.join(text, grid, row);
                    fingerprint(&self.scratch)
                }
            };
            self.values.push(print);
        }
    }

    /// The row's cells, if they stand beside each other in the file, in order and unquoted.
    fn as_they_stand(&self, grid: &Grid, row: usize) -> Option<Range<usize>> {
        if let (true, Some((first, last))) = (grid.is_plain(), self.beside) {
            return Some(grid.field(row, first).start..grid.field(row, last).end);
        }
        let (first, rest) = self.places.split_first()?;
        let first = grid.field(row, (*first)?);
        let mut end = first.end;
        for place in rest {
            let field = grid.field(row, (*place)?);
            if field.start != end + 1 {
                return None;
            }
            end = field.end;
        }
        // Quotes stand between cells that have some, so only a single one can be escaped here.
        (!first.escaped).then_some(first.start..end)
    }

    fn join(&mut self, text: &str, grid: &Grid, row: usize) {
        self.scratch.clear();
        for (at, place) in self.places.iter().enumerate() {
            if at > 0 {
                self.scratch.push(self.delimiter);
            }
            let Some(place) = place else { continue };
            let field = grid.field(row, *place);
            if grid.is_plain() {
                // No delimiter stands within a cell.
                self.scratch.extend_from_slice(&text.as_bytes()[field.start..field.end]);
                continue;
            }
            for byte in cell(text, field).bytes() {
                if byte == self.delimiter {
                    self.scratch.push(PART_OF_CELL);
                }
                self.scratch.push(byte);
            }
        }
    }

    fn finish(self) -> Column {
        Column::decimal(self.values, None, Scale(0))
    }
}

fn fingerprint(bytes: &[u8]) -> i128 {
    let mut hasher = SipHasher13::new();
    hasher.write(bytes);
    hasher.finish128().as_u128() as i128
}

/// The type that a column has when nothing is said, from what its cells were found to be.
pub(crate) fn settled_type(found: Option<Found>) -> Type {
    found.map_or(Type::Blank, Found::ty)
}
