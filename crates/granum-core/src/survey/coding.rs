//! A column whose values are being numbered, cell by cell.

use std::sync::Arc;

use super::coded::{CodedColumn, Without};
use super::dictionary::{Dictionary, TOGETHER};
use super::print::{Head, Print, Recent};
use super::profile::Profile;
use super::seen::Cells;
use crate::bug::{Sure, bug};
use crate::table::{AwayCodes, Codes, RoomFile, Texts, View};

/// A column on its way.
#[derive(Debug)]
pub(super) struct Coding {
    pub dictionary: Dictionary,
    /// Values of the dictionary that were met before, while codes are numbers.
    recent: Recent,
    pub codes: Codes,
    /// Codes of the rows before, once there is no room for them.
    away: Option<AwayCodes>,
    blanks: u64,
    pub profile: Profile,
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
    pub fn reserve(&mut self, rows: usize) {
        if let Codes::Numbers(numbers) = &mut self.codes {
            numbers.reserve_exact(rows.saturating_sub(numbers.len()));
        }
    }

    /// How many more values there will be if they go on like in the first rows, of so many rows.
    pub fn values_of(&self, rows: usize) -> usize {
        let (seen, values) = (self.codes.len(), self.dictionary.len());
        // Of a column of few values most have been seen.
        if seen == 0 || values * 4 <= seen {
            return 0;
        }
        ((values as f64 * rows as f64 / seen as f64 * 1.02) as usize).saturating_sub(values)
    }

    /// The bytes of so many more values, about.
    pub fn bytes_of(&self, values: usize) -> u64 {
        let own = self.dictionary.bytes_held() / self.dictionary.len().max(1);
        (values * own) as u64
    }

    pub fn take_blanks(&mut self, rows: usize) {
        self.blanks += rows as u64;
        let length = self.codes.len() + rows;
        match &mut self.codes {
            Codes::Numbers(numbers) => numbers.resize(length, Codes::BLANK),
            Codes::Hashes(hashes) => hashes.resize(length, Codes::NO_HASH),
            Codes::Away(_) => bug("a column on its way is here"),
        }
    }

    pub fn take(&mut self, texts: &Texts, first: usize) {
        let (mut prints, mut met) = ([Print::NONE; TOGETHER], [None; TOGETHER]);
        let mut views: Vec<View> = Vec::with_capacity(TOGETHER);
        let present = texts.present();
        let has = |at: usize| present.is_none_or(|present| present.has(at));
        // Rows of one order mostly stand together, so the value above is the likeliest.
        let mut above: Option<(Print, u32)> = None;
        for begin in (0..texts.len()).step_by(TOGETHER) {
            views.clear();
            texts.copy(begin, TOGETHER.min(texts.len() - begin), &mut views);
            if self.dictionary.ascends() {
                self.take_in_order(texts, &views, begin, first);
                continue;
            }
            if present.is_none() && self.take_met(&views) {
                continue;
            }
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

    /// Takes some rows, as long as most values come in order; they begin at one of the texts, of which the first is
    /// that of row `first`.
    fn take_in_order(&mut self, texts: &Texts, views: &[View], begin: usize, first: usize) {
        let Codes::Numbers(numbers) = &mut self.codes else {
            bug("values come in order where codes are numbers")
        };
        let present = texts.present();
        let mut above: Option<(Head, u32)> = None;
        for (at, view) in (begin..).zip(views) {
            if present.is_some_and(|present| !present.has(at)) {
                self.blanks += 1;
                numbers.push(Codes::BLANK);
                continue;
            }
            let head = Head::of_view(*view);
            let number = match above {
                Some((known, number)) if known == head && head.is_whole() => {
                    self.dictionary.count(number);
                    number
                }
                _ => self.dictionary.take_in_order(head, texts.value(at), (first + at) as u32),
            };
            above = Some((head, number));
            numbers.push(number);
        }
    }

    /// Takes some rows, of which none is blank, if the values of all have been met. Says whether they have.
    fn take_met(&mut self, views: &[View]) -> bool {
        let mut met = [0; TOGETHER];
        for (view, number) in views.iter().zip(&mut met) {
            let Some(known) = self.recent.find(*view) else { return false };
            *number = known;
        }
        let Codes::Numbers(numbers) = &mut self.codes else {
            bug("values are met by their numbers where codes are numbers")
        };
        let met = &met[..views.len()];
        numbers.extend_from_slice(met);
        met.iter().for_each(|number| self.dictionary.count(*number));
        true
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
    pub fn put_away(&mut self, file: &Arc<RoomFile>) {
        let numbers = self.codes.are_numbers();
        let away = self.away.get_or_insert_with(|| AwayCodes::new(file.clone(), !numbers));
        self.codes.put_away(away, false);
    }

    /// Keeps half of the values. From here on hashes stand for all, from the first row on.
    pub fn halve(&mut self) {
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

    pub fn finish(mut self, name: String, without: Without) -> CodedColumn {
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

    /// Files of which each has its keys in order, most of them: some stand astray, some cells are blank.
    fn in_order() -> impl Strategy<Value = Vec<Vec<Option<String>>>> {
        let key =
            |long: bool, key: u32| if long { format!("order no. {key}") } else { key.to_string() };
        let file = prop::collection::btree_map(0..1_000_u32, (1..4_usize, 0..1_000_u32), 0..150);
        (prop::collection::vec(file, 1..7), any::<bool>(), 1..40_u32).prop_map(
            move |(files, long, one_in)| {
                let cells = |(own, (times, other)): (u32, (usize, u32))| {
                    let astray = (other % one_in == 0).then(|| Some(key(long, other)));
                    let blank = (other % 11 == 0).then_some(None);
                    std::iter::repeat_n(Some(key(long, own)), times).chain(astray).chain(blank)
                };
                files.into_iter().map(|file| file.into_iter().flat_map(cells).collect()).collect()
            },
        )
    }

    fn files() -> impl Strategy<Value = Vec<Vec<Option<String>>>> {
        prop_oneof![cells().prop_map(|cells| vec![cells]), in_order()]
    }

    /// Files that were taken in part by part.
    fn coded(files: &[Vec<Option<String>>], part: usize) -> Coding {
        let mut coding = Coding::default();
        for file in files {
            coding.dictionary.begin_file();
            for part in file.chunks(part) {
                coding.take(&part.iter().cloned().collect::<Texts>(), coding.codes.len());
            }
        }
        coding
    }

    proptest! {
        #[test]
        fn each_value_has_a_number_its_rows_and_its_first_row(files in files(), part in 1..300_usize) {
            let column = coded(&files, part).finish("it".into(), Without::default());
            let cells = files.concat();
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
        fn values_are_looked_up_in_another_column_all_at_once(files in files(), others in files()) {
            let (own, other) = (coded(&others, 300).dictionary, coded(&files, 300).dictionary);
            let number = |value: &str| own.values().position(|(known, ..)| known == value).map(|at| at as u32);
            let slow: Vec<Option<u32>> = other.values().map(|(value, ..)| number(value)).collect();
            prop_assert_eq!(own.find_all(&other, other.len(), |at| at), slow.clone());
            let backwards: Vec<Option<u32>> = slow.iter().rev().copied().collect();
            prop_assert_eq!(own.find_all(&other, other.len(), |at| other.len() - 1 - at), backwards);
            let few = other.len().min(own.len() / 10);
            prop_assert_eq!(own.find_all(&other, few, |at| at), &slow[..few]);
            prop_assert_eq!(other.values().map(|(value, ..)| own.find(value)).collect::<Vec<_>>(), slow);
            let long = own.numbers_where(|value| value.len() > 3);
            prop_assert!(long.iter().all(|number| own.value(*number as usize).len() > 3));
            let all = own.values().filter(|(value, ..)| value.len() > 3).count();
            prop_assert!(long.len() == all && long.is_sorted());
        }
    }
}
