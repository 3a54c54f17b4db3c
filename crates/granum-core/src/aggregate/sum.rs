//! The sum of a tracked column, or the sums of what counts apart in it.

use super::{parted_by, stands};
use crate::table::{Amount, Column, InWhat, Rows};

/// A sum over some rows; where amounts count apart, a sum for each currency, or other measure, that they are in.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Sum {
    One(Amount),
    /// By what they are in, blank last; each once.
    Each(Vec<(Option<String>, Amount)>),
}

impl Sum {
    /// The sum of a column whose values count apart by another, if by any.
    ///
    /// ```text
    /// 1.00  EUR
    /// 2.00  GBP    →  EUR 5.00, GBP 2.00
    /// 4.00  EUR
    /// ```
    pub fn of(values: &Column, apart: Option<&Column>) -> Self {
        let Some(apart) = apart else { return Self::One(values.sum()) };
        let each = apart_rows(values, apart).into_iter();
        Self::Each(each.map(|(value, rows)| (value, values.take(&rows).sum())).collect())
    }

    /// Both together.
    #[must_use]
    pub fn plus(&self, other: &Self) -> Self {
        match (self, other) {
            (Self::One(a), Self::One(b)) => Self::One(a.plus(*b)),
            (Self::Each(a), Self::Each(b)) => {
                let mut all = a.clone();
                for (value, amount) in b {
                    match all.iter_mut().find(|(known, _)| known == value) {
                        Some((_, sum)) => *sum = sum.plus(*amount),
                        None => all.push((value.clone(), *amount)),
                    }
                }
                sort(&mut all);
                Self::Each(all)
            }
            // One of them is of no rows.
            (Self::Each(_), Self::One(_)) => self.clone(),
            (Self::One(_), Self::Each(_)) => other.clone(),
        }
    }

    /// As told: an amount by its name, and behind it what it is in.
    pub fn named(&self, name: &str) -> Vec<(String, Amount)> {
        match self {
            Self::One(amount) => vec![(name.to_owned(), *amount)],
            Self::Each(each) => each
                .iter()
                .map(|(value, amount)| (InWhat::One(value.clone()).name(name), *amount))
                .collect(),
        }
    }
}

/// The rows of each currency, or other measure, that amounts are in, blank last; without those that are in none.
pub(crate) fn apart_rows(values: &Column, apart: &Column) -> Vec<(Option<String>, Rows)> {
    let mut parts = parted_by(apart);
    // What is in nothing, and is something.
    for (_, rows) in parts.iter_mut().filter(|(value, _)| value.is_none()) {
        *rows = rows.numbers().filter(|row| stands(values, apart, *row as usize)).collect();
    }
    parts.retain(|(_, rows)| !rows.is_empty());
    sort(&mut parts);
    parts
}

fn sort<T>(each: &mut [(Option<String>, T)]) {
    each.sort_by(|(a, _), (b, _)| (a.is_none(), a).cmp(&(b.is_none(), b)));
}
