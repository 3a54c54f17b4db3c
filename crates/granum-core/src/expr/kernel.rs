//! The loops that all operations share, and what happens where a row cannot be worked.

use crate::table::{
    Bits, Fixed, GatherId, Native, Present, SlotId, TextBuilder, Texts, Truths, Whole, Wide,
};
use std::sync::{Mutex, PoisonError};

use crate::lang::Span;
use crate::value::Type;

/// Why a row could not be worked.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum FailureKind {
    /// A result with too many digits, or a day outside the calendar.
    Overflow,
    /// A value that does not convert.
    Conversion { value: String, to: Type },
    /// A result beyond what there may be, in words.
    Limit(&'static str),
    /// What was gathered has no value for this row of the table that is led to.
    Gathered { id: GatherId, row: u32 },
    /// Its group has no value.
    Grouped { slot: SlotId, group: u32 },
}

/// The first row of a batch that could not be worked.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct RowFailure {
    pub row: usize,
    pub kind: FailureKind,
    pub span: Span,
}

/// What a row does that cannot be worked.
#[derive(Clone, Copy)]
pub(crate) enum Failing<'a> {
    /// It stops the work.
    Stops,
    /// It is blank: for rows that are only worked for the tally.
    Blank,
    /// It is blank, and noted for whoever needs it.
    Noted(&'a Mutex<Vec<RowFailure>>),
}

/// The rows that count. A failure in a row that does not count gives a blank: the side of an `if`
/// that was not chosen.
#[derive(Clone, Copy)]
pub(crate) struct Counting<'a> {
    pub mask: Option<&'a Bits>,
    pub failing: Failing<'a>,
    pub span: Span,
}

impl Counting<'_> {
    /// Fails, if the row counts.
    pub fn fail(self, row: usize, kind: impl FnOnce() -> FailureKind) -> Result<(), RowFailure> {
        if !self.counts(row) {
            return Ok(());
        }
        let failure = || RowFailure { row, kind: kind(), span: self.span };
        match self.failing {
            Failing::Stops => return Err(failure()),
            Failing::Blank => {}
            Failing::Noted(noted) => {
                noted.lock().unwrap_or_else(PoisonError::into_inner).push(failure());
            }
        }
        Ok(())
    }

    /// Whether the side of an `if` that a row is on is worked.
    pub fn counts(self, row: usize) -> bool {
        self.mask.is_none_or(|mask| mask.value(row))
    }
}

pub(crate) fn valid(present: Option<&Present>, row: usize) -> bool {
    present.is_none_or(|present| present.has(row))
}

/// Values that can be read by row, however they are held.
pub(crate) trait Reads<T> {
    fn len(&self) -> usize;
    /// The value of a row; of a blank one something without a meaning.
    fn value(&self, row: usize) -> T;
    fn present(&self) -> Option<&Present>;
}

impl<T: Native> Reads<T> for Fixed<T> {
    fn len(&self) -> usize {
        Self::len(self)
    }

    #[inline]
    fn value(&self, row: usize) -> T {
        Self::value(self, row)
    }

    fn present(&self) -> Option<&Present> {
        Self::present(self)
    }
}

impl<T: Wide> Reads<T> for Whole<T> {
    fn len(&self) -> usize {
        Self::len(self)
    }

    #[inline]
    fn value(&self, row: usize) -> T {
        Self::value(self, row)
    }

    fn present(&self) -> Option<&Present> {
        Self::present(self)
    }
}

/// One value from one value, blank from blank. `work` gives `None` where it cannot.
pub(crate) fn map<A: Native, O: Native>(
    a: &impl Reads<A>,
    counting: Counting<'_>,
    kind: impl Fn(A) -> FailureKind,
    work: impl Fn(A) -> Option<O>,
) -> Result<(Vec<O>, Option<Present>), RowFailure> {
    let kind = |row| kind(a.value(row));
    by_row(a.len(), a.present().cloned(), counting, kind, |row| work(a.value(row)))
}

/// One value from two, blank where either is. `work` gives `None` where it cannot.
pub(crate) fn zip<A: Native, O: Native>(
    a: &impl Reads<A>,
    b: &impl Reads<A>,
    counting: Counting<'_>,
    work: impl Fn(A, A) -> Option<O>,
) -> Result<(Vec<O>, Option<Present>), RowFailure> {
    let present = Present::both(a.present(), b.present());
    let work = |row| work(a.value(row), b.value(row));
    by_row(a.len(), present, counting, |_| FailureKind::Overflow, work)
}

/// A value for each row, with the rows that have one; a row that has none though it could fails.
#[inline]
fn by_row<O: Native>(
    rows: usize,
    present: Option<Present>,
    counting: Counting<'_>,
    kind: impl Fn(usize) -> FailureKind,
    work: impl Fn(usize) -> Option<O>,
) -> Result<(Vec<O>, Option<Present>), RowFailure> {
    let mut out = Vec::with_capacity(rows);
    let mut failed = vec![];
    for row in 0..rows {
        out.push(match work(row) {
            Some(result) => result,
            None => {
                if valid(present.as_ref(), row) {
                    counting.fail(row, || kind(row))?;
                    failed.push(row);
                }
                O::default()
            }
        });
    }
    Ok((out, without(present, &failed, rows)))
}

/// `present` with some more rows blank.
pub(crate) fn without(present: Option<Present>, blank: &[usize], rows: usize) -> Option<Present> {
    if blank.is_empty() {
        return present;
    }
    let mut present: Vec<bool> = (0..rows).map(|row| valid(present.as_ref(), row)).collect();
    for row in blank {
        present[*row] = false;
    }
    Some(Present::from(present))
}

/// Texts from texts: each row's result is written into a buffer that is reused. An empty result is
/// blank.
pub(crate) fn texts(rows: usize, mut write: impl FnMut(usize, &mut String) -> bool) -> Texts {
    let mut out = TextBuilder::new(rows);
    let mut text = String::new();
    for row in 0..rows {
        text.clear();
        if write(row, &mut text) && !text.is_empty() {
            out.push(&text);
        } else {
            out.push_blank();
        }
    }
    out.finish()
}

/// Truth from each row; `None` is blank.
pub(crate) fn truths(rows: usize, is: impl Fn(usize) -> Option<bool>) -> Truths {
    (0..rows).map(is).collect()
}
