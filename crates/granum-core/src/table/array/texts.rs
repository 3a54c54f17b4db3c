//! Texts: each row has a view, or a number of one, and long ones share blocks of bytes.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use super::piece::{PIECE, Piece};
use super::view::Block;
use super::{Present, View};

/// Texts, some of them blank; none of them empty.
#[derive(Clone)]
pub struct Texts {
    pub(super) form: Form,
    pub(super) blocks: Arc<[Block]>,
    pub(super) present: Option<Present>,
}

/// How the views of rows are held.
#[derive(Clone)]
pub(super) enum Form {
    One(Piece),
    /// So many rows from a row on, of pieces that all but the last have [`PIECE`] rows.
    Many {
        pieces: Arc<[Piece]>,
        from: usize,
        rows: usize,
    },
}

impl Form {
    /// So many rows in pieces, of which all but the last have [`PIECE`] rows.
    pub fn of(pieces: Vec<Piece>, rows: usize) -> Self {
        match <[Piece; 1]>::try_from(pieces) {
            Ok([piece]) => Self::One(piece),
            Err(pieces) if pieces.is_empty() => Self::One(Piece::each(vec![])),
            Err(pieces) => Self::Many { pieces: pieces.into(), from: 0, rows },
        }
    }
}

impl Texts {
    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        let form = Form::One(Piece::repeated(View::EMPTY, rows));
        Self { form, blocks: Arc::new([]), present: Some(Present::none(rows)) }
    }

    /// One text, which is not empty, on so many rows.
    pub fn repeated(text: &str, rows: usize) -> Self {
        let one: Self = [Some(text)].into_iter().collect();
        Self { form: Form::One(Piece::repeated(*one.view(0), rows)), ..one }
    }

    /// Texts of these lengths in bytes, one behind the other, which are no more rows than a piece has; `None` where a
    /// length ends within a letter, or behind the last.
    pub(crate) fn of_lengths(
        all: &str,
        lengths: impl Iterator<Item = usize>,
        present: Option<Present>,
    ) -> Option<Self> {
        let mut views = vec![];
        let (mut at, mut block) = (0, vec![]);
        for length in lengths {
            let text = all.get(at..at + length)?;
            at += length;
            let view = View::of(text);
            views.push(if view.is_whole() {
                view
            } else {
                block.extend_from_slice(text.as_bytes());
                view.with_place(0, (block.len() - length) as u32)
            });
        }
        let blocks: Arc<[Block]> =
            if block.is_empty() { Arc::new([]) } else { Arc::new([Arc::new(block)]) };
        Some(Self { form: Form::One(Piece::each(views)), blocks, present })
    }

    /// Rows of which each has one of some different texts, by its number among them.
    pub(crate) fn of_codes(different: Texts, codes: Vec<u16>, present: Option<Present>) -> Self {
        let mut views = Vec::with_capacity(different.len());
        different.copy(0, different.len(), &mut views);
        Self { form: Form::One(Piece::coded_by(views, codes)), present, ..different }
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        match &self.form {
            Form::One(piece) => piece.len(),
            Form::Many { rows, .. } => *rows,
        }
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The view of a row.
    // Asked for every text of every row, and too large to be put in its place unasked.
    #[allow(clippy::inline_always)]
    #[inline(always)]
    pub(crate) fn view(&self, row: usize) -> &View {
        match &self.form {
            Form::One(piece) => piece.view(row),
            Form::Many { pieces, from, rows } => {
                assert!(row < *rows, "row {row} of {rows}");
                let at = from + row;
                pieces[at / PIECE].view(at % PIECE)
            }
        }
    }

    /// The text of a row, which has one.
    #[inline]
    #[allow(unsafe_code)]
    pub fn value(&self, row: usize) -> &str {
        let view = self.view(row);
        let bytes = if view.is_whole() {
            view.inside()
        } else {
            let start = view.start();
            &self.blocks[view.block()][start..start + view.length()]
        };
        // SAFETY: views are made by `TextBuilder` of whole texts alone, over blocks that nobody
        // changes; they are copied, with those blocks, and where a text is put into another block,
        // it is copied whole.
        unsafe { std::str::from_utf8_unchecked(bytes) }
    }

    /// Which rows there are; `None` where all are.
    pub fn present(&self) -> Option<&Present> {
        self.present.as_ref()
    }

    /// Whether a row has a value.
    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.present.as_ref().is_none_or(|present| present.has(row))
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        self.present.as_ref().map_or(0, Present::blanks)
    }

    /// Each row's text; `None` where blank.
    pub fn iter(&self) -> impl Iterator<Item = Option<&str>> {
        (0..self.len()).map(|row| self.has(row).then(|| self.value(row)))
    }

    /// Where its views or codes stand.
    pub(in crate::table) fn address(&self) -> usize {
        match &self.form {
            Form::One(piece) => piece.address(),
            Form::Many { pieces, from, .. } => pieces.as_ptr() as usize + from,
        }
    }

    /// The bytes that it holds, those of blocks that others hold as well among them.
    pub(in crate::table) fn bytes_held(&self) -> usize {
        self.size() + self.blocks.iter().map(|block| block.len()).sum::<usize>()
    }

    /// The blocks that its long texts stand in, with others.
    #[cfg(test)]
    pub(crate) fn blocks(&self) -> &[Block] {
        &self.blocks
    }

    /// The bytes that its views and codes take.
    pub(in crate::table) fn size(&self) -> usize {
        match &self.form {
            Form::One(piece) => piece.size(),
            Form::Many { pieces, .. } => pieces.iter().map(Piece::size).sum(),
        }
    }

    /// The one piece that they are, if they are one.
    pub(super) fn one_piece(&self) -> Option<&Piece> {
        match &self.form {
            Form::One(piece) => Some(piece),
            Form::Many { pieces, from: 0, rows } if *rows == pieces[0].len() => pieces.first(),
            Form::Many { .. } => None,
        }
    }

    /// Whether they stand in several pieces.
    pub(crate) fn in_pieces(&self) -> bool {
        matches!(self.form, Form::Many { .. })
    }

    /// The different texts of a piece, some of which no row may have, with none blank, and which of them
    /// each row has; `None` where it has no dictionary, or one that is hardly smaller.
    pub(crate) fn different(&self) -> Option<(Texts, impl Fn(usize) -> usize)> {
        let Form::One(piece) = &self.form else { return None };
        let dictionary = piece.dictionary().filter(|found| found.len() <= piece.len() / 2)?;
        let blocks = Arc::clone(&self.blocks);
        let texts = Self { form: Form::One(dictionary), blocks, present: None };
        Some((texts, |row| piece.code(row)))
    }

    /// Whether a row here and a row there have equal texts. Both have one.
    #[inline]
    pub(crate) fn equal(&self, row: usize, other: &Texts, other_row: usize) -> bool {
        let (view, other_view) = (self.view(row), other.view(other_row));
        if view.head() != other_view.head() {
            return false;
        }
        if view.is_whole() {
            return view == other_view;
        }
        self.value(row) == other.value(other_row)
    }

    /// The order of a row's text here and one there, by their bytes. Both have one.
    #[inline]
    pub(crate) fn order(&self, row: usize, other: &Texts, other_row: usize) -> Ordering {
        let (view, other_view) = (self.view(row), other.view(other_row));
        if view.is_whole() && other_view.is_whole() {
            return view.place().cmp(&other_view.place());
        }
        self.value(row).cmp(other.value(other_row))
    }

    /// What [`super::fixed::mark_rises`] says. No text is blank.
    pub(in crate::table) fn mark_rises(&self, level: &mut [u8]) -> bool {
        let quickly = match &self.form {
            Form::One(piece) => piece.mark_rises(level),
            Form::Many { .. } => None,
        };
        quickly.unwrap_or_else(|| {
            (1..self.len()).all(|row| {
                let order = self.order(row - 1, self, row);
                let risen = level[row] == 0;
                level[row] &= u8::from(order.is_eq());
                risen || order.is_le()
            })
        })
    }

    /// Adds the bytes of the texts of some rows, of which none is blank, each with a sign behind it, and where
    /// each ends with it among all bytes.
    pub fn put_rows(&self, rows: &[u32], behind: u8, out: &mut Vec<u8>, ends: &mut Vec<usize>) {
        match &self.form {
            Form::One(piece) => piece.put_rows(rows, behind, &self.blocks, out, ends),
            Form::Many { .. } => {
                for row in rows {
                    out.extend_from_slice(self.value(*row as usize).as_bytes());
                    out.push(behind);
                    ends.push(out.len());
                }
            }
        }
    }

    /// Adds the views of `length` rows from row `offset` on.
    pub(crate) fn copy(&self, offset: usize, length: usize, out: &mut Vec<View>) {
        match &self.form {
            Form::One(piece) => piece.copy(offset..offset + length, out),
            Form::Many { pieces, from, .. } => {
                let (mut at, end) = (from + offset, from + offset + length);
                while at < end {
                    let to = (at / PIECE * PIECE + PIECE).min(end);
                    pieces[at / PIECE].copy(at % PIECE..at % PIECE + (to - at), out);
                    at = to;
                }
            }
        }
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        let form = match &self.form {
            Form::One(piece) => Form::One(piece.slice(offset, length)),
            Form::Many { pieces, from, rows } => {
                assert!(offset + length <= *rows, "{length} rows from {offset} on of {rows}");
                let from = from + offset;
                match pieces.get(from / PIECE) {
                    Some(piece) if from % PIECE + length <= piece.len() => {
                        Form::One(piece.slice(from % PIECE, length))
                    }
                    _ => Form::Many { pieces: Arc::clone(pieces), from, rows: length },
                }
            }
        };
        Self {
            form,
            blocks: Arc::clone(&self.blocks),
            present: self.present.as_ref().map(|present| present.slice(offset, length)),
        }
    }

    /// Sets 1 for each row whose text is not that of the row before, the first left out. Texts may be taken for
    /// different ones where they stand in other places.
    pub(in crate::table) fn mark_changes(&self, changed: &mut [u8]) {
        match &self.form {
            Form::One(piece) => piece.mark_changes(changed),
            Form::Many { .. } => {
                let mut views = Vec::with_capacity(self.len());
                self.copy(0, self.len(), &mut views);
                super::mark(&views, View::eq, changed);
            }
        }
    }
}

impl fmt::Debug for Texts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.iter()).finish()
    }
}
