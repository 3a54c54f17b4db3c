//! `allocate`: an amount that stands once for many rows, divided over them so that the parts add up.
//!
//! ```text
//! order_no  freight    order_no    net         order_no    net  freight
//! M1           5.00    M1        30.00    →    M1        30.00     3.75
//!                      M1        10.00         M1        10.00     1.25
//! ```

mod amounts;
mod divided;
mod scattered;
mod told;

use amounts::Amounts;
use divided::Divided;
use told::{Told, all_told, told};

use super::values::apart_problem;
use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Together, Work};
use crate::bug::Sure;
use crate::expr::Typed;
use crate::link::EXAMPLES;
use crate::resolve::{AllocateOver, AllocatePlan, TablePlan};
use crate::table::{Batch, Column};
use crate::tally::{AllocateProblem, Allocated, Problem, StepDetail};

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
        let mut rows = rows.clone();
        rows.get(self.reads().into_iter());
        let groups = self.amounts(at, &rows)?.groups;
        Ok(vec![Together { text: self.words.0.clone(), groups }])
    }

    fn scatters(&self) -> bool {
        true
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        if let Some((parts, told)) = scattered::scattered(self, at, batch) {
            batch.away.resize(batch.slots.len(), None);
            batch.away[self.slot.0] = Some(parts);
            return Ok(self.left(at, batch, told));
        }
        let got = batch.get(self.reads().into_iter());
        let (parts, told) = self.divided(at, batch)?;
        let left = self.left(at, batch, told);
        batch.let_go(&got);
        batch.slots[self.slot.0] = Some(parts);
        Ok(left)
    }
}

impl AllocatePlan {
    /// The parts of all rows, worked at once, and what is told.
    fn divided(&self, at: &StepRunner<'_>, batch: &Batch) -> Result<(Column, Vec<Told>), Problem> {
        let weights = match &self.weight {
            Some(weight) => Some(at.columns(batch, std::iter::once(weight))?.remove(0)),
            None => None,
        };
        let amounts = self.amounts(at, batch)?;
        let (rows, starts) = amounts.groups.sorted();
        let mut troubles = amounts.troubles((at, batch), |row| self.named(at, batch, row));
        if let Some(weights) = &weights {
            let place = |row| at.naming.place(&at.around, batch, row);
            troubles.extend(amounts.wrong_weights(weights, place));
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
        let told = told(&amounts, &divided, &starts, self.places);
        Ok((divided.column(&rows, batch.rows, self.places), told))
    }

    fn left(&self, at: &StepRunner<'_>, batch: &Batch, told: Vec<Told>) -> Left {
        let of = match &self.over {
            AllocateOver::Link { target, column, .. } => {
                let target = &at.around.plan.tables[target.0];
                Some((target.name.clone(), target.columns[column.0].0.clone()))
            }
            AllocateOver::Keys(_) => None,
        };
        let named = |row| self.named(at, batch, row);
        let allocated = all_told(told.into_iter(), (&self.words.0, self.places), named);
        let allocated = allocated.into_iter().map(|own| Allocated { of: of.clone(), ..own });
        Left::of(StepSum { allocated: allocated.collect(), ..StepSum::default() })
    }

    /// What a group is called: by the row that is led to, or by one of its rows.
    fn named(&self, at: &StepRunner<'_>, batch: &Batch, row: u32) -> String {
        let words: Vec<String> = match &self.over {
            AllocateOver::Link { target, grain, .. } => {
                let table =
                    at.around.world.tables[target.0].as_ref().sure("a table that is led to");
                let grain = grain.iter().map(|(_, column)| table.column(*column));
                grain.map(|held| held.sure("a grain that is led to").text(row as usize)).collect()
            }
            AllocateOver::Keys(keys) => {
                let mut one = batch.slice(row as usize, 1);
                one.get(keys.iter().flat_map(Typed::slots));
                let keys = at.columns(&one, keys.iter()).unwrap_or_default();
                keys.iter().map(|key| key.scalar(0).to_string()).collect()
            }
        };
        words.join("/")
    }

    /// Stops where a group repeats an amount in several currencies, or would divide by weights in several.
    fn counts_apart(
        &self,
        at: &StepRunner<'_>,
        batch: &Batch,
        amounts: &Amounts,
        weights: Option<&Column>,
    ) -> Result<(), Problem> {
        let repeated = matches!(self.over, AllocateOver::Keys(_)).then_some(&amounts.column);
        let looked = [(repeated, &self.apart), (weights, &self.weight_apart)];
        for (values, apart) in looked {
            let (Some(values), Some(apart)) = (values, apart) else { continue };
            let apart = at.columns(batch, std::iter::once(apart))?.remove(0);
            if let Some(failure) = amounts.mixed(values, apart) {
                let row = amounts.told_by(failure.group() as usize);
                let group = vec![(String::new(), self.named(at, batch, row))];
                return Err(apart_problem(at, self.amount.span, group, failure));
            }
        }
        Ok(())
    }

    /// The amounts, and the rows that each is divided over.
    fn amounts(&self, at: &StepRunner<'_>, batch: &Batch) -> Result<Amounts, Problem> {
        match &self.over {
            AllocateOver::Link { from, hops, target, column, apart, .. } => {
                let table =
                    at.around.world.tables[target.0].as_ref().sure("a table that is led to");
                let of = |column| table.column(column).sure("an amount that is led to").whole();
                let index = at.scope(batch).path(*from, hops);
                Ok(Amounts::led_to((of(*column), apart.map(of)), &index, self.places, 0))
            }
            AllocateOver::Keys(keys) => {
                let keys = at.columns(batch, keys.iter())?;
                let amounts = at.columns(batch, std::iter::once(&self.amount))?.remove(0);
                let own = match &self.apart {
                    Some(apart) => at.columns(batch, std::iter::once(apart))?.pop(),
                    None => None,
                };
                Ok(Amounts::repeated(&keys, (amounts, own), self.places))
            }
        }
    }
}
