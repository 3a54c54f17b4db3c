//! Aggregates against a link: one pass over the rows that lead, added up where they lead to.

use std::sync::atomic::AtomicU64;

use arrow_array::{Array, BooleanArray, Float64Array, Int64Array};

use super::chain::Context;
use super::check::finished_rows;
use super::operations::{Naming, row_problem};
use crate::expr::{RowFailure, Scope, evaluate, truth};
use crate::resolve::{Gather, GatherId};
use crate::table::{Column, Places};
use crate::tally::{Problem, RowReason};
use crate::value::{Type, decimal};

/// What is gathered for each row of the link's target: 0, or false, where nothing leads there.
pub(super) fn gather(context: &Context<'_>, id: GatherId) -> Result<Option<Column>, Problem> {
    let gather = &context.plan.gathers[id.0];
    let link = &context.plan.links[gather.link.0];
    let (Some(from), Some(to), Some(index)) = (
        &context.world.tables[link.from.0],
        &context.world.tables[link.to.0],
        &context.world.links[gather.link.0],
    ) else {
        return Ok(None);
    };
    let rows = finished_rows(from, link.from);
    let zeros = AtomicU64::new(0);
    let scope =
        Scope { batch: &rows, world: context.world, zero_divisions: &zeros, lenient: false };
    let problem = |failure: RowFailure| {
        let input = super::demand::input_of(context.plan, link.from);
        let places = Places::default();
        let naming = Naming { input, as_read: false, places: &places };
        let step = format!("gathered for {}", context.plan.tables[link.to.0].name);
        row_problem(context, link.from, step, &rows, naming, failure)
    };
    let filter = gather.filter.as_ref().map(|filter| truth(filter, &scope));
    let filter = filter.transpose().map_err(problem)?.map(|(chosen, _)| chosen);
    let value = gather.value.as_ref().map(|value| evaluate(value, &scope));
    let value = value.transpose().map_err(problem)?;
    let chosen = Chosen { index, filter, value: value.as_ref() };
    match scatter(gather, &chosen, to.rows) {
        Ok(column) => Ok(Some(column)),
        Err(row) => {
            let span = gather.value.as_ref().map(|value| value.span).unwrap_or_default();
            // The row that is too much belongs to the target.
            Err(Problem::Row {
                table: context.plan.tables[link.to.0].name.clone(),
                step: format!("sum of what {} gathers", link.back),
                reason: RowReason::Overflow,
                span,
                row: format!("row {}", row + 1),
                place: None,
            })
        }
    }
}

/// The rows that count: those that lead somewhere, are chosen, and have a value.
struct Chosen<'a> {
    index: &'a crate::link::LinkIndex,
    filter: Option<BooleanArray>,
    value: Option<&'a Column>,
}

impl Chosen<'_> {
    fn each(&self, mut take: impl FnMut(usize, usize)) {
        let targets = self.index.values();
        let present = self.value.and_then(Column::nulls);
        for row in 0..self.index.len() {
            let counts = self.index.is_valid(row)
                && self.filter.as_ref().is_none_or(|filter| filter.value(row))
                && present.as_ref().is_none_or(|present| present.is_valid(row));
            if counts {
                take(row, targets[row] as usize);
            }
        }
    }
}

/// Adds up; fails with the target's row where a sum does not fit.
fn scatter(gather: &Gather, chosen: &Chosen<'_>, rows: usize) -> Result<Column, usize> {
    if gather.presence {
        let mut found = vec![false; rows];
        chosen.each(|_, to| found[to] = true);
        return Ok(Column::Boolean(found.into()));
    }
    match (chosen.value, gather.ty) {
        (None, _) => {
            let mut counts = vec![0_i64; rows];
            chosen.each(|_, to| counts[to] += 1);
            Ok(Column::Integer(counts.into()))
        }
        (Some(Column::Number(array)), _) => {
            let mut sums = vec![0.0; rows];
            chosen.each(|row, to| sums[to] += array.value(row));
            Ok(Column::Number(Float64Array::from(sums)))
        }
        (Some(column), ty) => {
            let mut sums = vec![0_i128; rows];
            let mut over = None;
            chosen.each(|row, to| {
                let value = match column {
                    Column::Integer(array) => array.value(row).into(),
                    Column::Decimal(array) => array.value(row),
                    _ => 0,
                };
                match decimal::add(sums[to], value) {
                    Some(sum) => sums[to] = sum,
                    None => over = Some(over.unwrap_or(to)),
                }
            });
            if let Some(row) = over {
                return Err(row);
            }
            if let Type::Decimal(scale) = ty {
                return Ok(Column::decimal(sums, None, scale));
            }
            let mut whole = Vec::with_capacity(rows);
            for (row, sum) in sums.into_iter().enumerate() {
                whole.push(i64::try_from(sum).map_err(|_| row)?);
            }
            Ok(Column::Integer(Int64Array::from(whole)))
        }
    }
}
