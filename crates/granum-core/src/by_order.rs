//! Where a value stands among values in order.

use std::cmp::Ordering;

/// Where a value stands among so many that go up, or would stand: looked for from a place on, in steps that grow, so
/// that what is near is found soon. `order` says how the value at a place stands to it.
#[inline]
pub(crate) fn place(
    values: usize,
    near: usize,
    order: impl Fn(usize) -> Ordering,
) -> Result<usize, usize> {
    let (mut low, mut high) = (0, values);
    let mut step = 1;
    match (near < high).then(|| order(near)) {
        Some(Ordering::Equal) => return Ok(near),
        Some(Ordering::Less) => {
            low = near + 1;
            while low + step <= high {
                match order(low + step - 1) {
                    Ordering::Equal => return Ok(low + step - 1),
                    Ordering::Less => low += step,
                    Ordering::Greater => {
                        high = low + step - 1;
                        break;
                    }
                }
                step *= 2;
            }
        }
        _ => {
            high = near.min(high);
            while step <= high {
                match order(high - step) {
                    Ordering::Equal => return Ok(high - step),
                    Ordering::Greater => high -= step,
                    Ordering::Less => {
                        low = high - step + 1;
                        break;
                    }
                }
                step *= 2;
            }
        }
    }
    while low < high {
        let middle = low.midpoint(high);
        match order(middle) {
            Ordering::Equal => return Ok(middle),
            Ordering::Less => low = middle + 1,
            Ordering::Greater => high = middle,
        }
    }
    Err(low)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn a_value_is_found_where_it_stands_from_wherever_the_search_begins(
            values in prop::collection::btree_set(0..200_u32, 0..60),
            near in 0..70_usize,
            sought in 0..200_u32,
        ) {
            let values: Vec<u32> = values.into_iter().collect();
            let order = |at: usize| values[at].cmp(&sought);
            prop_assert_eq!(place(values.len(), near, order), values.binary_search(&sought));
        }
    }
}
