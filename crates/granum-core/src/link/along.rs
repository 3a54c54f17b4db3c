//! Equal keys among neighbours: where rows stand in the order of a column that is a part of what is compared, equal ones
//! stand together, and no table of keys is needed to find them.

use std::cmp::Ordering;

use rayon::prelude::*;

use super::index::Repeated;
use super::key::{BlankKeys, Keys};
use super::order::{compare, has_order};
use crate::table::{Column, PIECE};

/// Runs of more rows than these are not compared row by row.
const LONGEST: usize = if cfg!(test) { 5 } else { 32 };

/// The rows of `keys` whose key an earlier row has, with the first that has it, in row order. Rows of equal keys have
/// equal values in `column`; `None` where that is not in order, or stays the same for long.
pub(crate) fn repeated_along(keys: &Keys, column: &Column) -> Option<Repeated> {
    if !has_order(column) || column.blanks() > 0 || keys.is_away() || keys.absent() > 0 {
        return None;
    }
    let pieces = (0..keys.rows()).into_par_iter().step_by(PIECE).with_max_len(1);
    let found: Option<Vec<Repeated>> = pieces.map(|first| among(keys, column, first)).collect();
    Some(found?.concat())
}

/// The same of the runs that begin in a piece.
fn among(keys: &Keys, column: &Column, piece: usize) -> Option<Repeated> {
    let rows = PIECE.min(keys.rows() - piece);
    let changed =
        Keys::new(vec![column.clone()], BlankKeys::Apart, keys.rows()).changes(piece, rows);
    let tags = keys.tags(piece, (rows + LONGEST).min(keys.rows() - piece));
    let mut repeated = vec![];
    // Where the run of the row begins; nothing where that is in the piece before.
    let mut run = (piece == 0).then_some(0);
    for row in piece.max(1)..keys.rows() {
        let order = match changed.get(row - piece) {
            Some(0) => Ordering::Equal,
            _ => compare(column, row - 1, row),
        };
        match (order, run) {
            (Ordering::Greater, _) => return None,
            (Ordering::Less, _) if row >= piece + PIECE => break,
            (Ordering::Less, _) => run = Some(row),
            (Ordering::Equal, None) => {}
            (Ordering::Equal, Some(begin)) if row - begin >= LONGEST => return None,
            (Ordering::Equal, Some(begin)) => {
                let tag = tags[row - piece];
                let mut nearly = (begin..row).filter(|first| tags[*first - piece] == tag);
                let first = nearly.find(|first| keys.equal(row, keys, *first));
                repeated.extend(first.map(|first| (row as u32, first as u32)));
            }
        }
    }
    Some(repeated)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::link::repeated;

    proptest! {
        #[test]
        fn neighbours_that_are_equal_are_those_that_a_table_finds(
            rows in prop::collection::vec((0..3_i64, prop::option::weighted(0.8, 0..2_i64), 0..2_i64), 0..120),
            stays in any::<bool>(),
        ) {
            // Orders that go up, each of some rows; now and then one comes again.
            let mut order = 0;
            let orders: Vec<i64> = rows.iter().map(|row| {
                order += if stays { (row.0 - 1).max(0) } else { row.0 - 1 };
                order
            }).collect();
            let column = |values: Vec<Option<i64>>| Column::Integer(values.into_iter().collect());
            let along = column(orders.iter().copied().map(Some).collect());
            let keys = vec![along.clone(), column(rows.iter().map(|row| row.1).collect()), column(rows.iter().map(|row| Some(row.2)).collect())];
            let keys = Keys::new(keys, BlankKeys::Equal, rows.len());
            let longest = orders.chunk_by(|a, b| a == b).map(<[i64]>::len).max().unwrap_or(0);
            let found = repeated_along(&keys, &along);
            prop_assert_eq!(found.is_some(), orders.is_sorted() && longest <= LONGEST);
            if let Some(found) = found {
                prop_assert_eq!(found, repeated(&keys));
            }
            // A column with a blank, or without an order, says nothing.
            prop_assert_eq!(repeated_along(&keys, &Column::Boolean(orders.iter().map(|order| Some(*order > 0)).collect())), None);
        }
    }
}
