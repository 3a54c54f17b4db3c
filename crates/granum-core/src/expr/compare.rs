//! Comparisons, `and or not`, `in`: three-valued, blank where it cannot be known.

use std::cmp::Ordering;

use super::kernel::truths;
use super::typed::Logic;
use crate::lang::Operator;
use crate::table::{Bits, Column, Present, Truths};
use crate::value::decimal;

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
    present: Option<Present>,
    order: impl Fn(usize) -> Ordering,
) -> Truths {
    Truths::new(Bits::collect(rows, |row| holds(op, order(row))), present)
}

/// Compares two columns row by row. The resolver has made their types fit; decimals may differ in
/// scale.
pub(crate) fn compare(op: Operator, left: &Column, right: &Column) -> Truths {
    let rows = left.len();
    let present = Present::both(left.present().as_ref(), right.present().as_ref());
    match (left, right) {
        (Column::Text(a), Column::Text(b)) => {
            if matches!(op, Operator::Equal | Operator::Unequal) {
                let wanted = op == Operator::Equal;
                return Truths::new(
                    Bits::collect(rows, |row| a.equal(row, b, row) == wanted),
                    present,
                );
            }
            each(op, rows, present, |row| a.value(row).cmp(b.value(row)))
        }
        (Column::Integer(a), Column::Integer(b)) => {
            if let (Some(a), Some(b)) = (a.short(), b.short()) {
                return short(op, &a, &b, present);
            }
            each(op, rows, present, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::Decimal(a, a_scale), Column::Decimal(b, b_scale)) => {
            let (a_scale, b_scale) = (*a_scale, *b_scale);
            if a_scale == b_scale {
                if let (Some(a), Some(b)) = (a.short(), b.short()) {
                    return short(op, &a, &b, present);
                }
                each(op, rows, present, |row| a.value(row).cmp(&b.value(row)))
            } else {
                each(op, rows, present, |row| {
                    decimal::compare(a.value(row), a_scale, b.value(row), b_scale)
                })
            }
        }
        (Column::Number(a), Column::Number(b)) => each(op, rows, present, |row| {
            a.value(row).partial_cmp(&b.value(row)).unwrap_or(Ordering::Equal)
        }),
        (Column::Date(a), Column::Date(b)) => {
            each(op, rows, present, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::DateTime(a), Column::DateTime(b)) => {
            each(op, rows, present, |row| a.value(row).cmp(&b.value(row)))
        }
        (Column::Boolean(a), Column::Boolean(b)) => {
            each(op, rows, present, |row| a.value(row).cmp(&b.value(row)))
        }
        _ => Truths::blank(rows),
    }
}

/// The same of numbers that stand in four bytes each.
fn short(op: Operator, a: &[i32], b: &[i32], present: Option<Present>) -> Truths {
    let rows = a.len();
    let holds = match op {
        Operator::Equal => Bits::collect(rows, |row| a[row] == b[row]),
        Operator::Unequal => Bits::collect(rows, |row| a[row] != b[row]),
        Operator::Less => Bits::collect(rows, |row| a[row] < b[row]),
        Operator::LessEqual => Bits::collect(rows, |row| a[row] <= b[row]),
        Operator::Greater => Bits::collect(rows, |row| a[row] > b[row]),
        _ => Bits::collect(rows, |row| a[row] >= b[row]),
    };
    Truths::new(holds, present)
}

/// The truth of a row, `None` where blank.
pub(super) fn at(column: &Truths, row: usize) -> Option<bool> {
    column.has(row).then(|| column.value(row))
}

/// `and` and `or`: false decides an `and`, true an `or`, else a blank makes it blank.
pub(super) fn logic(op: Logic, left: &Truths, right: &Truths) -> Truths {
    let decides = op == Logic::Or;
    if left.blanks() == 0 && right.blanks() == 0 {
        let values = match op {
            Logic::And => left.values() & right.values(),
            Logic::Or => left.values() | right.values(),
        };
        return Truths::new(values, None);
    }
    truths(left.len(), |row| match (at(left, row), at(right, row)) {
        (Some(a), _) if a == decides => Some(decides),
        (_, Some(b)) if b == decides => Some(decides),
        (Some(_), Some(_)) => Some(!decides),
        _ => None,
    })
}

/// `not`.
pub(super) fn not(column: &Truths) -> Truths {
    Truths::new(!column.values(), column.present().cloned())
}
