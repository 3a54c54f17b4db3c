//! `units`: one row for each unit of a row, with amounts divided so that they add up.
//!
//! ```text
//! order_no  quantity    net          order_no  quantity   net  unit_no
//! M1               3  10.00    →     M1               1  3.34        1
//!                                    M1               1  3.33        2
//!                                    M1               1  3.33        3
//! ```

use super::sum::OddRows;
use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::aggregate::Sum;
use crate::expr::{Typed, evaluate};
use crate::lang::{OddQuantity, UnitsPolicy};
use crate::resolve::{TablePlan, Tracked, UnitsPlan};
use crate::table::{Amount, Batch, Column, Place, Rows, SlotId, Whole};
use crate::tally::{Problem, StepDetail, UnitsLeft, Why};
use crate::value::{Scalar, Scale, Type, decimal, parts};

/// Rows are listed up to this many.
pub(super) const EXAMPLES: usize = 5;

/// Rows whose quantity cannot be counted.
#[derive(Debug, Clone)]
pub(crate) struct Trouble {
    /// What was to be counted, as in a plan, and what the plan says of what cannot be; of an `expand` the step.
    pub of: String,
    pub policy: Option<UnitsPolicy>,
    /// `zero`, `negative`, `blank`, `fraction`, `many`; of an amount `large` or `fine`; of an `expand` as
    /// [`crate::tally::ExpandProblem`] has them.
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
        let split = self.split.iter().map(|split| split.old);
        self.counted.iter().map(|(old, _)| *old).chain(split).collect()
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Several
    }

    fn detail(&self, table: &TablePlan, at: usize, sum: &StepSum) -> StepDetail {
        let divided =
            table.tracked.iter().filter(|t| t.versions.iter().any(|(from, _)| *from == at + 1));
        let conserved = divided.map(|tracked| tracked.name.clone()).collect();
        let named = |amounts: &[Option<Sum>]| {
            let amounts = table.tracked.iter().zip(amounts);
            amounts
                .filter_map(|(tracked, sum)| Some(sum.as_ref()?.named(&tracked.name)))
                .flatten()
                .collect()
        };
        let dropped = sum.odd.iter().filter(|odd| odd.dropped).map(|odd| UnitsLeft {
            what: odd.what.word(),
            rows: odd.rows,
            amounts: named(&odd.amounts),
        });
        let kept = sum.odd.iter().filter(|odd| !odd.dropped);
        StepDetail::Units {
            conserved,
            dropped: dropped.collect(),
            kept: kept.map(|odd| (odd.what.word(), odd.rows)).collect(),
        }
    }

    fn takes_out(&self) -> bool {
        !self.policy.dropping.is_empty()
    }

    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let of =
            evaluate(&self.of, &at.scope(rows)).map_err(|failure| at.problem(rows, failure))?;
        let gone = (0..rows.rows).filter_map(|row| match count(&of, row, &self.policy) {
            Ok(Counted::Dropped(odd)) => {
                let why = match odd {
                    OddQuantity::Zero => Why::Zero,
                    OddQuantity::Negative => Why::Negative,
                    OddQuantity::Blank | OddQuantity::Fraction => Why::NoQuantity,
                };
                Some(Gone { row: row as u32, why, stays: None })
            }
            _ => None,
        });
        Ok(gone.collect())
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let before = at.amounts_before(batch);
        let of =
            evaluate(&self.of, &at.scope(batch)).map_err(|failure| at.problem(batch, failure))?;
        let rows_before = batch.rows as u64;
        let UnitsMade { units, dropped, kept, mut troubles } = split_units(batch, self, &of);
        troubles.iter_mut().for_each(|trouble| describe(at, batch, trouble));
        let dropped = dropped.into_iter().map(|(what, rows)| {
            let rows = Rows::from(rows);
            let count = rows.len() as u64;
            OddRows { what, dropped: true, rows: count, amounts: amounts_of(at, batch, &rows) }
        });
        let kept = kept.into_iter();
        let kept = kept.map(|(what, rows)| OddRows { what, dropped: false, rows, amounts: vec![] });
        let odd = dropped.chain(kept).collect();
        *batch = units;
        let sum = StepSum { before, rows_before, odd, ..StepSum::default() };
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
    let amounts = at.plan().tracked.iter().zip(amounts_of(at, batch, &rows));
    let named = amounts.filter_map(|(tracked, sum)| Some(sum?.named(&tracked.name)));
    trouble.amounts.extend(named.flatten());
}

/// The tracked amounts of some rows, as they are before the step.
fn amounts_of(at: &StepRunner<'_>, batch: &Batch, rows: &Rows) -> Vec<Option<Sum>> {
    let taken = |slot: SlotId| batch.slots[slot.0].as_ref().map(|column| column.take(rows));
    let amount = |tracked: &Tracked| at.sum_by(tracked, tracked.slot_before(at.step)?, taken);
    at.plan().tracked.iter().map(amount).collect()
}

/// What a quantity stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Counted {
    Units(u32),
    /// Whole units, and what is left over of one, in units of the quantity's scale.
    WithRest(u32, i128),
    /// The row stays as it is.
    Kept,
    Dropped(OddQuantity),
}

/// What a quantity stands for, or what is wrong with it.
fn count(of: &Column, row: usize, policy: &UnitsPolicy) -> Result<Counted, &'static str> {
    use OddQuantity::{Blank, Fraction, Negative, Zero};
    let odd = |odd: OddQuantity| {
        if policy.dropping.contains(&odd) { Ok(Counted::Dropped(odd)) } else { Err(odd.word()) }
    };
    let (units, by) = match of {
        _ if of.is_blank(row) => return odd(Blank),
        Column::Integer(array) => match u32::try_from(array.value(row)) {
            Ok(units @ 1..) if units <= policy.most_units() => return Ok(Counted::Units(units)),
            _ => (i128::from(array.value(row)), 1),
        },
        Column::Decimal(array, scale) => (array.value(row), decimal::power(scale.0)),
        _ => return odd(Blank),
    };
    let (whole, rest) = (units / by, units % by);
    match units {
        0 => odd(Zero),
        ..0 if policy.keeping.contains(&Negative) => Ok(Counted::Kept),
        ..0 => odd(Negative),
        _ if rest != 0 && !policy.keeping.contains(&Fraction) => Err(Fraction.word()),
        // A fraction is a unit more.
        _ if whole + i128::from(rest != 0) > i128::from(policy.most_units()) => Err("many"),
        _ if rest != 0 => Ok(Counted::WithRest(whole as u32, rest)),
        _ => Ok(Counted::Units(whole as u32)),
    }
}

/// How many units each row of a batch becomes.
#[derive(Default)]
struct Counts {
    /// By row.
    of: Vec<u32>,
    total: usize,
    /// Rows that are not divided into whole units alone, in their order.
    special: Vec<(usize, Counted)>,
    dropped: Vec<(OddQuantity, Vec<u32>)>,
    troubles: Vec<Trouble>,
}

impl Counts {
    fn new(batch: &Batch, plan: &UnitsPlan, of: &Column) -> Self {
        let mut counts = Self { of: Vec::with_capacity(batch.rows), ..Self::default() };
        for row in 0..batch.rows {
            let units = match count(of, row, &plan.policy) {
                Ok(Counted::Units(units)) => units,
                Ok(special @ (Counted::Kept | Counted::WithRest(..))) => {
                    counts.special.push((row, special));
                    match special {
                        Counted::WithRest(whole, _) => whole + 1,
                        _ => 1,
                    }
                }
                Ok(Counted::Dropped(odd)) => {
                    match counts.dropped.iter_mut().find(|(known, _)| *known == odd) {
                        Some((_, rows)) => rows.push(row as u32),
                        None => counts.dropped.push((odd, vec![row as u32])),
                    }
                    0
                }
                Err(what) => {
                    counts.trouble(plan, what, of, row);
                    0
                }
            };
            counts.of.push(units);
            counts.total += units as usize;
        }
        counts
    }

    /// A value for each unit: the first ones of what `values` gives for a row.
    fn each_unit<T: Copy + Default, I: Iterator<Item = T>>(
        &self,
        values: impl Fn(usize) -> I,
    ) -> Vec<T> {
        // Most rows have few units: then so many values are written at once, whatever their number, and those that
        // are too many are written over by the next row's.
        const FEW: usize = 4;
        let put = |own: &mut [T], values: I| {
            own.iter_mut().zip(values).for_each(|(own, value)| *own = value);
        };
        let mut all = vec![T::default(); self.total + FEW];
        let mut from = 0;
        for (row, count) in self.of.iter().enumerate() {
            let (count, own) = (*count as usize, &mut all[from..]);
            match own.first_chunk_mut::<FEW>() {
                Some(own) if count <= FEW => put(own, values(row)),
                _ => put(&mut own[..count], values(row)),
            }
            from += count;
        }
        all.truncate(self.total);
        all
    }

    fn trouble(&mut self, plan: &UnitsPlan, what: &'static str, of: &Column, row: usize) {
        let at = self.troubles.iter().position(|trouble| trouble.what == what);
        let at = at.unwrap_or_else(|| {
            self.troubles.push(Trouble {
                of: plan.of_text.clone(),
                policy: Some(plan.policy.clone()),
                what,
                rows: vec![],
                count: 0,
                amounts: vec![],
                examples: vec![],
            });
            self.troubles.len() - 1
        });
        let trouble = &mut self.troubles[at];
        if trouble.rows.last() == Some(&row) {
            return;
        }
        trouble.count += 1;
        trouble.rows.push(row);
        if trouble.examples.len() < EXAMPLES {
            trouble.examples.push((row, of.scalar(row).to_string(), None));
        }
    }
}

/// What became of a batch.
pub(crate) struct UnitsMade {
    pub units: Batch,
    /// Rows that were left out as the plan says, and rows that stay as they are or with a fraction.
    pub dropped: Vec<(OddQuantity, Vec<u32>)>,
    pub kept: Vec<(OddQuantity, u64)>,
    /// Rows that cannot be counted, which are left out.
    pub troubles: Vec<Trouble>,
}

/// Makes the units of a batch.
pub(crate) fn split_units(batch: &Batch, plan: &UnitsPlan, of: &Column) -> UnitsMade {
    let mut counts = Counts::new(batch, plan, of);
    let rows = counts.each_unit(|row| std::iter::repeat(row as u32));
    let numbers = if i32::try_from(counts.total).is_ok() {
        Whole::of_short(counts.each_unit(|_| 1_i32..), None)
    } else {
        counts.each_unit(|_| 1_i64..).into()
    };
    let mut source = batch.clone();
    // What is divided or counted need not be repeated first.
    let mut divided: Vec<(usize, Column)> = vec![];
    for split in &plan.split {
        let Some(column) = source.slots[split.old.0].take() else { continue };
        let (parts, wrong) = divide(&column, split.places, &counts, of);
        for (row, what) in wrong {
            counts.trouble(plan, what, of, row);
        }
        divided.push((split.new.0, parts));
    }
    let counted = plan.counted.and_then(|(old, new)| {
        let column = source.slots[old.0].take()?;
        Some((new.0, ones(&column, &counts)))
    });
    let mut out = source.take(&Rows::from(rows));
    for (slot, column) in divided.into_iter().chain(counted) {
        out.slots[slot] = Some(column);
    }
    out.slots[plan.unit.0] = Some(Column::Integer(numbers));
    let kept = |odd: OddQuantity, is: fn(&Counted) -> bool| {
        let rows = counts.special.iter().filter(|(_, special)| is(special)).count() as u64;
        (rows > 0).then_some((odd, rows))
    };
    let kept = [
        kept(OddQuantity::Negative, |special| *special == Counted::Kept),
        kept(OddQuantity::Fraction, |special| *special != Counted::Kept),
    ];
    let kept = kept.into_iter().flatten().collect();
    UnitsMade { units: out, dropped: counts.dropped, kept, troubles: counts.troubles }
}

/// The counted column on each unit: one; on a last one what is left over; on a row that stays as it is
/// its own value.
fn ones(column: &Column, counts: &Counts) -> Column {
    let one = match column.ty() {
        Type::Decimal(scale) => Scalar::Decimal(decimal::power(scale.0), scale),
        _ => Scalar::Integer(1),
    };
    if counts.special.is_empty() {
        return Column::constant(&one, one.ty(), counts.total);
    }
    let unit = match one {
        Scalar::Decimal(unit, _) => unit,
        _ => 1,
    };
    let mut out: Vec<i128> = Vec::with_capacity(counts.total);
    let mut special = counts.special.iter().peekable();
    for (row, count) in counts.of.iter().enumerate() {
        let own = special.next_if(|(at, _)| *at == row).map(|(_, special)| *special);
        out.extend(std::iter::repeat_n(unit, *count as usize));
        if let (Some(last), Some(own)) = (out.last_mut(), own) {
            *last = match own {
                Counted::WithRest(_, rest) => rest,
                _ => column.units(row),
            };
        }
    }
    match column.ty() {
        Type::Decimal(scale) => Column::decimal(out, None, scale),
        // They were integers.
        _ => Column::Integer(out.into_iter().map(|units| units as i64).collect::<Vec<_>>().into()),
    }
}

/// The same where it is simple: none is blank or has more than 64 bits, all units are whole, and parts have the
/// places that amounts have.
fn divide_equally(column: &Column, counts: &Counts) -> Option<Whole<i128>> {
    let blank = column.present().is_some_and(|present| present.blanks() > 0);
    let Column::Decimal(amounts, _) = column else { return None };
    if blank || !counts.special.is_empty() {
        return None;
    }
    let parts = |row: usize, amount: i64| parts::equal_short(amount, counts.of[row].into());
    if let Some(short) = amounts.short() {
        // No part is larger than its amount.
        let parts = counts.each_unit(|row| parts(row, short[row].into()).map(|part| part as i32));
        return Some(Whole::of_short(parts, None));
    }
    let long = amounts.all().map(|amount| i64::try_from(amount).ok().filter(|a| *a > i64::MIN));
    let long = long.collect::<Option<Vec<i64>>>()?;
    Some(Whole::of(&counts.each_unit(|row| parts(row, long[row])), None))
}

/// Divides each row's amount over its units, in parts of so many places. Gives the rows whose amount has
/// too many digits for that, or more places.
fn divide(
    column: &Column,
    to: Scale,
    counts: &Counts,
    of: &Column,
) -> (Column, Vec<(usize, &'static str)>) {
    let from = column.ty().scale().unwrap_or_default();
    if from == to
        && let Some(parts) = divide_equally(column, counts)
    {
        return (Column::Decimal(parts, to), vec![]);
    }
    let unit = decimal::power(of.ty().scale().unwrap_or_default().0).unsigned_abs();
    let mut wrong = vec![];
    let mut out = Vec::with_capacity(counts.total);
    let mut noted = vec![];
    let present = column.present().filter(|present| present.blanks() > 0);
    let mut special = counts.special.iter().peekable();
    for (row, count) in counts.of.iter().enumerate() {
        let there = present.as_ref().is_none_or(|present| present.has(row));
        let own = special.next_if(|(at, _)| *at == row).map(|(_, special)| *special);
        let units = column.units(row);
        let fits = match (there && *count > 0).then(|| decimal::rescale(units, from, to)) {
            Some(Some(fits)) if decimal::rescale(fits, to, from) == Some(units) => Some(fits),
            Some(fits) => {
                wrong.push((row, if fits.is_some() { "fine" } else { "large" }));
                None
            }
            None => None,
        };
        match (fits, own) {
            (Some(units), Some(Counted::WithRest(whole, rest))) => {
                out.extend(parts::with_rest(units, whole.into(), unit, rest.unsigned_abs()));
            }
            (Some(units), _) if *count == 1 => out.push(units),
            (Some(units), _) => out.extend(parts::equal(units, u64::from(*count))),
            (None, _) => out.extend(std::iter::repeat_n(0, *count as usize)),
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
    (Column::decimal(out, present, to), wrong)
}
