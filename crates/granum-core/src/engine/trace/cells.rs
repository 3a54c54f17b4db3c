//! Cells as they stand in files.

use std::collections::BTreeSet;

use crate::engine::context::RunError;
use crate::port::{InputColumn, InputSource, ReadRequest};
use crate::table::Column;
use crate::value::Type;

/// So many parts of a file are looked at together.
const PARTS: usize = 16;

/// Cells of rows of an input as they stand in its files, row by row; nothing where one is empty.
///
/// # Errors
/// A file that cannot be read any more.
pub(in crate::engine) fn cells(
    source: &dyn InputSource,
    columns: &[usize],
    rows: &BTreeSet<u32>,
) -> Result<Vec<Vec<Option<String>>>, RunError> {
    let column = |column: &usize| InputColumn { column: *column, ty: Type::Text, rule: None };
    let request =
        ReadRequest { columns: columns.iter().map(column).collect(), ..ReadRequest::default() };
    let mut reader = source.read(request).map_err(RunError::Source)?;
    let (mut found, mut first) = (vec![], 0_u32);
    let last = rows.last().copied();
    while last.is_some_and(|last| first <= last) {
        let parts = reader.next(PARTS).map_err(RunError::Source)?;
        if parts.is_empty() {
            break;
        }
        for part in parts {
            let part = part.parse().map_err(RunError::Source)?;
            let end = first + part.rows as u32;
            for row in rows.range(first..end) {
                let row = (row - first) as usize;
                let cell = |column: &Column| {
                    (!column.is_blank(row)).then(|| column.scalar(row).to_string())
                };
                found.push(part.columns.iter().map(cell).collect());
            }
            first = end;
        }
    }
    Ok(found)
}
