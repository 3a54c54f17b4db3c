//! Decimals as the server sends them: groups of four digits, with where the point stands among them.

use granum_core::value::{Scale, decimal};

const POSITIVE: u16 = 0x0000;
const NEGATIVE: u16 = 0x4000;
const NOT_A_NUMBER: u16 = 0xC000;
const BEYOND: u16 = 0xD000;
const BELOW: u16 = 0xF000;

fn word(bytes: &[u8], at: usize) -> Option<u16> {
    Some(u16::from_be_bytes(bytes.get(at * 2..at * 2 + 2)?.try_into().ok()?))
}

/// A decimal in whole units of a scale.
///
/// # Errors
/// The text of what cannot be one: no number, one with too many digits, or with more places.
pub(super) fn read(bytes: &[u8], scale: Scale) -> Result<i128, String> {
    let torn = || format!("{} bytes that are no number", bytes.len());
    let head = (word(bytes, 0), word(bytes, 1), word(bytes, 2), word(bytes, 3));
    let (Some(count), Some(weight), Some(sign), Some(places)) = head else { return Err(torn()) };
    match sign {
        NOT_A_NUMBER => return Err("NaN".into()),
        BEYOND => return Err("Infinity".into()),
        BELOW => return Err("-Infinity".into()),
        _ => {}
    }
    let weight = i32::from(weight.cast_signed());
    let mut units: Option<i128> = Some(0);
    // So many places are still to come. The last group may have more than that, if they are zeros.
    let mut open = (4 * (weight + 1) + i32::from(scale.0)).max(0).unsigned_abs();
    for at in 0..usize::from(count) {
        let group = word(bytes, 4 + at).ok_or_else(torn)?;
        let taken = open.min(4);
        let over = 10_u16.pow(4 - taken);
        let own = (group % over == 0).then_some(group / over);
        units = units.zip(own).and_then(|(units, own)| {
            units.checked_mul(10_i128.pow(taken))?.checked_add(own.into())
        });
        open -= taken;
    }
    let units = units.and_then(|units| match units {
        0 => Some(0),
        units => units.checked_mul(10_i128.checked_pow(open)?),
    });
    let units = units.map(|units| if sign == NEGATIVE { -units } else { units });
    units
        .and_then(decimal::fits)
        .ok_or_else(|| written(bytes, usize::from(count), weight, sign, places))
}

/// A number as it is written, however many digits it has.
fn written(bytes: &[u8], count: usize, weight: i32, sign: u16, places: u16) -> String {
    let groups = |from: i32, to: i32| -> Vec<String> {
        let group = |at: i32| {
            let own = usize::try_from(at).ok().filter(|at| *at < count);
            own.and_then(|at| word(bytes, 4 + at)).unwrap_or(0)
        };
        (from..to).map(|at| format!("{:04}", group(at))).collect()
    };
    let whole = groups(0, weight + 1).concat();
    let whole = whole.trim_start_matches('0');
    let behind = i32::from(places).div_euclid(4) + 1;
    let digits = groups(weight + 1, weight + 1 + behind).concat();
    let digits = digits.get(..usize::from(places)).unwrap_or(&digits);
    let point = if digits.is_empty() { "" } else { "." };
    let (sign, whole) =
        (if sign == NEGATIVE { "-" } else { "" }, if whole.is_empty() { "0" } else { whole });
    format!("{sign}{whole}{point}{digits}")
}

/// Writes a decimal, its length before it.
pub(super) fn write(units: i128, scale: Scale, out: &mut Vec<u8>) {
    // Groups begin at the point: the places are filled up to whole ones.
    let fill = (4 - scale.0 % 4) % 4;
    let mut rest = units.unsigned_abs();
    let mut groups = [0_u16; 12];
    let mut count = 0;
    let behind = usize::from((scale.0 + fill) / 4);
    if fill > 0 {
        let place = 10_u128.pow(u32::from(4 - fill));
        groups[count] = (rest % place) as u16 * 10_u16.pow(u32::from(fill));
        rest /= place;
        count += 1;
    }
    while rest > 0 {
        groups[count] = (rest % 10_000) as u16;
        rest /= 10_000;
        count += 1;
    }
    let weight = count as i32 - behind as i32 - 1;
    // The last group comes first here; those of zeros are not sent.
    let zeros = groups[..count].iter().take_while(|group| **group == 0).count();
    let sent = &groups[zeros..count];
    let (weight, sign) = match (sent.is_empty(), units < 0) {
        (true, _) => (0, POSITIVE),
        (false, true) => (weight, NEGATIVE),
        (false, false) => (weight, POSITIVE),
    };
    out.extend_from_slice(&(8 + 2 * sent.len() as i32).to_be_bytes());
    out.extend_from_slice(&(sent.len() as u16).to_be_bytes());
    out.extend_from_slice(&(weight as i16).to_be_bytes());
    out.extend_from_slice(&sign.to_be_bytes());
    out.extend_from_slice(&u16::from(scale.0).to_be_bytes());
    sent.iter().rev().for_each(|group| out.extend_from_slice(&group.to_be_bytes()));
}
