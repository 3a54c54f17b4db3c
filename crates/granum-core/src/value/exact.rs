//! Sums of floating-point numbers that do not depend on the order in which they are added.

/// A sum that is exact as long as it grows, and rounded once when it is asked for.
///
/// It is kept as numbers that do not overlap, the least first, as in J. R. Shewchuk, "Adaptive
/// Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates", 1997.
///
/// ```
/// let mut sum = granum_core::value::ExactSum::default();
/// [1e16, 1.0, -1e16].into_iter().for_each(|value| sum.add(value));
/// assert_eq!(sum.value(), 1.0);
/// ```
#[derive(Debug, Clone, Default)]
pub struct ExactSum {
    parts: Vec<f64>,
}

impl ExactSum {
    /// Adds a number.
    pub fn add(&mut self, value: f64) {
        let mut carried = value;
        let mut kept = 0;
        for at in 0..self.parts.len() {
            let (sum, lost) = two_sum(carried, self.parts[at]);
            if lost != 0.0 {
                self.parts[kept] = lost;
                kept += 1;
            }
            carried = sum;
        }
        self.parts.truncate(kept);
        self.parts.push(carried);
    }

    /// The number nearest to the sum; of two, the even one. Not finite if the sum is too large.
    pub fn value(&self) -> f64 {
        let mut parts = self.parts.iter().rev().copied();
        let Some(mut sum) = parts.next() else { return 0.0 };
        let mut lost = 0.0;
        for part in parts.by_ref() {
            (sum, lost) = two_sum(sum, part);
            if lost != 0.0 {
                break;
            }
        }
        // Half way between two numbers, what lies below decides.
        if let Some(next) = parts.next()
            && ((lost < 0.0 && next < 0.0) || (lost > 0.0 && next > 0.0))
        {
            let twice = lost * 2.0;
            let farther = sum + twice;
            if twice == farther - sum {
                sum = farther;
            }
        }
        sum + 0.0
    }
}

/// The sum of two numbers, and what rounding it lost.
fn two_sum(a: f64, b: f64) -> (f64, f64) {
    let (more, less) = if a.abs() < b.abs() { (b, a) } else { (a, b) };
    let sum = more + less;
    (sum, less - (sum - more))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sum(values: impl IntoIterator<Item = f64>) -> f64 {
        let mut sum = ExactSum::default();
        values.into_iter().for_each(|value| sum.add(value));
        sum.value()
    }

    #[test]
    fn halves_go_to_the_even_number_unless_more_lies_below() {
        let one = 1.0_f64;
        let half = f64::EPSILON / 2.0;
        assert_eq!(sum([one, half]), one);
        assert_eq!(sum([one, half, half * half]), one + f64::EPSILON);
        assert_eq!(sum([]), 0.0);
        assert_eq!(sum([0.1; 10]), 1.0);
        assert!(!sum([f64::MAX, f64::MAX]).is_finite());
    }

    proptest! {
        #[test]
        fn the_order_does_not_matter(mut values in prop::collection::vec(-1e9..1e9_f64, 0..40), by in 0..40_usize) {
            let before = sum(values.clone());
            let by = by % values.len().max(1);
            values.rotate_left(by);
            prop_assert_eq!(before.to_bits(), sum(values.iter().rev().copied()).to_bits());
        }

        #[test]
        fn whole_parts_of_a_thousandth_add_up(values in prop::collection::vec(-1_000_000_i64..1_000_000, 0..40)) {
            // Multiples of a power of two are exact, so whole numbers say what is right.
            let found = sum(values.iter().map(|value| *value as f64 / 1024.0));
            prop_assert_eq!(found, values.iter().sum::<i64>() as f64 / 1024.0);
        }
    }
}
