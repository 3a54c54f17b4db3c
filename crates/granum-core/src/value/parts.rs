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
