//! One column that is away.

use std::sync::Arc;

use super::RoomFile;
use super::bytes::{got, put};
use crate::table::growing::GrowingColumn;
use crate::table::{Column, PIECE, Rows};
use crate::value::Type;

/// A column that is away. Copies are the same column.
#[derive(Clone)]
pub(crate) struct Away(Arc<Inner>);

struct Inner {
    ty: Type,
    rows: usize,
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
        if let Some((first, count)) = rows.as_run() {
            return self.slice(first, count);
        }
        let mut wanted: Vec<(u32, u32)> = vec![];
        for (at, row) in rows.iter().enumerate() {
            wanted.extend(row.map(|row| (row, at as u32)));
        }
        if !wanted.is_sorted() {
            wanted.sort_unstable();
        }
        // Each part is copied at once: texts of one would keep the texts of its block.
        let mut parts = GrowingColumn::new(Type::Blank, wanted.len());
        let mut only = None;
        // For each row that is asked for its place among those that are found.
        let mut places: Vec<Option<u32>> = vec![None; rows.len()];
        let mut found = 0;
        let mut rest = wanted.as_slice();
        while let Some((row, _)) = rest.first() {
            let at = self.block_of(*row as usize);
            let block = &self.0.blocks[at];
            let here = rest.partition_point(|(row, _)| (*row as usize) < block.first + block.rows);
            let own: Rows = rest[..here].iter().map(|(row, _)| row - block.first as u32).collect();
            let part = self.block(at).take(&own);
            if here == wanted.len() {
                only = Some(part);
            } else {
                parts.append(&part);
            }
            for (_, to) in &rest[..here] {
                places[*to as usize] = Some(found);
                found += 1;
            }
            rest = &rest[here..];
        }
        let found = self.typed(only.unwrap_or_else(|| parts.finish()));
        if places.iter().enumerate().all(|(at, place)| *place == Some(at as u32)) {
            return found;
        }
        found.take(&Rows::from(places))
    }

    /// Rows of the column as of its type, also where they are all blank.
    fn typed(&self, rows: Column) -> Column {
        match rows {
            Column::Blank(rows) => Column::all_blank(self.0.ty, rows),
            column => column,
        }
    }
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
    blocks: Vec<Block>,
}

impl AwayBuilder {
    /// Nothing yet, into a file.
    pub fn new(file: &Arc<RoomFile>) -> Self {
        Self { file: Arc::clone(file), ty: Type::Blank, rows: 0, blocks: vec![] }
    }

    /// Puts rows behind those that are away.
    pub fn push(&mut self, column: &Column) {
        if column.ty() != Type::Blank {
            self.ty = column.ty();
        }
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
        let Self { file, ty, rows, blocks } = self;
        Away(Arc::new(Inner { ty, rows, blocks, file }))
    }
}
