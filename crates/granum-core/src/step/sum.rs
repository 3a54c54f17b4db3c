//! What a step says of its rows, for the tally.

use crate::aggregate::Sum;
use crate::lang::OddQuantity;
use crate::table::Amount;
use crate::tally::{Allocated, Cut, GroupSizes, Mistake};

/// What happened in one step, over some rows.
#[derive(Debug, Clone, Default)]
pub(crate) struct StepSum {
    pub removed_rows: u64,
    pub blank: u64,
    /// For each tracked amount what went with the removed rows.
    pub removed: Vec<Option<Sum>>,
    /// For each tracked amount what it was before the step, where the step changes or ends it.
    pub before: Vec<Option<Sum>>,
    pub rows_before: u64,
    pub cut: Cut,
    /// Of groups that rows became.
    pub sizes: Option<GroupSizes>,
    /// Of a `top`: rows that went, and that stayed, though they tie with the last.
    pub ties: Option<(u64, u64)>,
    /// What the rows of a step show to be usually a mistake.
    pub mistakes: Vec<Mistake>,
    /// Rows of `units` whose quantity is no number of units.
    pub odd: Vec<OddRows>,
    /// What an `allocate` divided.
    pub allocated: Vec<Allocated>,
    /// By what they are in: rows whose amounts must all be in one, and those; for each column.
    pub alone: Vec<Vec<(Option<String>, u64, Amount)>>,
    /// What rows an `expand` made.
    pub expanded: Option<Expanded>,
    pub seen: bool,
}

/// Rows that an `expand` made.
#[derive(Debug, Clone, Default)]
pub(crate) struct Expanded {
    /// Rows that became others, and how many those are.
    pub rows: u64,
    pub became: u64,
    /// For each column that it multiplies what it was, and is.
    pub multiplied: Vec<(Amount, Amount)>,
}

/// Rows of one odd kind of quantity.
#[derive(Debug, Clone)]
pub(crate) struct OddRows {
    pub what: OddQuantity,
    /// Whether they went; else they stayed.
    pub dropped: bool,
    pub rows: u64,
    /// For each tracked amount what went with them.
    pub amounts: Vec<Option<Sum>>,
}

/// Adds amounts to those of other rows.
pub(crate) fn add(all: &mut Vec<Option<Sum>>, more: &[Option<Sum>], first: bool) {
    if first {
        all.clear();
        all.extend_from_slice(more);
        return;
    }
    for (sum, more) in all.iter_mut().zip(more) {
        *sum = sum.as_ref().zip(more.as_ref()).map(|(sum, more)| sum.plus(more));
    }
}

impl StepSum {
    pub fn absorb(&mut self, more: &StepSum) {
        let first = !self.seen;
        self.seen = true;
        self.removed_rows += more.removed_rows;
        self.blank += more.blank;
        self.rows_before += more.rows_before;
        add(&mut self.removed, &more.removed, first);
        add(&mut self.before, &more.before, first);
        self.cut.copies += more.cut.copies;
        self.cut.older += more.cut.older;
        self.cut.ties += more.cut.ties;
        self.cut.blank_keys += more.cut.blank_keys;
        self.cut.by_key |= more.cut.by_key;
        self.sizes = self.sizes.or(more.sizes);
        self.allocated.extend_from_slice(&more.allocated);
        if let Some(more) = &more.expanded {
            match &mut self.expanded {
                None => self.expanded = Some(more.clone()),
                Some(own) => {
                    own.rows += more.rows;
                    own.became += more.became;
                    for (sum, more) in own.multiplied.iter_mut().zip(&more.multiplied) {
                        *sum = (sum.0.plus(more.0), sum.1.plus(more.1));
                    }
                }
            }
        }
        self.ties = self.ties.or(more.ties);
        self.alone.resize_with(more.alone.len().max(self.alone.len()), Vec::new);
        for (own, more) in self.alone.iter_mut().zip(&more.alone) {
            for (value, rows, amount) in more {
                match own.iter_mut().find(|(known, ..)| known == value) {
                    Some((_, known, sum)) => (*known, *sum) = (*known + rows, sum.plus(*amount)),
                    None => own.push((value.clone(), *rows, *amount)),
                }
            }
        }
        self.mistakes.extend_from_slice(&more.mistakes);
        for odd in &more.odd {
            let same =
                |known: &&mut OddRows| (known.what, known.dropped) == (odd.what, odd.dropped);
            match self.odd.iter_mut().find(same) {
                Some(known) => {
                    known.rows += odd.rows;
                    add(&mut known.amounts, &odd.amounts, false);
                }
                None => self.odd.push(odd.clone()),
            }
        }
        self.odd.sort_by_key(|odd| (!odd.dropped, odd.what));
    }
}
