//! `units`: one row for each unit of a row, with amounts divided so that they add up.
//!
//! ```text
//! order_no  quantity    net          order_no  quantity   net  unit_no
//! M1               3  10.00    →     M1               1  3.34        1
//!                                    M1               1  3.33        2
//!                                    M1               1  3.33        3
//! ```

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::{Typed, evaluate};
use crate::resolve::{TablePlan, UnitsPlan};
use crate::table::{Amount, Batch, Column, Place, Rows, SlotId};
use crate::tally::{Problem, StepDetail};
use crate::value::{Scalar, Scale, Type, decimal, parts};

/// A quantity above this is taken for a mistake: a bar code typed as a quantity.
pub(crate) const MOST: i64 = 10_000;

/// Rows are listed up to this many.
const EXAMPLES: usize = 5;

/// Rows whose quantity cannot be counted.
#[derive(Debug, Clone)]
pub(crate) struct Trouble {
    /// What was to be counted, as in a plan.
    pub of: String,
    /// `zero`, `negative`, `blank`, `fraction`, `many`, or `large` for an amount.
    pub what: &'static str,
    pub rows: Vec<usize>,
    pub count: u64,
    pub amounts: Vec<(String, Amount)>,
    /// The first of them: row in the batch, quantity in words, place.
    pub examples: Vec<(usize, String, Option<Place>)>,
}

impl Work for UnitsPlan {
    fn expressions(&self) -> Vec<&Typed> {
        vec![&self.of]
    }

    fn slots(&self) -> Vec<SlotId> {
        let split = self.split.iter().map(|(old, _, _)| *old);
        self.counted.iter().map(|(old, _)| *old).chain(split).collect()
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Several
    }

    fn detail(&self, table: &TablePlan, at: usize, _: &StepSum) -> StepDetail {
        let divided =
            table.tracked.iter().filter(|t| t.versions.iter().any(|(from, _)| *from == at + 1));
        StepDetail::Units { conserved: divided.map(|tracked| tracked.name.clone()).collect() }
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let before = at.amounts_before(batch);
        let of =
            evaluate(&self.of, &at.scope(batch)).map_err(|failure| at.problem(batch, failure))?;
        let rows_before = batch.rows as u64;
        let (units, mut troubles) = split_units(batch, self, &of);
        troubles.iter_mut().for_each(|trouble| describe(at, batch, trouble));
        *batch = units;
        let sum = StepSum { before, rows_before, ..StepSum::default() };
        Ok(Left { troubles, ..Left::of(sum) })
    }
}

/// Places and tracked amounts of rows that units cannot count.
fn describe(at: &StepRunner<'_>, batch: &Batch, trouble: &mut Trouble) {
    let examples: Vec<_> = trouble.examples.drain(..).collect();
    trouble.examples = examples
        .into_iter()
        .map(|(row, text, _)| (row, text, at.naming.place(&at.around, batch, row)))
        .collect();
    let rows: Vec<u32> = trouble.rows.iter().map(|row| *row as u32).collect();
    let rows = Rows::from(rows);
    for tracked in &at.plan().tracked {
        let column = tracked.slot_before(at.step).and_then(|slot| batch.slots[slot.0].as_ref());
        if let Some(column) = column {
            trouble.amounts.push((tracked.name.clone(), column.take(&rows).sum()));
        }
    }
}

/// How many units a quantity stands for, or what is wrong with it.
fn count(of: &Column, row: usize) -> Result<u32, &'static str> {
    if of.is_blank(row) {
        return Err("blank");
    }
    let whole = match of {
        Column::Integer(array) => i128::from(array.value(row)),
        Column::Decimal(array, scale) => {
            let by = decimal::power(scale.0);
            let units = array.value(row);
            if units < 0 {
                return Err("negative");
            }
            if units % by != 0 {
                return Err("fraction");
            }
            units / by
        }
        _ => return Err("blank"),
    };
    match whole {
        0 => Err("zero"),
        ..0 => Err("negative"),
        _ if whole > i128::from(MOST) => Err("many"),
        _ => Ok(whole as u32),
    }
}

/// Makes the units of a batch. Rows that cannot be counted are left out and told.
pub(crate) fn split_units(batch: &Batch, plan: &UnitsPlan, of: &Column) -> (Batch, Vec<Trouble>) {
    let mut troubles: Vec<Trouble> = vec![];
    let mut counts = Vec::with_capacity(batch.rows);
    for row in 0..batch.rows {
        counts.push(count(of, row).unwrap_or_else(|what| {
            let at = troubles.iter().position(|trouble| trouble.what == what);
            let at = at.unwrap_or_else(|| {
                troubles.push(Trouble {
                    of: plan.of_text.clone(),
                    what,
                    rows: vec![],
                    count: 0,
                    amounts: vec![],
                    examples: vec![],
                });
                troubles.len() - 1
            });
            let trouble = &mut troubles[at];
            trouble.count += 1;
            trouble.rows.push(row);
            if trouble.examples.len() < EXAMPLES {
                trouble.examples.push((row, of.scalar(row).to_string(), None));
            }
            0
        }));
    }
    let total = counts.iter().map(|count| *count as usize).sum();
    let mut rows = Vec::with_capacity(total);
    let mut numbers = Vec::with_capacity(total);
    for (row, count) in counts.iter().enumerate() {
        rows.extend(std::iter::repeat_n(row as u32, *count as usize));
        numbers.extend(1..=i64::from(*count));
    }
    let mut source = batch.clone();
    let mut large = vec![];
    // What is divided or counted need not be repeated first.
    let divided: Vec<(usize, Column)> = plan
        .split
        .iter()
        .filter_map(|(old, new, _)| {
            let column = source.slots[old.0].take()?;
            Some((new.0, divide(&column, &counts, total, &mut large)))
        })
        .collect();
    if !large.is_empty() {
        large.sort_unstable();
        large.dedup();
        let first = large.iter().take(EXAMPLES);
        let examples = first.map(|row| (*row, of.scalar(*row).to_string(), None)).collect();
        let count = large.len() as u64;
        let of = plan.of_text.clone();
        troubles.push(Trouble { of, what: "large", rows: large, count, amounts: vec![], examples });
    }
    let counted = plan.counted.and_then(|(old, new)| {
        let column = source.slots[old.0].take()?;
        Some((new.0, one(column.ty(), total)))
    });
    let mut out = source.take(&Rows::from(rows));
    for (slot, column) in divided.into_iter().chain(counted) {
        out.slots[slot] = Some(column);
    }
    out.slots[plan.unit.0] = Some(Column::Integer(numbers.into()));
    (out, troubles)
}

/// One, in the type of a quantity.
fn one(ty: Type, rows: usize) -> Column {
    let one = match ty {
        Type::Decimal(scale) => Scalar::Decimal(decimal::power(scale.0), scale),
        _ => Scalar::Integer(1),
    };
    Column::constant(&one, one.ty(), rows)
}

/// Divides each row's amount over its units. The parts have at least two places.
///
/// A row whose amount has too many digits for two more places is added to `large`.
fn divide(column: &Column, counts: &[u32], total: usize, large: &mut Vec<usize>) -> Column {
    let from = column.ty().scale().unwrap_or_default();
    let to = from.max(Scale(2));
    let by = decimal::power(to.0 - from.0);
    let mut out = Vec::with_capacity(total);
    let mut noted = vec![];
    let present = column.present().filter(|present| present.blanks() > 0);
    for (row, count) in counts.iter().enumerate() {
        let units = match column {
            Column::Integer(array) => i128::from(array.value(row)),
            Column::Decimal(array, _) => array.value(row),
            _ => 0,
        };
        let there = present.as_ref().is_none_or(|present| present.has(row));
        let fits = units.checked_mul(by).and_then(decimal::fits);
        if there && fits.is_none() {
            large.push(row);
        }
        match fits.filter(|_| there) {
            Some(units) if *count == 1 => out.push(units),
            Some(units) => out.extend(parts::equal(units, u64::from(*count))),
            None => out.extend(std::iter::repeat_n(0, *count as usize)),
        }
        if present.is_some() || !there {
            noted.resize(out.len() - *count as usize, true);
            noted.resize(out.len(), there);
        }
    }
    let present = if noted.is_empty() {
        None
    } else {
        noted.resize(out.len(), true);
        Some(noted.into())
    };
    Column::decimal(out, present, to)
}
