//! Files as columns of numbers: each value of a column has one, so that what is asked of values is
//! asked once of each, and what is asked of rows is asked of numbers.
use rayon::prelude::*;

use super::dictionary::{Dictionary, Head};
use super::profile::Profile;
use crate::port::{
    CellTrouble, InputColumn, InputSource, Observer, Part, RawPart, ReadRequest, SourceError,
    SourceErrorKind,
};
use crate::table::{Codes, Column, Place, Places, Texts};
use crate::tally::Unread;
use crate::value::Type;

/// A column counts its values exactly up to so many; above, their number is an estimate.
pub const EXACT: usize = 1 << 24;

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

/// A column of numbers.
#[derive(Debug)]
pub(crate) struct CodedColumn {
    pub name: String,
    pub dictionary: Dictionary,
    /// For each row its value's number in the dictionary. Once the dictionary is full, hashes stand
    /// in place of all numbers.
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
        matches!(self.codes, Codes::Numbers(_))
    }

    /// A row's value, unless it is blank or the dictionary has overflowed.
    pub fn text(&self, row: u32) -> Option<&str> {
        let code = self.codes.get(row).filter(|_| self.whole())?;
        Some(self.dictionary.value(code as usize))
    }
}

/// Reads all cells of an input as the text that they are. `most` is [`EXACT`] but in tests.
pub(crate) fn read(
    source: &dyn InputSource,
    most: usize,
    observer: &dyn Observer,
) -> Result<Coded, SourceError> {
    let shape = source.shape();
    let columns = (0..shape.columns.len())
        .map(|column| InputColumn { column, ty: Type::Text, rule: None })
        .collect();
    let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() })?;
    let mut coding: Vec<Coding> = shape.columns.iter().map(|_| Coding::new(most)).collect();
    let (mut rows, mut bytes, mut places) = (0_usize, 0_u64, Places::default());
    let (mut room, mut values_to_come) = (0, true);
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
            coding.iter_mut().for_each(|coding| coding.reserve(room));
        } else if first > 0 && std::mem::take(&mut values_to_come) {
            coding.iter_mut().for_each(|coding| coding.reserve_values(room));
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

/// A column on its way.
struct Coding {
    dictionary: Dictionary,
    most: usize,
    codes: Codes,
    blanks: u64,
    profile: Profile,
}

impl Coding {
    fn new(most: usize) -> Self {
        Self {
            dictionary: Dictionary::default(),
            most,
            codes: Codes::Numbers(vec![]),
            blanks: 0,
            profile: Profile::default(),
        }
    }

    fn reserve(&mut self, rows: usize) {
        if let Codes::Numbers(numbers) = &mut self.codes {
            numbers.reserve_exact(rows.saturating_sub(numbers.len()));
        }
    }

    /// Makes room for as many values as there will be if they go on like in the first rows.
    fn reserve_values(&mut self, rows: usize) {
        let Codes::Numbers(numbers) = &self.codes else { return };
        let (seen, values) = (numbers.len(), self.dictionary.len());
        // Of a column of few values most have been seen.
        if seen > 0 && values * 4 > seen {
            let room = (values as f64 * rows as f64 / seen as f64 * 1.02) as usize;
            self.dictionary.reserve(room.min(self.most).saturating_sub(values));
        }
    }

    fn take_blanks(&mut self, rows: usize) {
        self.blanks += rows as u64;
        let length = self.codes.len() + rows;
        match &mut self.codes {
            Codes::Numbers(numbers) => numbers.resize(length, Codes::BLANK),
            Codes::Hashes(hashes) => hashes.resize(length, Codes::NO_HASH),
        }
    }

    fn take(&mut self, texts: &Texts, first: usize) {
        // Rows of one order mostly stand together, so the value above is the likeliest.
        let mut above: Option<(Head, u64)> = None;
        for at in 0..texts.len() {
            if !texts.has(at) {
                self.take_blanks(1);
                continue;
            }
            let head = Head::of_view(*texts.view(at));
            if let Codes::Numbers(numbers) = &mut self.codes
                && let Some((_, number)) =
                    above.filter(|(known, _)| *known == head && head.is_whole())
            {
                self.dictionary.count(number as u32);
                numbers.push(number as u32);
                continue;
            }
            let (text, row) = (texts.value(at), (first + at) as u32);
            let number = self.dictionary.take(head, text, row, self.most);
            if number.is_none() {
                self.outgrow();
                self.profile.take(text, 1, row);
            }
            match &mut self.codes {
                Codes::Numbers(numbers) => {
                    let number = number.unwrap_or(Codes::BLANK);
                    numbers.push(number);
                    above = Some((head, number.into()));
                }
                Codes::Hashes(hashes) => hashes.push(hash(head, text)),
            }
        }
    }

    /// The dictionary is full: from here on hashes stand for values, from the first row on.
    fn outgrow(&mut self) {
        let Codes::Numbers(numbers) = &self.codes else { return };
        let values = self.dictionary.values();
        let hashes: Vec<u64> =
            values.map(|(value, ..)| hash(Head::of_text(value), value)).collect();
        let hash = |number: &u32| hashes.get(*number as usize).copied().unwrap_or(Codes::NO_HASH);
        self.codes = Codes::Hashes(numbers.iter().map(hash).collect());
    }

    fn finish(mut self, name: String, without: Without) -> CodedColumn {
        let distinct = match &self.codes {
            Codes::Numbers(_) => self.dictionary.len() as u64,
            Codes::Hashes(hashes) => estimate(hashes).max(self.dictionary.len() as u64),
        };
        for (value, rows, first) in self.dictionary.values() {
            self.profile.take(value, rows, first);
        }
        CodedColumn {
            name,
            dictionary: self.dictionary,
            codes: self.codes,
            blanks: self.blanks,
            distinct,
            profile: self.profile,
            without,
        }
    }
}

/// The hash of a value, which no blank has.
fn hash(head: Head, text: &str) -> u64 {
    head.hash(text).min(Codes::NO_HASH - 1)
}

/// How many different hashes there are, about: from how close together the least of them stand.
/// The method of the k least values (Bar-Yossef and others, 2002); with this k the error is below
/// 5% in all but a few of a thousand cases.
fn estimate(hashes: &[u64]) -> u64 {
    const LEAST: usize = 4096;
    let mut least: std::collections::BTreeSet<u64> = std::collections::BTreeSet::new();
    let mut bound = Codes::NO_HASH;
    for hash in hashes {
        if *hash < bound && least.insert(*hash) && least.len() > LEAST {
            least.pop_last();
            bound = least.last().copied().unwrap_or(bound);
        }
    }
    if least.len() < LEAST {
        return least.len() as u64;
    }
    let share = least.last().map_or(1.0, |last| *last as f64 / u64::MAX as f64);
    ((LEAST - 1) as f64 / share) as u64
}
