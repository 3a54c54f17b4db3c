//! Texts that grow at their end.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use super::piece::{PIECE, Piece, coded};
use super::texts::Form;
use super::view::Block;
use super::{PresentBuilder, Texts, View, with_room};
use crate::bug::{Sure, bug};

/// Texts that grow at their end, and the blocks of bytes that their longer ones stand in. Pieces that are
/// full become dictionaries where that pays: then their long texts stand in a block of their own, once each,
/// and those that they came from are let go.
#[derive(Default)]
pub struct TextBuilder {
    /// Those that are full.
    pieces: Vec<Piece>,
    /// The rows behind them.
    views: Vec<View>,
    present: PresentBuilder,
    /// The blocks of full pieces.
    blocks: Vec<Block>,
    /// Those of the rows behind them; their numbers come next.
    fresh: Vec<Block>,
    /// By address, which stays as long as a fresh block is held: its number.
    taken: HashMap<usize, u32>,
    /// The block that is being filled; its number comes behind all others.
    filling: Vec<u8>,
    /// The bytes of the block that was filled last.
    filled: usize,
}

/// The bytes of the first block, and of the largest: each is twice the one before.
const BLOCKS: [usize; 2] = [1 << 13, 1 << 21];

impl TextBuilder {
    /// No texts yet; `room` are expected.
    pub fn new(room: usize) -> Self {
        Self { views: with_room(room.min(PIECE)), ..Self::default() }
    }

    /// Adds a text; an empty one is no text, and is not looked for.
    #[inline]
    pub fn push(&mut self, text: &str) {
        let view = View::of(text);
        let view = if view.is_whole() { view } else { self.placed(view, text) };
        self.present.push(true);
        self.push_view(view);
    }

    /// Adds a text that stands in another; an empty one is blank.
    #[inline]
    pub fn push_part(&mut self, all: &str, text: Range<usize>) {
        if text.is_empty() {
            self.push_blank();
        } else if let Some(view) = View::within(all, text.clone()) {
            self.present.push(true);
            self.push_view(view);
        } else {
            self.push(&all[text]);
        }
    }

    /// Adds a blank.
    #[inline]
    pub fn push_blank(&mut self) {
        self.present.push(false);
        self.push_view(View::EMPTY);
    }

    /// Adds blanks.
    pub fn push_blanks(&mut self, count: usize) {
        self.present.push_all(count, false);
        (0..count).for_each(|_| self.push_view(View::EMPTY));
    }

    /// Adds the view of a text in one of the blocks that it has, or of none.
    #[inline]
    fn push_view(&mut self, view: View) {
        self.views.push(view);
        if self.views.len() == PIECE {
            self.seal();
        }
    }

    fn placed(&mut self, view: View, text: &str) -> View {
        if u32::try_from(text.len()).is_err() {
            bug(format!("a text of {} bytes came for a column", text.len()));
        }
        if self.filling.capacity() - self.filling.len() < text.len() {
            self.close();
            let size = (self.filled * 2).clamp(BLOCKS[0], BLOCKS[1]).max(text.len());
            self.filled = size;
            self.filling = Vec::with_capacity(size);
        }
        let offset = self.filling.len() as u32;
        self.filling.extend_from_slice(text.as_bytes());
        view.with_place((self.blocks.len() + self.fresh.len()) as u32, offset)
    }

    /// The block that was filled becomes one of the fresh ones.
    fn close(&mut self) {
        if !self.filling.is_empty() {
            self.fresh.push(Arc::new(std::mem::take(&mut self.filling)));
        }
    }

    /// Adds texts.
    pub fn append(&mut self, texts: &Texts) {
        match &texts.present {
            Some(present) => self.present.append(present),
            None => self.present.push_all(texts.len(), true),
        }
        self.push_views(texts);
    }

    /// Adds the views of texts, piece by piece, and takes the blocks over as far as they stand in them; which are blank
    /// is another's matter.
    fn push_views(&mut self, texts: &Texts) {
        let mut at = 0;
        while at < texts.len() {
            let before = self.views.len();
            let count = (PIECE - before).min(texts.len() - at);
            texts.copy(at, count, &mut self.views);
            if !texts.blocks.is_empty() {
                self.close();
                self.take_over(before, &texts.blocks);
            }
            at += count;
            if self.views.len() == PIECE {
                self.seal();
            }
        }
    }

    /// Takes over those of some blocks that the views from one on stand in.
    fn take_over(&mut self, first: usize, blocks: &[Block]) {
        let (known, Self { views, fresh, taken, .. }) = (self.blocks.len(), self);
        let mut numbers: Vec<Option<u32>> = vec![None; blocks.len()];
        for view in views[first..].iter_mut().filter(|view| !view.is_whole()) {
            let number = numbers.get_mut(view.block()).sure("the block of a text");
            let number = *number.get_or_insert_with(|| {
                let block = &blocks[view.block()];
                *taken.entry(Arc::as_ptr(block) as usize).or_insert_with(|| {
                    fresh.push(Arc::clone(block));
                    (known + fresh.len() - 1) as u32
                })
            });
            *view = view.in_block(number);
        }
    }

    /// The rows behind the full pieces become one.
    fn seal(&mut self) {
        self.close();
        self.taken.clear();
        let Self { blocks, fresh, .. } = &*self;
        let bytes = |view: View| {
            let number = view.block();
            let block = blocks.get(number).or_else(|| fresh.get(number - blocks.len()));
            let start = view.start();
            &block.sure("the block of a text")[start..start + view.length()]
        };
        let Some(mut coded) = coded(&self.views, bytes) else {
            self.pieces.push(Piece::each(std::mem::take(&mut self.views)));
            self.views = Vec::with_capacity(PIECE);
            self.blocks.append(&mut self.fresh);
            return;
        };
        // Texts of full pieces stay where they stand.
        let before = blocks.len();
        let mut own: Vec<Vec<u8>> = vec![];
        for view in coded.dictionary.iter_mut().filter(|view| !view.is_whole()) {
            if view.block() >= before {
                let text = bytes(*view);
                if own.last().is_none_or(|block| block.len() + text.len() > BLOCKS[1]) {
                    own.push(vec![]);
                }
                let number = before + own.len() - 1;
                let block = own.last_mut().sure("the block of a dictionary");
                *view = view.with_place(number as u32, block.len() as u32);
                block.extend_from_slice(text);
            }
        }
        self.fresh.clear();
        for mut block in own {
            block.shrink_to_fit();
            self.blocks.push(Arc::new(block));
        }
        self.views.clear();
        self.pieces.push(coded.into());
    }

    /// The bytes that it holds.
    pub(in crate::table) fn bytes_held(&self) -> usize {
        let pieces: usize = self.pieces.iter().map(Piece::size).sum();
        let blocks = self.blocks.iter().chain(&self.fresh).map(|block| block.len());
        pieces + 16 * self.views.len() + blocks.sum::<usize>() + self.filling.len()
    }

    /// All texts.
    pub fn finish(mut self) -> Texts {
        let form = if self.pieces.is_empty() {
            self.close();
            self.blocks.append(&mut self.fresh);
            Form::One(Piece::each(self.views))
        } else {
            let rows = self.pieces.len() * PIECE + self.views.len();
            if !self.views.is_empty() {
                self.seal();
            }
            Form::Many { pieces: self.pieces.into(), from: 0, rows }
        };
        Texts { form, blocks: self.blocks.into(), present: self.present.finish() }
    }
}

impl<T: AsRef<str>> FromIterator<Option<T>> for Texts {
    fn from_iter<I: IntoIterator<Item = Option<T>>>(rows: I) -> Self {
        let rows = rows.into_iter();
        let mut texts = TextBuilder::new(rows.size_hint().0);
        for text in rows {
            match text {
                Some(text) => texts.push(text.as_ref()),
                None => texts.push_blank(),
            }
        }
        texts.finish()
    }
}
