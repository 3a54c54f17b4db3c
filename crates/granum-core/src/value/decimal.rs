//! Exact decimals: whole units of 10^-scale in an `i128`, the same bits as Arrow's `Decimal128`.
//! Every operation says when its result does not fit.

use std::cmp::Ordering;

use super::Scale;

/// The first number that has too many digits: 10^38.
pub const LIMIT: i128 = 100_000_000_000_000_000_000_000_000_000_000_000_000;

/// The places of a quotient.
pub const DIVISION_SCALE: Scale = Scale(10);

/// The most places that a product keeps.
pub const MOST_SCALE: Scale = Scale(20);

/// The powers of ten that fit: one is asked for with nearly every number.
const POWERS: [i128; 39] = {
    let mut powers = [1; 39];
    let mut at = 1;
    while at < powers.len() {
        powers[at] = 10 * powers[at - 1];
        at += 1;
    }
    powers
};

/// 10 to the `power`, which is at most 38.
pub fn power(power: u8) -> i128 {
    POWERS[usize::from(power.min(38))]
}

/// The number, if it has at most 38 digits.
pub fn fits(units: i128) -> Option<i128> {
    (units > -LIMIT && units < LIMIT).then_some(units)
}

/// `numerator / denominator` rounded half away from zero; `None` where the denominator is zero.
pub fn divide_rounded(numerator: i128, denominator: i128) -> Option<i128> {
    if denominator == 0 {
        return None;
    }
    let quotient = numerator.checked_div(denominator)?;
    let rest = numerator % denominator;
    let up = rest.unsigned_abs() >= denominator.unsigned_abs() - rest.unsigned_abs();
    if rest == 0 || !up {
        Some(quotient)
    } else {
        quotient.checked_add(if (numerator < 0) == (denominator < 0) { 1 } else { -1 })
    }
}

/// The same number with other places: exact towards more, rounded half away from zero towards
/// fewer. `None` where it does not fit.
pub fn rescale(units: i128, from: Scale, to: Scale) -> Option<i128> {
    match from.cmp(&to) {
        Ordering::Equal => Some(units),
        Ordering::Less => fits(units.checked_mul(power(to.0 - from.0))?),
        Ordering::Greater => divide_rounded(units, power(from.0 - to.0)),
    }
}

/// The sum of two numbers of one scale.
pub fn add(a: i128, b: i128) -> Option<i128> {
    fits(a.checked_add(b)?)
}

/// The difference of two numbers of one scale.
pub fn subtract(a: i128, b: i128) -> Option<i128> {
    fits(a.checked_sub(b)?)
}

/// The places of a product: both added, up to 20.
pub fn product_scale(a: Scale, b: Scale) -> Scale {
    Scale((a.0 + b.0).min(MOST_SCALE.0))
}

/// The product, with the places of [`product_scale`].
pub fn multiply(a: i128, a_scale: Scale, b: i128, b_scale: Scale) -> Option<i128> {
    let to = product_scale(a_scale, b_scale);
    let drop = a_scale.0 + b_scale.0 - to.0;
    let product = a.checked_mul(b)?;
    if drop == 0 { fits(product) } else { fits(divide_rounded(product, power(drop))?) }
}

/// The quotient with 10 places. `b` is not zero.
pub fn divide(a: i128, a_scale: Scale, b: i128, b_scale: Scale) -> Option<i128> {
    // a / 10^sa / (b / 10^sb) · 10^10, with whichever power keeps both sides whole.
    let up = i16::from(DIVISION_SCALE.0) + i16::from(b_scale.0) - i16::from(a_scale.0);
    if up.unsigned_abs() > 38 {
        return None;
    }
    let (a, b) = if up >= 0 {
        (a.checked_mul(power(up as u8))?, b)
    } else {
        (a, b.checked_mul(power((-up) as u8))?)
    };
    fits(divide_rounded(a, b)?)
}

/// Which of two numbers is the larger, whatever their scales.
pub fn compare(a: i128, a_scale: Scale, b: i128, b_scale: Scale) -> Ordering {
    let to = a_scale.max(b_scale);
    match (rescale(a, a_scale, to), rescale(b, b_scale, to)) {
        (Some(a), Some(b)) => a.cmp(&b),
        // What does not fit lies further from zero than anything that does; both cannot fail,
        // since one of them already has the larger scale.
        (None, _) => a.cmp(&0),
        (_, None) => 0.cmp(&b),
    }
}

/// Reads a plain decimal such as `-12.50`: a sign, digits, a point and digits. Gives the units and
/// the places as written.
pub fn parse(text: &[u8]) -> Option<(i128, Scale)> {
    let (negative, digits) = match text.first()? {
        b'-' => (true, &text[1..]),
        b'+' => (false, &text[1..]),
        _ => (false, text),
    };
    // Up to 18 digits and a point fit 64 bits, which is much faster and nearly every cell.
    let (units, places) =
        if digits.len() <= 19 { parse_short(digits)? } else { parse_long(digits)? };
    Some((if negative { -units } else { units }, places))
}

fn parse_short(digits: &[u8]) -> Option<(i128, Scale)> {
    let mut units = 0_u64;
    let mut point = digits.len();
    for (at, byte) in digits.iter().enumerate() {
        let digit = byte.wrapping_sub(b'0');
        if digit < 10 {
            units = units * 10 + u64::from(digit);
        } else if *byte == b'.' && point == digits.len() {
            point = at;
        } else {
            return None;
        }
    }
    let places = digits.len().saturating_sub(point + 1);
    // A point stands between digits.
    let well = point > 0 && (point == digits.len() || places > 0);
    well.then_some((i128::from(units), Scale(places as u8)))
}

fn parse_long(digits: &[u8]) -> Option<(i128, Scale)> {
    let mut units: i128 = 0;
    let mut places = None;
    let mut count = 0_usize;
    for byte in digits {
        match byte {
            b'0'..=b'9' => {
                count += 1;
                units = units.checked_mul(10)?.checked_add(i128::from(byte - b'0'))?;
                places = places.map(|places: usize| places + 1);
            }
            b'.' if places.is_none() && count > 0 => places = Some(0),
            _ => return None,
        }
        if count > 76 {
            return None;
        }
    }
    if places == Some(0) {
        return None;
    }
    Some((fits(units)?, Scale(places.unwrap_or(0) as u8)))
}

/// Reads a plain decimal into `scale` places. Places beyond that must be zeros.
pub fn parse_to(text: &[u8], scale: Scale) -> Option<i128> {
    let (units, places) = parse(text)?;
    without_loss(units, places, scale)
}

/// The same number with other places, if that takes nothing from it but zeros.
pub fn without_loss(units: i128, from: Scale, to: Scale) -> Option<i128> {
    if from <= to {
        return rescale(units, from, to);
    }
    let by = power(from.0 - to.0);
    (units % by == 0).then_some(units / by)
}

/// Writes a number with all its places: `-0.50`.
pub fn write(units: i128, scale: Scale, out: &mut Vec<u8>) {
    if units < 0 {
        out.push(b'-');
    }
    let mut buffer = itoa::Buffer::new();
    match u64::try_from(units.unsigned_abs()) {
        Ok(small) => write_digits(buffer.format(small).as_bytes(), scale, out),
        Err(_) => write_digits(buffer.format(units.unsigned_abs()).as_bytes(), scale, out),
    }
}

fn write_digits(digits: &[u8], scale: Scale, out: &mut Vec<u8>) {
    let places = usize::from(scale.0);
    if places == 0 {
        out.extend_from_slice(digits);
        return;
    }
    if digits.len() > places {
        let (whole, rest) = digits.split_at(digits.len() - places);
        out.extend_from_slice(whole);
        out.push(b'.');
        out.extend_from_slice(rest);
    } else {
        out.extend_from_slice(b"0.");
        out.extend(std::iter::repeat_n(b'0', places - digits.len()));
        out.extend_from_slice(digits);
    }
}

/// A number as text: `5.00`.
pub fn to_text(units: i128, scale: Scale) -> String {
    let mut out = vec![];
    write(units, scale, &mut out);
    String::from_utf8_lossy(&out).into_owned()
}

/// A number for people: thousands set off by commas, `1,204,331.10`.
pub fn grouped(units: i128, scale: Scale) -> String {
    let text = to_text(units, scale);
    let (sign, rest) =
        text.strip_prefix('-').map_or(("", text.as_str()), |rest| ("\u{2212}", rest));
    let (whole, places) =
        rest.split_once('.').map_or((rest, String::new()), |(w, p)| (w, format!(".{p}")));
    let mut out = String::from(sign);
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at) % 3 == 0 {
            out.push(',');
        }
        out.push(digit);
    }
    out + &places
}
