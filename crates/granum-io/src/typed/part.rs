//! Some rows in columns of their own types → the columns that a plan asks for.

use std::sync::Arc;

use granum_core::Sure;
use granum_core::port::{Part, RawPart, ReadRequest, ReadRule, SourceError};
use granum_core::table::{Column, Lines, Origin};

use super::Native;
use super::prints::fingerprints;
use crate::csv::{CsvPart, Layout, MadeOf, WithoutValue, write_row};

/// The columns of an input that a request needs, by their numbers, in order.
pub(crate) fn needed(request: &ReadRequest) -> Vec<usize> {
    let asked = request.columns.iter().map(|asked| asked.column);
    let mut columns: Vec<usize> =
        asked.chain(request.fingerprints.iter().flatten().copied()).collect();
    columns.sort_unstable();
    columns.dedup();
    columns
}

/// Some rows of one file.
pub(crate) struct Typed<'a> {
    pub request: &'a ReadRequest,
    /// How many columns the input has.
    pub width: usize,
    pub rows: usize,
    /// By the numbers of the input's columns, those that are [`needed`].
    pub natives: Vec<(usize, Native)>,
    pub origin: Origin,
    /// The number of the first row in its file.
    pub first: u64,
    /// Whether all files of the input have each column in one type: then rows are told apart by their values, else by
    /// the text of those.
    pub alike: bool,
}

impl Typed<'_> {
    fn native(&self, column: usize) -> &Native {
        let place = self.natives.binary_search_by_key(&column, |(own, _)| *own);
        place.ok().map(|at| &self.natives[at].1).sure("a column that is needed")
    }

    /// The columns that are asked for.
    ///
    /// # Errors
    /// None that a file is to blame for.
    pub fn part(self) -> Result<Part, SourceError> {
        let asked = self.request.columns.iter();
        let mut columns: Vec<Option<Column>> =
            asked.map(|asked| self.native(asked.column).goes_over(asked)).collect();
        let to_read: Vec<usize> = (0..columns.len()).filter(|at| columns[*at].is_none()).collect();
        if to_read.is_empty() && (self.request.fingerprints.is_empty() || self.alike) {
            let aside = self.request.aside.then(|| Column::Boolean(vec![false; self.rows].into()));
            return Ok(Part {
                rows: self.rows,
                columns: columns.into_iter().flatten().collect(),
                fingerprints: self.fingerprints(),
                aside,
                origin: self.origin,
                lines: Lines::From(self.first),
                troubles: vec![],
                odd_hours: vec![],
                contradicts: false,
            });
        }
        let mut part = self.read(&to_read)?;
        for (at, column) in to_read.iter().zip(std::mem::take(&mut part.columns)) {
            columns[*at] = Some(column);
        }
        part.troubles.iter_mut().for_each(|trouble| trouble.column = to_read[trouble.column]);
        part.odd_hours.iter_mut().for_each(|odd| odd.column = to_read[odd.column]);
        if self.alike {
            part.fingerprints = self.fingerprints();
        }
        part.columns =
            columns.into_iter().map(|column| column.sure("a column asked for")).collect();
        Ok(part)
    }

    /// Fingerprints of values.
    fn fingerprints(&self) -> Vec<Column> {
        let sets = self.request.fingerprints.iter();
        let natives = |set: &Vec<usize>| -> Vec<&Native> {
            set.iter().map(|column| self.native(*column)).collect()
        };
        sets.map(|set| fingerprints(&natives(set), self.rows)).collect()
    }

    /// Some of the columns that are asked for, and the fingerprints unless they are those of values, by way of text.
    fn read(&self, to_read: &[usize]) -> Result<Part, SourceError> {
        let asked = |at: &usize| {
            let mut asked = self.request.columns[*at].clone();
            // The type is what a database says: a cell of another kind is told, and no reason to take another type.
            if asked.rule.is_none() && !self.native(asked.column).others.is_empty() {
                asked.rule = Some(ReadRule::plain(asked.ty));
            }
            asked
        };
        let request = ReadRequest {
            columns: to_read.iter().map(asked).collect(),
            fingerprints: if self.alike { vec![] } else { self.request.fingerprints.clone() },
            aside: self.request.aside,
            last: false,
        };
        let written = needed(&request);
        let mut fields = vec![None; self.width];
        written.iter().enumerate().for_each(|(field, column)| fields[*column] = Some(field));
        let natives: Vec<&Native> = written.iter().map(|column| self.native(*column)).collect();
        let mut without: Vec<WithoutValue> = natives
            .iter()
            .enumerate()
            .flat_map(|(field, native)| native.without.iter().map(move |cell| (field, cell)))
            .map(|(field, (row, text))| WithoutValue { row: *row, field, text: text.clone() })
            .collect();
        without.sort_by_key(|cell| (cell.row, cell.field));
        let part = CsvPart {
            text: self.text(&natives),
            line: 1,
            name: self.origin.file.clone(),
            width: written.len(),
            fields,
            layout: Arc::new(Layout { delimiter: b',', request }),
            made_of: Some(MadeOf {
                origin: self.origin.clone(),
                lines: Lines::From(self.first),
                without,
            }),
        };
        part.parse()
    }

    fn text(&self, natives: &[&Native]) -> Vec<u8> {
        let mut text = vec![];
        let (mut cells, mut ends) = (vec![], vec![]);
        for row in 0..self.rows {
            cells.clear();
            ends.clear();
            for native in natives {
                let start = cells.len();
                native.write(row, &mut cells);
                ends.push((start, cells.len()));
            }
            write_row(ends.iter().map(|(start, end)| &cells[*start..*end]), &mut text);
        }
        text
    }
}
