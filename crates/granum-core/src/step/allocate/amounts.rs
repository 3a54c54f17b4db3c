//! What is divided, and over which rows.

use crate::aggregate::{AggregateFunction, GroupFailure, Groups, Values, mixed};
use crate::step::StepRunner;
use crate::table::{Amount, Batch, Column, GrowingColumn, PIECE, Place, Rows, Whole};
use crate::tally::AllocateTrouble;
use crate::value::{Scale, Type, decimal};

use super::EXAMPLES;

/// What is divided, and over which rows.
pub(super) struct Amounts {
    /// The rows that each amount is divided over. Rows in none get nothing.
    pub groups: Groups,
    /// The amount of each group in units of the parts' places; blank where it has none.
    pub of: Units,
    /// All there is to divide.
    pub all: Amount,
    /// Groups whose amount has too many digits for its places, or more places.
    pub unfit: Vec<Unfit>,
    /// Groups that have two amounts, each with rows of both.
    pub several: Vec<(u32, [u32; 2])>,
    /// The amounts of rows with a blank in their key, and what those are in.
    pub blank_keys: (Column, Option<Column>),
    /// What the amount of each group is in, where they count apart.
    pub apart: Option<Column>,
    /// The amount as it stands, by group or by row.
    pub column: Column,
    /// By which row each group is told.
    pub told_by: ToldBy,
}

/// The row by which a group is told: of a target that is led to, or of the rows that it is divided over.
pub(super) enum ToldBy {
    /// A row of the target for each group, from this on.
    Target(u32),
    /// The first row of each group.
    First(Vec<u32>),
}

/// Units of groups, in as few bytes as they need.
pub(super) struct Units(Column);

impl Units {
    /// Units of groups, one after the other; nothing where blank. They become narrow as they come.
    fn collect(units: impl Iterator<Item = Option<i128>>) -> Self {
        let mut units = units.peekable();
        let mut all = GrowingColumn::new(Type::Decimal(Scale(0)), 0);
        while units.peek().is_some() {
            let some: Whole<i128> = units.by_ref().take(PIECE).collect();
            all.append(&Column::Decimal(some.narrowed(), Scale(0)));
        }
        Self(all.finish())
    }

    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Those of a group.
    pub fn get(&self, group: usize) -> Option<i128> {
        (!self.0.is_blank(group)).then(|| self.0.units(group))
    }
}

/// A group whose amount does not go into its places: why, and the place of the amount.
pub(super) struct Unfit {
    group: u32,
    what: &'static str,
    at: u32,
}

/// An amount in units of some places; or why it has none.
fn fit(units: i128, from: Scale, to: Scale) -> Result<i128, &'static str> {
    let fits = decimal::rescale(units, from, to).ok_or("large")?;
    if decimal::rescale(fits, to, from) == Some(units) { Ok(fits) } else { Err("fine") }
}

impl Amounts {
    /// The amounts of rows that are led to, one after the other from row `first` of their table on: `index` says which of
    /// them each row leads to.
    pub fn led_to(
        (column, apart): (Column, Option<Column>),
        index: &Rows,
        places: Scale,
        first: u32,
    ) -> Self {
        let scale = column.ty().scale().unwrap_or_default();
        let mut unfit = vec![];
        let of = Units::collect((0..column.len()).map(|row| {
            if column.is_blank(row) {
                return None;
            }
            let fits = fit(column.units(row), scale, places);
            let mut note = |what| unfit.push(Unfit { group: row as u32, what, at: row as u32 });
            fits.map_err(&mut note).ok()
        }));
        Self {
            groups: Groups::led_to(index, column.len()),
            of,
            all: column.sum(),
            unfit,
            several: vec![],
            blank_keys: (Column::Blank(0), None),
            apart,
            column,
            told_by: ToldBy::Target(first),
        }
    }

    /// The amounts that the rows of groups repeat, by the columns of their keys; `own` is what they are in.
    pub fn repeated(
        keys: &[Column],
        (column, own): (Column, Option<Column>),
        places: Scale,
    ) -> Self {
        let scale = column.ty().scale().unwrap_or_default();
        let rows = column.len();
        let whole = Groups::by(keys, rows);
        let blank: Vec<u32> = (0..rows as u32)
            .filter(|row| keys.iter().any(|key| key.is_blank(*row as usize)))
            .collect();
        let groups = if blank.is_empty() {
            whole
        } else {
            let mut of: Vec<Option<u32>> = whole.array().iter().collect();
            blank.iter().for_each(|row| of[*row as usize] = None);
            Groups::led_to(&Rows::from(of), whole.count)
        };
        // The first row of each group that has an amount, and its first row.
        let mut has: Vec<Option<u32>> = vec![None; groups.count];
        let mut firsts: Vec<Option<u32>> = vec![None; groups.count];
        let (mut unfit, mut several) = (vec![], vec![]);
        let mut of = vec![None; groups.count];
        for row in 0..rows {
            let Some(group) = groups.of(row) else { continue };
            firsts[group].get_or_insert(row as u32);
            if column.is_blank(row) {
                continue;
            }
            match has[group] {
                None => {
                    has[group] = Some(row as u32);
                    match fit(column.units(row), scale, places) {
                        Ok(units) => of[group] = Some(units),
                        Err(what) => {
                            unfit.push(Unfit { group: group as u32, what, at: row as u32 });
                        }
                    }
                }
                Some(known) if column.units(known as usize) != column.units(row) => {
                    if several.last().is_none_or(|(last, _)| *last != group as u32) {
                        several.push((group as u32, [known, row as u32]));
                    }
                }
                Some(_) => {}
            }
        }
        several.sort_unstable();
        several.dedup_by_key(|(group, _)| *group);
        // Of blank keys there are groups without rows: they are never told.
        let firsts: Vec<u32> = firsts.into_iter().map(|first| first.unwrap_or(0)).collect();
        let once = column.take(&has.iter().flatten().copied().collect::<Vec<u32>>().into());
        let alone = column.take(&blank.clone().into());
        let of_groups: Rows =
            has.iter().zip(&firsts).map(|(has, first)| has.unwrap_or(*first)).collect();
        let apart = own.as_ref().map(|own| own.take(&of_groups));
        let blank_apart = own.as_ref().map(|own| own.take(&blank.into()));
        Self {
            groups,
            of: Units::collect(of.into_iter()),
            all: once.sum().plus(alone.sum()),
            unfit,
            several,
            blank_keys: (alone, blank_apart),
            apart,
            column,
            told_by: ToldBy::First(firsts),
        }
    }

    /// The row by which a group is told.
    pub fn told_by(&self, group: usize) -> u32 {
        match &self.told_by {
            ToldBy::Target(first) => first + group as u32,
            ToldBy::First(rows) => rows[group],
        }
    }

    /// The rows by which groups are told become those that have these numbers.
    pub fn told_by_numbers(&mut self, numbers: &Column) {
        if let ToldBy::First(rows) = &mut self.told_by {
            rows.iter_mut().for_each(|row| *row = numbers.units(*row as usize) as u32);
        }
    }

    /// A group of which some values, that count apart by another column, are in several.
    pub fn mixed(&self, values: &Column, apart: Column) -> Option<GroupFailure> {
        let values = Values::of(AggregateFunction::Sum, Some(values.clone()), values.ty());
        let values = Values { apart: Some(apart), ..values };
        mixed(&values, &self.groups).into_iter().next()
    }

    /// What is wrong with the amounts themselves; `named` is what a group is called, by the row by which it is told.
    pub fn troubles(
        &self,
        (at, batch): (&StepRunner<'_>, &Batch),
        named: impl Fn(u32) -> String,
    ) -> Vec<AllocateTrouble> {
        let named = |group: u32| named(self.told_by(group as usize));
        let mut troubles = vec![];
        if !self.several.is_empty() {
            let example = |(group, rows): &(u32, [u32; 2])| {
                let values = rows.map(|row| self.column.scalar(row as usize).to_string());
                let place = at.naming.place(&at.around, batch, rows[1] as usize);
                (format!("{}: {}", named(*group), values.join(" and ")), place)
            };
            troubles.push(AllocateTrouble {
                what: "several",
                count: self.several.len() as u64,
                examples: self.several.iter().take(EXAMPLES).map(example).collect(),
            });
        }
        for what in ["fine", "large"] {
            let of: Vec<&Unfit> = self.unfit.iter().filter(|unfit| unfit.what == what).collect();
            if !of.is_empty() {
                let example = |unfit: &&Unfit| {
                    let value = self.column.scalar(unfit.at as usize);
                    (format!("{}: {value}", named(unfit.group)), None)
                };
                let examples = of.iter().take(EXAMPLES).map(example).collect();
                troubles.push(AllocateTrouble { what, count: of.len() as u64, examples });
            }
        }
        troubles
    }

    /// Weights that say nothing, of rows that an amount is divided over; `place` says where a row stands.
    pub fn wrong_weights(
        &self,
        weights: &Column,
        place: impl Fn(usize) -> Option<Place>,
    ) -> Vec<AllocateTrouble> {
        let counts =
            |row: &usize| self.groups.of(*row).is_some_and(|group| self.of.get(group).is_some());
        let trouble = |what: &'static str, wrong: &dyn Fn(usize) -> bool| {
            let rows: Vec<usize> =
                (0..weights.len()).filter(|row| wrong(*row)).filter(counts).collect();
            let example = |row: &usize| (weights.scalar(*row).to_string(), place(*row));
            (!rows.is_empty()).then(|| AllocateTrouble {
                what,
                count: rows.len() as u64,
                examples: rows.iter().take(EXAMPLES).map(example).collect(),
            })
        };
        let negative = trouble("negative", &|row| !weights.is_blank(row) && weights.units(row) < 0);
        let blank = trouble("blank", &|row| weights.is_blank(row));
        negative.into_iter().chain(blank).collect()
    }
}
