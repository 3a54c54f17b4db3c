//! Where the header of a sheet stands, and what stands below its rows.

use std::collections::{BTreeSet, VecDeque};
use std::path::Path;

use granum_core::port::{SourceError, SourceErrorKind, Written};

use super::area::Area;
use super::book::Book;
use super::rows::{Row, rows};
use crate::csv::{LineEnds, Look, totals};

/// So many rows are looked at from the first.
const ROWS: usize = 200;

/// What stands below the rows is looked for in files up to this size: all of a sheet is gone through for it.
const SMALL: u64 = 4 << 20;

/// How a sheet is written.
///
/// # Errors
/// As when it is read.
pub(crate) fn look(path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
    let mut book = Book::open(path, name)?;
    let bytes = std::fs::metadata(path).map_or(0, |data| data.len());
    let sheets = chosen(&mut book, name, said.sheet.as_deref())?;
    let sheet = &sheets[0];
    let area = area_of(name, said)?;
    let header_at = match said.header_at {
        None => header_of(&mut book, sheet, area)?,
        said => said,
    };
    let footer = match said.footer {
        None if bytes <= SMALL => footer_of(&mut book, sheet, area)?,
        said => said,
    };
    Ok(Look {
        format: "sheet",
        encoding: "UTF-8".into(),
        named_encoding: None,
        delimiter: ',',
        header_at,
        footer,
        line_ends: LineEnds::None,
        bytes,
        sheet: Some(said.sheet.clone().unwrap_or_else(|| sheet.clone())),
        range: said.range.clone(),
        named: None,
    })
}

/// The cells that are meant.
///
/// # Errors
/// That they are none.
pub(super) fn area_of(name: &str, said: &Written) -> Result<Area, SourceError> {
    let Some(text) = &said.range else { return Ok(Area::WHOLE) };
    Area::parse(text).ok_or_else(|| SourceError {
        kind: SourceErrorKind::Header,
        file: name.to_owned(),
        line: None,
        message: format!("has no cells \"{text}\""),
        help:
            "name the first and the last, as in  range \"B4:H900\"; columns alone have all rows:  \
               range \"B:H\""
                .into(),
    })
}

/// The sheets that are meant: the one that is named, all that a pattern finds, or the only one that has cells.
///
/// # Errors
/// That there is none, or that it is not clear which.
pub(super) fn chosen(
    book: &mut Book,
    name: &str,
    said: Option<&str>,
) -> Result<Vec<String>, SourceError> {
    let error = |message: String, help: String| SourceError {
        kind: SourceErrorKind::Sheet,
        file: name.to_owned(),
        line: None,
        message,
        help,
    };
    let named: Vec<String> = book.sheets().into_iter().map(|sheet| sheet.name).collect();
    if let Some(said) = said {
        if named.iter().any(|sheet| sheet == said) {
            return Ok(vec![said.to_owned()]);
        }
        if said.contains(['*', '?']) {
            let pattern = glob::Pattern::new(&said.replace('[', "[[]"));
            let found = named
                .iter()
                .filter(|sheet| pattern.as_ref().is_ok_and(|pattern| pattern.matches(sheet)));
            let found: Vec<String> = found.cloned().collect();
            if !found.is_empty() {
                return Ok(found);
            }
        }
        let near = named.iter().find(|sheet| sheet.to_lowercase() == said.trim().to_lowercase());
        let help = match near {
            Some(near) => format!("did you mean \"{near}\"?"),
            None => format!("its sheets are {}", named.join(", ")),
        };
        return Err(error(format!("has no sheet \"{said}\""), help));
    }
    let shown = book.shown()?;
    match shown.as_slice() {
        [_] => Ok(shown),
        [] => Err(SourceError {
            kind: SourceErrorKind::Empty,
            ..error(
                "has no sheet with anything in it".into(),
                "ask for the file again, or leave it out of the plan; a sheet that is hidden has to be \
                 named:  sheet \"\u{2026}\""
                    .into(),
            )
        }),
        [first, ..] => Err(error(
            format!("has {} sheets: {}", shown.len(), shown.join(", ")),
            format!("say which:  sheet \"{first}\""),
        )),
    }
}

/// The row of the header, counted from 1, where it is not the first that shows something: the first that has a name for
/// each column which is used further down.
///
/// # Errors
/// Why the sheet cannot be read.
pub(super) fn header_of(
    book: &mut Book,
    sheet: &str,
    area: Area,
) -> Result<Option<u64>, SourceError> {
    let mut first: Vec<(u32, BTreeSet<u32>)> = vec![];
    rows(book, sheet, area, &mut |row: &mut Row| {
        first.push((row.number, row.cells().map(|(column, ..)| column).collect()));
        Ok(first.len() < ROWS)
    })?;
    let mut used = BTreeSet::new();
    let mut header = None;
    for (number, columns) in first.iter().rev() {
        // A row of the data may be full as well: the first that is, is the header.
        if columns.is_superset(&used) && !used.is_empty() {
            header = Some(*number);
        }
        used.extend(columns);
    }
    let first = first.first().map(|(number, _)| *number);
    Ok(header.filter(|header| Some(*header) != first).map(|row| u64::from(row) + 1))
}

/// How many rows at the end of a sheet are none: their first cell begins with a word for a total.
fn footer_of(book: &mut Book, sheet: &str, area: Area) -> Result<Option<u64>, SourceError> {
    const MOST: usize = 5;
    let mut last: VecDeque<bool> = VecDeque::new();
    rows(book, sheet, area, &mut |row: &mut Row| {
        last.push_back(row.cells().next().is_some_and(|(_, text, _)| totals(text)));
        if last.len() > MOST + 2 {
            last.pop_front();
        }
        Ok(true)
    })?;
    let count = last.iter().rev().take_while(|total| **total).count();
    Ok((count > 0 && count <= MOST && last.len() > count + 1).then_some(count as u64))
}
