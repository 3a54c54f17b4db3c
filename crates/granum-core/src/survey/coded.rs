//! Files as columns of numbers: each value of a column has one, so that what is asked of values is
//! asked once of each, and what is asked of rows is asked of numbers.
//!
//! Where memory has no room for that, codes go to a disk, and of the values of a column that takes most a sample is
//! kept: what each cell looks like is noted as it passes, so that only what is asked of values is an estimate.
use std::sync::Arc;

use rayon::prelude::*;

use super::dictionary::{Dictionary, Head, Print, Recent, TOGETHER};
use super::profile::Profile;
use super::seen::Cells;
use crate::bug::{Sure, bug};
use crate::port::{
    CellTrouble, InputColumn, InputSource, Observer, Part, RawPart, ReadRequest, SourceError,
    SourceErrorKind,
};
use crate::table::{AwayCodes, Codes, Column, Place, Places, Room, RoomFile, Texts, View};
use crate::tally::Unread;
use crate::value::Type;

/// How much memory files may take while they are looked at: bytes, of a room that has a disk beside it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Space<'a> {
    pub room: &'a Room,
    pub limit: u64,
}

/// Parts that are parsed together.
const WINDOW: usize = 4;

/// One or more files of the same columns, one under the other.
#[derive(Debug)]
pub(crate) struct Coded {
    pub rows: usize,
    pub columns: Vec<CodedColumn>,
    pub places: Places,
    pub unread: Vec<Unread>,
}

impl Coded {
    /// The bytes that it takes in memory, about.
    pub fn bytes_held(&self) -> u64 {
        let column =
            |column: &CodedColumn| column.dictionary.bytes_held() + column.codes.bytes_held();
        self.columns.iter().map(column).sum::<usize>() as u64
    }
}

/// A column of numbers.
#[derive(Debug)]
pub(crate) struct CodedColumn {
    pub name: String,
    pub dictionary: Dictionary,
    /// For each row its value's number in the dictionary; the hash of its value where that is not whole.
    pub codes: Codes,
    pub blanks: u64,
    /// How many different values there are; an estimate where the dictionary is not whole.
    pub distinct: u64,
    /// What has been seen of the values.
    pub profile: Profile,
    /// Cells of a sheet that are blank, and should not be: they have no value.
    pub without: Without,
}

/// Cells that have no value, such as `#N/A`.
#[derive(Debug, Clone, Default)]
pub(crate) struct Without {
    pub rows: u64,
    /// The first: what stands there, and where.
    pub first: Option<(String, Place)>,
}

impl Without {
    fn note(&mut self, trouble: CellTrouble) {
        self.rows += trouble.count;
        if self.first.is_none() {
            self.first = trouble.examples.into_iter().next();
        }
    }
}

impl CodedColumn {
    /// Whether the dictionary has all values.
    pub fn whole(&self) -> bool {
        self.dictionary.halved() == 0
    }

    /// One of so many of its values is in the dictionary.
    pub fn one_in(&self) -> u64 {
        1 << self.dictionary.halved()
    }

    /// The values that would be kept if the sample was halved so often, with how many rows have each.
    pub fn kept(&self, halved: u32) -> impl Iterator<Item = (&str, u64)> {
        let fewer = self.dictionary.halved() < halved;
        let values = self.dictionary.values().map(|(value, rows, _)| (value, rows));
        values.filter(move |(value, _)| !fewer || Dictionary::keeps(value, halved))
    }

    /// Whether a value stands on several rows, as far as values are kept.
    pub fn repeats(&self) -> bool {
        self.dictionary.values().any(|(_, rows, _)| rows > 1)
    }

    /// A row's value, unless it is blank or the dictionary is not whole.
    pub fn text(&self, row: u32) -> Option<&str> {
        let code = self.codes.get(row).filter(|_| self.whole())?;
        Some(self.dictionary.value(code as usize))
    }
}

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
                    for part in &parsed {
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

/// A column on its way.
#[derive(Debug)]
struct Coding {
    dictionary: Dictionary,
    /// Values of the dictionary that were met before, while codes are numbers.
    recent: Recent,
    codes: Codes,
    /// Codes of the rows before, once there is no room for them.
    away: Option<AwayCodes>,
    blanks: u64,
    profile: Profile,
}

impl Default for Coding {
    fn default() -> Self {
        Self {
            dictionary: Dictionary::default(),
            recent: Recent::default(),
            codes: Codes::Numbers(vec![]),
            away: None,
            blanks: 0,
            profile: Profile::default(),
        }
    }
}

impl Coding {
    fn reserve(&mut self, rows: usize) {
        if let Codes::Numbers(numbers) = &mut self.codes {
            numbers.reserve_exact(rows.saturating_sub(numbers.len()));
        }
    }

    /// How many more values there will be if they go on like in the first rows, of so many rows.
    fn values_of(&self, rows: usize) -> usize {
        let (seen, values) = (self.codes.len(), self.dictionary.len());
        // Of a column of few values most have been seen.
        if seen == 0 || values * 4 <= seen {
            return 0;
        }
        ((values as f64 * rows as f64 / seen as f64 * 1.02) as usize).saturating_sub(values)
    }

    /// The bytes of so many more values, about.
    fn bytes_of(&self, values: usize) -> u64 {
        let own = self.dictionary.bytes_held() / self.dictionary.len().max(1);
        (values * own) as u64
    }

    fn take_blanks(&mut self, rows: usize) {
        self.blanks += rows as u64;
        let length = self.codes.len() + rows;
        match &mut self.codes {
            Codes::Numbers(numbers) => numbers.resize(length, Codes::BLANK),
            Codes::Hashes(hashes) => hashes.resize(length, Codes::NO_HASH),
            Codes::Away(_) => bug("a column on its way is here"),
        }
    }

    fn take(&mut self, texts: &Texts, first: usize) {
        let (mut prints, mut met) = ([Print::NONE; TOGETHER], [None; TOGETHER]);
        let mut views: Vec<View> = Vec::with_capacity(TOGETHER);
        let present = texts.present();
        let has = |at: usize| present.is_none_or(|present| present.has(at));
        // Rows of one order mostly stand together, so the value above is the likeliest.
        let mut above: Option<(Print, u32)> = None;
        for begin in (0..texts.len()).step_by(TOGETHER) {
            views.clear();
            texts.copy(begin, TOGETHER.min(texts.len() - begin), &mut views);
            let mut last = above.map_or(Print::NONE, |(print, _)| print);
            let mut count = 0;
            for (at, (view, met)) in (begin..).zip(views.iter().zip(&mut met)) {
                *met = self.recent.find(*view);
                if met.is_none() && has(at) {
                    let head = Head::of_view(*view);
                    if !last.is_of(head) {
                        last = Print::new(head, texts.value(at));
                    }
                    prints[count] = last;
                    count += 1;
                }
            }
            self.dictionary.read_ahead(&prints[..count]);
            let mut prints = prints[..count].iter();
            for (at, (view, met)) in (begin..).zip(views.iter().zip(&met)) {
                if !has(at) {
                    self.take_blanks(1);
                } else if let Some(number) = met {
                    self.take_number(*number);
                } else {
                    let print = *prints.next().sure("what a value is looked up by");
                    above = self.take_one((print, above), texts.value(at), (first + at) as u32);
                    above.iter().for_each(|(_, number)| self.recent.note(*view, *number));
                }
            }
        }
    }

    /// Takes a row whose value has been met.
    fn take_number(&mut self, number: u32) {
        self.dictionary.count(number);
        match &mut self.codes {
            Codes::Numbers(numbers) => numbers.push(number),
            _ => bug("values are met by their numbers where codes are numbers"),
        }
    }

    /// Takes a row's value; gives its number, where it has one, for the row below.
    fn take_one(
        &mut self,
        (print, above): (Print, Option<(Print, u32)>),
        text: &str,
        row: u32,
    ) -> Option<(Print, u32)> {
        if let Codes::Numbers(numbers) = &mut self.codes
            && let Some((_, number)) = above.filter(|(known, _)| known.is_equal(print))
        {
            self.dictionary.count(number);
            numbers.push(number);
            return above;
        }
        let number = self.dictionary.take(print, text, row);
        if number.is_none() {
            self.profile.take(text, Cells::PASSING, row);
        }
        match &mut self.codes {
            Codes::Numbers(numbers) => {
                let number = number.sure("a value of a whole dictionary");
                numbers.push(number);
                Some((print, number))
            }
            Codes::Hashes(hashes) => {
                hashes.push(print.hash());
                None
            }
            Codes::Away(_) => bug("a column on its way is here"),
        }
    }

    /// Puts codes away that fill blocks.
    fn put_away(&mut self, file: &Arc<RoomFile>) {
        let numbers = self.codes.are_numbers();
        let away = self.away.get_or_insert_with(|| AwayCodes::new(file.clone(), !numbers));
        self.codes.put_away(away, false);
    }

    /// Keeps half of the values. From here on hashes stand for all, from the first row on.
    fn halve(&mut self) {
        if self.codes.are_numbers() {
            let of_values = self.dictionary.hashes();
            self.away = self.away.take().map(|away| away.hashed(&of_values));
            let hash = |code: u64| of_values.get(code as usize).copied().unwrap_or(Codes::NO_HASH);
            let codes = self.codes.run(0, self.codes.len());
            self.codes = Codes::Hashes(codes.into_iter().map(hash).collect());
        }
        self.recent = Recent::default();
        let profile = &mut self.profile;
        self.dictionary.halve(|value, rows, first| {
            profile.take(value, Cells { rows, values: 0 }, first);
        });
    }

    fn finish(mut self, name: String, without: Without) -> CodedColumn {
        if let Some(mut away) = self.away.take() {
            self.codes.put_away(&mut away, true);
            self.codes = Codes::Away(away);
        }
        let keyed = self.codes.len() as u64 - self.blanks;
        let distinct = (self.dictionary.len() as u64) << self.dictionary.halved();
        for (value, rows, first) in self.dictionary.values() {
            self.profile.take(value, Cells::of_value(rows), first);
        }
        CodedColumn {
            name,
            dictionary: self.dictionary,
            codes: self.codes,
            blanks: self.blanks,
            distinct: distinct.min(keyed),
            profile: self.profile,
            without,
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Values of few kinds and many, short and longer than a view has room for, and blanks.
    fn cells() -> impl Strategy<Value = Vec<Option<String>>> {
        let cell = prop_oneof![
            1 => Just(None),
            4 => "[a-c]{1,2}".prop_map(Some),
            2 => (0..400_u32).prop_map(|at| Some(format!("K{at:03}"))),
            2 => (0..5_u32).prop_map(|at| Some(format!("a long value, no. {at}"))),
        ];
        // Some come again and again, as in the rows of one order.
        prop::collection::vec((cell, 1..6_usize), 0..150).prop_map(|cells| {
            let each = |(cell, times)| std::iter::repeat_n(cell, times);
            cells.into_iter().flat_map(each).collect()
        })
    }

    proptest! {
        #[test]
        fn each_value_has_a_number_its_rows_and_its_first_row(cells in cells(), part in 1..300_usize) {
            let mut coding = Coding::default();
            for (at, part) in cells.chunks(part).scan(0, |at, part| { *at += part.len(); Some((*at - part.len(), part)) }) {
                coding.take(&part.iter().cloned().collect::<Texts>(), at);
            }
            let column = coding.finish("it".into(), Without::default());
            let blanks = cells.iter().filter(|cell| cell.is_none()).count();
            prop_assert_eq!((column.codes.len(), column.blanks as usize), (cells.len(), blanks));
            // In the order in which they first appear.
            let mut values: Vec<(&str, u64, u32)> = vec![];
            for (row, cell) in (0..).zip(&cells) {
                let Some(cell) = cell.as_deref() else { continue };
                match values.iter_mut().find(|(value, ..)| *value == cell) {
                    Some((_, rows, _)) => *rows += 1,
                    None => values.push((cell, 1, row)),
                }
            }
            prop_assert_eq!(column.dictionary.values().collect::<Vec<_>>(), values);
            for (row, cell) in (0..).zip(&cells) {
                prop_assert_eq!(column.text(row), cell.as_deref());
            }
        }

        #[test]
        fn values_are_looked_up_in_another_column_all_at_once(cells in cells(), others in cells()) {
            let dictionary = |cells: &[Option<String>]| {
                let mut coding = Coding::default();
                coding.take(&cells.iter().cloned().collect::<Texts>(), 0);
                coding.dictionary
            };
            let (own, other) = (dictionary(&others), dictionary(&cells));
            let found = own.find_all(&other, other.len(), |at| other.len() - 1 - at);
            let one_by_one = (0..other.len()).rev().map(|number| own.find(other.value(number)));
            prop_assert_eq!(found, one_by_one.collect::<Vec<_>>());
            let long = own.numbers_where(|value| value.len() > 3);
            prop_assert!(long.iter().all(|number| own.value(*number as usize).len() > 3));
            let all = own.values().filter(|(value, ..)| value.len() > 3).count();
            prop_assert!(long.len() == all && long.is_sorted());
        }
    }
}
