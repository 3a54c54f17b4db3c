//! What there was to divide, what was divided, and what was not.

use super::amounts::Amounts;
use super::divided::Divided;
use crate::aggregate::parted_by;
use crate::link::EXAMPLES;
use crate::table::{Amount, Column, InWhat, Rows};
use crate::tally::{Allocated, NotAllocated};
use crate::value::Scale;

/// What is told of amounts that are in one currency, or other measure, or of all where none counts apart. Of parts of the
/// rows, each with all rows of its groups, it adds up.
pub(super) struct Told {
    pub within: InWhat,
    all: Amount,
    given: SomeGroups,
    /// Rows that an amount was divided over.
    rows: u64,
    no_row: SomeGroups,
    zero_weights: SomeGroups,
    /// Rows with a blank key, and their amount.
    blank_keys: Option<(u64, Amount)>,
}

/// Some groups with amounts.
#[derive(Clone)]
struct SomeGroups {
    count: u64,
    /// What they have together; nothing where it has too many digits.
    sum: Option<i128>,
    places: Scale,
    /// The first of them, by the rows by which they are told.
    first: Vec<u32>,
}

impl SomeGroups {
    fn new(places: Scale) -> Self {
        Self { count: 0, sum: Some(0), places, first: vec![] }
    }

    fn see(&mut self, told_by: u32, of: i128) {
        self.count += 1;
        self.sum = self.sum.and_then(|sum| sum.checked_add(of));
        if self.first.len() < EXAMPLES {
            self.first.push(told_by);
        }
    }

    fn plus(mut self, other: Self) -> Self {
        self.count += other.count;
        self.sum = self.sum.zip(other.sum).and_then(|(a, b)| a.checked_add(b));
        self.first.extend(other.first);
        self.first.sort_unstable();
        self.first.truncate(EXAMPLES);
        self
    }

    fn amount(&self) -> Amount {
        Amount::exact(self.sum, self.places, 0)
    }
}

/// What is told by itself.
#[derive(Default)]
struct Lane {
    /// What it is in, where it counts apart.
    within: InWhat,
    /// The groups that are in it; all without it.
    groups: Option<Vec<bool>>,
    /// Which of the rows with a blank key are in it.
    blank_keys: Option<Rows>,
}

/// What is told by itself: all, or for each currency, or other measure, the groups that are in it.
fn lanes(amounts: &Amounts) -> Vec<Lane> {
    let Some(apart) = &amounts.apart else { return vec![Lane::default()] };
    let mut lanes: Vec<Lane> = vec![];
    for (value, groups) in parted_by(apart) {
        let mut own = vec![false; amounts.of.len()];
        groups.numbers().for_each(|group| own[group as usize] = true);
        lanes.push(Lane { within: InWhat::One(value), groups: Some(own), blank_keys: None });
    }
    for (value, rows) in amounts.blank_keys.1.iter().flat_map(parted_by) {
        let within = InWhat::One(value);
        let known = lanes.iter().position(|lane| lane.within == within).unwrap_or_else(|| {
            let groups = Some(vec![false; amounts.of.len()]);
            lanes.push(Lane { within, groups, blank_keys: None });
            lanes.len() - 1
        });
        lanes[known].blank_keys = Some(rows);
    }
    lanes
}

/// What is told of amounts, by what they are in; nothing where there is none of what counts apart.
pub(super) fn told(
    amounts: &Amounts,
    divided: &Divided,
    starts: &[usize],
    places: Scale,
) -> Vec<Told> {
    let lanes = lanes(amounts).into_iter();
    lanes.map(|lane| Told::of(amounts, divided, starts, (lane, places))).collect()
}

impl Told {
    /// Of nothing.
    fn nothing(places: Scale) -> Self {
        let none = SomeGroups::new(places);
        Self {
            within: InWhat::Nothing,
            all: Amount::exact(Some(0), places, 0),
            given: none.clone(),
            rows: 0,
            no_row: none.clone(),
            zero_weights: none,
            blank_keys: None,
        }
    }

    fn of(
        amounts: &Amounts,
        divided: &Divided,
        starts: &[usize],
        (lane, places): (Lane, Scale),
    ) -> Self {
        let own = |group: usize| lane.groups.as_ref().is_none_or(|groups| groups[group]);
        let has_rows = |group: usize| starts[group] < starts[group + 1];
        let zero = |group: usize| divided.zero.binary_search(&group).is_ok();
        let mut told = Self::nothing(places);
        let mut all = SomeGroups::new(places);
        for group in (0..amounts.of.len()).filter(|group| own(*group)) {
            let Some(of) = amounts.of.get(group) else { continue };
            let told_by = amounts.told_by(group);
            all.see(told_by, of);
            match (has_rows(group), zero(group)) {
                (_, true) => told.zero_weights.see(told_by, of),
                (true, false) => {
                    told.given.see(told_by, of);
                    told.rows += (starts[group + 1] - starts[group]) as u64;
                }
                (false, false) if of != 0 => told.no_row.see(told_by, of),
                (false, false) => {}
            }
        }
        let (blank, _) = &amounts.blank_keys;
        let blank = match (&lane.groups, &lane.blank_keys) {
            (None, _) => blank.clone(),
            (Some(_), Some(rows)) => blank.take(rows),
            (Some(_), None) => Column::Blank(0),
        };
        told.blank_keys = (!blank.is_empty()).then(|| (blank.len() as u64, blank.sum()));
        told.all = match &lane.groups {
            None => amounts.all,
            Some(_) => all.amount().plus(blank.sum()),
        };
        Self { within: lane.within, ..told }
    }

    fn plus(self, other: Self) -> Self {
        let blank_keys = match (self.blank_keys, other.blank_keys) {
            (Some((a, amount)), Some((b, more))) => Some((a + b, amount.plus(more))),
            (own, other) => own.or(other),
        };
        Self {
            within: self.within,
            all: self.all.plus(other.all),
            given: self.given.plus(other.given),
            rows: self.rows + other.rows,
            no_row: self.no_row.plus(other.no_row),
            zero_weights: self.zero_weights.plus(other.zero_weights),
            blank_keys,
        }
    }

    /// In the words of the tally; `named` is what a group is called, by the row by which it is told.
    fn allocated(self, amount: &str, named: impl Fn(u32) -> String) -> Allocated {
        let mut left = vec![];
        for (why, of) in [("no-row", &self.no_row), ("zero-weights", &self.zero_weights)] {
            if of.count > 0 {
                let examples = of.first.iter().map(|row| named(*row)).collect();
                let (count, amount) = (of.count, of.amount());
                left.push(NotAllocated { why, count, amount, examples });
            }
        }
        if let Some((count, amount)) = self.blank_keys {
            left.push(NotAllocated { why: "blank-key", count, amount, examples: vec![] });
        }
        let Self { all, rows, within, .. } = self;
        let given = self.given.amount();
        Allocated {
            parts: None,
            amount: amount.to_owned(),
            of: None,
            all,
            given,
            rows,
            left,
            within,
        }
    }
}

/// What is told of all parts, by what it is in, blank last: of what counts apart, what is there.
pub(super) fn all_told(
    parts: impl Iterator<Item = Told>,
    (amount, places): (&str, Scale),
    named: impl Fn(u32) -> String,
) -> Vec<Allocated> {
    let mut all: Vec<Told> = vec![];
    for told in parts {
        match all.iter().position(|known| known.within == told.within) {
            Some(at) => {
                let known = all.swap_remove(at);
                all.push(known.plus(told));
            }
            None => all.push(told),
        }
    }
    if all.is_empty() {
        all.push(Told::nothing(places));
    }
    all.sort_by_key(|told| match &told.within {
        InWhat::One(value) => (value.is_none(), value.clone()),
        InWhat::Nothing => (false, None),
    });
    let allocated = all.into_iter().map(|told| told.allocated(amount, &named));
    let mut allocated: Vec<Allocated> = allocated.collect();
    if allocated.len() > 1 {
        let first = allocated[0].clone();
        allocated.retain(|own| own.rows > 0 || !own.left.is_empty() || !own.all.is_zero());
        if allocated.is_empty() {
            allocated.push(first);
        }
    }
    allocated
}
