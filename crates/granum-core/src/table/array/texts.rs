//! Texts: each row has a view, and long ones share blocks of bytes.

use std::collections::HashMap;
use std::fmt;
use std::sync::Arc;

use super::{Present, PresentBuilder, Shared, with_room};
use crate::bug::{Sure, bug};

/// Bytes that long texts stand in.
type Block = Arc<Vec<u8>>;

/// Where a text is: its length, then up to twelve bytes the text itself; of a longer one its first
/// four bytes, the number of a block, and where it begins there.
#[derive(Clone, Copy, PartialEq, Eq)]
#[repr(align(16))]
pub(crate) struct View([u8; 16]);

impl View {
    /// Texts of up to this many bytes stand in their views.
    pub const INSIDE: usize = 12;
    /// No text.
    const EMPTY: View = View([0; 16]);

    /// The view of a text, without its place if it is long: as good as the text itself to tell most
    /// texts apart, and to tell short ones from all others.
    #[inline]
    pub fn of(text: &str) -> Self {
        let mut view = [0; 16];
        let shown = if text.len() <= Self::INSIDE { text.len() } else { 4 };
        view[..4].copy_from_slice(&(text.len() as u32).to_le_bytes());
        view[4..4 + shown].copy_from_slice(&text.as_bytes()[..shown]);
        Self(view)
    }

    fn part(self, at: usize) -> u32 {
        u32::from_le_bytes([self.0[at], self.0[at + 1], self.0[at + 2], self.0[at + 3]])
    }

    fn with_place(mut self, block: u32, offset: u32) -> Self {
        self.0[8..12].copy_from_slice(&block.to_le_bytes());
        self.0[12..].copy_from_slice(&offset.to_le_bytes());
        self
    }

    #[inline]
    fn length(self) -> usize {
        self.part(0) as usize
    }

    /// Whether the whole text stands in it.
    #[inline]
    pub fn is_whole(self) -> bool {
        self.length() <= Self::INSIDE
    }

    /// It as one number.
    #[inline]
    pub fn bits(self) -> u128 {
        u128::from_le_bytes(self.0)
    }

    /// The length and the first four bytes as one number.
    #[inline]
    pub fn head(self) -> u64 {
        self.bits() as u64
    }
}

/// Texts, some of them blank; none of them empty.
#[derive(Clone)]
pub struct Texts {
    views: Shared<View>,
    blocks: Arc<[Block]>,
    present: Option<Present>,
}

impl Texts {
    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        let views = vec![View::EMPTY; rows].into();
        Self { views, blocks: Arc::new([]), present: Some(Present::none(rows)) }
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.views.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.views.is_empty()
    }

    /// The text of a row, which has one.
    #[inline]
    #[allow(unsafe_code)]
    pub fn value(&self, row: usize) -> &str {
        let view = &self.views[row];
        let length = view.length();
        let bytes = if length <= View::INSIDE {
            &view.0[4..4 + length]
        } else {
            let start = view.part(12) as usize;
            &self.blocks[view.part(8) as usize][start..start + length]
        };
        // SAFETY: views are made by `TextBuilder` of whole texts alone, over blocks that nobody
        // changes; they are copied, with those blocks, and never made anew.
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

    /// The blocks that its long texts stand in, with others.
    #[cfg(test)]
    pub(crate) fn blocks(&self) -> &[Block] {
        &self.blocks
    }

    /// The views of all rows.
    pub(crate) fn views(&self) -> &[View] {
        &self.views
    }

    /// Whether a row here and a row there have equal texts. Both have one.
    #[inline]
    pub(crate) fn equal(&self, row: usize, other: &Texts, other_row: usize) -> bool {
        let (view, other_view) = (self.views[row], other.views[other_row]);
        if view.head() != other_view.head() {
            return false;
        }
        if view.is_whole() {
            return view == other_view;
        }
        self.value(row) == other.value(other_row)
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        Self {
            views: self.views.slice(offset, length),
            blocks: Arc::clone(&self.blocks),
            present: self.present.as_ref().map(|present| present.slice(offset, length)),
        }
    }

    /// Texts of other rows of these: `choose` is given the views, and one of no text, and copies of
    /// them what it wants. Long texts stay where they are and are shared.
    pub(super) fn chosen(
        &self,
        choose: impl FnOnce(&[View], View) -> Vec<View>,
        present: Option<Present>,
    ) -> Self {
        let views = choose(&self.views, View::EMPTY).into();
        Self { views, blocks: Arc::clone(&self.blocks), present }
    }
}

impl fmt::Debug for Texts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.iter()).finish()
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

/// Texts that grow at their end, and the blocks of bytes that their longer ones stand in: each is
/// taken over once, however many parts share it.
#[derive(Default)]
pub struct TextBuilder {
    views: Vec<View>,
    present: PresentBuilder,
    blocks: Vec<Block>,
    /// By address, which stays as long as the builder holds the block: its number.
    taken: HashMap<usize, u32>,
    /// The block that is being filled; its number comes next.
    filling: Vec<u8>,
}

/// The bytes of the first block, and of the largest: each is twice the one before.
const BLOCKS: [usize; 2] = [1 << 13, 1 << 21];

impl TextBuilder {
    /// No texts yet; `room` are expected.
    pub fn new(room: usize) -> Self {
        Self { views: with_room(room), ..Self::default() }
    }

    /// Adds a text; an empty one is no text, and is not looked for.
    #[inline]
    pub fn push(&mut self, text: &str) {
        let view = View::of(text);
        let view = if view.is_whole() { view } else { self.placed(view, text) };
        self.views.push(view);
        self.present.push(true);
    }

    /// Adds a blank.
    #[inline]
    pub fn push_blank(&mut self) {
        self.views.push(View::EMPTY);
        self.present.push(false);
    }

    /// Adds blanks.
    pub fn push_blanks(&mut self, count: usize) {
        self.views.resize(self.views.len() + count, View::EMPTY);
        self.present.push_all(count, false);
    }

    fn placed(&mut self, view: View, text: &str) -> View {
        if u32::try_from(text.len()).is_err() {
            bug(format!("a text of {} bytes came for a column", text.len()));
        }
        if self.filling.capacity() - self.filling.len() < text.len() {
            let size = (self.filling.capacity() * 2).clamp(BLOCKS[0], BLOCKS[1]).max(text.len());
            self.close();
            self.filling = Vec::with_capacity(size);
        }
        let offset = self.filling.len() as u32;
        self.filling.extend_from_slice(text.as_bytes());
        view.with_place(self.blocks.len() as u32, offset)
    }

    /// The block that was filled becomes one of the blocks.
    fn close(&mut self) {
        if !self.filling.is_empty() {
            self.blocks.push(Arc::new(std::mem::take(&mut self.filling)));
        }
    }

    /// Adds texts.
    pub fn append(&mut self, texts: &Texts) {
        match &texts.present {
            Some(present) => self.present.append(present),
            None => self.present.push_all(texts.len(), true),
        }
        if texts.blocks.is_empty() {
            return self.views.extend_from_slice(&texts.views);
        }
        self.close();
        let numbers: Vec<u32> = texts.blocks.iter().map(|block| self.take_over(block)).collect();
        let moved = |view: &View| {
            if view.is_whole() {
                return *view;
            }
            let block = numbers.get(view.part(8) as usize).sure("the block of a text");
            view.with_place(*block, view.part(12))
        };
        self.views.extend(texts.views.iter().map(moved));
    }

    fn take_over(&mut self, block: &Block) -> u32 {
        *self.taken.entry(Arc::as_ptr(block) as usize).or_insert_with(|| {
            self.blocks.push(Arc::clone(block));
            self.blocks.len() as u32 - 1
        })
    }

    /// All texts.
    pub fn finish(mut self) -> Texts {
        self.close();
        Texts {
            views: self.views.into(),
            blocks: self.blocks.into(),
            present: self.present.finish(),
        }
    }
}
