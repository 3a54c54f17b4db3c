//! Lines, put together of new cells and of runs of the line above.

use std::ops::Range;

use super::made::{Cells, FEW};

/// So many columns are watched for changes; those behind them count as changed.
pub(super) const WATCHED: usize = 64;

/// Bytes that are made ready for lines at a time: they are in the cache when lines are written over them.
const MADE_READY: usize = 1 << 14;

/// Lines, one behind the other.
pub(super) struct Lines {
    /// What is made, and room behind it for a line and [`FEW`] bytes.
    out: Vec<u8>,
    end: usize,
    /// Where the line above the next begins.
    above: usize,
    /// Where each cell begins in that; behind them, where it ends.
    cells: Vec<usize>,
    /// The bytes that a line may have.
    longest: usize,
}

impl Lines {
    /// No lines yet, of so many rows and columns, in memory whose bytes are of no use any more.
    pub fn new(memory: Vec<u8>, columns: usize, rows: usize) -> Self {
        let mut out = memory;
        // As good a guess as any; a page that nothing is written to costs nothing.
        out.reserve((rows * columns * 8).saturating_sub(out.len()));
        Self { out, end: 0, above: 0, cells: vec![0; columns + 1], longest: 0 }
    }

    /// What lines are made of from now on.
    pub fn expect_cells(&mut self, cells: &Cells) {
        // What is not new is as in the line above, however long that was.
        self.longest = cells.longest() + self.cells[cells.columns()];
    }

    /// Adds the next line, of which the cells that have `changed` are new.
    pub fn go_on(&mut self, changed: u64, cells: &mut Cells) {
        let start = self.end;
        if self.out.len() < start + self.longest + FEW {
            self.out.resize(start + self.longest + FEW + MADE_READY, 0);
        }
        let last = cells.columns();
        let mut line = Line {
            out: &mut self.out,
            cells: &mut self.cells[..=last],
            above: self.above,
            start,
            end: start,
            next: 0,
        };
        let (mut left, mut unwatched) = (changed, WATCHED);
        loop {
            let at = if left != 0 {
                let at = left.trailing_zeros() as usize;
                left &= left - 1;
                at
            } else if unwatched < last {
                unwatched += 1;
                unwatched - 1
            } else {
                break;
            };
            line.repeat(at);
            let cell = cells.take(at);
            line.put(at, cells.bytes(), cell);
        }
        line.repeat(last);
        line.cells[last] = line.end - start;
        self.end = line.end;
        self.above = start;
    }

    pub fn finish(mut self) -> Vec<u8> {
        self.out.truncate(self.end);
        self.out
    }
}

/// A line that is being made.
struct Line<'a> {
    out: &'a mut [u8],
    /// Where each cell begins: from `next` on as in the line above.
    cells: &'a mut [usize],
    /// Where the line above begins, this one, and what stands behind it.
    above: usize,
    start: usize,
    end: usize,
    /// The first cell that is not made yet.
    next: usize,
}

impl Line<'_> {
    /// Adds a new cell.
    #[inline]
    fn put(&mut self, at: usize, bytes: &[u8], cell: Range<usize>) {
        self.cells[at] = self.end - self.start;
        self.next = at + 1;
        let length = cell.len();
        if length <= FEW {
            let few = &bytes[cell.start..][..FEW];
            self.out[self.end..][..FEW].copy_from_slice(few);
        } else {
            self.out[self.end..][..length].copy_from_slice(&bytes[cell]);
        }
        self.end += length;
    }

    /// Adds the cells up to `last` as they are in the line above.
    #[inline]
    fn repeat(&mut self, last: usize) {
        if self.next >= last {
            return;
        }
        let (from, to) = (self.cells[self.next], self.cells[last]);
        let (first, here) = (self.above + from, self.end - self.start);
        // No more than a line is taken over, and so nothing of it is written over before it is read.
        let mut at = 0;
        while at < to - from {
            let mut few = [0; FEW];
            few.copy_from_slice(&self.out[first + at..][..FEW]);
            self.out[self.end + at..][..FEW].copy_from_slice(&few);
            at += FEW;
        }
        self.end += to - from;
        if here != from {
            for cell in &mut self.cells[self.next..last] {
                *cell = *cell - from + here;
            }
        }
    }
}
