//! Where a text stands.

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
        let mut view = [0; 16];
        let shown = if text.len() <= Self::INSIDE { text.len() } else { 4 };
        view[..4].copy_from_slice(&(text.len() as u32).to_le_bytes());
        view[4..4 + shown].copy_from_slice(&text.as_bytes()[..shown]);
        Self(view)
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

    /// The length and the first four bytes as one number.
    #[inline]
    pub fn head(self) -> u64 {
        self.bits() as u64
    }
}
