//! Amounts that count apart: rows in which two of them would meet, and columns that stand in a table without what
//! they are in.

use super::{Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work, grain_values};
use crate::aggregate::{parted_by, stands};
use crate::expr::Typed;
use crate::resolve::{ApartAlone, ApartPair, ApartPlan};
use crate::table::{Amount, Batch, Column, Rows};
use crate::tally::{ApartProblem, CountedApart, Problem};
use crate::value::Scalar;

impl Work for ApartPlan {
    fn expressions(&self) -> Vec<&Typed> {
        let pairs = self.pairs.iter().flat_map(|ApartPair { left, right, guard }| {
            [&left.0, &left.1, &right.0, &right.1].into_iter().chain(guard)
        });
        let alone = self.alone.iter().flat_map(|alone| [&alone.amount, &alone.apart]);
        pairs.chain(alone).collect()
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn serves_next(&self) -> bool {
        true
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = &*on.batch;
        for pair in &self.pairs {
            met(at, batch, pair)?;
        }
        let mut sum = StepSum::default();
        for alone in &self.alone {
            sum.alone.push(in_each(at, batch, alone)?);
        }
        Ok(if sum.alone.is_empty() { Left::default() } else { Left::of(sum) })
    }
}

/// Stops at the first row in which two amounts meet that are in different ones.
fn met(at: &StepRunner<'_>, batch: &Batch, pair: &ApartPair) -> Result<(), Problem> {
    let ApartPair { left, right, guard } = pair;
    let of = at.columns(batch, [&left.0, &left.1, &right.0, &right.1].into_iter().chain(guard))?;
    let [value, apart, other, other_apart, ..] = of.as_slice() else { return Ok(()) };
    let guarded = |row: usize| match of.get(4) {
        Some(Column::Boolean(array)) => array.has(row) && array.value(row),
        _ => true,
    };
    let meets = |row: &usize| {
        stands(value, apart, *row)
            && stands(other, other_apart, *row)
            && apart.scalar(*row) != other_apart.scalar(*row)
            && guarded(*row)
    };
    let Some(row) = (0..batch.rows).find(meets) else { return Ok(()) };
    let part = |value: &Column, apart: &Column| CountedApart {
        value: words(apart, row),
        rows: 1,
        amount: value.take(&Rows::run(row as u32, 1)).sum(),
    };
    let named = grain_values(at.plan(), batch, row);
    let named = named.into_iter().map(|(name, value)| format!("{name} {value}"));
    let place = at.naming.place(&at.around, batch, row).map(|place| place.to_string());
    let group: Vec<String> = named.chain(place).collect();
    Err(Problem::CountedApart(ApartProblem {
        table: at.plan().name.clone(),
        step: at.text().to_owned(),
        what: String::new(),
        span: left.0.span.to(right.0.span),
        group: group.join(", "),
        parts: vec![part(value, apart), part(other, other_apart)],
        by: None,
        add: None,
        many: 0,
    }))
}

/// The rows that have a value, by what they are in.
fn in_each(
    at: &StepRunner<'_>,
    batch: &Batch,
    alone: &ApartAlone,
) -> Result<Vec<(Option<String>, u64, Amount)>, Problem> {
    let of = at.columns(batch, [&alone.amount, &alone.apart].into_iter())?;
    let [amount, apart] = of.as_slice() else { return Ok(vec![]) };
    let there: Rows =
        (0..batch.rows).filter(|row| stands(amount, apart, *row)).map(|row| row as u32).collect();
    let (amount, apart) = (amount.take(&there), apart.take(&there));
    let part = |(value, rows): (Option<String>, Rows)| {
        (value, rows.len() as u64, amount.take(&rows).sum())
    };
    Ok(parted_by(&apart).into_iter().map(part).collect())
}

fn words(apart: &Column, row: usize) -> Option<String> {
    match apart.scalar(row) {
        Scalar::Blank => None,
        value => Some(value.to_string()),
    }
}

impl ApartPlan {
    /// Why a table stops of whose columns one is in several; `sum` is what its rows said.
    pub(crate) fn several(&self, table: &str, sum: &StepSum) -> Option<Problem> {
        let (alone, found) =
            self.alone.iter().zip(&sum.alone).find(|(_, found)| found.len() > 1)?;
        let part = |(value, rows, amount): &(Option<String>, u64, Amount)| CountedApart {
            value: value.clone(),
            rows: *rows,
            amount: *amount,
        };
        Some(Problem::CountedApart(ApartProblem {
            table: table.to_owned(),
            step: String::new(),
            what: alone.name.clone(),
            span: alone.amount.span,
            group: String::new(),
            parts: found.iter().map(part).collect(),
            by: None,
            add: alone.add.clone(),
            many: 0,
        }))
    }
}
