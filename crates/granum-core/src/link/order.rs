//! The order of keys: whether rows stand in it, and where keys are found among those of rows that do.
use std::cmp::Ordering;

use rayon::prelude::*;

use super::Keys;
use crate::bug::bug;
use crate::by_order::place;
use crate::table::{Column, PIECE, Rows};

/// Keys that are looked for one after the other, each from where the one before was found.
const TOGETHER: usize = if cfg!(test) { 5 } else { 1 << 13 };

impl Keys {
    /// Whether each row's key is greater than the key of the row before: then all rows have one,
    /// and none repeats. Looked at row by row in order, which is far cheaper than a hash table.
    pub fn increase(&self) -> bool {
        self.absent() == 0
            && (0..self.rows()).into_par_iter().step_by(PIECE).with_max_len(1).all(|first| {
                let piece = self.slice(first, PIECE.min(self.rows() - first));
                let behind = first == 0 || self.slice(first - 1, 2).increases();
                behind && piece.increases()
            })
    }

    /// The same of a few rows, which are here.
    fn increases(&self) -> bool {
        let mut level = vec![1; self.rows()];
        let rises = |column: &Column| column.blanks() == 0 && column.mark_rises(&mut level);
        self.columns().iter().all(rises) && level.iter().skip(1).all(|level| *level == 0)
    }

    /// The order of a row's key here and one there. Both have one; the columns have pairwise one type, which has an
    /// order.
    fn order(&self, row: usize, other: &Keys, other_row: usize) -> Ordering {
        let columns = self.columns().iter().zip(other.columns());
        let mut orders = columns.map(|(own, other)| compare_values(own, row, other, other_row));
        orders.find(|order| order.is_ne()).unwrap_or(Ordering::Equal)
    }
}

/// Whether a column's values have an order that its rows may stand in.
pub(super) fn has_order(column: &Column) -> bool {
    !matches!(column, Column::Blank(_) | Column::Number(_) | Column::Boolean(_))
}

/// The order of two values of a column, neither of them blank; texts by their bytes.
pub(crate) fn compare(column: &Column, row: usize, other: usize) -> Ordering {
    compare_values(column, row, column, other)
}

fn compare_values(a: &Column, row: usize, b: &Column, other: usize) -> Ordering {
    match (a, b) {
        (Column::Text(a), Column::Text(b)) => a.order(row, b, other),
        (Column::Integer(a), Column::Integer(b)) => a.value(row).cmp(&b.value(other)),
        (Column::Decimal(a, _), Column::Decimal(b, _)) => a.value(row).cmp(&b.value(other)),
        (Column::Date(a), Column::Date(b)) => a.value(row).cmp(&b.value(other)),
        (Column::DateTime(a), Column::DateTime(b)) => a.value(row).cmp(&b.value(other)),
        (Column::Boolean(a), Column::Boolean(b)) => a.value(row).cmp(&b.value(other)),
        // Adding zero makes -0.0 the same as 0.0.
        (Column::Number(a), Column::Number(b)) => {
            (a.value(row) + 0.0).total_cmp(&(b.value(other) + 0.0))
        }
        (Column::Blank(_), Column::Blank(_)) => Ordering::Equal,
        _ => bug("values of two types are put in order"),
    }
}

/// The link index from few rows to many whose keys increase: each is looked for from where the one before was found.
pub(super) fn link_ordered(from: &Keys, keys: &Keys) -> Rows {
    let runs = (0..from.rows()).into_par_iter().step_by(TOGETHER).with_max_len(1);
    let led: Vec<Vec<Option<u32>>> = runs
        .map(|first| {
            let mut near = 0;
            let rows = first..(first + TOGETHER).min(from.rows());
            let led = rows.map(|row| {
                if !from.has_key(row) {
                    return None;
                }
                let order = |to: usize| keys.order(to, from, row);
                let found = place(keys.rows(), near, order);
                near = found.unwrap_or_else(|place| place);
                found.ok().map(|to| to as u32)
            });
            led.collect()
        })
        .collect();
    Rows::from(led.concat())
}
