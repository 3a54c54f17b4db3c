//! `allocate`: an amount that stands once for many rows, divided over them so that the parts add up.
//!
//! ```text
//! order_no  freight    order_no    net         order_no    net  freight
//! M1           5.00    M1        30.00    →    M1        30.00     3.75
//!                      M1        10.00         M1        10.00     1.25
//! ```

mod divided;

use divided::Divided;

use super::values::apart_problem;
use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Together, Work};
use crate::aggregate::{AggregateFunction, Groups, Values, mixed, parted_by};
use crate::bug::Sure;
use crate::expr::Typed;
use crate::link::EXAMPLES;
use crate::resolve::{AllocateOver, AllocatePlan, TablePlan};
use crate::table::{Amount, Batch, Column, GrowingColumn, InWhat, PIECE, Rows, Whole};
use crate::tally::{
    AllocateProblem, AllocateTrouble, Allocated, NotAllocated, Problem, StepDetail,
};
use crate::value::{Scale, Type, decimal};

impl Work for AllocatePlan {
    fn expressions(&self) -> Vec<&Typed> {
        let over: Vec<&Typed> = match &self.over {
            AllocateOver::Link { grain, .. } => grain.iter().map(|(typed, _)| typed).collect(),
            AllocateOver::Keys(keys) => keys.iter().collect(),
        };
        let apart = self.apart.iter().chain(&self.weight_apart);
        std::iter::once(&self.amount).chain(&self.weight).chain(apart).chain(over).collect()
    }

    fn pace(&self) -> Pace {
        Pace::Whole
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn detail(&self, table: &TablePlan, _: usize, sum: &StepSum) -> StepDetail {
        if sum.allocated.is_empty() {
            return StepDetail::Plain;
        }
        let tracked = table.tracked.iter().find(|tracked| tracked.versions[0].1 == self.slot);
        let own = |allocated: &Allocated| {
            let name = |name: &String| allocated.within.name(name);
            let parts = tracked.map(|tracked| name(&tracked.name));
            let of = allocated.of.as_ref().map(|(table, amount)| (table.clone(), name(amount)));
            Allocated { parts, of, ..allocated.clone() }
        };
        StepDetail::Allocated(sum.allocated.iter().map(own).collect())
    }

    fn together(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Together>, Problem> {
        let groups = self.amounts(at, rows)?.groups;
        Ok(vec![Together { text: self.words.0.clone(), groups }])
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        let weights = match &self.weight {
            Some(weight) => Some(at.columns(batch, std::iter::once(weight))?.remove(0)),
            None => None,
        };
        let amounts = self.amounts(at, batch)?;
        let (rows, starts) = amounts.groups.sorted();
        let mut troubles = amounts.troubles(at, batch);
        if let Some(weights) = &weights {
            troubles.extend(amounts.wrong_weights(at, batch, weights));
        }
        if !troubles.is_empty() {
            let (amount, weight) = self.words.clone();
            let table = at.plan().name.clone();
            let step = at.text().to_owned();
            return Err(Problem::Allocate(AllocateProblem {
                table,
                step,
                amount,
                weight,
                troubles,
            }));
        }
        self.counts_apart(at, batch, &amounts, weights.as_ref())?;
        let sorted = (&rows[..], &starts[..]);
        let divided =
            Divided::new(&amounts, weights.as_ref(), self.else_equally, self.places, sorted);
        let of = match &self.over {
            AllocateOver::Link { target, column, .. } => {
                let target = &at.around.plan.tables[target.0];
                Some((target.name.clone(), target.columns[column.0].0.clone()))
            }
            AllocateOver::Keys(_) => None,
        };
        let allocated = amounts.lanes().into_iter().map(|lane| Allocated {
            parts: None,
            amount: self.words.0.clone(),
            of: of.clone(),
            ..amounts.told(self, &divided, &starts, lane)
        });
        let mut allocated: Vec<Allocated> = allocated.collect();
        // Of what counts apart, what is there.
        if allocated.len() > 1 {
            let first = allocated[0].clone();
            allocated.retain(|own| own.rows > 0 || !own.left.is_empty() || !own.all.is_zero());
            if allocated.is_empty() {
                allocated.push(first);
            }
        }
        batch.slots[self.slot.0] = Some(divided.column(&rows, batch.rows, self.places));
        Ok(Left::of(StepSum { allocated, ..StepSum::default() }))
    }
}

/// What is divided, and over which rows.
struct Amounts<'a> {
    /// The rows that each amount is divided over. Rows in none get nothing.
    groups: Groups,
    /// The amount of each group in units of the parts' places; blank where it has none.
    of: Units,
    /// All there is to divide.
    all: Amount,
    /// Groups whose amount has too many digits for its places, or more places.
    unfit: Vec<Unfit>,
    /// Groups that have two amounts, each with rows of both.
    several: Vec<(u32, [u32; 2])>,
    /// The amounts of rows with a blank in their key, and what those are in.
    blank_keys: (Column, Option<Column>),
    /// What the amount of each group is in, where they count apart.
    apart: Option<Column>,
    /// The amount as it stands, by group or by row.
    column: Column,
    named: Box<dyn Fn(u32) -> String + Sync + 'a>,
}

/// Units of groups, in as few bytes as they need.
struct Units(Column);

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

    fn len(&self) -> usize {
        self.0.len()
    }

    /// Those of a group.
    fn get(&self, group: usize) -> Option<i128> {
        (!self.0.is_blank(group)).then(|| self.0.units(group))
    }
}

/// A group whose amount does not go into its places: why, and the place of the amount.
struct Unfit {
    group: u32,
    what: &'static str,
    at: u32,
}

/// An amount in units of some places; or why it has none.
fn fit(units: i128, from: Scale, to: Scale) -> Result<i128, &'static str> {
    let fits = decimal::rescale(units, from, to).ok_or("large")?;
    if decimal::rescale(fits, to, from) == Some(units) { Ok(fits) } else { Err("fine") }
}

impl AllocatePlan {
    /// Stops where a group repeats an amount in several currencies, or would divide by weights in several.
    fn counts_apart(
        &self,
        at: &StepRunner<'_>,
        batch: &Batch,
        amounts: &Amounts<'_>,
        weights: Option<&Column>,
    ) -> Result<(), Problem> {
        let repeated = matches!(self.over, AllocateOver::Keys(_)).then_some(&amounts.column);
        let looked = [(repeated, &self.apart), (weights, &self.weight_apart)];
        for (values, apart) in looked {
            let (Some(values), Some(apart)) = (values, apart) else { continue };
            let apart = at.columns(batch, std::iter::once(apart))?.pop();
            let values = Values::of(AggregateFunction::Sum, Some(values.clone()), values.ty());
            let mixed = mixed(&Values { apart, ..values }, &amounts.groups);
            if let Some(failure) = mixed.into_iter().next() {
                let group = vec![(String::new(), (amounts.named)(failure.group()))];
                return Err(apart_problem(at, self.amount.span, group, failure));
            }
        }
        Ok(())
    }

    /// The amounts, and the rows that each is divided over.
    fn amounts<'a>(
        &'a self,
        at: &'a StepRunner<'_>,
        batch: &Batch,
    ) -> Result<Amounts<'a>, Problem> {
        match &self.over {
            AllocateOver::Link { .. } => Ok(self.led_to(at, batch)),
            AllocateOver::Keys(keys) => self.repeated(at, batch, keys),
        }
    }

    /// The amounts of the rows that a table's rows lead to.
    fn led_to<'a>(&'a self, at: &'a StepRunner<'_>, batch: &Batch) -> Amounts<'a> {
        let AllocateOver::Link { from, hops, target, column, apart, grain } = &self.over else {
            crate::bug::bug("an amount over a link");
        };
        let table = at.around.world.tables[target.0].as_ref().sure("a table that is led to");
        let amounts = table.column(*column).sure("an amount that is led to").whole();
        let index = at.scope(batch).path(*from, hops);
        let scale = amounts.ty().scale().unwrap_or_default();
        let mut unfit = vec![];
        let of = Units::collect((0..table.rows).map(|row| {
            if amounts.is_blank(row) {
                return None;
            }
            let fits = fit(amounts.units(row), scale, self.places);
            let mut note = |what| unfit.push(Unfit { group: row as u32, what, at: row as u32 });
            fits.map_err(&mut note).ok()
        }));
        let named = move |row: u32| {
            let value = |(_, column): &(Typed, _)| {
                table
                    .column(*column)
                    .sure("a grain that is led to")
                    .whole()
                    .scalar(row as usize)
                    .to_string()
            };
            grain.iter().map(value).collect::<Vec<_>>().join("/")
        };
        Amounts {
            groups: Groups::led_to(&index, table.rows),
            of,
            all: amounts.sum(),
            unfit,
            several: vec![],
            blank_keys: (Column::Blank(0), None),
            apart: apart.map(|at| table.column(at).sure("what an amount is in").whole()),
            column: amounts,
            named: Box::new(named),
        }
    }

    /// The amounts that the rows of groups repeat.
    fn repeated<'a>(
        &'a self,
        at: &'a StepRunner<'_>,
        batch: &Batch,
        keys: &[Typed],
    ) -> Result<Amounts<'a>, Problem> {
        let columns = at.columns(batch, keys.iter())?;
        let amounts = at.columns(batch, std::iter::once(&self.amount))?.remove(0);
        let scale = amounts.ty().scale().unwrap_or_default();
        let whole = Groups::by(&columns, batch.rows);
        let blank: Vec<u32> = (0..batch.rows as u32)
            .filter(|row| columns.iter().any(|key| key.is_blank(*row as usize)))
            .collect();
        let groups = if blank.is_empty() {
            whole
        } else {
            let mut of: Vec<Option<u32>> = whole.array().iter().collect();
            blank.iter().for_each(|row| of[*row as usize] = None);
            Groups::led_to(&Rows::from(of), whole.count)
        };
        let mut first: Vec<Option<u32>> = vec![None; groups.count];
        let mut firsts: Vec<u32> = vec![0; groups.count];
        let (mut unfit, mut several) = (vec![], vec![]);
        let mut of = vec![None; groups.count];
        for row in 0..batch.rows {
            let Some(group) = groups.of(row) else { continue };
            firsts[group] = row as u32;
            if amounts.is_blank(row) {
                continue;
            }
            match first[group] {
                None => {
                    first[group] = Some(row as u32);
                    match fit(amounts.units(row), scale, self.places) {
                        Ok(units) => of[group] = Some(units),
                        Err(what) => {
                            unfit.push(Unfit { group: group as u32, what, at: row as u32 });
                        }
                    }
                }
                Some(known) if amounts.units(known as usize) != amounts.units(row) => {
                    if several.last().is_none_or(|(last, _)| *last != group as u32) {
                        several.push((group as u32, [known, row as u32]));
                    }
                }
                Some(_) => {}
            }
        }
        several.sort_unstable();
        several.dedup_by_key(|(group, _)| *group);
        let once = amounts.take(&first.iter().flatten().copied().collect::<Vec<u32>>().into());
        let alone = amounts.take(&blank.clone().into());
        let own = match &self.apart {
            Some(apart) => at.columns(batch, std::iter::once(apart))?.pop(),
            None => None,
        };
        let of_groups: Rows =
            first.iter().zip(&firsts).map(|(first, any)| first.unwrap_or(*any)).collect();
        let apart = own.as_ref().map(|own| own.take(&of_groups));
        let blank_apart = own.as_ref().map(|own| own.take(&blank.into()));
        let named = move |group: u32| {
            let row = firsts[group as usize] as usize;
            columns.iter().map(|key| key.scalar(row).to_string()).collect::<Vec<_>>().join("/")
        };
        Ok(Amounts {
            groups,
            of: Units::collect(of.into_iter()),
            all: once.sum().plus(alone.sum()),
            unfit,
            several,
            blank_keys: (alone, blank_apart),
            apart,
            column: amounts,
            named: Box::new(named),
        })
    }
}

impl Amounts<'_> {
    /// What is wrong with the amounts themselves.
    fn troubles(&self, at: &StepRunner<'_>, batch: &Batch) -> Vec<AllocateTrouble> {
        let mut troubles = vec![];
        if !self.several.is_empty() {
            let example = |(group, rows): &(u32, [u32; 2])| {
                let values = rows.map(|row| self.column.scalar(row as usize).to_string());
                let place = at.naming.place(&at.around, batch, rows[1] as usize);
                (format!("{}: {}", (self.named)(*group), values.join(" and ")), place)
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
                    (format!("{}: {value}", (self.named)(unfit.group)), None)
                };
                let examples = of.iter().take(EXAMPLES).map(example).collect();
                troubles.push(AllocateTrouble { what, count: of.len() as u64, examples });
            }
        }
        troubles
    }

    /// Weights that say nothing, of rows that an amount is divided over.
    fn wrong_weights(
        &self,
        at: &StepRunner<'_>,
        batch: &Batch,
        weights: &Column,
    ) -> Vec<AllocateTrouble> {
        let counts =
            |row: &usize| self.groups.of(*row).is_some_and(|group| self.of.get(group).is_some());
        let trouble = |what: &'static str, wrong: &dyn Fn(usize) -> bool| {
            let rows: Vec<usize> =
                (0..batch.rows).filter(|row| wrong(*row)).filter(counts).collect();
            let example = |row: &usize| {
                (weights.scalar(*row).to_string(), at.naming.place(&at.around, batch, *row))
            };
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

    /// What is told by itself: all, or for each currency, or other measure, the groups that are in it.
    fn lanes(&self) -> Vec<Lane> {
        let Some(apart) = &self.apart else { return vec![Lane::default()] };
        let mut lanes: Vec<Lane> = vec![];
        for (value, groups) in parted_by(apart) {
            let mut own = vec![false; self.of.len()];
            groups.numbers().for_each(|group| own[group as usize] = true);
            lanes.push(Lane { within: InWhat::One(value), groups: Some(own), blank_keys: None });
        }
        for (value, rows) in self.blank_keys.1.iter().flat_map(parted_by) {
            let within = InWhat::One(value);
            let known = lanes.iter().position(|lane| lane.within == within).unwrap_or_else(|| {
                let groups = Some(vec![false; self.of.len()]);
                lanes.push(Lane { within, groups, blank_keys: None });
                lanes.len() - 1
            });
            lanes[known].blank_keys = Some(rows);
        }
        lanes.sort_by_key(|lane| match &lane.within {
            InWhat::One(value) => (value.is_none(), value.clone()),
            InWhat::Nothing => (false, None),
        });
        if lanes.is_empty() { vec![Lane::default()] } else { lanes }
    }

    /// What there was to divide of a lane, what was divided, and what was not.
    fn told(
        &self,
        plan: &AllocatePlan,
        divided: &Divided,
        starts: &[usize],
        lane: Lane,
    ) -> Allocated {
        let own = |group: usize| lane.groups.as_ref().is_none_or(|groups| groups[group]);
        let has_rows = |group: usize| starts[group] < starts[group + 1];
        let zero = |group: usize| divided.zero.binary_search(&group).is_ok();
        let mut rows = 0;
        let mut all = SomeGroups::new(plan.places);
        let mut given = all.clone();
        let (mut no_row, mut zeros) = (all.clone(), all.clone());
        for group in (0..self.of.len()).filter(|group| own(*group)) {
            let Some(of) = self.of.get(group) else { continue };
            all.see(group, of);
            match (has_rows(group), zero(group)) {
                (_, true) => zeros.see(group, of),
                (true, false) => {
                    given.see(group, of);
                    rows += (starts[group + 1] - starts[group]) as u64;
                }
                (false, false) if of != 0 => no_row.see(group, of),
                (false, false) => {}
            }
        }
        let named = |group: &u32| (self.named)(*group);
        let mut left = vec![];
        for (why, of) in [("no-row", no_row), ("zero-weights", zeros)] {
            if of.count > 0 {
                let examples = of.first.iter().map(named).collect();
                let (count, amount) = (of.count, of.amount());
                left.push(NotAllocated { why, count, amount, examples });
            }
        }
        let (blank, _) = &self.blank_keys;
        let blank = match (&lane.groups, &lane.blank_keys) {
            (None, _) => blank.clone(),
            (Some(_), Some(rows)) => blank.take(rows),
            (Some(_), None) => Column::Blank(0),
        };
        if !blank.is_empty() {
            let (count, amount) = (blank.len() as u64, blank.sum());
            left.push(NotAllocated { why: "blank-key", count, amount, examples: vec![] });
        }
        let all = match &lane.groups {
            None => self.all,
            Some(_) => all.amount().plus(blank.sum()),
        };
        let given = given.amount();
        let (parts, amount, of) = (None, String::new(), None);
        Allocated { parts, amount, of, all, given, rows, left, within: lane.within }
    }
}

/// Some groups with amounts.
#[derive(Clone)]
struct SomeGroups {
    count: u64,
    /// What they have together; nothing where it has too many digits.
    sum: Option<i128>,
    places: Scale,
    /// The first of them.
    first: Vec<u32>,
}

impl SomeGroups {
    fn new(places: Scale) -> Self {
        Self { count: 0, sum: Some(0), places, first: vec![] }
    }

    fn see(&mut self, group: usize, of: i128) {
        self.count += 1;
        self.sum = self.sum.and_then(|sum| sum.checked_add(of));
        if self.first.len() < EXAMPLES {
            self.first.push(group as u32);
        }
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
