//! A sheet, gone through once: its rows as text in a temporary file, and what is known of them beside.

use std::collections::VecDeque;
use std::io::{BufWriter, Write};
use std::panic::resume_unwind;
use std::sync::mpsc::{channel, sync_channel};

use granum_core::port::{SourceError, SourceErrorKind, Written};
use granum_core::table::{Counted, Origin};
use granum_core::tally::BadCell;

use super::area::{self, Area, letters};
use super::book::Book;
use super::cell::Shown;
use super::look::{area_of, header_of};
use super::rows::{Row, rows};
use super::sheet::{Kinds, Sheet, SheetPart};
use crate::csv::{WithoutValue, system_error, write_row};
use crate::spool::Spooled;
use granum_core::tally::part_name;

/// Rows are read again in parts of about this many bytes.
const PART: usize = 1 << 19;

/// Goes through a sheet. `name` is its file's.
///
/// # Errors
/// Why it cannot be read: no header, two columns of one name, cells in a column without one.
pub(super) fn translate(
    book: &mut Book,
    name: &str,
    sheet: &str,
    written: &Written,
) -> Result<Sheet, SourceError> {
    let area = area_of(name, written)?;
    let origin = Origin { file: part_name(name, sheet).into(), counted: Counted::Row };
    let text = Spooled::begin("").map_err(|error| system_error(name, &error))?;
    let made = Making::new(origin, text, written);
    let (gone, made) = go_through(book, sheet, area, made);
    if let Err(mut error) = gone {
        // Where a name is missing, the header may be another row: that is looked up, not guessed.
        if error.kind == SourceErrorKind::Header
            && written.header_at.is_none()
            && let Some(line) = header_of(book, sheet, area)?
        {
            error.help = format!("its header seems to be row {line}:  header at {line}");
        }
        return Err(error);
    }
    let blanks = made.blanks;
    let mut made = made.finish()?;
    if blanks {
        made.cover(&book.merged(sheet)?);
    }
    Ok(made)
}

/// So many rows are handed on at once.
const BATCH: usize = 512;

/// Goes through a sheet on one core, while the other makes text of its rows.
fn go_through(
    book: &mut Book,
    sheet: &str,
    area: Area,
    mut made: Making,
) -> (Result<(), SourceError>, Making) {
    let (hand_on, batches) = sync_channel::<Vec<Row>>(4);
    // Rows come back to be filled again.
    let (give_back, spare) = channel::<Vec<Row>>();
    std::thread::scope(|scope| {
        let writing = scope.spawn(move || {
            let mut written = Ok(());
            for mut batch in batches {
                written = batch.iter_mut().try_for_each(|row| made.next(row));
                if written.is_err() {
                    break;
                }
                // Nobody may want them any more.
                let _ = give_back.send(batch);
            }
            (written, made)
        });
        let (mut batch, mut used): (Vec<Row>, usize) = (vec![], 0);
        let read = rows(book, sheet, area, &mut |row| {
            if used == batch.len() {
                batch.push(Row::default());
            }
            std::mem::swap(&mut batch[used], row);
            used += 1;
            if used < BATCH {
                return Ok(true);
            }
            used = 0;
            let full = std::mem::replace(&mut batch, spare.try_recv().unwrap_or_default());
            // Where the other side has stopped, it says why.
            Ok(hand_on.send(full).is_ok())
        });
        batch.truncate(used);
        let _ = hand_on.send(batch);
        drop(hand_on);
        let (written, made) = writing.join().unwrap_or_else(|caught| resume_unwind(caught));
        (written.and(read), made)
    })
}

/// A sheet on its way.
struct Making {
    origin: Origin,
    header_at: Option<u64>,
    /// So many rows at the end are none.
    footer: usize,
    names: Vec<String>,
    columns: Vec<u32>,
    /// For each column of the sheet, up to the last with a name, its place among those.
    places: Vec<Option<usize>>,
    found: Vec<Kinds>,
    /// Rows that may be the last.
    held: VecDeque<Row>,
    spare: Vec<Row>,
    out: BufWriter<Spooled>,
    /// The texts of a row, where each cell's stands in them, and the row as it is written.
    line: Vec<u8>,
    cells: Vec<(usize, usize)>,
    row: Vec<u8>,
    parts: Vec<SheetPart>,
    part: SheetPart,
    /// Whether a cell of a row shows nothing.
    blanks: bool,
}

impl Making {
    fn new(origin: Origin, text: Spooled, written: &Written) -> Self {
        Self {
            origin,
            header_at: written.header_at,
            footer: written.footer.unwrap_or(0) as usize,
            names: vec![],
            columns: vec![],
            places: vec![],
            found: vec![],
            held: VecDeque::new(),
            spare: vec![],
            out: BufWriter::with_capacity(1 << 16, text),
            line: vec![],
            cells: vec![],
            row: vec![],
            parts: vec![],
            part: SheetPart::default(),
            blanks: false,
        }
    }

    fn error(&self, message: String, help: &str) -> SourceError {
        SourceError {
            kind: SourceErrorKind::Header,
            file: self.origin.file.to_string(),
            line: None,
            message,
            help: help.to_owned(),
        }
    }

    /// The next row.
    fn next(&mut self, row: &mut Row) -> Result<(), SourceError> {
        if self.names.is_empty() {
            return self.header(row);
        }
        if self.footer == 0 {
            return self.write(row);
        }
        let fresh = self.spare.pop().unwrap_or_default();
        self.held.push_back(std::mem::replace(row, fresh));
        if self.held.len() > self.footer
            && let Some(first) = self.held.pop_front()
        {
            self.write(&first)?;
            self.spare.push(first);
        }
        Ok(())
    }

    fn header(&mut self, row: &Row) -> Result<(), SourceError> {
        let number = u64::from(row.number) + 1;
        match self.header_at {
            Some(line) if number < line => return Ok(()),
            Some(line) if number > line => return Err(self.no_header(line)),
            _ => {}
        }
        for (column, text, shown) in row.cells() {
            let at = area::cell(column, row.number);
            if shown == Shown::NoValue {
                let message = format!("has no name for a column in {at}: {text} stands there");
                return Err(self.error(message, "give the column a name"));
            }
            if let Some(known) = self.names.iter().position(|name| name == text) {
                let first = area::cell(self.columns[known], row.number);
                let message = format!("has two columns called `{text}`: {first} and {at}");
                let end = column.saturating_sub(1);
                let help = format!(
                    "give one another name, or say which cells are the table:{}",
                    self.up_to(end)
                );
                return Err(self.error(message, &help));
            }
            self.places.resize(column as usize + 1, None);
            self.places[column as usize] = Some(self.names.len());
            self.names.push(text.to_owned());
            self.columns.push(column);
        }
        self.found = vec![Kinds::default(); self.names.len()];
        self.cells = vec![(0, 0); self.names.len()];
        Ok(())
    }

    /// What to say so that only columns up to one are the table.
    fn up_to(&self, end: u32) -> String {
        let first = self.columns.first().copied().unwrap_or(0);
        match self.columns.iter().filter(|column| **column <= end).max() {
            Some(last) => format!("  range \"{}:{}\"", letters(first), letters(*last)),
            None => format!("  range \"{}:\u{2026}\"", letters(first)),
        }
    }

    fn no_header(&self, line: u64) -> SourceError {
        let message = format!("has nothing in row {line}, where its header is said to be");
        self.error(message, "look where the header is, or leave  header at  out")
    }

    /// Writes a row that is one.
    fn write(&mut self, row: &Row) -> Result<(), SourceError> {
        self.cells.fill((0, 0));
        let (mut any, mut end) = (0, 0);
        self.line.clear();
        // Texts are put into order first: cells need not stand in theirs.
        let in_row = self.part.lines.len();
        for (column, text, shown) in row.cells() {
            let Some(field) = self.places.get(column as usize).copied().flatten() else {
                let at = area::cell(column, row.number);
                let message =
                    format!("has a cell in {at}, and no name for the column {}", letters(column));
                let end = column.saturating_sub(1);
                let help = format!(
                    "give the column a name, or say which cells are the table:{}",
                    self.up_to(end)
                );
                return Err(self.error(message, &help));
            };
            any += 1;
            if shown == Shown::NoValue {
                self.part.without.push(WithoutValue { row: in_row, field, text: text.into() });
                continue;
            }
            self.found[field].of(text, shown);
            self.line.extend_from_slice(text.as_bytes());
            self.cells[field] = (end, self.line.len());
            end = self.line.len();
        }
        self.blanks |= any < self.names.len();
        self.part.lines.push(u64::from(row.number) + 1);
        self.put()
    }

    /// Writes the cells of a row.
    fn put(&mut self) -> Result<(), SourceError> {
        self.row.clear();
        write_row(self.cells.iter().map(|(from, to)| &self.line[*from..*to]), &mut self.row);
        let file = &self.origin.file;
        self.out.write_all(&self.row).map_err(|error| system_error(file, &error))?;
        self.part.bytes += self.row.len();
        if self.part.bytes >= PART {
            self.end_part();
        }
        Ok(())
    }

    fn end_part(&mut self) {
        let from = self.part.from + self.part.bytes as u64;
        let next = SheetPart { from, ..SheetPart::default() };
        let mut part = std::mem::replace(&mut self.part, next);
        if !part.lines.is_empty() {
            part.without.sort_by_key(|cell| (cell.row, cell.field));
            self.parts.push(part);
        }
    }

    fn finish(mut self) -> Result<Sheet, SourceError> {
        if self.names.is_empty() {
            return Err(match self.header_at {
                Some(line) => self.no_header(line),
                None => SourceError {
                    kind: SourceErrorKind::Empty,
                    ..self.error(
                        "has nothing in it: there is no header".into(),
                        "name another sheet, or leave it out of the plan",
                    )
                },
            });
        }
        self.end_part();
        let left_out = self.held.iter().map(|row| {
            let words: Vec<&str> = row.cells().map(|(_, text, _)| text).collect();
            BadCell { text: words.join(" | "), place: self.origin.place(u64::from(row.number) + 1) }
        });
        let left_out = left_out.collect();
        let text = self.out.into_inner().map_err(|error| {
            system_error(&self.origin.file, &std::io::Error::other(error.to_string()))
        })?;
        Ok(Sheet {
            origin: self.origin,
            text,
            names: self.names,
            columns: self.columns,
            kinds: self.found,
            parts: self.parts,
            left_out,
        })
    }
}
