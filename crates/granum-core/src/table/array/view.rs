//! Where a text stands.

use std::ops::Range;
use std::sync::Arc;

/// Bytes that long texts stand in.
pub(super) type Block = Arc<Vec<u8>>;

/// Where a text is: its length, then up to twelve bytes the text itself; of a longer one its first
/// four bytes, the number of a block, and where it begins there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(align(16))]
pub(crate) struct View([u8; 16]);

impl View {
    /// Texts of up to this many bytes stand in their views.
    pub const INSIDE: usize = 12;
    /// No text.
    pub const EMPTY: View = View([0; 16]);

    /// The view of a text, without its place if it is long: as good as the text itself to tell most
    /// texts apart, and to tell short ones from all others.
    #[inline]
    pub fn of(text: &str) -> Self {
        let shown = if text.len() <= Self::INSIDE { text.len() } else { 4 };
        let shown = first_bytes(&text.as_bytes()[..shown]);
        Self((u128::from(text.len() as u32) | shown << 32).to_le_bytes())
    }

    /// The view of a text that stands in another, if that has enough behind its beginning to be read at once, and the
    /// view has room for it.
    #[inline]
    pub fn within(all: &str, text: Range<usize>) -> Option<Self> {
        /// So many bytes of a number are those of a text, and the others zeros.
        const BYTES: [u128; View::INSIDE + 1] = {
            let mut masks = [0; View::INSIDE + 1];
            let mut at = 1;
            while at < masks.len() {
                masks[at] = masks[at - 1] << 8 | 0xFF;
                at += 1;
            }
            masks
        };
        let own = BYTES.get(text.len())?;
        let bytes = all.as_bytes().get(text.start..)?.first_chunk()?;
        let whole = all.is_char_boundary(text.start) && all.is_char_boundary(text.end);
        let shown = u128::from_le_bytes(*bytes) & own;
        whole.then(|| Self((text.len() as u128 | shown << 32).to_le_bytes()))
    }

    fn part(self, at: usize) -> u32 {
        u32::from_le_bytes([self.0[at], self.0[at + 1], self.0[at + 2], self.0[at + 3]])
    }

    /// The view of the same long text, which begins at `offset` in a block.
    pub fn with_place(self, block: u32, offset: u32) -> Self {
        let mut view = self.in_block(block);
        view.0[12..].copy_from_slice(&offset.to_le_bytes());
        view
    }

    /// The same of a block of another number.
    #[inline]
    pub fn in_block(mut self, block: u32) -> Self {
        self.0[8..12].copy_from_slice(&block.to_le_bytes());
        self
    }

    /// The number of a long text's block.
    #[inline]
    pub fn block(self) -> usize {
        self.part(8) as usize
    }

    /// Where a long text begins in its block.
    #[inline]
    pub fn start(self) -> usize {
        self.part(12) as usize
    }

    /// How many bytes the text has.
    #[inline]
    pub fn length(self) -> usize {
        self.part(0) as usize
    }

    /// The bytes of a text that stands in its view.
    #[inline]
    pub fn inside(&self) -> &[u8] {
        &self.0[4..4 + self.length()]
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

    /// A text that stands in its view as one number, its first byte the lowest.
    #[inline]
    pub fn text(self) -> u128 {
        self.bits() >> 32
    }

    /// A text that stands in its view as a number: those of such texts are in the order of their bytes.
    #[inline]
    pub fn place(self) -> u128 {
        // The bytes of the text first; of texts that differ in zeros behind them alone the shorter one.
        u128::from_be_bytes(self.0).rotate_left(32)
    }

    /// It in 64 bits, of which the highest tell most views apart.
    #[inline]
    pub fn folded(self) -> u64 {
        let bits = self.bits();
        ((bits >> 64) as u64 ^ bits as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15)
    }

    /// The length and the first four bytes as one number.
    #[inline]
    pub fn head(self) -> u64 {
        self.bits() as u64
    }
}

/// Up to twelve bytes as one number, the first as its lowest: read at once from both ends, where what is read twice is
/// the same.
#[inline]
fn first_bytes(bytes: &[u8]) -> u128 {
    if let (Some(first), Some(last)) = (bytes.first_chunk::<8>(), bytes.last_chunk::<4>()) {
        let last = u128::from(u32::from_le_bytes(*last));
        return u128::from(u64::from_le_bytes(*first)) | last << (8 * (bytes.len() - 4));
    }
    if let (Some(first), Some(last)) = (bytes.first_chunk::<4>(), bytes.last_chunk::<4>()) {
        let last = u128::from(u32::from_le_bytes(*last));
        return u128::from(u32::from_le_bytes(*first)) | last << (8 * (bytes.len() - 4));
    }
    bytes.iter().rev().fold(0, |all, byte| all << 8 | u128::from(*byte))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn a_view_has_its_text_or_the_beginning_of_it(text in "[a-zé]{0,14}") {
            let view = View::of(&text);
            prop_assert_eq!(view.length(), text.len());
            prop_assert_eq!(view.is_whole(), text.len() <= View::INSIDE);
            let shown = if view.is_whole() { text.len() } else { 4 };
            prop_assert_eq!(&view.0[4..4 + shown], &text.as_bytes()[..shown]);
            prop_assert!(view.0[4 + shown..].iter().all(|byte| *byte == 0));
        }

        #[test]
        fn a_view_of_a_part_is_that_of_the_part_alone(
            before in "[a-zé]{0,3}", text in "[a-zé]{0,14}", behind in "[a-zé]{0,20}"
        ) {
            let (all, end) = (format!("{before}{text}{behind}"), before.len() + text.len());
            let view = View::within(&all, before.len()..end);
            let enough = text.len() <= View::INSIDE && all.len() >= before.len() + 16;
            prop_assert_eq!(view, enough.then(|| View::of(&text)));
            // No view is made of half a letter.
            prop_assert!(View::within("éaaaaaaaaaaaaaaaaa", 1..3).is_none());
        }
    }
}
