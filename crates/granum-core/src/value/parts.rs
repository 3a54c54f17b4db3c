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
    let all = u128::from(whole) * unit + rest;
    // Of no whole unit there is no share.
    let (share, over) = if whole == 0 { (0, 0) } else { share_of(size, unit, all) };
    let (last, last_over) = share_of(size, rest, all);
    let left = size - u128::from(whole) * share - last;
    // How many of the whole ones get a unit more; the last one is behind those of its own remainder.
    let more = if over >= last_over { left.min(whole.into()) } else { left.saturating_sub(1) };
    let last = last + (left - more);
    let sign = if amount < 0 { -1 } else { 1 };
    let parts = (0..whole).map(move |at| share + u128::from(u128::from(at) < more));
    parts.chain(std::iter::once(last)).map(move |part| sign * part as i128)
}

/// `size * weight / all`, rounded down, and the remainder; `weight` is not above `all`, which has at most
/// 127 bits. Where the product is too large for 128 bits it is made bit by bit.
fn share_of(size: u128, weight: u128, all: u128) -> (u128, u128) {
    if let Some(product) = size.checked_mul(weight) {
        return (product / all.max(1), product % all.max(1));
    }
    let (mut share, mut over) = (0_u128, 0_u128);
    for bit in (0..u128::BITS - size.leading_zeros()).rev() {
        (share, over) = (share * 2, over * 2);
        if over >= all {
            (share, over) = (share + 1, over - all);
        }
        if size >> bit & 1 == 1 {
            over += weight;
            if over >= all {
                (share, over) = (share + 1, over - all);
            }
        }
    }
    (share, over)
}
