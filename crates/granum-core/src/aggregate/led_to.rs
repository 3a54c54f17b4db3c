//! Aggregates for each row of a table, of the rows that lead to it: mostly few of them do, or few are led to.

use std::collections::HashMap;

use foldhash::fast::FixedState;
use rayon::prelude::*;

use super::{GroupFailure, Groups, Values, aggregate_each};
use crate::table::{Column, PIECE, Rows};

/// The aggregate for each of `count` rows of the rows that lead there by `index`; and those that have none, in their
/// order. Where few rows lead to many, only those that are led to are groups, and one that nothing leads to stands for
/// all others.
pub(crate) fn aggregate_led_to(
    values: &Values,
    index: &Rows,
    count: usize,
) -> (Column, Vec<GroupFailure>) {
    if index.len() >= count / 4 {
        return aggregate_each(values, &Groups::led_to(index, count));
    }
    let mut reached: Vec<u32> = index.numbers().collect();
    reached.sort_unstable();
    reached.dedup();
    let number: HashMap<u32, u32, FixedState> = reached.iter().copied().zip(0..).collect();
    let groups: Rows = index.iter().map(|row| number.get(&row?).copied()).collect();
    let others = reached.len() as u32;
    let (few, failed) = aggregate_each(values, &Groups::led_to(&groups, reached.len() + 1));
    if failed.last().is_some_and(|failure| failure.group() == others) {
        return aggregate_each(values, &Groups::led_to(index, count));
    }
    let few = few.narrowed();
    let parts = (0..count).into_par_iter().step_by(PIECE).with_max_len(1).map(|first| {
        let end = count.min(first + PIECE);
        let mut rows = vec![others; end - first];
        let begin = reached.partition_point(|row| (*row as usize) < first);
        let own = (begin as u32..).zip(&reached[begin..]);
        for (group, row) in own.take_while(|(_, row)| (**row as usize) < end) {
            rows[*row as usize - first] = group;
        }
        few.take(&Rows::from(rows))
    });
    let column = Column::concat(&parts.collect::<Vec<_>>());
    let failed = failed.into_iter().map(|failure| {
        let row = reached[failure.group() as usize];
        failure.of(row)
    });
    (column, failed.collect())
}
