//! An amount of the rows of one side of a link, by what becomes of them.

use rayon::prelude::*;

use super::Keys;
use crate::table::{Amount, Bits, Column, Rows};

/// An amount, by what becomes of the rows that have it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct AmountsBy {
    /// Of rows that the other side has.
    pub matched: Both,
    /// Of rows with a key that the other side has not.
    pub missing: Both,
    /// Of rows without a key.
    pub blank: Both,
}

/// An amount without signs, by which shares are worked, and as it adds up.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Both {
    pub size: Amount,
    pub net: Amount,
}

impl Both {
    /// Both together.
    pub fn plus(self, other: Self) -> Self {
        Self { size: self.size.plus(other.size), net: self.net.plus(other.net) }
    }
}

/// What becomes of a row, by its place in the sums.
const MATCHED: usize = 0;
const MISSING: usize = 1;
const BLANK: usize = 2;

/// Adds up a numeric column. Runs of rows are added up on all cores.
pub(crate) fn amounts(column: &Column, keys: &Keys, index: &Rows) -> AmountsBy {
    const RUN: usize = 1 << 16;
    let fate = |row: usize| match (index.has(row), keys.has_key(row)) {
        (true, _) => MATCHED,
        (false, true) => MISSING,
        (false, false) => BLANK,
    };
    let present = column.present();
    let sums = |values: &(dyn Fn(usize) -> i128 + Sync)| {
        let runs = (0..column.len()).into_par_iter().step_by(RUN);
        let sums = runs.map(|start| {
            let mut sums = [Sums::default(); 3];
            for row in start..(start + RUN).min(column.len()) {
                let value = || values(row);
                let there = present.as_ref().is_none_or(|present| present.has(row));
                sums[fate(row)].add(there.then(value));
            }
            sums
        });
        sums.reduce(|| [Sums::default(); 3], |a, b| std::array::from_fn(|at| a[at].plus(b[at])))
    };
    let sums = match column {
        Column::Integer(array) => sums(&|row| array.value(row).into()),
        Column::Decimal(array, _) => sums(&|row| array.value(row)),
        _ => {
            let of = |at: usize| {
                let chosen = column.filter(&Bits::collect(keys.rows(), |row| fate(row) == at));
                Both { size: chosen.magnitude(), net: chosen.sum() }
            };
            return AmountsBy { matched: of(MATCHED), missing: of(MISSING), blank: of(BLANK) };
        }
    };
    let scale = column.ty().scale().unwrap_or_default();
    let of = |at: usize| {
        let Sums { size, net, blanks } = sums[at];
        let amount = |units: Option<i128>| Amount::exact(units, scale, blanks);
        Both { size: amount(size), net: amount(net) }
    };
    AmountsBy { matched: of(MATCHED), missing: of(MISSING), blank: of(BLANK) }
}

/// Sums of whole units; nothing where they have too many digits.
#[derive(Clone, Copy)]
struct Sums {
    size: Option<i128>,
    net: Option<i128>,
    blanks: u64,
}

impl Default for Sums {
    fn default() -> Self {
        Self { size: Some(0), net: Some(0), blanks: 0 }
    }
}

impl Sums {
    #[inline]
    fn add(&mut self, value: Option<i128>) {
        let Some(value) = value else {
            self.blanks += 1;
            return;
        };
        self.size = self.size.and_then(|sum| sum.checked_add(value.abs()));
        self.net = self.net.and_then(|sum| sum.checked_add(value));
    }

    fn plus(self, other: Self) -> Self {
        let add = |a: Option<i128>, b: Option<i128>| a?.checked_add(b?);
        Self {
            size: add(self.size, other.size),
            net: add(self.net, other.net),
            blanks: self.blanks + other.blanks,
        }
    }
}
