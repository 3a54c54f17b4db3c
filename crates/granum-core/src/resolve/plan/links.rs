//! Links, and what is gathered over them.

use super::AggregatePlan;
use crate::expr::Typed;
use crate::lang::{Percent, Preference};
use crate::link::LinkWords;
use crate::table::{ColumnId, Hop, TableId};

#[derive(Debug)]
pub(crate) struct LinkPlan {
    pub from: TableId,
    pub to: TableId,
    pub name: String,
    /// Pairs of keys over the finished columns of both tables; pairwise one type.
    pub keys: Vec<(Typed, Typed)>,
    /// The keys in words: `order_no`, `customer = customer_no`.
    pub keys_text: String,
    pub words: LinkWords,
    /// The period that a row's moment must fall into, where there is one.
    pub period: Option<PeriodPlan>,
    pub required: Option<Required>,
    pub blank_allowed: bool,
}

/// A moment of the source's rows, and periods of the target's: all days, or all times.
#[derive(Debug)]
pub(crate) struct PeriodPlan {
    pub when: Typed,
    pub starts: Typed,
    pub end: PeriodEnd,
    /// Which row is led to where several hold: columns of the target.
    pub prefer: Vec<(Preference, ColumnId)>,
    /// The start, where it is a column: the latest could be preferred, where nothing is.
    pub could_prefer: Option<String>,
    /// Whether anything asks how many rows held.
    pub choices: bool,
}

#[derive(Debug)]
pub(crate) enum PeriodEnd {
    Through(Typed),
    Until(Typed),
    Onward,
}

impl PeriodEnd {
    /// The end, where it is said.
    pub fn said(&self) -> Option<&Typed> {
        match self {
            Self::Through(end) | Self::Until(end) => Some(end),
            Self::Onward => None,
        }
    }
}

impl LinkPlan {
    /// All expressions over the source's rows.
    pub fn left_parts(&self) -> impl Iterator<Item = &Typed> {
        let when = self.period.iter().map(|period| &period.when);
        self.keys.iter().map(|(left, _)| left).chain(when)
    }

    /// All expressions over the target's rows.
    pub fn right_parts(&self) -> impl Iterator<Item = &Typed> {
        let starts = self.period.iter().map(|period| &period.starts);
        let ends = self.period.iter().filter_map(|period| period.end.said());
        self.keys.iter().map(|(_, right)| right).chain(starts).chain(ends)
    }

    /// The columns of the target that decide between its rows.
    pub fn preferred(&self) -> impl Iterator<Item = ColumnId> {
        self.period.iter().flat_map(|period| period.prefer.iter().map(|(_, column)| *column))
    }
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Required {
    Complete,
    Share {
        percent: Percent,
        /// The finished column of the source.
        of: Option<(String, ColumnId)>,
    },
}

/// An aggregate over rows that lead here, for each row they lead to.
#[derive(Debug)]
pub(crate) struct Gather {
    /// The table whose rows are gathered.
    pub from: TableId,
    /// How they lead to `to`.
    pub hops: Vec<Hop>,
    pub to: TableId,
    pub what: GatherWhat,
    /// Whether it is told what of the amounts is not gathered, since the sum is tracked.
    pub told: bool,
}

#[derive(Debug)]
pub(crate) enum GatherWhat {
    /// Whether there is a row.
    Presence,
    Aggregate(Box<AggregatePlan>),
    /// The rows themselves, of which a step makes groups of its own.
    Rows(Box<AggregatePlan>),
    /// The rows themselves, one by one, with these columns of theirs.
    Each(Vec<Typed>),
}

impl Gather {
    /// All expressions over the gathered rows.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        let (aggregate, each) = match &self.what {
            GatherWhat::Presence => (None, &[][..]),
            GatherWhat::Aggregate(aggregate) | GatherWhat::Rows(aggregate) => {
                (Some(aggregate), &[][..])
            }
            GatherWhat::Each(columns) => (None, columns.as_slice()),
        };
        aggregate.into_iter().flat_map(|aggregate| aggregate.parts()).chain(each)
    }
}
