//! Days and times as whole numbers, so that a period of either is worked alike.

use crate::bug::bug;
use crate::table::Column;
use crate::value::{Scalar, day};

/// A day, or a time, of each row: counted in days, or in microseconds.
#[derive(Debug, Clone)]
pub(crate) struct Moments(Column);

/// Where periods end.
#[derive(Debug, Clone)]
pub(crate) enum Ends {
    /// At these, which are part of them.
    Through(Moments),
    /// At these, which are not.
    Until(Moments),
    /// Where the next start is.
    Onward,
}

impl Moments {
    /// Those of a column of days or of times.
    pub fn new(column: Column) -> Self {
        match column {
            Column::Date(_) | Column::DateTime(_) | Column::Blank(_) => Self(column),
            other => bug(format!("a period is of {}", other.ty())),
        }
    }

    pub fn column(&self) -> &Column {
        &self.0
    }

    pub fn rows(&self) -> usize {
        self.0.len()
    }

    /// The moment of a row, if it has one.
    #[inline]
    pub fn get(&self, row: usize) -> Option<i64> {
        match &self.0 {
            Column::Date(array) => array.get(row).map(i64::from),
            Column::DateTime(array) => array.get(row),
            _ => None,
        }
    }

    /// Those of `length` rows from `first` on; [`i64::MIN`] where there is none.
    pub fn run(&self, first: usize, length: usize, out: &mut Vec<i64>) {
        out.clear();
        let rows = first..first + length;
        out.extend(rows.map(|row| self.get(row).unwrap_or(i64::MIN)));
    }

    /// The same as days.
    pub fn by_day(&self) -> Self {
        match &self.0 {
            Column::DateTime(times) => {
                let day = |row: usize| times.get(row).map(day::day_of);
                Self(Column::Date((0..times.len()).map(day).collect()))
            }
            _ => self.clone(),
        }
    }

    /// Whether they are days.
    pub fn are_days(&self) -> bool {
        !matches!(self.0, Column::DateTime(_))
    }

    /// A moment in words; nothing where it stands for an open start or end.
    pub fn words(&self, moment: i64) -> Option<String> {
        if moment == i64::MIN || moment == i64::MAX {
            return None;
        }
        let value = if self.are_days() {
            Scalar::Date(i32::try_from(moment).ok().filter(|at| day::to_civil(*at).is_some())?)
        } else {
            Scalar::DateTime(moment)
        };
        Some(value.to_string())
    }
}

impl Ends {
    /// The last moment of a row's period that is part of it, where it starts at `start`; the largest
    /// number where it is open.
    pub fn last(&self, row: usize) -> i64 {
        match self {
            Self::Through(ends) => ends.get(row).unwrap_or(i64::MAX),
            Self::Until(ends) => ends.get(row).map_or(i64::MAX, |end| end.saturating_sub(1)),
            Self::Onward => i64::MAX,
        }
    }

    /// The end as it stands, if it is not open.
    pub fn get(&self, row: usize) -> Option<i64> {
        match self {
            Self::Through(ends) | Self::Until(ends) => ends.get(row),
            Self::Onward => None,
        }
    }
}
