//! Values that mostly come one behind the other: order numbers, names of documents, days.
//!
//! What stands behind all values so far is a new one, and needs no look-up; what was met is found near where the one
//! before it was. So a column in order needs no table of hashes, neither to number its values nor to meet another.
use std::cmp::Ordering;

use crate::by_order::place;

/// Numbers of values, in runs of which each value stands behind the one before.
#[derive(Debug, Default)]
pub(super) struct Ascending {
    /// All runs but the last one are closed.
    runs: Vec<Vec<u32>>,
    /// How many values did not stand behind all others of their run.
    astray: usize,
    over: bool,
}

/// Where values were found the last time, in each run.
pub(super) type Near = [usize; RUNS];

/// So many runs are known apart: files that stand under each other mostly have one each.
const RUNS: usize = 4;

/// So many values may be astray whatever there is, and of all one in so many.
const ASTRAY: usize = 64;
const ONE_IN: usize = 4;

impl Ascending {
    /// Of values that come in no order.
    pub fn over() -> Self {
        Self { over: true, ..Self::default() }
    }

    /// Whether values still come in order, most of them.
    pub fn goes_on(&self) -> bool {
        !self.over
    }

    /// A value may stand before all others from here on.
    pub fn begin_run(&mut self) {
        let empty = self.runs.last().is_none_or(Vec::is_empty);
        if self.goes_on() && !empty && self.runs.len() < RUNS {
            self.runs.push(vec![]);
        }
    }

    /// The numbers of the values of all runs.
    pub fn numbers(&self) -> impl Iterator<Item = u32> {
        self.runs.iter().flatten().copied()
    }

    /// Whether there is no run but one.
    pub fn is_one(&self) -> bool {
        self.runs.len() < 2
    }

    /// Makes room for so many more.
    pub fn reserve(&mut self, values: usize) {
        if let Some(last) = self.runs.last_mut() {
            last.reserve(values);
        }
    }

    /// The bytes that it takes in memory.
    pub fn bytes_held(&self) -> usize {
        self.runs.iter().map(|run| run.capacity() * size_of::<u32>()).sum()
    }

    /// The last value of the run that is open.
    pub fn last(&self) -> Option<u32> {
        self.runs.last()?.last().copied()
    }

    /// Adds a value that stands behind all others of its run.
    pub fn push(&mut self, number: u32) {
        match self.runs.last_mut() {
            Some(last) => last.push(number),
            None => self.runs.push(vec![number]),
        }
    }

    /// Notes that a value stands before others; from then on too many may do so.
    pub fn stray(&mut self) -> bool {
        self.astray += 1;
        let all: usize = self.runs.iter().map(Vec::len).sum();
        self.astray > ASTRAY + all / ONE_IN
    }

    /// The number of a value, from where others were found. `order` says how the value of a number stands to it.
    pub fn find(&self, near: &mut Near, order: impl Fn(u32) -> Ordering) -> Option<u32> {
        self.runs.iter().zip(near).find_map(|(run, near)| {
            let found = place(run.len(), *near, |at| order(run[at]));
            *near = found.unwrap_or_else(|place| place);
            found.ok().map(|at| run[at])
        })
    }
}
