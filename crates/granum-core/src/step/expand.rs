//! `expand`: each row becomes the rows that lead to what it leads to, with amounts divided so that they add up.
//!
//! ```text
//! order_no  article_no  quantity    net        set_no  part_no  pieces  worth
//! M1        900                2  25.00        900     018           1  10.00
//! M1        018                1   9.00        900     031           3   5.00
//!
//!     →   order_no  article_no  quantity    net  part_no  pieces  worth
//!         M1        900                2  16.67  018           1  10.00
//!         M1        900                6   8.33  031           3   5.00
//!         M1        018                1   9.00
//! ```

use super::sum::Expanded;
use super::units::{EXAMPLES, Trouble};
use super::{Left, Naming, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use super::{finished_rows, grain_values};
use crate::bug::{Sure, bug};
use crate::expr::{Kind, LeadingRows, Typed, evaluate};
use crate::resolve::{ExpandPlan, SplitPlan, TablePlan};
use crate::table::{Batch, Column, GatherId, Place, Present, Rows, SlotId};
use crate::tally::{Multiplied, Problem, StepDetail};
use crate::value::parts::ByWeights;
use crate::value::{Scale, decimal};

impl Work for ExpandPlan {
    fn expressions(&self) -> Vec<&Typed> {
        let multiply = self.multiply.iter().flat_map(|own| [&own.factor, &own.product]);
        std::iter::once(&self.to).chain(&self.weight).chain(multiply).collect()
    }

    fn slots(&self) -> Vec<SlotId> {
        self.split.iter().map(|split| split.old).chain([self.is_part]).collect()
    }

    fn leads(&self) -> Option<(&Typed, GatherId)> {
        Some((&self.to, self.gather))
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Several
    }

    fn detail(&self, table: &TablePlan, at: usize, sum: &StepSum) -> StepDetail {
        let Some(expanded) = &sum.expanded else { return StepDetail::Plain };
        let split = |tracked: &&crate::resolve::Tracked| {
            let renewed = tracked.versions.iter().find(|(from, _)| *from == at + 1);
            renewed.is_some_and(|(_, slot)| self.split.iter().any(|split| split.new == *slot))
        };
        let multiplied = self.multiply.iter().zip(&expanded.multiplied);
        StepDetail::Expanded {
            of: self.of_name.clone(),
            expanded: expanded.rows,
            became: expanded.became,
            whole: sum.rows_before - expanded.rows,
            conserved: table.tracked.iter().filter(split).map(|own| own.name.clone()).collect(),
            multiplied: multiplied
                .map(|(plan, (before, after))| Multiplied {
                    name: plan.name.clone(),
                    before: *before,
                    after: *after,
                })
                .collect(),
        }
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let before = at.amounts_before(batch);
        let rows_before = batch.rows as u64;
        let of = self.becomes(at, batch)?;
        let factors_before: Vec<_> =
            self.multiply.iter().map(|own| batch.slot(own.old).sum()).collect();
        let mut out = batch.take(&of.rows);
        let table = at.around.world.tables[self.of.0].as_ref().sure("a table that is led from");
        for (slot, column) in &self.columns {
            if at.last_use[slot.0].is_some_and(|last| last >= at.step) {
                let column = table.column(*column).sure("a column that is led from");
                out.slots[slot.0] = Some(column.take(&of.parts));
            }
        }
        out.slots[self.is_part.0] =
            Some(Column::Boolean(crate::table::Truths::new(of.parts.bits(), None)));
        let mut troubles = Troubles { at, plan: self, of: &of, out: &out, found: vec![] };
        let made = self.made(at, batch, &mut troubles)?;
        let troubles = troubles.found;
        let multiplied = self.multiply.iter().zip(factors_before).map(|(own, before)| {
            let after = made.iter().find(|(slot, _)| *slot == own.new);
            (before, after.map_or(before, |(_, column)| column.sum()))
        });
        let expanded = Expanded {
            rows: rows_before - of.parts.blanks() as u64,
            became: (out.rows - of.parts.blanks()) as u64,
            multiplied: multiplied.collect(),
        };
        for (slot, column) in made {
            out.slots[slot.0] = Some(column);
        }
        *batch = out;
        let sum = StepSum { before, rows_before, expanded: Some(expanded), ..StepSum::default() };
        Ok(Left { troubles, ..Left::of(sum) })
    }
}

/// What rows become.
struct Becomes {
    /// For each new row the row that it was.
    rows: Rows,
    /// The row that came in; nothing for a row that stays as it was.
    parts: Rows,
    /// How many rows each became.
    counts: Vec<u32>,
}

impl ExpandPlan {
    fn becomes(&self, at: &StepRunner<'_>, batch: &Batch) -> Result<Becomes, Problem> {
        let leading: &LeadingRows = at.around.world.gathered[self.gather.0]
            .as_ref()
            .and_then(|gathered| gathered.each.as_ref())
            .sure("the rows that lead there");
        let Kind::Leads { from, hops } = &self.to.kind else { bug("where rows lead") };
        let to = at.scope(batch).path(*from, hops);
        let (mut rows, mut parts) =
            (Vec::with_capacity(batch.rows), Vec::with_capacity(batch.rows));
        let mut counts = Vec::with_capacity(batch.rows);
        for row in 0..batch.rows {
            let own = to.get(row).map_or(&[][..], |to| leading.to(to as usize));
            match own {
                [] => parts.push(None),
                own => parts.extend(own.iter().map(|part| Some(*part))),
            }
            let count = own.len().max(1);
            if parts.len() > u32::MAX as usize {
                return Err(Problem::TooManyRows { table: at.plan().name.clone() });
            }
            counts.push(count as u32);
            rows.resize(parts.len(), row as u32);
        }
        Ok(Becomes { rows: rows.into(), parts: parts.into_iter().collect(), counts })
    }

    /// The columns that are divided and multiplied.
    fn made(
        &self,
        at: &StepRunner<'_>,
        before: &Batch,
        troubles: &mut Troubles<'_>,
    ) -> Result<Vec<(SlotId, Column)>, Problem> {
        let out = troubles.out;
        let worked = |typed: &Typed| {
            evaluate(typed, &at.scope(out)).map_err(|failure| at.problem(out, failure))
        };
        let weights = self.weight.as_ref().map(worked).transpose()?;
        if let Some(weights) = &weights {
            troubles.rows("blank-weight", |row| weights.is_blank(row), |_| String::new());
            let negative = |row| !weights.is_blank(row) && weights.units(row) < 0;
            troubles.rows("negative-weight", negative, |row| weights.scalar(row).to_string());
        }
        let mut made = vec![];
        for own in &self.multiply {
            let factor = worked(&own.factor)?;
            troubles.rows("blank-factor", |row| factor.is_blank(row), |_| String::new());
            made.push((own.new, worked(&own.product)?));
        }
        // What is wrong is told; parts of it would be meaningless.
        let weights = weights.filter(|_| troubles.found.is_empty());
        for split in &self.split {
            let column = self.divided(split, before.slot(split.old), weights.as_ref(), troubles);
            made.push((split.new, column));
        }
        Ok(made)
    }

    /// An amount's parts, over the rows that each row became.
    fn divided(
        &self,
        split: &SplitPlan,
        amounts: &Column,
        weights: Option<&Column>,
        troubles: &mut Troubles<'_>,
    ) -> Column {
        let from = amounts.ty().scale().unwrap_or_default();
        let of = troubles.of;
        let (mut out, mut there) = (Vec::with_capacity(of.rows.len()), vec![]);
        let (mut by, mut own) = (ByWeights::default(), vec![]);
        for (row, count) in of.counts.iter().enumerate() {
            let (first, count) = (out.len(), *count as usize);
            let is = !amounts.is_blank(row);
            there.resize(first + count, is);
            let units = if is { fit(amounts.units(row), from, split.places) } else { Ok(0) };
            let units = units.unwrap_or_else(|what| {
                troubles.row(what, first, amounts.scalar(row).to_string());
                0
            });
            if count == 1 {
                out.push(units);
                continue;
            }
            own.clear();
            own.extend(
                (first..first + count)
                    .map(|at| weights.map_or(1, |weights| weights.units(at).unsigned_abs())),
            );
            let mut shared = by.divide(units, &own, &mut out);
            if !shared && (self.else_equally || units == 0) {
                own.fill(1);
                shared = by.divide(units, &own, &mut out);
            }
            if !shared {
                troubles.row("zero-weights", first, amounts.scalar(row).to_string());
                out.resize(first + count, 0);
            }
        }
        let present = amounts.present().is_some_and(|present| present.blanks() > 0);
        let blank = amounts.ty() == crate::value::Type::Blank;
        let present = (present || blank).then(|| Present::from(there));
        Column::decimal(out, present, split.places)
    }
}

/// An amount in units of some places; or why it has none.
fn fit(units: i128, from: Scale, to: Scale) -> Result<i128, &'static str> {
    let fits = decimal::rescale(units, from, to).ok_or("large")?;
    if decimal::rescale(fits, to, from) == Some(units) { Ok(fits) } else { Err("fine") }
}

/// Rows that cannot be expanded.
struct Troubles<'a> {
    at: &'a StepRunner<'a>,
    plan: &'a ExpandPlan,
    of: &'a Becomes,
    out: &'a Batch,
    found: Vec<Trouble>,
}

impl Troubles<'_> {
    /// Rows that came in and of which something is wrong; the first of them with what it is and the row itself.
    fn rows(
        &mut self,
        what: &'static str,
        wrong: impl Fn(usize) -> bool,
        value: impl Fn(usize) -> String,
    ) {
        for row in 0..self.of.rows.len() {
            let Some(part) = self.of.parts.get(row) else { continue };
            if wrong(row) {
                let known = self.find(what);
                self.found[known].count += 1;
                let (named, place) = self.part(part);
                let value = value(row);
                let text = if value.is_empty() { named } else { format!("{value} of {named}") };
                let examples = &mut self.found[known].examples;
                // One row that came in is wrong for many.
                if examples.len() < EXAMPLES && !examples.iter().any(|(_, told, _)| *told == text) {
                    examples.push((row, text, place));
                }
            }
        }
    }

    /// A row whose amount cannot be divided.
    fn row(&mut self, what: &'static str, row: usize, value: String) {
        let known = self.find(what);
        self.found[known].count += 1;
        if self.found[known].examples.len() < EXAMPLES {
            let place = self.at.naming.place(&self.at.around, self.out, row);
            self.found[known].examples.push((row, value, place));
        }
    }

    fn find(&mut self, what: &'static str) -> usize {
        let known = self.found.iter().position(|trouble| trouble.what == what);
        known.unwrap_or_else(|| {
            self.found.push(Trouble {
                of: self.at.text().to_owned(),
                policy: None,
                what,
                rows: vec![],
                count: 0,
                amounts: vec![],
                examples: vec![],
            });
            self.found.len() - 1
        })
    }

    /// A row that came in: what it is, and where it stands.
    fn part(&self, part: u32) -> (String, Option<Place>) {
        let around = &self.at.around;
        let id = self.plan.of;
        let plan = &around.plan.tables[id.0];
        let table = around.world.tables[id.0].as_ref().sure("a table that is led from");
        let rows = finished_rows(table, id);
        let named = grain_values(plan, &rows, part as usize);
        let named: Vec<String> =
            named.into_iter().map(|(name, value)| format!("{name} {value}")).collect();
        let place = Naming::finished(around.plan, id).place(around, &rows, part as usize);
        (format!("{} {}", plan.name, named.join(", ")).trim_end().to_owned(), place)
    }
}
