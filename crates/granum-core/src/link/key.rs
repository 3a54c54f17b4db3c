//! Keys of one or more columns: hashed once, compared by value, never encoded.
use foldhash::fast::FixedState;
use std::hash::{BuildHasher, Hasher};
use std::sync::Arc;

use crate::bug::bug;
use crate::table::{
    AwayBuilder, Bits, Column, Held, PIECE, Present, PresentBuilder, RoomFile, Rows,
};
use crate::value::Scalar;

/// What a blank in a key means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BlankKeys {
    /// A row with a blank in its key has no key: it meets nothing.
    Apart,
    /// A blank is equal to a blank.
    Equal,
}

/// The key of each row of a table.
#[derive(Debug, Clone)]
pub(crate) struct Keys {
    columns: Vec<Column>,
    /// Of keys that memory has no room for, in place of the columns.
    away: Vec<Held>,
    blank: BlankKeys,
    /// Rows that have a key; `None` where all have.
    present: Option<Present>,
    rows: usize,
}

impl Keys {
    /// Keys made of `columns`, which have equal lengths.
    pub fn new(columns: Vec<Column>, blank: BlankKeys, rows: usize) -> Self {
        let present = match blank {
            BlankKeys::Equal => None,
            BlankKeys::Apart => columns.iter().fold(None, |all, column| {
                let present = column.present().filter(|present| present.blanks() > 0);
                Present::both(all.as_ref(), present.as_ref())
            }),
        };
        Self { columns, away: vec![], blank, present, rows }
    }

    /// Keys made of columns of which some are away: they are got as far as they are looked at.
    pub fn away(away: Vec<Held>, blank: BlankKeys, rows: usize) -> Self {
        if !away.iter().any(Held::is_away) {
            return Self::new(away.iter().map(Held::whole).collect(), blank, rows);
        }
        let mut present = None;
        let perhaps_blank: Vec<Held> =
            away.iter().filter(|held| !held.is_full()).cloned().collect();
        if blank == BlankKeys::Apart && !perhaps_blank.is_empty() {
            let mut all = PresentBuilder::default();
            for first in (0..rows).step_by(PIECE) {
                let count = PIECE.min(rows - first);
                let run = perhaps_blank.iter().map(|held| held.slice(first, count).whole());
                match Self::new(run.collect(), blank, count).present {
                    Some(some) => all.append(&some),
                    None => all.push_all(count, true),
                }
            }
            present = all.finish();
        }
        Self { columns: vec![], away, blank, present, rows }
    }

    /// Whether columns are away: then runs and rows are taken of them, and nothing else is asked.
    pub fn is_away(&self) -> bool {
        !self.away.is_empty()
    }

    /// All of them, got where they are away.
    pub fn here(&self) -> Self {
        if self.is_away() { self.slice(0, self.rows) } else { self.clone() }
    }

    /// The same without their last column.
    pub fn but_last(&self) -> Self {
        let but_last = self.away.len().saturating_sub(1);
        if self.is_away() {
            return Self::away(self.away[..but_last].to_vec(), self.blank, self.rows);
        }
        let but_last = self.columns.len().saturating_sub(1);
        Self::new(self.columns[..but_last].to_vec(), self.blank, self.rows)
    }

    /// As many keys, of the columns that `work` makes of theirs: run by run where they are away, and what it makes is so
    /// as well.
    pub fn mapped(&self, work: impl Fn(&[Column]) -> Vec<Column>) -> Self {
        let Some(file) = self.file() else {
            return Self::new(work(&self.columns), self.blank, self.rows);
        };
        let file = file.room().file();
        let mut made: Vec<AwayBuilder> =
            self.away.iter().map(|_| AwayBuilder::new(&file)).collect();
        for first in (0..self.rows).step_by(PIECE) {
            let run = self.slice(first, PIECE.min(self.rows - first));
            made.iter_mut().zip(work(&run.columns)).for_each(|(made, run)| made.push(&run));
        }
        let made = made.into_iter().map(|made| Held::away(made.finish())).collect();
        Self::away(made, self.blank, self.rows)
    }

    /// Whether they take, with a table of them, no more than an eighth of the room that there is.
    pub fn is_small(&self) -> bool {
        let Some(file) = self.file() else { return true };
        let each = 16 * self.away.len() + 24;
        (self.rows * each) as u64 <= file.room().limit() / 8
    }

    /// A file for what is worked of keys that are away.
    pub fn file(&self) -> Option<Arc<RoomFile>> {
        self.away.iter().find_map(Held::file)
    }

    /// A file for where so many rows lead, if these keys are away and that has little room in memory as well.
    pub fn file_for_led(&self, rows: usize) -> Option<Arc<RoomFile>> {
        /// Bytes of a row, about.
        const EACH: u64 = 2;
        let file = self.file()?;
        let much = EACH * rows as u64 > file.room().limit() / 4;
        much.then(|| file.room().file())
    }

    /// Which rows have a key; `None` where all have.
    pub fn has_keys(&self) -> Option<Present> {
        self.present.clone()
    }

    /// The keys of some rows. All of them have one.
    pub fn take(&self, rows: &Rows) -> Keys {
        let here = self.columns.iter().map(|column| column.take(rows));
        let columns = here.chain(self.away.iter().map(|held| held.take(rows))).collect();
        Keys::new(columns, self.blank, rows.len())
    }

    /// `length` of them from row `offset` on.
    pub fn slice(&self, offset: usize, length: usize) -> Keys {
        if self.is_away() {
            let columns = self.away.iter().map(|held| held.slice(offset, length).whole());
            return Keys::new(columns.collect(), self.blank, length);
        }
        let columns = self.columns.iter().map(|column| column.slice(offset, length)).collect();
        let present = self.present.as_ref().map(|present| present.slice(offset, length));
        Keys { columns, away: vec![], blank: self.blank, present, rows: length }
    }

    /// Whether they are texts in pieces, of which each may have a dictionary.
    pub fn in_pieces(&self) -> bool {
        matches!(&self.columns[..], [Column::Text(texts)] if texts.in_pieces())
    }

    /// The different keys of a piece, where it has a dictionary of them, and which of them each row has that
    /// has a key.
    pub fn different(&self) -> Option<(Keys, impl Fn(usize) -> usize)> {
        let [Column::Text(texts)] = &self.columns[..] else { return None };
        if self.blank == BlankKeys::Equal && texts.blanks() > 0 {
            return None;
        }
        let (different, code) = texts.different()?;
        let rows = different.len();
        Some((Keys::new(vec![Column::Text(different)], self.blank, rows), code))
    }

    /// The rows whose key is not that of the row before: the first of each run of equal keys.
    pub fn heads(&self) -> Vec<u32> {
        let head = |row: &usize| *row == 0 || !self.equal(*row, self, *row - 1);
        (0..self.rows).filter(head).map(|row| row as u32).collect()
    }

    /// The columns, which are here.
    pub fn columns(&self) -> &[Column] {
        if self.is_away() {
            bug("the columns of keys are away");
        }
        &self.columns
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    /// The same where some rows have no key any more.
    pub fn without(&self, rows: &Bits) -> Self {
        let others = Present::new(!rows);
        Self { present: Present::both(self.present.as_ref(), Some(&others)), ..self.clone() }
    }

    /// How many rows have no key.
    pub fn absent(&self) -> usize {
        self.present.as_ref().map_or(0, Present::blanks)
    }

    pub fn has_key(&self, row: usize) -> bool {
        self.present.as_ref().is_none_or(|present| present.has(row))
    }

    /// The values of a row's key.
    pub fn values(&self, row: usize) -> Vec<Scalar> {
        if self.is_away() {
            return self.slice(row, 1).values(0);
        }
        self.columns.iter().map(|column| column.scalar(row)).collect()
    }

    /// The hash of each row's key.
    pub fn hashes(&self) -> Vec<u64> {
        let mut hashes = vec![0; self.rows];
        self.hash_run(0, &mut hashes);
        hashes
    }

    /// The hashes of the rows from `first` on, one for each place in `hashes`.
    pub fn hash_run(&self, first: usize, hashes: &mut [u64]) {
        if self.is_away() {
            bug("keys that are away are hashed");
        }
        hashes.fill(0);
        for column in &self.columns {
            hash_column(&column.slice(first, hashes.len()), hashes);
        }
    }

    /// A hash of a part of each key, for so many rows from one on: rows of equal keys have equal ones.
    pub fn tags(&self, first: usize, rows: usize) -> Vec<u64> {
        let mut tags = vec![0; rows];
        if let Some(last) = self.columns.last() {
            hash_column(&last.slice(first, rows), &mut tags);
        }
        tags
    }

    /// A part of a row's key, which is at hand afterwards, as [`crate::by_hash::ByHash::touch`] says.
    pub fn touch(&self, row: usize) -> u64 {
        self.columns.iter().fold(0, |all, column| all ^ column.touch(row))
    }

    /// Whether a row here and a row there have equal keys. Both have one; the columns have pairwise
    /// one type.
    pub fn equal(&self, row: usize, other: &Keys, other_row: usize) -> bool {
        self.columns.iter().zip(&other.columns).all(|(a, b)| {
            if self.blank == BlankKeys::Equal {
                match (a.is_blank(row), b.is_blank(other_row)) {
                    (true, true) => return true,
                    (false, false) => {}
                    _ => return false,
                }
            }
            equal_values(a, row, b, other_row)
        })
    }
}

impl Keys {
    /// For each of some rows 1 where its key is not that of the row before, or cannot be told quickly from it.
    pub fn changes(&self, first: usize, length: usize) -> Vec<u8> {
        let above = first.min(1);
        let mut marks = vec![0; above + length];
        for column in &self.columns {
            column.slice(first - above, above + length).mark_changes(&mut marks);
        }
        // A first row has none before it; what is away cannot be told.
        if above == 0 && length > 0 {
            marks[0] = 1;
        }
        if self.is_away() {
            marks.fill(1);
        }
        marks.split_off(above)
    }
}

/// The hash of each row's values in some columns; equal values have equal ones, and a blank is equal to a blank.
pub(crate) fn hashes(columns: &[Column], rows: usize) -> Vec<u64> {
    Keys::new(columns.to_vec(), BlankKeys::Equal, rows).hashes()
}

fn equal_values(a: &Column, row: usize, b: &Column, other: usize) -> bool {
    match (a, b) {
        (Column::Text(a), Column::Text(b)) => a.equal(row, b, other),
        (Column::Integer(a), Column::Integer(b)) => a.value(row) == b.value(other),
        (Column::Decimal(a, _), Column::Decimal(b, _)) => a.value(row) == b.value(other),
        (Column::Date(a), Column::Date(b)) => a.value(row) == b.value(other),
        (Column::DateTime(a), Column::DateTime(b)) => a.value(row) == b.value(other),
        (Column::Boolean(a), Column::Boolean(b)) => a.value(row) == b.value(other),
        // 0.0 and -0.0 are one value.
        (Column::Number(a), Column::Number(b)) => a.value(row) == b.value(other),
        _ => false,
    }
}

/// One state for all keys, so that both sides of a link hash alike.
const STATE: FixedState = FixedState::with_seed(0);

type KeyHasher = <FixedState as BuildHasher>::Hasher;

/// Stirs each row's value into its hash. A blank leaves only the hash before it, stirred.
fn stir(hashes: &mut [u64], present: Option<&Present>, value: impl Fn(usize, &mut KeyHasher)) {
    for (row, hash) in hashes.iter_mut().enumerate() {
        let mut hasher = STATE.build_hasher();
        hasher.write_u64(*hash);
        if present.is_none_or(|present| present.has(row)) {
            value(row, &mut hasher);
        }
        *hash = hasher.finish();
    }
}

fn hash_column(column: &Column, hashes: &mut [u64]) {
    let present = column.present().filter(|present| present.blanks() > 0);
    let present = present.as_ref();
    match column {
        Column::Blank(_) => stir(hashes, present, |_, _| {}),
        Column::Text(array) => {
            stir(hashes, present, |row, hasher| {
                let view = *array.view(row);
                if view.is_whole() {
                    hasher.write_u128(view.bits());
                } else {
                    hasher.write(array.value(row).as_bytes());
                }
            });
        }
        Column::Integer(array) => {
            stir(hashes, present, |row, hasher| hasher.write_u64(array.value(row) as u64));
        }
        Column::Decimal(array, _) => {
            stir(hashes, present, |row, hasher| hasher.write_u128(array.value(row) as u128));
        }
        Column::Date(array) => {
            let values = array.values();
            stir(hashes, present, |row, hasher| hasher.write_u32(values[row] as u32));
        }
        Column::DateTime(array) => {
            let values = array.values();
            stir(hashes, present, |row, hasher| hasher.write_u64(values[row] as u64));
        }
        Column::Boolean(array) => {
            stir(hashes, present, |row, hasher| hasher.write_u8(array.value(row).into()));
        }
        Column::Number(array) => {
            // Adding zero makes -0.0 the same as 0.0.
            let values = array.values();
            stir(hashes, present, |row, hasher| hasher.write_u64((values[row] + 0.0).to_bits()));
        }
    }
}
