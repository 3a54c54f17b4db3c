//! `+ - * /`: exact, or the row is named where the result does not fit.

use super::kernel::{Counting, RowFailure, zip};
use super::typed::Arithmetic;
use crate::table::{Column, Fixed, Present, Whole, Wide};
use crate::value::{Type, decimal};

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
            if let Some(short) = short(op, a, b) {
                return Ok((Column::Integer(short), 0));
            }
            let (values, present) = match op {
                Arithmetic::Add => zip::<i64, i64>(a, b, counting, i64::checked_add),
                Arithmetic::Subtract => zip::<_, i64>(a, b, counting, i64::checked_sub),
                _ => zip::<_, i64>(a, b, counting, i64::checked_mul),
            }?;
            Column::Integer(Whole::new(values, present))
        }
        (Column::Decimal(a, a_scale), Column::Decimal(b, b_scale)) => {
            let (a_scale, b_scale) = (*a_scale, *b_scale);
            let to = ty.scale().unwrap_or_default();
            let exact = op != Arithmetic::Multiply || a_scale.0 + b_scale.0 == to.0;
            if exact && let Some(short) = short(op, a, b) {
                return Ok((Column::Decimal(short, to), 0));
            }
            let mut zeros = vec![];
            let (values, present) = match op {
                Arithmetic::Add => zip::<i128, i128>(a, b, counting, decimal::add),
                Arithmetic::Subtract => zip::<_, i128>(a, b, counting, decimal::subtract),
                Arithmetic::Multiply => zip::<_, i128>(a, b, counting, |a, b| {
                    if a_scale.0 + b_scale.0 == to.0 {
                        return decimal::fits(a.checked_mul(b)?);
                    }
                    decimal::multiply(a, a_scale, b, b_scale)
                }),
                _ => {
                    zeros = zero_rows(b.all().map(|b| b == 0));
                    zip::<_, i128>(a, b, counting, |a, b| {
                        if b == 0 { Some(0) } else { decimal::divide(a, a_scale, b, b_scale) }
                    })
                }
            }?;
            let (present, blank) = blank_zeros(present, &zeros, a.len(), counting);
            return Ok((Column::decimal(values, present, to), blank));
        }
        (Column::Number(a), Column::Number(b)) => {
            let finite = |value: f64| value.is_finite().then_some(value);
            let mut zeros = vec![];
            let (values, present) =
                match op {
                    Arithmetic::Add => zip::<f64, f64>(a, b, counting, |a, b| finite(a + b)),
                    Arithmetic::Subtract => zip::<_, f64>(a, b, counting, |a, b| finite(a - b)),
                    Arithmetic::Multiply => zip::<_, f64>(a, b, counting, |a, b| finite(a * b)),
                    _ => {
                        zeros = zero_rows(b.values().iter().map(|b| *b == 0.0));
                        zip::<_, f64>(a, b, counting, |a, b| {
                            if b == 0.0 { Some(0.0) } else { finite(a / b) }
                        })
                    }
                }?;
            let (present, blank) = blank_zeros(present, &zeros, a.len(), counting);
            return Ok((Column::Number(Fixed::new(values, present)), blank));
        }
        (Column::Date(a), Column::Date(b)) => {
            let (values, present) =
                zip::<i32, i64>(a, b, counting, |a, b| Some(i64::from(a) - i64::from(b)))?;
            Column::Integer(Whole::new(values, present))
        }
        _ => Column::all_blank(ty, left.len()),
    };
    Ok((column, 0))
}

/// Works `op`, no division, on numbers that stand in four bytes each: no result needs more than eight.
fn short<T: Wide>(op: Arithmetic, left: &Whole<T>, right: &Whole<T>) -> Option<Whole<T>> {
    let (a, b) = (left.short()?, right.short()?);
    let pairs = || a.iter().map(|value| i64::from(*value)).zip(b.iter().map(|b| i64::from(*b)));
    let values: Vec<i64> = match op {
        Arithmetic::Add => pairs().map(|(a, b)| a + b).collect(),
        Arithmetic::Subtract => pairs().map(|(a, b)| a - b).collect(),
        Arithmetic::Multiply => pairs().map(|(a, b)| a * b).collect(),
        Arithmetic::Divide | Arithmetic::Days => return None,
    };
    Some(Whole::of(&values, Present::both(left.present(), right.present())))
}

fn zero_rows(zeros: impl Iterator<Item = bool>) -> Vec<usize> {
    zeros.enumerate().filter(|(_, zero)| *zero).map(|(row, _)| row).collect()
}

/// Makes rows that divided by zero blank; those that were blank before do not count, nor those of a
/// side that is not taken.
fn blank_zeros(
    present: Option<Present>,
    zeros: &[usize],
    rows: usize,
    counting: Counting<'_>,
) -> (Option<Present>, u64) {
    let divided = zeros
        .iter()
        .filter(|row| super::kernel::valid(present.as_ref(), **row) && counting.counts(**row));
    let divided = divided.count();
    (super::kernel::without(present, zeros, rows), divided as u64)
}

/// `-x`.
pub(super) fn negate(column: &Column, counting: Counting<'_>) -> Result<Column, RowFailure> {
    use super::kernel::{FailureKind, map};
    Ok(match column {
        Column::Integer(a) => {
            let (values, present) =
                map::<i64, i64>(a, counting, |_| FailureKind::Overflow, i64::checked_neg)?;
            Column::Integer(Whole::new(values, present))
        }
        Column::Decimal(a, scale) => {
            let values: Vec<i128> = a.all().map(|value| -value).collect();
            Column::decimal(values, a.present().cloned(), *scale)
        }
        Column::Number(a) => Column::Number(a.map(|value| 0.0 - value)),
        other => other.clone(),
    })
}
