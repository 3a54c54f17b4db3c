//! Rows that are scattered into parts on a disk, so that each part is looked at by itself; and rows that come back into
//! their order.

use std::sync::Arc;

use rayon::prelude::*;

use super::bytes::{got_each, put};
use super::{Away, AwayBuilder, Room, RoomFile};
use crate::table::growing::GrowingColumn;
use crate::table::{Column, PIECE, Rows};
use crate::value::Type;

/// Parts have no more bytes than such a part of the room, about, and no fewer than are worth a file's while.
const SHARE: u64 = 16;
const LEAST: u64 = if cfg!(test) { 64 } else { 2 << 20 };

/// There are no more parts than these.
const MOST: u64 = if cfg!(test) { 4 } else { 256 };

/// How many parts so many rows are scattered into, of which each has so many bytes.
pub(crate) fn parts(rows: usize, each: usize, room: &Room) -> usize {
    let bytes = rows as u64 * each as u64;
    bytes.div_ceil((room.limit() / SHARE).max(LEAST)).clamp(1, MOST) as usize
}

/// The same where each row has so many values, the number of its row or its key among them.
pub(crate) fn parts_of(rows: usize, values: usize, room: &Room) -> usize {
    /// Bytes of a value on its way, about.
    const EACH: usize = 12;
    parts(rows, EACH * values, room)
}

/// Rows in parts. Rows of one part stay in the order in which they were sent.
pub(crate) struct Scattered {
    file: Arc<RoomFile>,
    /// Those of the columns, which all lots have.
    types: Vec<Type>,
    /// By part.
    lots: Vec<Vec<Lot>>,
}

/// Rows of a part that were sent together: their columns, one behind the other.
struct Lot {
    at: u64,
    bytes: usize,
    rows: usize,
}

impl Scattered {
    /// Nothing yet, in so many parts, in a file of a room.
    pub fn new(room: &Room, parts: usize) -> Self {
        let lots = (0..parts).map(|_| vec![]).collect();
        Self { file: room.file(), types: vec![], lots }
    }

    /// How many parts there are.
    pub fn parts(&self) -> usize {
        self.lots.len()
    }

    /// Sends rows of some columns, each into its part.
    pub fn send(&mut self, columns: &[Column], to: &[u32]) {
        if to.is_empty() {
            return;
        }
        self.types.resize(columns.len(), Type::Blank);
        for (ty, column) in self.types.iter_mut().zip(columns) {
            if *ty == Type::Blank {
                *ty = column.ty();
            }
        }
        for first in (0..to.len()).step_by(PIECE) {
            let to = &to[first..to.len().min(first + PIECE)];
            let columns = columns.iter().map(|column| column.slice(first, to.len()));
            self.send_run(&columns.collect::<Vec<_>>(), to);
        }
    }

    /// The same of no more rows than a piece has.
    fn send_run(&mut self, columns: &[Column], to: &[u32]) {
        let mut starts = vec![0; self.parts() + 1];
        to.iter().for_each(|part| starts[*part as usize + 1] += 1);
        (0..self.parts()).for_each(|part| starts[part + 1] += starts[part]);
        let mut next = starts.clone();
        let mut order = vec![0; to.len()];
        for (row, part) in (0..).zip(to) {
            let next = &mut next[*part as usize];
            order[*next] = row;
            *next += 1;
        }
        let order = Rows::from(order);
        let sorted: Vec<Column> = columns.par_iter().map(|column| column.take(&order)).collect();
        let lots: Vec<(usize, Lot)> = (0..self.parts())
            .into_par_iter()
            .filter(|part| starts[*part] < starts[part + 1])
            .map(|part| {
                let (first, rows) = (starts[part], starts[part + 1] - starts[part]);
                let mut bytes = vec![];
                sorted.iter().for_each(|column| put(&column.slice(first, rows), &mut bytes));
                (part, Lot { at: self.file.put(&bytes), bytes: bytes.len(), rows })
            })
            .collect();
        lots.into_iter().for_each(|(part, lot)| self.lots[part].push(lot));
    }

    /// Sends rows, each to the part of its key: rows of equal keys come into one.
    pub fn send_by(&mut self, hashes: &[u64], columns: &[Column]) {
        let parts = self.parts() as u64;
        // The highest and the lowest bits are for tables of the keys of one part.
        let to: Vec<u32> = hashes.iter().map(|hash| ((hash >> 20) % parts) as u32).collect();
        self.send(columns, &to);
    }

    /// The columns of a lot; blanks where they cannot be got, which the room notes.
    fn lot(&self, lot: &Lot) -> Vec<Column> {
        let blank = || self.types.iter().map(|ty| Column::all_blank(*ty, lot.rows)).collect();
        let Some(bytes) = self.file.get(lot.at, lot.bytes) else { return blank() };
        let of_lot = |columns: &Vec<Column>| columns.iter().all(|column| column.len() == lot.rows);
        got_each(&bytes, self.types.len()).filter(of_lot).unwrap_or_else(|| {
            self.file.not_as_put();
            blank()
        })
    }

    /// How many rows a part has.
    pub fn rows(&self, part: usize) -> usize {
        self.lots[part].iter().map(|lot| lot.rows).sum()
    }

    /// The columns of a part, lot by lot.
    pub fn lots(&self, part: usize) -> impl DoubleEndedIterator<Item = Vec<Column>> {
        self.lots[part].iter().map(|lot| self.lot(lot))
    }

    /// All columns of a part.
    pub fn part(&self, part: usize) -> Vec<Column> {
        let rows = self.rows(part);
        let mut all: Vec<GrowingColumn> =
            self.types.iter().map(|ty| GrowingColumn::new(*ty, rows)).collect();
        for lot in self.lots(part) {
            all.iter_mut().zip(&lot).for_each(|(all, more)| all.append(more));
        }
        all.into_iter().map(GrowingColumn::finish).collect()
    }

    /// What is worked of each part by itself, as many at a time as there are threads; nothing where one gives nothing.
    pub fn each<T: Send>(
        &self,
        work: impl Fn(usize, Vec<Column>) -> Option<T> + Sync,
        take: impl FnMut(T),
    ) -> Option<()> {
        self.each_of(&(0..self.parts()).collect::<Vec<_>>(), work, take)
    }

    /// The same of some parts.
    pub fn each_of<T: Send>(
        &self,
        parts: &[usize],
        work: impl Fn(usize, Vec<Column>) -> Option<T> + Sync,
        mut take: impl FnMut(T),
    ) -> Option<()> {
        for some in parts.chunks(rayon::current_num_threads()) {
            let worked = some.par_iter().map(|part| work(*part, self.part(*part)));
            let worked: Option<Vec<T>> = worked.collect();
            worked?.into_iter().for_each(&mut take);
        }
        Some(())
    }
}

/// Rows that come in any order, each with its number, and go in that of their numbers.
pub(crate) struct InOrder(Scattered);

impl InOrder {
    /// Nothing yet; numbers are less than `end`.
    pub fn new(room: &Room, end: usize) -> Self {
        Self(Scattered::new(room, end.div_ceil(PIECE)))
    }

    /// Takes rows; the first of their columns has their numbers.
    pub fn take(&mut self, columns: &[Column]) {
        let to: Vec<u32> = numbers(columns).map(|number| (number / PIECE) as u32).collect();
        self.0.send(columns, &to);
    }

    /// The only other column of the rows, in order, put away.
    pub fn only(&self, room: &Room) -> Away {
        let mut all = AwayBuilder::new(&room.file());
        self.windows().flatten().for_each(|column| all.push(&column));
        all.finish()
    }

    /// The other columns of the rows, in order; some at a time.
    pub fn windows(&self) -> impl Iterator<Item = Vec<Column>> {
        let windows = (0..self.0.parts()).filter(|window| !self.0.lots[*window].is_empty());
        windows.map(|window| {
            let columns = self.0.part(window);
            let mut order: Vec<(usize, u32)> = numbers(&columns).zip(0..).collect();
            order.sort_unstable();
            let order: Rows = order.into_iter().map(|(_, row)| row).collect();
            columns[1..].iter().map(|column| column.take(&order)).collect()
        })
    }
}

/// The numbers of rows.
fn numbers(columns: &[Column]) -> impl Iterator<Item = usize> {
    let number = |row| columns[0].units(row) as usize;
    (0..columns.first().map_or(0, Column::len)).map(number)
}
