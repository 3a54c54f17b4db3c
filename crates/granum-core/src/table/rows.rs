//! Rows that rows lead to.

use std::ops::Range;
use std::sync::Arc;

use rayon::prelude::*;

use super::packed::{Packed, PackedBuilder};
use super::{Bits, Column, Fixed, PIECE, Present, PresentBuilder, RoomFile};
use crate::bug::Sure;

/// For each row of a table one of another: which it leads to, or came from; blank where none.
///
/// Rows that follow each other are not written down: a table that is its base row for row costs
/// nothing. Many that are held are packed.
#[derive(Debug, Clone)]
pub struct Rows(Form);

#[derive(Debug, Clone)]
enum Form {
    /// So many, one after the other.
    Run {
        first: u32,
        count: usize,
    },
    Each(Fixed<u32>),
    Packed(Packed),
}

impl Rows {
    /// Each of `count` rows for itself.
    pub fn same(count: usize) -> Self {
        Self::run(0, count)
    }

    /// `count` rows from `first` on.
    pub fn run(first: u32, count: usize) -> Self {
        Self(Form::Run { first, count })
    }

    /// These rows; blank where they are not `present`.
    pub fn new(rows: Vec<u32>, present: Option<Present>) -> Self {
        Self(Form::Each(Fixed::new(rows, present)))
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match &self.0 {
            Form::Run { count, .. } => *count,
            Form::Each(rows) => rows.len(),
            Form::Packed(rows) => rows.len(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Which row it is at a place; `None` where blank.
    #[inline]
    pub fn get(&self, at: usize) -> Option<u32> {
        match &self.0 {
            Form::Run { first, count } => {
                assert!(at < *count, "row {at} of {count}");
                Some(first + at as u32)
            }
            Form::Each(rows) => rows.get(at),
            Form::Packed(rows) => rows.get(at),
        }
    }

    /// The row at a place that is not blank.
    #[inline]
    pub fn row(&self, at: usize) -> usize {
        self.get(at).sure("the row that a row leads to") as usize
    }

    /// Whether there is a row at a place.
    #[inline]
    pub fn has(&self, at: usize) -> bool {
        match &self.0 {
            Form::Run { .. } => true,
            Form::Each(rows) => rows.has(at),
            Form::Packed(rows) => rows.has(at),
        }
    }

    /// Which there are; `None` where all are.
    pub fn present(&self) -> Option<&Present> {
        match &self.0 {
            Form::Run { .. } => None,
            Form::Each(rows) => rows.present(),
            Form::Packed(rows) => rows.present(),
        }
    }

    /// The same as bits.
    pub fn bits(&self) -> Bits {
        self.present().map_or_else(|| Bits::all(self.len(), true), |there| there.bits().clone())
    }

    /// How many are blank.
    pub fn blanks(&self) -> usize {
        self.present().map_or(0, Present::blanks)
    }

    /// Each of them.
    pub fn iter(&self) -> impl Iterator<Item = Option<u32>> {
        // Run by run, of which each is unpacked once.
        let runs = (0..self.len()).step_by(PIECE);
        let runs = runs.map(|first| self.slice(first, PIECE.min(self.len() - first)).each());
        runs.flat_map(|run| (0..run.len()).map(move |at| run.get(at)))
    }

    /// Their numbers as a column; blank where they are.
    pub(crate) fn column(&self) -> Column {
        Column::Integer(self.iter().map(|row| row.map(i64::from)).collect()).narrowed()
    }

    /// The rows that such a column has, counted from one on; blank where it is, and where it has one before that.
    pub(crate) fn of_column(column: &Column, first: u32) -> Self {
        let row = |at| (!column.is_blank(at)).then(|| column.units(at));
        let behind = |row: i128| u32::try_from(row.checked_sub(first.into())?).ok();
        (0..column.len()).map(|at| row(at).and_then(behind)).collect()
    }

    /// The bytes that they take in memory, about.
    pub(crate) fn bytes_held(&self) -> usize {
        match &self.0 {
            Form::Run { .. } => 0,
            Form::Each(rows) => 4 * rows.len(),
            Form::Packed(rows) => rows.bytes_held(),
        }
    }

    /// Where they stand in memory, where many are held: those of one place are the same.
    pub(crate) fn address(&self) -> Option<usize> {
        match &self.0 {
            Form::Run { .. } | Form::Each(_) => None,
            Form::Packed(rows) => Some(rows.address()),
        }
    }

    /// The same in a file, where many are held.
    #[must_use]
    pub(crate) fn away(&self, file: &Arc<RoomFile>) -> Self {
        match &self.0 {
            Form::Run { .. } | Form::Each(_) => self.clone(),
            Form::Packed(rows) => Self(Form::Packed(rows.away(file))),
        }
    }

    /// Each that is not blank.
    pub fn numbers(&self) -> impl Iterator<Item = u32> {
        self.iter().flatten()
    }

    /// Does `work` for each that is not blank, in order.
    pub(crate) fn each_number(&self, mut work: impl FnMut(u32)) {
        for first in (0..self.len()).step_by(PIECE) {
            let run = self.slice(first, PIECE.min(self.len() - first));
            match &run.0 {
                Form::Each(rows) => match rows.present().filter(|present| present.blanks() > 0) {
                    None => rows.values().iter().for_each(|row| work(*row)),
                    Some(present) => present.bits().runs().for_each(|(from, to)| {
                        rows.values()[from..to].iter().for_each(|row| work(*row));
                    }),
                },
                Form::Run { .. } | Form::Packed(_) => run.numbers().for_each(&mut work),
            }
        }
    }

    /// Which rows of so many they are.
    pub(crate) fn among(&self, all: usize) -> Bits {
        let mut words = vec![0; all.div_ceil(64)];
        self.each_number(|row| words[row as usize / 64] |= 1_u64 << (row % 64));
        Bits::of_words(words, all)
    }

    /// `length` of them from `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        match &self.0 {
            Form::Run { first, count } => {
                assert!(offset + length <= *count, "rows {offset} on of {count}");
                Self::run(first + offset as u32, length)
            }
            Form::Each(rows) => Self(Form::Each(rows.slice(offset, length))),
            Form::Packed(rows) if length <= PIECE => {
                Self(Form::Each(rows.slice(offset, length).each()))
            }
            Form::Packed(rows) => Self(Form::Packed(rows.slice(offset, length))),
        }
    }

    /// The same, held in fewer bytes where there are as many as a piece has.
    #[must_use]
    pub(crate) fn packed(self) -> Self {
        match self.0 {
            Form::Each(rows) if rows.len() >= PIECE => Self(Form::Packed(Packed::of(&rows))),
            form => Self(form),
        }
    }

    /// Rows one behind the other, which are as many as a piece has, but for the last. Few stay as they are.
    #[must_use]
    pub(crate) fn joined(runs: Vec<Self>) -> Self {
        match <[Self; 1]>::try_from(runs) {
            Ok([run]) => run,
            Err(runs) => {
                let packed = |run: Self| match run.0 {
                    Form::Packed(rows) => rows,
                    form => Packed::of(&Self(form).each()),
                };
                Self(Form::Packed(Packed::joined(runs.into_iter().map(packed))))
            }
        }
    }

    /// Each by itself.
    fn each(&self) -> Fixed<u32> {
        match self.form() {
            Ok(rows) => rows,
            Err((first, count)) => {
                let rows: Vec<u32> = (first as u32..(first + count) as u32).collect();
                Fixed::new(rows, None)
            }
        }
    }

    /// Those where `keep` is true.
    #[must_use]
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        if let (Form::Run { first, .. }, 0..=1) = (&self.0, keep.runs().take(2).count()) {
            let (from, to) = keep.runs().next().unwrap_or_default();
            return Self::run(first + from as u32, to - from);
        }
        if self.len() <= PIECE {
            return Self(Form::Each(self.kept(0..self.len(), keep)));
        }
        let portions = keep.portions(PIECE);
        let left = portions.into_par_iter().with_max_len(1);
        let left = left.map(|rows| Self(Form::Each(self.kept(rows, keep))).packed());
        Self::joined(left.collect())
    }

    /// Those of some rows where `keep` is true.
    fn kept(&self, rows: Range<usize>, keep: &Bits) -> Fixed<u32> {
        if let Form::Run { first, .. } = &self.0 {
            let stay = keep.slice(rows.start, rows.len());
            let first = first + rows.start as u32;
            return stay.rows().map(|row| first + row as u32).collect::<Vec<_>>().into();
        }
        let (mut values, mut present) = (vec![], PresentBuilder::default());
        for first in rows.clone().step_by(PIECE) {
            let length = PIECE.min(rows.end - first);
            let left = self.slice(first, length).each().filter(&keep.slice(first, length));
            values.extend_from_slice(left.values());
            match left.present() {
                Some(some) => present.append(some),
                None => present.push_all(left.len(), true),
            }
        }
        Fixed::new(values, present.finish())
    }

    /// Where they lead by `link`, which has a row for each that they can be; blank where either is.
    #[must_use]
    pub(crate) fn follow(&self, link: &Rows) -> Self {
        match (&self.0, &link.0) {
            (Form::Run { first, count }, _) => return link.slice(*first as usize, *count),
            (_, Form::Run { first: 0, .. }) => return self.clone(),
            (Form::Packed(_), _) | (_, Form::Packed(_)) if self.len() > PIECE => {
                // Run by run, so that they are never all held each by itself.
                let runs = (0..self.len()).into_par_iter().step_by(PIECE).with_max_len(1);
                let led = |first| self.slice(first, PIECE.min(self.len() - first)).follow(link);
                return Self::joined(runs.map(led).collect());
            }
            _ => {}
        }
        let rows = &self.each();
        let led = match &link.0 {
            Form::Run { first, .. } => Self(Form::Each(rows.map(|row| first.saturating_add(row)))),
            Form::Each(link) => Self(Form::Each(link.take(rows))),
            Form::Packed(link) => Self(Form::Each(link.take(rows))),
        };
        led.packed()
    }

    /// The first and how many, where they follow each other and are so held.
    pub(crate) fn as_run(&self) -> Option<(usize, usize)> {
        match &self.0 {
            Form::Run { first, count } => Some((*first as usize, *count)),
            Form::Each(_) | Form::Packed(_) => None,
        }
    }

    /// Whether another is the same, without looking at each.
    pub(crate) fn is_same(&self, other: &Rows) -> bool {
        match (&self.0, &other.0) {
            (Form::Run { first, count }, Form::Run { first: other, count: others }) => {
                (first, count) == (other, others)
            }
            (Form::Each(own), Form::Each(other)) => {
                own.len() == other.len() && own.values().as_ptr() == other.values().as_ptr()
            }
            (Form::Packed(own), Form::Packed(other)) => own.is_same(other),
            _ => false,
        }
    }

    /// The rows of a column that these are: each by itself, or that they are a run.
    pub(super) fn form(&self) -> Result<Fixed<u32>, (usize, usize)> {
        match &self.0 {
            Form::Run { first, count } => Err((*first as usize, *count)),
            Form::Each(rows) => Ok(rows.clone()),
            Form::Packed(rows) => Ok(rows.each()),
        }
    }
}

impl Default for Rows {
    fn default() -> Self {
        Self::same(0)
    }
}

impl From<Vec<u32>> for Rows {
    fn from(rows: Vec<u32>) -> Self {
        Self::new(rows, None)
    }
}

impl From<Vec<Option<u32>>> for Rows {
    fn from(rows: Vec<Option<u32>>) -> Self {
        Self(Form::Each(rows.into()))
    }
}

impl FromIterator<u32> for Rows {
    fn from_iter<I: IntoIterator<Item = u32>>(rows: I) -> Self {
        Self::new(rows.into_iter().collect(), None)
    }
}

impl FromIterator<Option<u32>> for Rows {
    fn from_iter<I: IntoIterator<Item = Option<u32>>>(rows: I) -> Self {
        Self(Form::Each(rows.into_iter().collect()))
    }
}

/// Rows that grow at their end, none of them blank.
#[derive(Debug, Default)]
pub(crate) struct RowsBuilder {
    /// As long as they follow each other: the first, and how many.
    run: (u32, usize),
    /// All, once they do not.
    each: Option<PackedBuilder>,
}

impl RowsBuilder {
    /// Adds rows.
    pub fn append(&mut self, rows: &Rows) {
        match rows.form() {
            Err((first, count)) => self.append_run(first as u32, count),
            Ok(rows) => self.each().extend(rows.values()),
        }
    }

    /// Adds `count` rows, one after the other.
    pub fn append_run(&mut self, next: u32, more: usize) {
        let (first, count) = self.run;
        match &mut self.each {
            None if count == 0 => self.run = (next, more),
            None if next as usize == first as usize + count => self.run.1 += more,
            _ => self.each().extend_run(next, more),
        }
    }

    /// The bytes that they take in memory, about.
    pub fn bytes_held(&self) -> usize {
        self.each.as_ref().map_or(0, PackedBuilder::bytes_held)
    }

    /// Puts them into a file, where many are held.
    pub fn put_away(&mut self, file: &Arc<RoomFile>) {
        self.each.iter_mut().for_each(|each| each.put_away(file));
    }

    /// Where they do not follow each other any more.
    fn each(&mut self) -> &mut PackedBuilder {
        let (first, count) = self.run;
        self.each.get_or_insert_with(|| {
            let mut each = PackedBuilder::default();
            each.extend_run(first, count);
            each
        })
    }

    /// All rows.
    pub fn finish(self) -> Rows {
        let Some(each) = self.each else { return Rows::run(self.run.0, self.run.1) };
        match each.finish() {
            Ok(packed) => Rows(Form::Packed(packed)),
            Err(few) => Rows::from(few),
        }
    }
}
