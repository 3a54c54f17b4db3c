//! Reads files as columns of numbers, a few parts at a time.
//!
//! Where memory has no room for that, codes go to a disk, and of the values of a column that takes most a sample is
//! kept: what each cell looks like is noted as it passes, so that only what is asked of values is an estimate.

use std::sync::Arc;

use rayon::prelude::*;

use super::coded::{Coded, CodedColumn, Without};
use super::coding::Coding;
use crate::port::{
    InputColumn, InputSource, Observer, Part, RawPart, ReadRequest, SourceError, SourceErrorKind,
};
use crate::table::{Column, Places, Room, RoomFile};
use crate::value::Type;

/// How much memory files may take while they are looked at: bytes, of a room that has a disk beside it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Space<'a> {
    pub room: &'a Room,
    pub limit: u64,
}

/// Parts that are parsed together.
const WINDOW: usize = 4;

/// Reads all cells of an input as the text that they are.
pub(crate) fn read(
    source: &dyn InputSource,
    space: Space<'_>,
    observer: &dyn Observer,
) -> Result<Coded, SourceError> {
    let shape = source.shape();
    let columns = (0..shape.columns.len())
        .map(|column| InputColumn { column, ty: Type::Text, rule: None })
        .collect();
    let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() })?;
    let mut coding: Vec<Coding> = shape.columns.iter().map(|_| Coding::default()).collect();
    let (mut rows, mut bytes, mut places) = (0_usize, 0_u64, Places::default());
    let (mut room, mut values_to_come) = (0, true);
    // Columns share a file: a database may have thousands of them.
    let mut file: Option<Arc<RoomFile>> = None;
    let mut raw = reader.next(WINDOW)?;
    let mut parsed: Vec<Part> = vec![];
    let mut without = vec![Without::default(); shape.columns.len()];
    while !(raw.is_empty() && parsed.is_empty()) {
        let first = rows;
        let mut begins = vec![];
        for part in &mut parsed {
            for trouble in std::mem::take(&mut part.troubles) {
                without[trouble.column].note(trouble);
            }
            rows += part.rows;
            if rows > u32::MAX as usize {
                return Err(SourceError {
                    kind: SourceErrorKind::System,
                    file: part.origin.file.to_string(),
                    line: None,
                    message: "more than 4,294,967,295 rows are more than one table can have".into(),
                    help: "take it apart, by month for example".into(),
                });
            }
            let begins_file = places.file().is_none_or(|file| **file != *part.origin.file);
            begins.push(begins_file);
            places.push(part.origin.clone(), part.lines.clone(), part.rows as u32);
        }
        // As many rows as there will be if they go on like this: nothing grows.
        if rows > 0 && first == 0 {
            let share = source.bytes().max(bytes) as f64 / bytes.max(1) as f64;
            room = (rows as f64 * share * 1.02) as usize;
            space.reserve(&mut coding, room);
        } else if first > 0 && std::mem::take(&mut values_to_come) {
            space.reserve_values(&mut coding, room);
        }
        // The next rows are parsed while these are numbered: columns differ in how long they take.
        let (next, ()) = rayon::join(
            || {
                let (parsed, next) = rayon::join(
                    || raw.par_iter().map(|part| part.parse()).collect::<Result<Vec<_>, _>>(),
                    || if raw.is_empty() { Ok(vec![]) } else { reader.next(WINDOW) },
                );
                Ok::<(Vec<Part>, Vec<Box<dyn RawPart>>), SourceError>((parsed?, next?))
            },
            || {
                coding.par_iter_mut().enumerate().for_each(|(at, coding)| {
                    let mut row = first;
                    for (part, begins_file) in parsed.iter().zip(&begins) {
                        if *begins_file {
                            coding.dictionary.begin_file();
                        }
                        match &part.columns[at] {
                            Column::Text(texts) => coding.take(texts, row),
                            column => coding.take_blanks(column.len()),
                        }
                        row += part.rows;
                    }
                });
            },
        );
        space.keep_within(&mut coding, &mut file);
        if let Some(error) = space.room.failed() {
            return Err(error.into());
        }
        let read: u64 = raw.iter().map(|part| part.bytes()).sum();
        bytes += read;
        observer.advance(read);
        (parsed, raw) = next?;
    }
    let columns: Vec<CodedColumn> = coding
        .into_par_iter()
        .zip(shape.columns)
        .zip(without)
        .map(|((mut coding, (name, ty)), without)| {
            coding.profile.own = shape.typed.then_some(ty);
            coding.finish(name, without)
        })
        .collect();
    Ok(Coded { rows, columns, places, unread: shape.unread })
}

impl Space<'_> {
    /// How many keys of several columns are looked at together.
    pub fn most_keys(self) -> usize {
        const FEWEST: u64 = if cfg!(test) { 1 << 8 } else { 1 << 14 };
        const BYTES: u64 = 64;
        (self.limit / 8 / BYTES).max(FEWEST) as usize
    }

    /// Makes room for as many rows as there will be, where they have room.
    fn reserve(self, coding: &mut [Coding], rows: usize) {
        if (rows * size_of::<u32>() * coding.len()) as u64 <= self.limit / 4 {
            coding.iter_mut().for_each(|coding| coding.reserve(rows));
        }
    }

    /// The same for values.
    fn reserve_values(self, coding: &mut [Coding], rows: usize) {
        let values: Vec<usize> = coding.iter().map(|coding| coding.values_of(rows)).collect();
        let bytes = coding.iter().zip(&values).map(|(coding, values)| coding.bytes_of(*values));
        if bytes.sum::<u64>() <= self.limit / 2 {
            coding
                .iter_mut()
                .zip(values)
                .for_each(|(coding, more)| coding.dictionary.reserve(more));
        }
    }

    /// Puts codes away, and halves dictionaries, where they take too much of the space.
    fn keep_within(self, coding: &mut [Coding], file: &mut Option<Arc<RoomFile>>) {
        /// Fewer bytes are not worth a file.
        const LEAST: u64 = if cfg!(test) { 1 } else { 1 << 16 };
        let codes: usize = coding.iter().map(|coding| coding.codes.bytes_held()).sum();
        if file.is_some() || codes as u64 > (self.limit / 4).max(LEAST) {
            let file = &*file.get_or_insert_with(|| self.room.file());
            coding.par_iter_mut().for_each(|coding| coding.put_away(file));
        }
        loop {
            let held: Vec<usize> =
                coding.iter().map(|coding| coding.dictionary.bytes_held()).collect();
            let all: usize = held.iter().sum();
            let may = (0..coding.len()).filter(|at| coding[*at].dictionary.may_be_halved());
            match may.max_by_key(|at| held[*at]) {
                Some(most) if all as u64 > self.limit / 2 => coding[most].halve(),
                _ => break self.room.note_held((all + codes) as u64),
            }
        }
    }
}
