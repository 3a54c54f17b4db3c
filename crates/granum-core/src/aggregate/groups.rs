//! Which group each row belongs to.
use rayon::prelude::*;

use super::{number, order};
use crate::table::{Column, Rows};

/// The group of each row.
#[derive(Debug, Clone)]
pub(crate) struct Groups {
    of: GroupOf,
    rows: usize,
    /// How many groups there are.
    pub count: usize,
}

#[derive(Debug, Clone)]
enum GroupOf {
    /// All rows are one group.
    One,
    /// Some rows may have none.
    Each(Rows),
}

impl Groups {
    /// All rows are one group, also if there are none.
    pub fn one(rows: usize) -> Self {
        Self { of: GroupOf::One, rows, count: 1 }
    }

    /// Those of `count` that rows belong to, each to one.
    pub(super) fn of_rows(of: Vec<u32>, count: usize) -> Self {
        Self { rows: of.len(), of: GroupOf::Each(Rows::from(of)), count }
    }

    /// Rows of equal keys are one group; of no keys, all rows.
    pub fn by(keys: &[Column], rows: usize) -> Self {
        if keys.is_empty() { Self::one(rows) } else { number(keys.to_vec(), rows).0 }
    }

    /// The groups are the `count` rows that the rows lead to.
    pub fn led_to(index: &Rows, count: usize) -> Self {
        Self { of: GroupOf::Each(index.clone()), rows: index.len(), count }
    }

    /// The groups of rows by their keys, the first of `columns`: each is the row of `keys` that has these, of which there
    /// are `count`, all different; without keys all rows are one. What has none of them is of none.
    pub fn among(keys: &[Column], count: usize, columns: &[Column], rows: usize) -> Self {
        if keys.is_empty() {
            return Self::one(rows);
        }
        let both = keys.iter().zip(columns);
        let both = both.map(|(own, other)| Column::concat(&[own.clone(), other.clone()]));
        let (groups, _) = number(both.collect(), count + rows);
        // Groups are different from each other, so each has the number of its row.
        let of = groups.array().slice(count, rows);
        if groups.count == count {
            return Self::led_to(&of, count);
        }
        let of = of.iter().map(|group| group.filter(|group| (*group as usize) < count));
        Self::led_to(&of.collect(), count)
    }

    /// The groups of rows that lead to these rows.
    pub fn through(&self, leads: &Rows) -> Self {
        let of = leads.iter().map(|row| self.of(row? as usize).map(|group| group as u32));
        Self { of: GroupOf::Each(of.collect()), rows: leads.len(), count: self.count }
    }

    /// The same of `length` rows from row `first` on.
    pub fn slice(&self, first: usize, length: usize) -> Self {
        Self {
            of: GroupOf::Each(self.array().slice(first, length)),
            rows: length,
            count: self.count,
        }
    }

    pub fn rows(&self) -> usize {
        self.rows
    }

    /// The group of a row, unless it has none.
    pub fn of(&self, row: usize) -> Option<usize> {
        match &self.of {
            GroupOf::One => Some(0),
            GroupOf::Each(of) => of.get(row).map(|group| group as usize),
        }
    }

    /// Whether all rows are known to have one.
    pub fn all_have(&self) -> bool {
        match &self.of {
            GroupOf::One => true,
            GroupOf::Each(of) => of.present().is_none(),
        }
    }

    /// For each row its group: an array to take the group's values by.
    pub fn array(&self) -> Rows {
        match &self.of {
            GroupOf::One => Rows::from(vec![0; self.rows]),
            GroupOf::Each(of) => of.clone(),
        }
    }

    /// As a column, so that groups can be part of a key.
    pub fn column(&self) -> Column {
        self.array().column()
    }

    /// How many rows each group has.
    pub fn sizes(&self) -> Vec<u64> {
        let mut sizes = vec![0; self.count];
        match &self.of {
            GroupOf::One => sizes.iter_mut().for_each(|size| *size = self.rows as u64),
            GroupOf::Each(_) => {
                (0..self.rows).filter_map(|row| self.of(row)).for_each(|group| sizes[group] += 1);
            }
        }
        sizes
    }

    /// The rows of all groups, group after group, each in row order; and where each group begins.
    pub fn sorted(&self) -> (Vec<u32>, Vec<usize>) {
        // Counted two places on, so that each is where its group begins once all before it are added up, and where the
        // next begins once its rows stand there.
        let mut starts = vec![0; self.count + 2];
        let of = || (0..self.rows).filter_map(|row| Some((row as u32, self.of(row)?)));
        of().for_each(|(_, group)| starts[group + 2] += 1);
        (2..starts.len()).for_each(|at| starts[at] += starts[at - 1]);
        let mut rows = vec![0; starts[self.count + 1]];
        for (row, group) in of() {
            let next = &mut starts[group + 1];
            rows[*next] = row;
            *next += 1;
        }
        starts.pop();
        (rows, starts)
    }

    /// The same with each group's rows in an order; what ties stays in row order.
    pub fn in_order(&self, by: &[(Column, bool)]) -> (Vec<u32>, Vec<usize>) {
        let (mut rows, starts) = self.sorted();
        if !by.is_empty() {
            for group in 0..self.count {
                rows[starts[group]..starts[group + 1]]
                    .par_sort_by(|a, b| order(by, *a as usize, *b as usize));
            }
        }
        (rows, starts)
    }
}
