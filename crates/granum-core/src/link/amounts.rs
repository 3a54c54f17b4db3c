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

/// Adds up a numeric column, by what becomes of its rows.
pub(crate) fn amounts(column: &Column, keys: &Keys, index: &Rows) -> AmountsBy {
    let fate = |row: usize| match (index.has(row), keys.has_key(row)) {
        (true, _) => 0,
        (false, true) => 1,
        (false, false) => 2,
    };
    let [matched, missing, blank] = sums_by::<3>(column, fate);
    AmountsBy { matched, missing, blank }
}

/// Adds up a numeric column by a number, below `N`, that each row has. Runs of rows are added up on
/// all cores.
pub(super) fn sums_by<const N: usize>(
    column: &Column,
    fate: impl Fn(usize) -> usize + Sync,
) -> [Both; N] {
    const RUN: usize = 1 << 16;
    let present = column.present();
    let sums = |values: &(dyn Fn(usize) -> i128 + Sync)| {
        let runs = (0..column.len()).into_par_iter().step_by(RUN);
        let sums = runs.map(|start| {
            let mut sums = [Sums::default(); N];
            for row in start..(start + RUN).min(column.len()) {
                let value = || values(row);
                let there = present.as_ref().is_none_or(|present| present.has(row));
                sums[fate(row)].add(there.then(value));
            }
            sums
        });
        sums.reduce(|| [Sums::default(); N], |a, b| std::array::from_fn(|at| a[at].plus(b[at])))
    };
    let sums = match column {
        Column::Integer(array) => sums(&|row| array.value(row).into()),
        Column::Decimal(array, _) => sums(&|row| array.value(row)),
        _ => {
            return std::array::from_fn(|at| {
                let chosen = column.filter(&Bits::collect(column.len(), |row| fate(row) == at));
                Both { size: chosen.magnitude(), net: chosen.sum() }
            });
        }
    };
    let scale = column.ty().scale().unwrap_or_default();
    sums.map(|Sums { size, net, blanks }| {
        let amount = |units: Option<i128>| Amount::exact(units, scale, blanks);
        Both { size: amount(size), net: amount(net) }
    })
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
