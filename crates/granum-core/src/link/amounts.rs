//! An amount of the rows of one side of a link, by what becomes of them.

use std::ops::Range;

use rayon::prelude::*;

use super::Keys;
use crate::bug::bug;
use crate::table::{Amount, Bits, Column, Held, PIECE, Present, Rows};
use crate::value::Type;

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
pub(crate) fn amounts(column: &Held, keys: &Keys, index: &Rows) -> AmountsBy {
    let fate = |row: usize| match (index.has(row), keys.has_key(row)) {
        (true, _) => 0,
        (false, true) => 1,
        (false, false) => 2,
    };
    let [matched, missing, blank] = sums_by::<3>(column, Some(&index.bits()), fate);
    AmountsBy { matched, missing, blank }
}

/// Adds up a numeric column by a number, below `N`, that each row has: where `most` are known to have number 0, only
/// others are asked for it. Runs of rows are added up on all cores, and got for that where the column is away.
pub(super) fn sums_by<const N: usize>(
    column: &Held,
    most: Option<&Bits>,
    fate: impl Fn(usize) -> usize + Sync,
) -> [Both; N] {
    let ty = column.slice(0, 0).whole().ty();
    if ty == Type::Number {
        // Floating point numbers add up in one order alone.
        let whole = column.whole();
        return std::array::from_fn(|at| {
            let chosen = whole.filter(&Bits::collect(whole.len(), |row| fate(row) == at));
            Both { size: chosen.magnitude(), net: chosen.sum() }
        });
    }
    let runs = (0..column.len()).into_par_iter().step_by(PIECE).with_max_len(1);
    let sums = runs.map(|first| {
        let run = column.slice(first, PIECE.min(column.len() - first)).whole();
        let fate = |row: usize| fate(first + row);
        if let Some(short) = run.short() {
            let most = most.map(|most| most.slice(first, run.len()));
            return sums_of_short(&short, run.present().as_ref(), most.as_ref(), fate);
        }
        match &run {
            Column::Integer(array) => sums(&run, fate, |row| array.value(row).into()),
            Column::Decimal(array, _) => sums(&run, fate, |row| array.value(row)),
            Column::Blank(_) => sums(&run, fate, |_| 0),
            _ => bug(format!("an amount is of {}", run.ty())),
        }
    });
    let sums: [Sums; N] =
        sums.reduce(|| [Sums::default(); N], |a, b| std::array::from_fn(|at| a[at].plus(b[at])));
    let scale = ty.scale().unwrap_or_default();
    sums.map(|Sums { size, net, blanks }| {
        let amount = |units: Option<i128>| Amount::exact(units, scale, blanks);
        Both { size: amount(size), net: amount(net) }
    })
}

/// The same of a run, whose values are whole units.
fn sums<const N: usize>(
    run: &Column,
    fate: impl Fn(usize) -> usize,
    value: impl Fn(usize) -> i128,
) -> [Sums; N] {
    let mut sums = [Sums::default(); N];
    let present = run.present();
    for row in 0..run.len() {
        let there = present.as_ref().is_none_or(|present| present.has(row));
        sums[fate(row)].add(there.then(|| value(row)));
    }
    sums
}

/// The same of values that stand in four bytes each: those of a run add up in eight.
fn sums_of_short<const N: usize>(
    values: &[i32],
    present: Option<&Present>,
    most: Option<&Bits>,
    fate: impl Fn(usize) -> usize,
) -> [Sums; N] {
    let mut sums = [(0_i64, 0_i64, 0_u64); N];
    let mut add = |of: usize, rows: Range<usize>| {
        let (size, net, blanks) = &mut sums[of];
        if present.is_none() {
            for value in &values[rows] {
                *size += i64::from(value.unsigned_abs());
                *net += i64::from(*value);
            }
            return;
        }
        for row in rows {
            if present.is_none_or(|present| present.has(row)) {
                *size += i64::from(values[row].unsigned_abs());
                *net += i64::from(values[row]);
            } else {
                *blanks += 1;
            }
        }
    };
    match most {
        Some(most) => {
            most.runs().for_each(|(from, to)| add(0, from..to));
            (!most).rows().for_each(|row| add(fate(row), row..row + 1));
        }
        None => (0..values.len()).for_each(|row| add(fate(row), row..row + 1)),
    }
    sums.map(|(size, net, blanks)| Sums { size: Some(size.into()), net: Some(net.into()), blanks })
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
