//! Some columns of files read again, for what cannot be told of a sample of their values.

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
