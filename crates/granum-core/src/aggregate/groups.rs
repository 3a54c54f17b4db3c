//! Which group each row belongs to.
use rayon::prelude::*;

use super::order;
use crate::bug::Sure;
use crate::link::{BlankKeys, KeyTable, Keys};
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

    /// Rows of equal keys are one group; of no keys, all rows.
    pub fn by(keys: &[Column], rows: usize) -> Self {
        if keys.is_empty() { Self::one(rows) } else { number(keys.to_vec(), rows).0 }
    }

    /// The groups are the `count` rows that the rows lead to.
    pub fn led_to(index: &Rows, count: usize) -> Self {
        Self { of: GroupOf::Each(index.clone()), rows: index.len(), count }
    }

    /// The groups of rows that lead to these rows.
    pub fn through(&self, leads: &Rows) -> Self {
        let of = leads.iter().map(|row| self.of(row? as usize).map(|group| group as u32));
        Self { of: GroupOf::Each(of.collect()), rows: leads.len(), count: self.count }
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

    /// For each row its group: an array to take the group's values by.
    pub fn array(&self) -> Rows {
        match &self.of {
            GroupOf::One => Rows::from(vec![0; self.rows]),
            GroupOf::Each(of) => of.clone(),
        }
    }

    /// As a column, so that groups can be part of a key.
    pub fn column(&self) -> Column {
        let array = self.array();
        let numbers = array.iter().map(|group| group.map(i64::from));
        Column::Integer(numbers.collect())
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
        let mut starts = Vec::with_capacity(self.count + 1);
        let mut start = 0;
        for size in self.sizes() {
            starts.push(start);
            start += size as usize;
        }
        starts.push(start);
        let mut next = starts.clone();
        let mut rows = vec![0; start];
        for row in 0..self.rows {
            if let Some(group) = self.of(row) {
                rows[next[group]] = row as u32;
                next[group] += 1;
            }
        }
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

/// Numbers groups of equal keys in the order in which they first appear. A blank is equal to a
/// blank. Gives the first row of each group, too.
pub(crate) fn number(keys: Vec<Column>, rows: usize) -> (Groups, Vec<u32>) {
    if keys.is_empty() {
        let groups = Groups { count: usize::from(rows > 0), ..Groups::one(rows) };
        return (groups, if rows > 0 { vec![0] } else { vec![] });
    }
    let keys = Keys::new(keys, BlankKeys::Equal, rows);
    let heads = keys.heads();
    if heads.len() * 2 > rows {
        return number_each(&keys);
    }
    // Rows of one group mostly stand together: only the first of such a run is looked up.
    let (of_heads, firsts) = number_each(&keys.take(&Rows::from(heads.clone())));
    let firsts = firsts.iter().map(|first| heads[*first as usize]).collect();
    let ends = heads.iter().skip(1).copied().chain([rows as u32]);
    let mut of = Vec::with_capacity(rows);
    for (head, (start, end)) in heads.iter().zip(ends).enumerate() {
        let group = of_heads.of(head).sure("the group of a row") as u32;
        of.extend(std::iter::repeat_n(group, (end - start) as usize));
    }
    let groups = Groups { of: GroupOf::Each(Rows::from(of)), rows, count: of_heads.count };
    (groups, firsts)
}

/// The same, each row by itself.
fn number_each(keys: &Keys) -> (Groups, Vec<u32>) {
    let rows = keys.rows();
    let table = KeyTable::build(keys);
    let mut repeats = table.repeats.iter().peekable();
    let mut of: Vec<u32> = Vec::with_capacity(rows);
    let mut firsts = vec![];
    for row in 0..rows as u32 {
        match repeats.next_if(|(repeat, _)| *repeat == row) {
            Some((_, first)) => of.push(of[*first as usize]),
            None => {
                of.push(firsts.len() as u32);
                firsts.push(row);
            }
        }
    }
    let count = firsts.len();
    (Groups { of: GroupOf::Each(Rows::from(of)), rows, count }, firsts)
}
