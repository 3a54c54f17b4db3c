//! One column that is away.

use std::sync::Arc;

use super::RoomFile;
use super::bytes::{got, put};
use crate::table::growing::GrowingColumn;
use crate::table::{Bits, Column, PIECE, Rows};
use crate::value::Type;

/// A column that is away. Copies are the same column.
#[derive(Clone)]
pub(crate) struct Away(Arc<Inner>);

struct Inner {
    ty: Type,
    rows: usize,
    blanks: usize,
    blocks: Vec<Block>,
    file: Arc<RoomFile>,
}

/// Rows of a column in its file.
struct Block {
    /// Its first row, and how many.
    first: usize,
    rows: usize,
    at: u64,
    bytes: usize,
}

impl Away {
    /// Puts a column away, into a file.
    pub fn put(column: &Column, file: &Arc<RoomFile>) -> Self {
        let mut away = AwayBuilder::new(file);
        away.push(column);
        away.finish()
    }

    pub fn len(&self) -> usize {
        self.0.rows
    }

    /// How many of its rows are blank.
    pub fn blanks(&self) -> usize {
        self.0.blanks
    }

    /// The file that it is in.
    pub fn file(&self) -> Arc<RoomFile> {
        Arc::clone(&self.0.file)
    }

    /// The rows of a block; blanks where it cannot be got, which the room notes.
    fn block(&self, at: usize) -> Column {
        let block = &self.0.blocks[at];
        if let Some(column) = self.0.file.kept(block.at) {
            return column;
        }
        let bytes = self.0.file.get(block.at, block.bytes);
        let Some(bytes) = bytes else { return Column::all_blank(self.0.ty, block.rows) };
        let Some(column) = got(&bytes).filter(|column| column.len() == block.rows) else {
            self.0.file.not_as_put();
            return Column::all_blank(self.0.ty, block.rows);
        };
        self.0.file.keep(block.at, &column);
        column
    }

    fn block_of(&self, row: usize) -> usize {
        self.0.blocks.partition_point(|block| block.first + block.rows <= row)
    }

    /// `length` rows from row `offset` on.
    pub fn slice(&self, offset: usize, length: usize) -> Column {
        let end = offset + length;
        assert!(end <= self.0.rows, "{length} rows from {offset} on of {}", self.0.rows);
        let mut at = self.block_of(offset);
        if let Some(block) = self.0.blocks.get(at).filter(|block| end <= block.first + block.rows) {
            return self.typed(self.block(at).slice(offset - block.first, length));
        }
        let mut all = GrowingColumn::new(Type::Blank, length);
        let mut row = offset;
        while row < end {
            let block = &self.0.blocks[at];
            let to = end.min(block.first + block.rows);
            all.append(&self.block(at).slice(row - block.first, to - row));
            (row, at) = (to, at + 1);
        }
        self.typed(all.finish())
    }

    /// Some rows; blank where `rows` is. Of each run of them each block is got once, whatever the order.
    pub fn take(&self, rows: &Rows) -> Column {
        if let Some((first, count)) = rows.as_run() {
            return self.slice(first, count);
        }
        if rows.len() <= PIECE {
            return self.take_run(rows);
        }
        let mut all = GrowingColumn::new(Type::Blank, rows.len());
        for first in (0..rows.len()).step_by(PIECE) {
            all.append(&self.take_run(&rows.slice(first, PIECE.min(rows.len() - first))));
        }
        self.typed(all.finish())
    }

    fn take_run(&self, rows: &Rows) -> Column {
        let rows = match rows.form() {
            Ok(rows) => rows,
            Err((first, count)) => return self.slice(first, count),
        };
        if rows.blanks() == 0 && rows.values().is_sorted() {
            return self.in_order(rows.values());
        }
        // Each row in the upper half, and in the lower its place among those that are asked for.
        let mut wanted: Vec<u64> = vec![];
        for (at, row) in (0_u64..).zip(rows.iter()) {
            wanted.extend(row.map(|row| u64::from(row) << 32 | at));
        }
        wanted.sort_unstable();
        let in_order: Vec<u32> = wanted.iter().map(|wanted| (wanted >> 32) as u32).collect();
        let found = self.in_order(&in_order);
        let mut places: Vec<Option<u32>> = vec![None; rows.len()];
        for (place, wanted) in (0..).zip(&wanted) {
            places[*wanted as u32 as usize] = Some(place);
        }
        found.take(&Rows::from(places))
    }

    /// Some rows that are in order, of which some may be there twice: each block is got once.
    fn in_order(&self, mut rows: &[u32]) -> Column {
        // Each part is copied at once: texts of one would keep the texts of its block.
        let mut parts = GrowingColumn::new(Type::Blank, rows.len());
        let all = rows.len();
        while let Some(row) = rows.first() {
            let at = self.block_of(*row as usize);
            let block = &self.0.blocks[at];
            let here = rows.partition_point(|row| (*row as usize) < block.first + block.rows);
            let part = some(&self.block(at), block.first, &rows[..here]);
            if here == all {
                return self.typed(part);
            }
            parts.append(&part);
            rows = &rows[here..];
        }
        self.typed(parts.finish())
    }

    /// Rows of the column as of its type, also where they are all blank.
    fn typed(&self, rows: Column) -> Column {
        match rows {
            Column::Blank(rows) => Column::all_blank(self.0.ty, rows),
            column => column,
        }
    }
}

/// Some rows, in order, of a column whose first row has the number `before`.
fn some(column: &Column, before: usize, rows: &[u32]) -> Column {
    let own = rows.iter().map(|row| row - before as u32);
    if let ([first, .., last], true) = (rows, rows.is_sorted_by(|row, next| row < next)) {
        // Most of those that stand one behind the other: they are copied run by run.
        let span = (last - first) as usize + 1;
        if span <= 2 * rows.len() {
            let all = column.slice(*first as usize - before, span);
            let left = || Bits::of(span, rows.iter().map(|row| row - first));
            return if span == rows.len() { all } else { all.filter(&left()) };
        }
    }
    column.take(&own.collect())
}

impl Drop for Inner {
    fn drop(&mut self) {
        self.file.forget(self.blocks.iter().map(|block| block.at));
    }
}

impl std::fmt::Debug for Away {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} rows of {} that are away", self.0.rows, self.0.ty)
    }
}

/// A column that goes away as it grows.
pub(crate) struct AwayBuilder {
    file: Arc<RoomFile>,
    ty: Type,
    rows: usize,
    blanks: usize,
    blocks: Vec<Block>,
}

impl AwayBuilder {
    /// Nothing yet, into a file.
    pub fn new(file: &Arc<RoomFile>) -> Self {
        Self { file: Arc::clone(file), ty: Type::Blank, rows: 0, blanks: 0, blocks: vec![] }
    }

    /// Puts rows behind those that are away.
    pub fn push(&mut self, column: &Column) {
        if column.ty() != Type::Blank {
            self.ty = column.ty();
        }
        self.blanks += column.blanks();
        let mut bytes = vec![];
        for first in (0..column.len()).step_by(PIECE) {
            let rows = PIECE.min(column.len() - first);
            bytes.clear();
            put(&column.slice(first, rows), &mut bytes);
            let at = self.file.put(&bytes);
            self.blocks.push(Block { first: self.rows, rows, at, bytes: bytes.len() });
            self.rows += rows;
        }
    }

    pub fn finish(self) -> Away {
        let Self { file, ty, rows, blanks, blocks } = self;
        Away(Arc::new(Inner { ty, rows, blanks, blocks, file }))
    }
}
