//! Some columns of files read again, for what cannot be told of a sample of their values.

use std::collections::{BTreeSet, HashMap};

use rayon::prelude::*;

use crate::port::{InputColumn, InputSource, Observer, ReadRequest, SourceError};
use crate::table::Column;
use crate::value::Type;

/// Parts that are parsed together.
const WINDOW: usize = 4;

/// Reads columns by their numbers, each with what takes its cells: a column of texts, or of blanks, for each part of the
/// files in their order. Gives back what took them.
///
/// # Errors
/// Why a file cannot be read.
pub(crate) fn read_again<T: Send>(
    source: &dyn InputSource,
    asked: Vec<(usize, T)>,
    observer: &dyn Observer,
    take: impl Fn(&mut T, &Column) + Sync,
) -> Result<Vec<T>, SourceError> {
    let column =
        |(column, _): &(usize, T)| InputColumn { column: *column, ty: Type::Text, rule: None };
    let columns = asked.iter().map(column).collect();
    let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() })?;
    let mut takers: Vec<T> = asked.into_iter().map(|(_, taker)| taker).collect();
    loop {
        let raw = reader.next(WINDOW)?;
        if raw.is_empty() {
            return Ok(takers);
        }
        let parts = raw.par_iter().map(|part| part.parse()).collect::<Result<Vec<_>, _>>()?;
        takers.par_iter_mut().enumerate().for_each(|(at, taker)| {
            parts.iter().for_each(|part| take(taker, &part.columns[at]));
        });
        observer.advance(raw.iter().map(|part| part.bytes()).sum());
    }
}

/// The cells of some rows in some columns, by column and row; of those that are blank nothing.
///
/// # Errors
/// Why a file cannot be read.
pub(super) fn cells_again(
    source: &dyn InputSource,
    columns: &BTreeSet<usize>,
    rows: &BTreeSet<u32>,
    observer: &dyn Observer,
) -> Result<HashMap<(usize, u32), String>, SourceError> {
    if columns.is_empty() || rows.is_empty() {
        return Ok(HashMap::new());
    }
    observer.stage("reading again what repeats", source.bytes());
    // The column, the rows before, and what was found.
    let asked = columns.iter().map(|at| (*at, (*at, 0_u32, vec![])));
    let found = read_again(source, asked.collect(), observer, |(at, first, found), cells| {
        let end = *first + cells.len() as u32;
        if let Column::Text(texts) = cells {
            let there = rows.range(*first..end).filter(|row| texts.has((**row - *first) as usize));
            let cell = |row: &u32| ((*at, *row), texts.value((*row - *first) as usize).to_owned());
            found.extend(there.map(cell));
        }
        *first = end;
    })?;
    Ok(found.into_iter().flat_map(|(.., found)| found).collect())
}
