//! `+ - * /`: exact, or the row is named where the result does not fit.

use arrow_array::types::{Date32Type, Decimal128Type, Float64Type, Int64Type};
use arrow_array::{Array, PrimitiveArray};

use super::kernel::{Counting, RowFailure, zip};
use super::typed::Arithmetic;
use crate::table::Column;
use crate::value::{Scale, Type, decimal};

/// Works `op` on two columns whose types the resolver has made to fit; gives the column, and how
/// many rows divided by zero (those are blank).
pub(super) fn arithmetic(
    op: Arithmetic,
    left: &Column,
    right: &Column,
    ty: Type,
    counting: Counting<'_>,
) -> Result<(Column, u64), RowFailure> {
    let column = match (left, right) {
        (Column::Integer(a), Column::Integer(b)) => {
            let (values, nulls) = match op {
                Arithmetic::Add => zip::<Int64Type, Int64Type>(a, b, counting, i64::checked_add),
                Arithmetic::Subtract => zip::<_, Int64Type>(a, b, counting, i64::checked_sub),
                _ => zip::<_, Int64Type>(a, b, counting, i64::checked_mul),
            }?;
            Column::Integer(PrimitiveArray::new(values.into(), nulls))
        }
        (Column::Decimal(a), Column::Decimal(b)) => {
            let (a_scale, b_scale) = (Scale(a.scale() as u8), Scale(b.scale() as u8));
            let to = ty.scale().unwrap_or_default();
            let mut zeros = vec![];
            let (values, nulls) = match op {
                Arithmetic::Add => {
                    zip::<Decimal128Type, Decimal128Type>(a, b, counting, decimal::add)
                }
                Arithmetic::Subtract => zip::<_, Decimal128Type>(a, b, counting, decimal::subtract),
                Arithmetic::Multiply => zip::<_, Decimal128Type>(a, b, counting, |a, b| {
                    if a_scale.0 + b_scale.0 == to.0 {
                        return decimal::fits(a.checked_mul(b)?);
                    }
                    decimal::multiply(a, a_scale, b, b_scale)
                }),
                _ => {
                    zeros = zero_rows(b.values().iter().map(|b| *b == 0));
                    zip::<_, Decimal128Type>(a, b, counting, |a, b| {
                        if b == 0 { Some(0) } else { decimal::divide(a, a_scale, b, b_scale) }
                    })
                }
            }?;
            let (nulls, blank) = blank_zeros(nulls, &zeros, a.len(), counting);
            return Ok((Column::decimal(values, nulls, to), blank));
        }
        (Column::Number(a), Column::Number(b)) => {
            let finite = |value: f64| value.is_finite().then_some(value);
            let mut zeros = vec![];
            let (values, nulls) = match op {
                Arithmetic::Add => {
                    zip::<Float64Type, Float64Type>(a, b, counting, |a, b| finite(a + b))
                }
                Arithmetic::Subtract => zip::<_, Float64Type>(a, b, counting, |a, b| finite(a - b)),
                Arithmetic::Multiply => zip::<_, Float64Type>(a, b, counting, |a, b| finite(a * b)),
                _ => {
                    zeros = zero_rows(b.values().iter().map(|b| *b == 0.0));
                    zip::<_, Float64Type>(a, b, counting, |a, b| {
                        if b == 0.0 { Some(0.0) } else { finite(a / b) }
                    })
                }
            }?;
            let (nulls, blank) = blank_zeros(nulls, &zeros, a.len(), counting);
            return Ok((Column::Number(PrimitiveArray::new(values.into(), nulls)), blank));
        }
        (Column::Date(a), Column::Date(b)) => {
            let (values, nulls) = zip::<Date32Type, Int64Type>(a, b, counting, |a, b| {
                Some(i64::from(a) - i64::from(b))
            })?;
            Column::Integer(PrimitiveArray::new(values.into(), nulls))
        }
        _ => Column::all_blank(ty, left.len()),
    };
    Ok((column, 0))
}

fn zero_rows(zeros: impl Iterator<Item = bool>) -> Vec<usize> {
    zeros.enumerate().filter(|(_, zero)| *zero).map(|(row, _)| row).collect()
}

/// Makes rows that divided by zero blank; those that were blank before do not count, nor those of a
/// side that is not taken.
fn blank_zeros(
    nulls: Option<arrow_buffer::NullBuffer>,
    zeros: &[usize],
    rows: usize,
    counting: Counting<'_>,
) -> (Option<arrow_buffer::NullBuffer>, u64) {
    let divided = zeros
        .iter()
        .filter(|row| super::kernel::valid(nulls.as_ref(), **row) && counting.counts(**row));
    let divided = divided.count();
    (super::kernel::without(nulls, zeros, rows), divided as u64)
}

/// `-x`.
pub(super) fn negate(column: &Column, counting: Counting<'_>) -> Result<Column, RowFailure> {
    use super::kernel::{FailureKind, map};
    Ok(match column {
        Column::Integer(a) => {
            let (values, nulls) = map::<Int64Type, Int64Type>(
                a,
                counting,
                |_| FailureKind::Overflow,
                i64::checked_neg,
            )?;
            Column::Integer(PrimitiveArray::new(values.into(), nulls))
        }
        Column::Decimal(a) => {
            let values: Vec<i128> = a.values().iter().map(|value| -value).collect();
            Column::decimal(values, a.nulls().cloned(), Scale(a.scale() as u8))
        }
        Column::Number(a) => Column::Number(a.unary(|value| 0.0 - value)),
        other => other.clone(),
    })
}
