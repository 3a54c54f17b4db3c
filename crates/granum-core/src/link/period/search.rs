//! Looks up the moments of a source's rows among the stretches of their keys.

use rayon::prelude::*;

use super::stretches::Stretches;
use super::{BEFORE, BLANK, Moments, NO_KEY};
use crate::link::Keys;
use crate::table::Rows;

/// Rows that are looked up together.
const RUN: usize = 1 << 13;

/// What rows are looked up in.
pub(super) struct Search<'s> {
    stretches: &'s Stretches,
    /// Where all rows are of one key.
    one: Option<Buckets>,
}

impl<'s> Search<'s> {
    /// Looks among stretches, which may be of one key.
    pub fn new(stretches: &'s Stretches, one: bool) -> Self {
        Self { stretches, one: one.then(|| Buckets::new(stretches)) }
    }

    /// The stretch of each of some rows, or why there is none. `groups` leads to the first row of the target with
    /// the same key, and has those of the source; it is not there where all rows are of one key.
    pub fn find(&self, when: &Moments, groups: Option<(&Rows, &Keys)>) -> Vec<u32> {
        let stretches = self.stretches;
        let mut at = vec![0; when.rows()];
        at.par_chunks_mut(RUN).enumerate().for_each(|(run, out)| {
            let first = run * RUN;
            let mut moments = Vec::with_capacity(RUN);
            when.run(first, out.len(), &mut moments);
            let mut before = Known { group: usize::MAX, from: 0, end: 0, at: 0 };
            for (offset, out) in out.iter_mut().enumerate() {
                let row = first + offset;
                let moment = moments[offset];
                let group = match groups {
                    None => Some(0),
                    Some((groups, _)) => groups.get(row).map(|of| stretches.group_of(of)),
                };
                *out = match group {
                    _ if moment == i64::MIN && when.get(row).is_none() => BLANK,
                    None if groups.is_some_and(|(_, keys)| !keys.has_key(row)) => BLANK,
                    None => NO_KEY,
                    // Rows of one day mostly stand together.
                    Some(group) if before.has(group, moment) => before.at,
                    Some(group) => {
                        let at = match &self.one {
                            Some(buckets) => buckets.find(moment, stretches),
                            None => find(moment, stretches, stretches.of(group)),
                        };
                        if at < BEFORE {
                            let end = stretches.end_in(group, at);
                            let from = stretches.starts()[at as usize];
                            before = Known { group, from, end, at };
                        }
                        at
                    }
                };
            }
        });
        at
    }
}

/// The stretch of the row before.
struct Known {
    group: usize,
    from: i64,
    /// The first moment behind it.
    end: i64,
    at: u32,
}

impl Known {
    fn has(&self, group: usize, moment: i64) -> bool {
        self.group == group && self.from <= moment && moment < self.end
    }
}

/// The last stretch of a range that begins at a moment or before.
fn find(moment: i64, stretches: &Stretches, of: std::ops::Range<u32>) -> u32 {
    if of.is_empty() {
        return NO_KEY;
    }
    let starts = &stretches.starts()[of.start as usize..of.end as usize];
    match starts.partition_point(|start| *start <= moment) {
        0 => BEFORE,
        behind => of.start + behind as u32 - 1,
    }
}

/// Where to look among the stretches of one key: for each of many parts of their span, which are as
/// long as each other, the stretches that begin in it or before.
struct Buckets {
    least: i64,
    shift: u32,
    /// How many stretches begin before each part.
    before: Vec<u32>,
}

impl Buckets {
    fn new(stretches: &Stretches) -> Self {
        let starts = stretches.starts();
        // An open start would stretch the span over all time.
        let first = starts.iter().position(|start| *start > i64::MIN).unwrap_or(0);
        let least = starts.get(first).copied().unwrap_or(0);
        let most = starts.last().copied().unwrap_or(0);
        let span = most.abs_diff(least) + 1;
        let wanted = (starts.len() as u64 * 4).next_power_of_two();
        let shift =
            span.next_power_of_two().trailing_zeros().saturating_sub(wanted.trailing_zeros());
        let parts = (span >> shift) as usize + 1;
        let mut before = vec![0_u32; parts + 1];
        before[0] = first as u32;
        for start in &starts[first..] {
            before[(start.abs_diff(least) >> shift) as usize + 1] += 1;
        }
        for at in 0..parts {
            before[at + 1] += before[at];
        }
        Self { least, shift, before }
    }

    fn find(&self, moment: i64, stretches: &Stretches) -> u32 {
        let starts = stretches.starts();
        if starts.is_empty() {
            return NO_KEY;
        }
        let last = self.before.len() - 2;
        let part = if moment < self.least {
            // Only an open start lies before.
            return self.before[0].checked_sub(1).unwrap_or(BEFORE);
        } else {
            ((moment.abs_diff(self.least) >> self.shift) as usize).min(last)
        };
        let (from, to) = (self.before[part] as usize, self.before[part + 1] as usize);
        let behind = from + starts[from..to].partition_point(|start| *start <= moment);
        (behind as u32).checked_sub(1).unwrap_or(BEFORE)
    }
}
