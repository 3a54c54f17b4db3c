//! Days and moments: counted from 1970-01-01, in days (`i32`) and microseconds (`i64`).

use jiff::civil::{Date, DateTime, Time};

const MICROS_A_DAY: i64 = 86_400_000_000;

/// The day as a count from 1970-01-01.
pub fn from_civil(date: Date) -> i32 {
    // jiff's years run from -9999 to 9999, so the count fits; the method is Howard Hinnant's
    // `days_from_civil`.
    let month = i32::from(date.month());
    let year = i32::from(date.year()) - i32::from(month <= 2);
    let era = year.div_euclid(400);
    let year_of_era = year.rem_euclid(400);
    let day_of_year = (153 * ((month + 9) % 12) + 2) / 5 + i32::from(date.day()) - 1;
    let day_of_era = year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year;
    era * 146_097 + day_of_era - 719_468
}

/// The calendar day of a count, if the calendar has it (years -9999 to 9999).
pub fn to_civil(days: i32) -> Option<Date> {
    let shifted = days.checked_add(719_468)?;
    let era = shifted.div_euclid(146_097);
    let day_of_era = shifted.rem_euclid(146_097);
    let year_of_era =
        (day_of_era - day_of_era / 1460 + day_of_era / 36_524 - day_of_era / 146_096) / 365;
    let day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
    let shifted_month = (5 * day_of_year + 2) / 153;
    let day = day_of_year - (153 * shifted_month + 2) / 5 + 1;
    let month = if shifted_month < 10 { shifted_month + 3 } else { shifted_month - 9 };
    let year = year_of_era + era * 400 + i32::from(month <= 2);
    Date::new(i16::try_from(year).ok()?, month as i8, day as i8).ok()
}

/// The moment as microseconds from 1970-01-01T00:00:00.
pub fn from_civil_time(moment: DateTime) -> i64 {
    let time = moment.time();
    let seconds =
        i64::from(time.hour()) * 3600 + i64::from(time.minute()) * 60 + i64::from(time.second());
    i64::from(from_civil(moment.date())) * MICROS_A_DAY
        + seconds * 1_000_000
        + i64::from(time.subsec_nanosecond()) / 1000
}

/// The day of a moment.
pub fn day_of(micros: i64) -> i32 {
    micros.div_euclid(MICROS_A_DAY) as i32
}

/// The first moment of a day.
pub fn start_of(days: i32) -> i64 {
    i64::from(days) * MICROS_A_DAY
}

fn digits(text: &[u8]) -> Option<i32> {
    text.iter().try_fold(0, |sum, digit| {
        digit.is_ascii_digit().then(|| sum * 10 + i32::from(digit - b'0'))
    })
}

/// Reads an ISO 8601 day, `2026-03-01`, and nothing else.
pub fn parse_iso(text: &[u8]) -> Option<i32> {
    if text.len() != 10 || text[4] != b'-' || text[7] != b'-' {
        return None;
    }
    let year = digits(&text[..4])?;
    let month = digits(&text[5..7])?;
    let day = digits(&text[8..])?;
    Some(from_civil(Date::new(year as i16, month as i8, day as i8).ok()?))
}

/// Reads an ISO 8601 moment without a zone: a day, `T` or a space, hours and minutes, and
/// perhaps seconds and up to six places of them.
pub fn parse_iso_time(text: &[u8]) -> Option<i64> {
    let day = parse_iso(text.get(..10)?)?;
    if !matches!(text.get(10)?, b'T' | b' ') || *text.get(13)? != b':' {
        return None;
    }
    let hour = digits(&text[11..13])?;
    let minute = digits(text.get(14..16)?)?;
    let (mut second, mut micros) = (0, 0);
    if text.len() > 16 {
        if text[16] != b':' {
            return None;
        }
        second = digits(text.get(17..19)?)?;
    }
    if text.len() > 19 {
        let places = text.get(20..)?;
        if text[19] != b'.' || places.is_empty() || places.len() > 6 {
            return None;
        }
        micros = digits(places)? * 10_i32.pow(6 - places.len() as u32);
    }
    if hour > 23 || minute > 59 || second > 59 {
        return None;
    }
    let seconds = i64::from(hour) * 3600 + i64::from(minute) * 60 + i64::from(second);
    Some(start_of(day) + seconds * 1_000_000 + i64::from(micros))
}

/// Whether a day is one that people write in formats: in the years of this calendar, four digits each.
/// `%Y` takes fewer digits and signs, but 26 is not the year that is meant.
fn in_use(date: Date) -> bool {
    YEARS.contains(&date.year())
}

/// The years that days may be in, unless they are written out as ISO 8601.
pub const YEARS: std::ops::RangeInclusive<i16> = 1583..=9999;

/// Reads a day in a format of `%` signs such as `%d/%m/%Y` (those of `strptime`). Only the years of
/// [`YEARS`] are taken.
pub fn parse_format(format: &str, text: &[u8]) -> Option<i32> {
    Date::strptime(format, text).ok().filter(|date| in_use(*date)).map(from_civil)
}

/// Reads a moment in a format of `%` signs.
pub fn parse_time_format(format: &str, text: &[u8]) -> Option<i64> {
    DateTime::strptime(format, text).ok().filter(|time| in_use(time.date())).map(from_civil_time)
}

/// What is wrong with a format, if anything: it is tried on a sample moment, written and read.
pub fn format_error(format: &str, with_time: bool) -> Option<String> {
    let sample = DateTime::from_parts(Date::constant(2026, 11, 24), Time::constant(13, 5, 9, 0));
    let written = match jiff::fmt::strtime::format(format, sample) {
        Ok(written) => written,
        Err(error) => return Some(error.to_string()),
    };
    let read = if with_time {
        DateTime::strptime(format, &written).map(|_| ())
    } else {
        Date::strptime(format, &written).map(|_| ())
    };
    read.err().map(|error| error.to_string())
}

/// Writes a day as ISO 8601.
pub fn write(days: i32, out: &mut Vec<u8>) {
    let Some(date) = to_civil(days) else {
        out.extend_from_slice(b"?");
        return;
    };
    let year = i32::from(date.year());
    if year < 0 {
        out.push(b'-');
    }
    let year = year.unsigned_abs();
    out.extend_from_slice(&pair(year / 100));
    out.extend_from_slice(&pair(year % 100));
    out.push(b'-');
    out.extend_from_slice(&pair(date.month().unsigned_abs().into()));
    out.push(b'-');
    out.extend_from_slice(&pair(date.day().unsigned_abs().into()));
}

/// The last two digits of a number.
fn pair(n: u32) -> [u8; 2] {
    [b'0' + (n / 10 % 10) as u8, b'0' + (n % 10) as u8]
}

/// Writes a moment as ISO 8601, with a fraction of seconds only where there is one.
pub fn write_time(micros: i64, out: &mut Vec<u8>) {
    write(day_of(micros), out);
    let rest = micros.rem_euclid(MICROS_A_DAY);
    let (seconds, fraction) = (rest / 1_000_000, rest % 1_000_000);
    for (sign, part) in [(b'T', seconds / 3600), (b':', seconds / 60 % 60), (b':', seconds % 60)] {
        out.push(sign);
        out.extend_from_slice(&pair(part as u32));
    }
    if fraction != 0 {
        out.extend_from_slice(format!(".{fraction:06}").trim_end_matches('0').as_bytes());
    }
}
