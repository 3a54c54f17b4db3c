//! How the names of two columns agree.

use crate::survey::names::{bare, names_key, subject};

/// How two columns' names agree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Alike {
    Not,
    /// One subject: `customer` and `customer_no`.
    Subject,
    Same,
}

pub(super) fn alike(one: &str, other: &str, target: &str) -> Alike {
    if bare(one) == bare(other) {
        return Alike::Same;
    }
    let (a, b) = (subject(one), subject(other));
    let table = subject(target);
    // `customer_id` leads to `id` of customers, and `seller_staff_no` to `staff_no`.
    let id = a == table && (names_key(other) || b == table);
    let ends = a.len() > 3 && b.len() > 3 && (a.ends_with(&b) || b.ends_with(&a));
    if a == b || id || ends { Alike::Subject } else { Alike::Not }
}
