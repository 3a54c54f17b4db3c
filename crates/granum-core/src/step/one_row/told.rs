//! What is told of groups: how many rows they have, names that several rows share, months of several years.

use std::collections::BTreeMap;

use crate::lang::plan_name;
use crate::resolve::OneRowPlan;
use crate::table::Column;
use crate::tally::{GroupSizes, Mistake, Problem};
use crate::value::day;

/// Of names so many in a hundred rows are different, at least.
const NAMES: u64 = 70;

/// Names are told up to this many.
const NAMED: usize = 3;

/// How many groups there are of each number of rows.
#[derive(Default)]
pub(super) struct Sizes(BTreeMap<u64, u64>);

impl Sizes {
    pub fn of(sizes: &[u64]) -> Self {
        let mut all = Self::default();
        all.see(sizes);
        all
    }

    /// Takes in groups more.
    pub fn see(&mut self, sizes: &[u64]) {
        sizes.iter().for_each(|size| *self.0.entry(*size).or_default() += 1);
    }

    /// Least, median and most rows of groups.
    pub fn told(&self) -> GroupSizes {
        let groups: u64 = self.0.values().sum();
        let mut seen = 0;
        let median = self.0.iter().find(|(_, count)| {
            seen += **count;
            seen > groups.saturating_sub(1) / 2
        });
        let of = |entry: Option<(&u64, &u64)>| entry.map_or(0, |(size, _)| *size);
        let (least, most) = (of(self.0.first_key_value()), of(self.0.last_key_value()));
        GroupSizes { groups, least, median: of(median), most }
    }
}

/// Names that several rows share, each of which stands for something of its own. What most rows
/// share is no name: a channel or a category.
#[derive(Default)]
pub(crate) struct SharedNames {
    rows: u64,
    different: u64,
    shared: u64,
    /// The first that are shared, each with where it stands first and how many rows have it.
    examples: Vec<(u64, String, u64)>,
}

impl SharedNames {
    /// Takes in names, each of them different, with how many rows have it; those that came before stand before them.
    pub fn see(&mut self, names: &Column, sizes: &[u64]) {
        let before = self.different;
        self.see_at(names, sizes, |at| before + at as u64);
    }

    /// The same of names in any order; `first` says where each stands first.
    pub fn see_at(&mut self, names: &Column, sizes: &[u64], first: impl Fn(usize) -> u64) {
        for (at, size) in sizes.iter().enumerate().filter(|(at, _)| !names.is_blank(*at)) {
            self.rows += size;
            self.different += 1;
            if *size > 1 {
                self.shared += 1;
                let behind = self.examples.partition_point(|(known, ..)| *known < first(at));
                if behind < NAMED {
                    self.examples.truncate(NAMED - 1);
                    self.examples.insert(behind, (first(at), names.scalar(at).to_string(), *size));
                }
            }
        }
    }

    /// Whether that is usually a mistake: of a key, with what to group by, and the table and its id.
    pub fn mistake(self, (key, group): (&str, &str), (of, id): (&str, &str)) -> Option<Mistake> {
        if self.shared == 0 || self.different * 100 < self.rows * NAMES {
            return None;
        }
        Some(Mistake::SharedName {
            key: key.to_owned(),
            of: of.to_owned(),
            id: id.to_owned(),
            group: group.to_owned(),
            names: self.shared,
            examples: self.examples.into_iter().map(|(_, name, rows)| (name, rows)).collect(),
        })
    }

    /// The same of the names that a step groups its own rows by, if it does.
    pub(super) fn own_mistake(self, plan: &OneRowPlan, table: &str) -> Option<Mistake> {
        let (key, id) = plan.own_name.as_ref()?;
        let (own_id, own_key) = (plan_name(id), plan_name(key));
        let group =
            format!("group by the id, and take the name along:  one row per {own_id}, {own_key}");
        self.mistake((key, &group), (table, id))
    }
}

/// The years that the days of a month's key are in.
#[derive(Default, Clone, Copy)]
pub(super) struct Years(Option<(i64, i64)>);

impl Years {
    /// Takes in days.
    pub fn see(&mut self, days: &Column) {
        let year = |days: i32| day::to_civil(days).map(|date| i64::from(date.year()));
        match days {
            Column::Date(array) => self.take(array.iter().flatten().filter_map(year)),
            Column::DateTime(array) => {
                self.take(array.iter().flatten().filter_map(|micros| year(day::day_of(micros))));
            }
            _ => {}
        }
    }

    fn take(&mut self, years: impl Iterator<Item = i64>) {
        for year in years {
            let (least, most) = self.0.unwrap_or((year, year));
            self.0 = Some((least.min(year), most.max(year)));
        }
    }

    /// Months of several years that are taken for one.
    pub fn mistake(self, key: &str) -> Option<Mistake> {
        let years = self.0.filter(|(least, most)| least < most)?;
        Some(Mistake::YearsMixed { key: key.to_owned(), years })
    }
}

/// Why a group has no value, and where: what is put together comes before what is worked of it; then the result, and the
/// group's number.
pub(super) struct Failed {
    pub place: (bool, usize, u64),
    pub problem: Problem,
}
