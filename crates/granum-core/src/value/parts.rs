//! Dividing an amount so that the parts add up exactly.

/// The parts of `amount` over `count` equal shares, one after another.
///
/// The sign is set aside, each share is rounded down, and what is left over goes one unit each to
/// the first shares: 1000 over 3 is 334, 333, 333; -1000 is -334, -333, -333. `count` is not zero.
///
/// ```
/// let parts: Vec<i128> = granum_core::value::parts::equal(1000, 3).collect();
/// assert_eq!(parts, [334, 333, 333]);
/// ```
pub fn equal(amount: i128, count: u64) -> impl Iterator<Item = i128> {
    let size = amount.unsigned_abs();
    // Hardware division where both fit, which money always does.
    let (share, rest) = match u64::try_from(size) {
        Ok(small) => (u128::from(small / count.max(1)), u128::from(small % count.max(1))),
        Err(_) => (size / u128::from(count.max(1)), size % u128::from(count.max(1))),
    };
    let sign = if amount < 0 { -1 } else { 1 };
    (0..count).map(move |at| sign * (share + u128::from(u128::from(at) < rest)) as i128)
}

/// The first parts of an amount of 64 bits over `count` equal shares, as [`equal`] has them; those behind the
/// last share are of no use. `amount` is not the least number, and `count` not zero.
///
/// ```
/// let parts: Vec<i64> = granum_core::value::parts::equal_short(-1000, 3).take(3).collect();
/// assert_eq!(parts, [-334, -333, -333]);
/// ```
pub fn equal_short(amount: i64, count: u64) -> impl Iterator<Item = i64> {
    let (size, sign) = (amount.unsigned_abs(), amount.signum());
    let (share, rest) = (size / count.max(1), size % count.max(1));
    (0_u64..).map(move |at| sign * (share + u64::from(at < rest)) as i64)
}

/// The parts of `amount` over `whole` shares of weight `unit` each and a last one of weight `rest`: whole
/// units and what is left over of one. `unit` and `rest` are above zero, and all weights together fit.
///
/// Each share is rounded down, and what is left over goes one unit each to the largest remainders, the
/// earlier first (the method of largest remainders).
///
/// ```
/// // 10.00 over 2.5 units.
/// let parts: Vec<i128> = granum_core::value::parts::with_rest(1000, 2, 10, 5).collect();
/// assert_eq!(parts, [400, 400, 200]);
/// ```
pub fn with_rest(amount: i128, whole: u64, unit: u128, rest: u128) -> impl Iterator<Item = i128> {
    let size = amount.unsigned_abs();
    let all = Wide::of(u128::from(whole) * unit + rest);
    // Of no whole unit there is no share.
    let none = (0, Wide::default());
    let (share, over) = if whole == 0 { none } else { all.share(size, unit) };
    let (last, last_over) = all.share(size, rest);
    let left = size - u128::from(whole) * share - last;
    // How many of the whole ones get a unit more; the last one is behind those of its own remainder.
    let more = if over >= last_over { left.min(whole.into()) } else { left.saturating_sub(1) };
    let last = last + (left - more);
    let sign = if amount < 0 { -1 } else { 1 };
    let parts = (0..whole).map(move |at| share + u128::from(u128::from(at) < more));
    parts.chain(std::iter::once(last)).map(move |part| sign * part as i128)
}

/// Divides amounts over weights: what it needs while it does.
#[derive(Debug, Default)]
pub struct ByWeights {
    /// What is left over of each share, and whose it is.
    over: Vec<(Wide, u32)>,
}

impl ByWeights {
    /// Adds the parts of `amount` over `weights` to `parts`, one for each weight. Says whether there are:
    /// of weights that are all zero there is no share.
    ///
    /// As [`with_rest`], of any weights of up to 127 bits, at most 2³² of them: the sign is set aside, each
    /// share is rounded down, and what is left over goes one unit each to the largest remainders, the
    /// earlier first.
    ///
    /// ```
    /// let mut parts = vec![];
    /// let divided = granum_core::value::parts::ByWeights::default().divide(-1, &[1, 1, 1], &mut parts);
    /// assert!(divided && parts == [-1, 0, 0]);
    /// ```
    pub fn divide(&mut self, amount: i128, weights: &[u128], parts: &mut Vec<i128>) -> bool {
        let all = weights.iter().fold(Wide::default(), |sum, weight| sum.plus(Wide::of(*weight)));
        if all == Wide::default() {
            return false;
        }
        let size = amount.unsigned_abs();
        let first = parts.len();
        self.over.clear();
        let mut left = size;
        for (at, weight) in weights.iter().enumerate() {
            let (share, over) = all.share(size, *weight);
            left -= share;
            parts.push(share as i128);
            if over != Wide::default() {
                self.over.push((over, at as u32));
            }
        }
        // Fewer are left than there are remainders.
        self.over.sort_unstable_by_key(|(over, at)| (std::cmp::Reverse(*over), *at));
        for (_, at) in &self.over[..left as usize] {
            parts[first + *at as usize] += 1;
        }
        if amount < 0 {
            parts[first..].iter_mut().for_each(|part| *part = -*part);
        }
        true
    }
}

/// A whole number of 256 bits: the upper and the lower half.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Wide(u128, u128);

impl Wide {
    fn of(value: u128) -> Self {
        Self(0, value)
    }

    fn plus(self, other: Self) -> Self {
        let (low, carried) = self.1.overflowing_add(other.1);
        Self(self.0 + other.0 + u128::from(carried), low)
    }

    fn less(self, other: Self) -> Self {
        let (low, borrowed) = self.1.overflowing_sub(other.1);
        Self(self.0 - other.0 - u128::from(borrowed), low)
    }

    /// `size * weight / self`, rounded down, and the remainder; `weight` is not above it.
    fn share(self, size: u128, weight: u128) -> (u128, Self) {
        if self.0 == 0
            && let Some(product) = size.checked_mul(weight)
        {
            // Hardware division where all of it fits, which money always does.
            return match (u64::try_from(product), u64::try_from(self.1)) {
                (Ok(product), Ok(all)) => {
                    (u128::from(product / all), Self::of(u128::from(product % all)))
                }
                _ => (product / self.1, Self::of(product % self.1)),
            };
        }
        let (mut share, mut over) = (0_u128, Self::default());
        let take = |share: &mut u128, over: &mut Self| {
            if *over >= self {
                (*share, *over) = (*share + 1, over.less(self));
            }
        };
        for bit in (0..u128::BITS - size.leading_zeros()).rev() {
            (share, over) = (share * 2, over.plus(over));
            take(&mut share, &mut over);
            if size >> bit & 1 == 1 {
                over = over.plus(Self::of(weight));
                take(&mut share, &mut over);
            }
        }
        (share, over)
    }
}
