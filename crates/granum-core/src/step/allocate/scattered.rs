//! `allocate` where rows have no room: they are scattered so that all rows of a group come together, each part is divided
//! by itself, and the parts go back into the order of rows.

use std::sync::atomic::{AtomicU64, Ordering};

use super::amounts::Amounts;
use super::divided::Divided;
use super::told::{Told, told};
use crate::bug::Sure;
use crate::expr::Typed;
use crate::link::hashes;
use crate::resolve::{AllocateOver, AllocatePlan};
use crate::step::{StepRunner, Work};
use crate::table::{Batch, Column, Held, InOrder, Room, Rows, Scattered, Table, parts_of};

/// The parts, and what is told. Nothing where all that is looked at is here, and where something is wrong: what, is told
/// by who works on all rows at once.
pub(super) fn scattered(
    plan: &AllocatePlan,
    at: &StepRunner<'_>,
    batch: &Batch,
) -> Option<(Held, Vec<Told>)> {
    let room = room(plan, at, batch)?;
    let zeros = AtomicU64::new(0);
    let own = StepRunner { zeros: &zeros, ..*at };
    let scatter = Scatter { plan, at: &own, target: target(plan, at) };
    let (rows, window) = scatter.send(batch, &room)?;
    let (mut found, mut all) = (InOrder::new(&room, batch.rows), vec![]);
    let work = |part: usize, columns| scatter.of_part(columns, part * window, window);
    rows.each(work, |(columns, told)| {
        found.take(&columns);
        all.extend(told);
    })?;
    at.zeros.fetch_add(zeros.into_inner(), Ordering::Relaxed);
    Some((Held::away(found.only(&room)), all))
}

/// The table that is led to.
fn target<'a>(plan: &AllocatePlan, at: &StepRunner<'a>) -> Option<&'a Table> {
    match &plan.over {
        AllocateOver::Link { target, .. } => {
            Some(at.around.world.tables[target.0].as_ref().sure("a table that is led to"))
        }
        AllocateOver::Keys(_) => None,
    }
}

/// The room that what is looked at had no room in.
fn room(plan: &AllocatePlan, at: &StepRunner<'_>, batch: &Batch) -> Option<Room> {
    let of_rows = batch.room_of(&plan.reads()).filter(|_| batch.rows > 0);
    let AllocateOver::Link { column, .. } = &plan.over else { return of_rows };
    let of_target = || Some(target(plan, at)?.column(*column)?.file()?.room().clone());
    of_rows.or_else(of_target).filter(|_| batch.rows > 0)
}

/// How rows are sent, and what is made of those of one part.
struct Scatter<'a> {
    plan: &'a AllocatePlan,
    at: &'a StepRunner<'a>,
    target: Option<&'a Table>,
}

impl Scatter<'_> {
    /// All rows in parts, and how many rows of a target that is led to each of these has: their numbers; what they lead
    /// to or their keys with the amounts, and what those are in; their weights, and what those are in.
    fn send(&self, batch: &Batch, room: &Room) -> Option<(Scattered, usize)> {
        let reads = self.plan.reads();
        let targets = self.target.map_or(0, |target| target.rows);
        let count = parts_of(batch.rows.max(targets), reads.len() + 2, room);
        let window = targets.div_ceil(count).max(1);
        let mut rows = Scattered::new(room, count);
        for (first, run) in batch.runs(reads) {
            let worked = self.at.columns(&run, self.worked()).ok()?;
            let mut columns = vec![Rows::run(first as u32, run.rows).column()];
            match &self.plan.over {
                AllocateOver::Link { from, hops, .. } => {
                    let led = self.at.scope(&run).path(*from, hops);
                    // Rows that lead nowhere get nothing, in any part.
                    let part = |(at, to): (usize, Option<u32>)| match to {
                        Some(to) => to / window as u32,
                        None => ((first + at) % count) as u32,
                    };
                    let to: Vec<u32> = led.iter().enumerate().map(part).collect();
                    columns.push(led.column());
                    columns.extend(worked);
                    rows.send(&columns, &to);
                }
                AllocateOver::Keys(keys) => {
                    let hashes = hashes(&worked[..keys.len()], run.rows);
                    columns.extend(worked);
                    rows.send_by(&hashes, &columns);
                }
            }
        }
        Some((rows, window))
    }

    /// What is worked of rows before they are sent: of keys these, the amount and what it is in; the weight and what that
    /// is in.
    fn worked(&self) -> impl Iterator<Item = &Typed> {
        let plan = self.plan;
        let (keys, amount) = match &plan.over {
            AllocateOver::Link { .. } => (&[][..], None),
            AllocateOver::Keys(keys) => (&keys[..], Some(&plan.amount)),
        };
        let apart = plan.apart.as_ref().filter(|_| amount.is_some());
        keys.iter().chain(amount).chain(apart).chain(&plan.weight).chain(&plan.weight_apart)
    }

    /// What the rows of a part get, with their numbers first, and what is told of them; of a target that is led to, the
    /// part has up to `window` rows from `first` on. Nothing where something is wrong.
    fn of_part(
        &self,
        columns: Vec<Column>,
        first: usize,
        window: usize,
    ) -> Option<(Vec<Column>, Vec<Told>)> {
        let plan = self.plan;
        // Of a target that is led to all rows are told, also those of a part where nobody came.
        if self.target.is_none() && columns.first().is_none_or(Column::is_empty) {
            return Some((vec![], vec![]));
        }
        let mut columns = columns.into_iter();
        let mut next = || columns.next().sure("a column of a part");
        let numbers = next();
        let (mut amounts, own) = match (&plan.over, self.target) {
            (AllocateOver::Link { column, apart, .. }, Some(target)) => {
                // Behind the last row there are none.
                let first = first.min(target.rows);
                let length = window.min(target.rows - first);
                let of = |column| {
                    let held = target.column(column).sure("an amount that is led to");
                    held.slice(first, length).whole()
                };
                let index = Rows::of_column(&next(), first as u32);
                let amounts = (of(*column), apart.map(of));
                (Amounts::led_to(amounts, &index, plan.places, first as u32), None)
            }
            (AllocateOver::Keys(keys), _) => {
                let keys: Vec<Column> = keys.iter().map(|_| next()).collect();
                let column = next();
                let own = plan.apart.is_some().then(&mut next);
                (Amounts::repeated(&keys, (column, own.clone()), plan.places), own)
            }
            (AllocateOver::Link { .. }, None) => return None,
        };
        amounts.told_by_numbers(&numbers);
        let weights = plan.weight.is_some().then(&mut next);
        let weight_apart = plan.weight_apart.is_some().then(&mut next);
        let mixed = |values: Option<&Column>, apart: Option<Column>| {
            values.zip(apart).is_some_and(|(values, apart)| amounts.mixed(values, apart).is_some())
        };
        let wrong = !amounts.unfit.is_empty()
            || !amounts.several.is_empty()
            || weights.as_ref().is_some_and(|own| !amounts.wrong_weights(own, |_| None).is_empty())
            || mixed(Some(&amounts.column), own)
            || mixed(weights.as_ref(), weight_apart);
        if wrong {
            return None;
        }
        let (rows, starts) = amounts.groups.sorted();
        let sorted = (&rows[..], &starts[..]);
        let divided =
            Divided::new(&amounts, weights.as_ref(), plan.else_equally, plan.places, sorted);
        let told = told(&amounts, &divided, &starts, plan.places);
        let parts = divided.column(&rows, numbers.len(), plan.places);
        Some((vec![numbers, parts], told))
    }
}
