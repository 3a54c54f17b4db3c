//! Numbers as nearly all cells have them: a few digits, with a point where it is looked for. They are read and
//! written at once, not digit by digit.

use super::scan::Field;

const ZEROS: u64 = u64::from_le_bytes([b'0'; 8]);

/// The whole units of a number of at most eight bytes, without a sign or a zero too many, that has just so many
/// `places` behind its point; without a point where none are asked for. `None` for what is written otherwise, which
/// may be a number all the same.
#[inline]
pub(super) fn read_short(text: &[u8], field: Field, places: usize) -> Option<i64> {
    let length = field.end.wrapping_sub(field.start);
    let bytes = text.get(field.end.checked_sub(8)?..field.end)?.first_chunk()?;
    if length == 0 || length > 8 {
        return None;
    }
    // What stands before the cell becomes zeros.
    let own = u64::MAX << (8 * (8 - length));
    let word = (u64::from_le_bytes(*bytes) & own) | (ZEROS & !own);
    let mut digits = word;
    if places > 0 {
        if length < places + 2 {
            return None;
        }
        let point = 8 * (7 - places);
        if (word >> point) as u8 != b'.' {
            return None;
        }
        // What stands before the point moves up to what stands behind it.
        let before = (1 << point) - 1;
        digits = (word & before) << 8 | (word & !before & !(0xFF << point)) | u64::from(b'0');
    }
    let leading_zero = text[field.start] == b'0' && length > places + usize::from(places > 0) + 1;
    digits ^= ZEROS;
    // A byte above nine, or one that was no digit, has its highest bit now.
    let others =
        (digits.wrapping_add(0x76 * (u64::MAX / 0xFF)) | digits) & (0x80 * (u64::MAX / 0xFF));
    (others == 0 && !leading_zero).then(|| in_eight(digits))
}

/// The number of eight digits, the first of them the lowest byte: neighbours are put together, then pairs, then fours.
fn in_eight(digits: u64) -> i64 {
    let pairs = digits.wrapping_mul((10 << 8) + 1) >> 8 & 0x00FF_00FF_00FF_00FF;
    let fours = pairs.wrapping_mul((100 << 16) + 1) >> 16 & 0x0000_FFFF_0000_FFFF;
    (fours.wrapping_mul((10_000 << 32) + 1) >> 32) as i64
}

/// The most places of one.
pub(super) const SHORT_PLACES: usize = 6;

/// So many bytes are written of one, whatever it has: a sign, eight digits, a point and eight bytes from there.
pub(super) const SHORT: usize = 18;

/// Writes whole units with so many `places` behind the point, up to [`SHORT_PLACES`]; gives how many bytes they are,
/// behind which something else may be written over. `None` for eight digits and more.
#[inline]
pub(super) fn write_short(units: i32, places: usize, out: &mut [u8; SHORT]) -> Option<usize> {
    let size = units.unsigned_abs();
    if size >= 100_000_000 {
        return None;
    }
    let digits = eight_of(size);
    // One digit stands before the point at least.
    let start = (digits.trailing_zeros() as usize / 8).min(7 - places);
    let text = digits | ZEROS;
    out[0] = b'-';
    let sign = usize::from(units < 0);
    out[sign..][..8].copy_from_slice(&(text >> (8 * start)).to_le_bytes());
    let point = sign + 8 - start - places;
    if places == 0 {
        return Some(point);
    }
    out[point] = b'.';
    out[point + 1..][..8].copy_from_slice(&(text >> (8 * (8 - places))).to_le_bytes());
    Some(point + 1 + places)
}

/// The eight digits of a number below 10^8, the first of them the lowest byte: fours are taken apart, then pairs.
/// (P. Khuong, "How to print integers really fast", 2017.)
fn eight_of(number: u32) -> u64 {
    let fours = u64::from(number / 10_000) | u64::from(number % 10_000) << 32;
    let high = (fours * 10_486) >> 20 & 0x0000_007F_0000_007F;
    let pairs = (fours - 100 * high) << 16 | high;
    let high = (pairs * 103) >> 10 & 0x000F_000F_000F_000F;
    (pairs - 10 * high) << 8 | high
}

#[cfg(test)]
mod tests {
    use granum_core::value::{Scale, decimal, parse_integer};
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]
        #[test]
        fn what_is_read_at_once_is_what_is_read_digit_by_digit(
            before in "[0-9.,]{0,9}", cell in "-?[0-9]{0,5}(\\.[0-9]{0,3})?[a-z]?", places in 0_usize..4
        ) {
            let text = format!("{before}{cell}");
            let field = Field { start: before.len(), end: text.len(), escaped: false };
            let read = read_short(text.as_bytes(), field, places);
            let (bytes, scale) = (cell.as_bytes(), Scale(places as u8));
            let slow = if places == 0 {
                parse_integer(bytes)
            } else {
                decimal::parse(bytes).filter(|(_, own)| *own == scale).map(|(units, _)| units as i64)
            };
            // Zeros before others, a sign and long numbers are left to that.
            let first = cell.split('.').next().unwrap();
            let simple = (first == "0" || !first.starts_with(['0', '-'])) && cell.len() <= 8;
            let wanted = slow.filter(|_| simple && text.len() >= 8);
            prop_assert_eq!(read, wanted, "{:?} of {}", cell, places);
        }

        #[test]
        fn what_is_written_at_once_is_what_is_written_digit_by_digit(
            units in prop_oneof![any::<i32>(), -2_000..2_000, -200_000_000..200_000_000], places in 0_usize..7
        ) {
            let mut slow = vec![];
            decimal::write(units.into(), Scale(places as u8), &mut slow);
            let wanted = (units.unsigned_abs() < 100_000_000).then_some(slow);
            let mut out = [0; SHORT];
            let written = write_short(units, places, &mut out).map(|length| out[..length].to_vec());
            prop_assert_eq!(written, wanted);
        }
    }
}
