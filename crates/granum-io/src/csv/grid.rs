//! Where the cells of some rows stand in a part's text.
//!
//! Rows are taken apart first and made into columns afterwards, column by column: each loop over
//! the cells of one column knows its type and stays in the core's cache.

use super::scan::Field;

/// So many rows are taken apart before columns are made of them.
pub(super) const BLOCK: usize = 1 << 9;

/// Set in a cell's end where doubled quotes in it stand for single ones. Parts are far shorter.
const ESCAPED: u32 = 1 << 31;

/// The cells of whole rows, row after row.
pub(super) struct Grid {
    width: usize,
    rows: usize,
    /// For each cell its first byte and the byte after its last.
    cells: Vec<(u32, u32)>,
    /// Whether no row came that had to be looked at byte by byte.
    plain: bool,
}

impl Grid {
    /// A grid for rows of `width` cells.
    pub fn new(width: usize) -> Self {
        Self { width, rows: 0, cells: Vec::with_capacity(width * 64), plain: true }
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    pub fn clear(&mut self) {
        self.rows = 0;
        self.cells.clear();
        self.plain = true;
    }

    /// Whether all cells of all rows stand beside each other, without quotes.
    pub fn is_plain(&self) -> bool {
        self.plain
    }

    /// Adds a row of `width` fields.
    pub fn push_row(&mut self, fields: &[Field]) {
        self.plain = false;
        self.cells.extend(fields.iter().map(|field| {
            (field.start as u32, field.end as u32 | if field.escaped { ESCAPED } else { 0 })
        }));
        self.rows += 1;
    }

    /// A cell as it stands in the text.
    pub fn field(&self, row: usize, place: usize) -> Field {
        let (start, end) = self.cells[row * self.width + place];
        Field { start: start as usize, end: (end & !ESCAPED) as usize, escaped: end & ESCAPED != 0 }
    }

    /// Adds rows of `text` from byte `at` on, as long as they are plain: no quotes, `width` cells,
    /// not empty, and ended. Gives the byte at which the first other row begins.
    ///
    /// Sixty-four bytes are compared at a time, without a branch for each; only where a cell ends
    /// is a byte looked at by itself.
    pub fn push_plain_rows(&mut self, text: &[u8], delimiter: u8, at: usize) -> usize {
        let (mut row, mut cell, mut left) = (at, at, self.width);
        let mut base = at;
        'text: for bytes in text[at..].chunks(64) {
            let mut ends = if let Ok(bytes) = bytes.try_into() {
                ends_in(bytes, delimiter)
            } else {
                let mut padded = [0; 64];
                padded[..bytes.len()].copy_from_slice(bytes);
                ends_in(&padded, delimiter)
            };
            while ends != 0 {
                let end = base + ends.trailing_zeros() as usize;
                ends &= ends - 1;
                left = left.wrapping_sub(1);
                match text[end] {
                    b'"' => break 'text,
                    b'\n' => {
                        let stop = end - usize::from(end > cell && text[end - 1] == b'\r');
                        // A line with nothing in it is no row, also where rows have one cell.
                        if left != 0 || stop == row {
                            break 'text;
                        }
                        self.cells.push((cell as u32, stop as u32));
                        self.rows += 1;
                        (row, cell, left) = (end + 1, end + 1, self.width);
                        if self.rows == BLOCK {
                            break 'text;
                        }
                    }
                    _ => {
                        self.cells.push((cell as u32, end as u32));
                        cell = end + 1;
                    }
                }
            }
            base += bytes.len();
        }
        self.cells.truncate(self.rows * self.width);
        row
    }
}

/// A bit for each byte that is a delimiter, a line feed or a quote; the lowest for the first.
fn ends_in(bytes: &[u8; 64], delimiter: u8) -> u64 {
    let flags =
        bytes.map(|byte| u8::from(byte == delimiter) | u8::from(byte == b'\n' || byte == b'"'));
    let mut bits = 0;
    for (at, eight) in flags.as_chunks::<8>().0.iter().enumerate() {
        // Eight bytes of 0 or 1 become eight bits: each is moved to a place of its own in the
        // highest byte of the product.
        let eight = u64::from_le_bytes(*eight).wrapping_mul(0x0102_0408_1020_4080) >> 56;
        bits |= eight << (8 * at);
    }
    bits
}
