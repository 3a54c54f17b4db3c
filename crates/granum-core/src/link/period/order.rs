//! Which of several rows is preferred: by columns of theirs, then by their grain, then by their
//! place.

use std::cmp::Ordering;

use rayon::prelude::*;

use super::super::order::compare;
use crate::lang::Preference;
use crate::table::Column;

/// What decides between rows of a target.
#[derive(Debug, Clone)]
pub(crate) struct Order {
    /// The columns, the first first, and which value of each wins.
    pub by: Vec<(Preference, Column)>,
    /// What settles ties: the smallest first.
    pub grain: Vec<Column>,
}

/// The place of each row in the order, and rows that tie in all that is preferred.
pub(super) struct Ranks {
    rank: Vec<u32>,
    row: Vec<u32>,
    /// For each place the first of those that tie with it.
    class: Vec<u32>,
}

impl Ranks {
    /// The places of `rows` rows.
    pub fn new(order: &Order, rows: usize) -> Self {
        let mut row: Vec<u32> = (0..rows as u32).collect();
        let full = |a: &u32, b: &u32| {
            let (a, b) = (*a as usize, *b as usize);
            order.preferred(a, b).then_with(|| order.settled(a, b)).then(a.cmp(&b))
        };
        row.par_sort_unstable_by(full);
        let mut rank = vec![0; rows];
        let mut class: Vec<u32> = Vec::with_capacity(rows);
        for (place, of) in row.iter().enumerate() {
            rank[*of as usize] = place as u32;
            let ties = place.checked_sub(1).filter(|before| {
                order.preferred(row[*before] as usize, *of as usize) == Ordering::Equal
            });
            class.push(ties.map_or(place as u32, |before| class[before]));
        }
        Self { rank, row, class }
    }

    /// Each row by its place in the table: where nothing is preferred, and none may hold beside another.
    pub fn by_place(rows: usize) -> Self {
        let row: Vec<u32> = (0..rows as u32).collect();
        Self { rank: row.clone(), class: row.clone(), row }
    }

    pub fn rank(&self, row: u32) -> u32 {
        self.rank[row as usize]
    }

    pub fn row(&self, rank: u32) -> u32 {
        self.row[rank as usize]
    }

    /// Whether what is preferred does not tell two places apart.
    pub fn tie(&self, rank: u32, other: u32) -> bool {
        self.class[rank as usize] == self.class[other as usize]
    }
}

impl Order {
    /// The order of two rows by what is preferred. A blank never wins.
    fn preferred(&self, a: usize, b: usize) -> Ordering {
        let orders = self.by.iter().map(|(preference, column)| {
            match (column.is_blank(a), column.is_blank(b)) {
                (true, true) => Ordering::Equal,
                (true, false) => Ordering::Greater,
                (false, true) => Ordering::Less,
                (false, false) => match preference {
                    Preference::Latest | Preference::Largest => compare(column, b, a),
                    Preference::Earliest | Preference::Smallest => compare(column, a, b),
                },
            }
        });
        orders.fold(Ordering::Equal, Ordering::then)
    }

    /// The order of two rows by their grain; blanks last.
    fn settled(&self, a: usize, b: usize) -> Ordering {
        let orders =
            self.grain.iter().map(|column| match (column.is_blank(a), column.is_blank(b)) {
                (false, false) => compare(column, a, b),
                (a, b) => a.cmp(&b),
            });
        orders.fold(Ordering::Equal, Ordering::then)
    }
}
