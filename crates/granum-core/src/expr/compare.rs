//! Comparisons, `and or not`, `in`: three-valued, blank where it cannot be known.

use std::cmp::Ordering;

use arrow_array::{Array, BooleanArray};
use arrow_buffer::{BooleanBuffer, NullBuffer};

use super::kernel::truths;
use super::typed::Logic;
use crate::lang::Operator;
use crate::table::Column;
use crate::value::{Scale, decimal};

fn holds(op: Operator, order: Ordering) -> bool {
    match op {
        Operator::Equal => order.is_eq(),
        Operator::Unequal => order.is_ne(),
        Operator::Less => order.is_lt(),
        Operator::LessEqual => order.is_le(),
        Operator::Greater => order.is_gt(),
        _ => order.is_ge(),
    }
}

fn each(
    op: Operator,
    rows: usize,
    nulls: Option<NullBuffer>,
    order: impl Fn(usize) -> Ordering,
) -> BooleanArray {
    BooleanArray::new(BooleanBuffer::collect_bool(rows, |row| holds(op, order(row))), nulls)
}

/// Compares two columns row by row. The resolver has made their types fit; decimals may differ in
/// scale.
pub(crate) fn compare(op: Operator, left: &Column, right: &Column) -> BooleanArray {
    let rows = left.len();
    let nulls = NullBuffer::union(left.nulls().as_ref(), right.nulls().as_ref());
    match (left, right) {
        (Column::Text(a), Column::Text(b)) => {
            if matches!(op, Operator::Equal | Operator::Unequal) {
                let (views, others) = (a.views(), b.views());
                let equal = |row: usize| {
                    let (view, other) = (views[row], others[row]);
                    if view as u64 != other as u64 {
                        return false;
                    }
                    (view as u32) as usize <= crate::table::INLINE && view == other
                        || a.value(row) == b.value(row)
                };
                let wanted = op == Operator::Equal;
                return BooleanArray::new(
                    BooleanBuffer::collect_bool(rows, |row| equal(row) == wanted),
                    nulls,
                );
            }
            each(op, rows, nulls, |row| a.value(row).cmp(b.value(row)))
        }
        (Column::Integer(a), Column::Integer(b)) => {
            each(op, rows, nulls, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::Decimal(a), Column::Decimal(b)) => {
            let (a_scale, b_scale) = (Scale(a.scale() as u8), Scale(b.scale() as u8));
            if a_scale == b_scale {
                each(op, rows, nulls, |row| a.value(row).cmp(&b.value(row)))
            } else {
                each(op, rows, nulls, |row| {
                    decimal::compare(a.value(row), a_scale, b.value(row), b_scale)
                })
            }
        }
        (Column::Number(a), Column::Number(b)) => each(op, rows, nulls, |row| {
            a.value(row).partial_cmp(&b.value(row)).unwrap_or(Ordering::Equal)
        }),
        (Column::Date(a), Column::Date(b)) => {
            each(op, rows, nulls, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::DateTime(a), Column::DateTime(b)) => {
            each(op, rows, nulls, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::Boolean(a), Column::Boolean(b)) => {
            each(op, rows, nulls, |row| a.value(row).cmp(&b.value(row)))
        }
        _ => BooleanArray::new_null(rows),
    }
}

/// The truth of a row, `None` where blank.
pub(super) fn at(column: &BooleanArray, row: usize) -> Option<bool> {
    column.is_valid(row).then(|| column.value(row))
}

/// `and` and `or`: false decides an `and`, true an `or`, else a blank makes it blank.
pub(super) fn logic(op: Logic, left: &BooleanArray, right: &BooleanArray) -> BooleanArray {
    let decides = op == Logic::Or;
    if left.null_count() == 0 && right.null_count() == 0 {
        let values = match op {
            Logic::And => left.values() & right.values(),
            Logic::Or => left.values() | right.values(),
        };
        return BooleanArray::new(values, None);
    }
    truths(left.len(), |row| match (at(left, row), at(right, row)) {
        (Some(a), _) if a == decides => Some(decides),
        (_, Some(b)) if b == decides => Some(decides),
        (Some(_), Some(_)) => Some(!decides),
        _ => None,
    })
}

/// `not`.
pub(super) fn not(column: &BooleanArray) -> BooleanArray {
    BooleanArray::new(!column.values(), column.nulls().cloned())
}
