//! Zones: what the clock of a place showed at moments that are written with an offset from UTC.

use jiff::civil::DateTime;
use jiff::fmt::strtime::BrokenDownTime;
use jiff::tz::TimeZone;

use super::day;

/// The zone of a place, by the names of the IANA time zone database, which comes with the program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Zone(TimeZone);

/// A moment as a clock shows it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clock {
    /// Microseconds from 1970-01-01T00:00:00 of the clock.
    pub micros: i64,
    /// What is odd about its hour.
    pub odd: Option<OddHour>,
}

/// What a clock that is put forward and back makes of an hour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OddHour {
    /// The clock showed it twice: which is meant, or came first, cannot be told.
    Twice,
    /// The clock never showed it.
    Never,
}

impl Zone {
    /// The zone of a name such as `Europe/Berlin`; nothing where there is none.
    pub fn named(name: &str) -> Option<Self> {
        // Only names that are a place's: the system's own is not everybody's.
        jiff::tz::TimeZoneDatabase::bundled().get(name).ok().map(Self)
    }

    /// The names of all zones.
    pub fn names() -> Vec<String> {
        jiff::tz::TimeZoneDatabase::bundled().available().map(|name| name.to_string()).collect()
    }

    /// Reads a moment by ISO 8601, with an offset from UTC or without one: then it is the clock's own.
    pub fn read_iso(&self, text: &[u8]) -> Option<Clock> {
        let (text, offset) = split_offset(text)?;
        Some(self.clock(day::parse_iso_time(text)?, offset))
    }

    /// Reads a moment in a format of `%` signs, in which `%z` is the offset.
    pub fn read_format(&self, format: &str, text: &[u8]) -> Option<Clock> {
        let parts = BrokenDownTime::parse(format, text).ok()?;
        let time = parts.to_datetime().ok()?;
        let in_use = day::YEARS.contains(&time.date().year());
        let offset = parts.offset().map(|offset| i64::from(offset.seconds()));
        in_use.then(|| self.clock(day::from_civil_time(time), offset))
    }

    /// What is wrong with a format, if anything: it is tried on a sample moment, written and read.
    pub fn format_error(&self, format: &str) -> Option<String> {
        let sample =
            DateTime::constant(2026, 11, 24, 13, 5, 9, 0).to_zoned_datetime(self.0.clone());
        let written = match sample.map(|sample| jiff::fmt::strtime::format(format, &sample)) {
            Ok(Ok(written)) => written,
            Ok(Err(error)) | Err(error) => return Some(error.to_string()),
        };
        let read = BrokenDownTime::parse(format, written.as_bytes());
        read.and_then(|parts| parts.to_datetime()).err().map(|error| error.to_string())
    }

    /// What the clock showed at a time that is so many seconds ahead of UTC; nothing beyond the years that zones know.
    pub fn shown(&self, micros: i64, offset: i64) -> Option<i64> {
        let utc = micros - offset * 1_000_000;
        let at = jiff::Timestamp::from_microsecond(utc).ok()?;
        Some(utc + i64::from(self.0.to_offset(at).seconds()) * 1_000_000)
    }

    /// What the clock showed at a time with an offset, or at one of its own, and what is odd about that hour.
    fn clock(&self, micros: i64, offset: Option<i64>) -> Clock {
        let shown = offset.map_or(Some(micros), |offset| self.shown(micros, offset));
        let clock = |micros| Some(Clock { micros, odd: self.odd(civil(micros)?) });
        shown.and_then(clock).unwrap_or(Clock { micros, odd: None })
    }

    fn odd(&self, time: DateTime) -> Option<OddHour> {
        match self.0.to_ambiguous_timestamp(time).offset() {
            jiff::tz::AmbiguousOffset::Unambiguous { .. } => None,
            jiff::tz::AmbiguousOffset::Gap { .. } => Some(OddHour::Never),
            jiff::tz::AmbiguousOffset::Fold { .. } => Some(OddHour::Twice),
        }
    }
}

/// The civil time of a count.
fn civil(micros: i64) -> Option<DateTime> {
    let date = day::to_civil(day::day_of(micros))?;
    let rest = micros - day::start_of(day::day_of(micros));
    let seconds = rest / 1_000_000;
    let part = |value: i64| i8::try_from(value).ok();
    let (hour, minute, second) = (seconds / 3600, seconds / 60 % 60, seconds % 60);
    Some(date.at(part(hour)?, part(minute)?, part(second)?, 0))
}

/// A moment by ISO 8601 without its offset, and that in seconds: `Z`, `+02:00`, `+0200` or `+02` at its end.
pub fn split_offset(text: &[u8]) -> Option<(&[u8], Option<i64>)> {
    // Behind the day and the hour a sign can only begin an offset.
    let behind = text.get(13..)?;
    if let Some(rest) = text.strip_suffix(b"Z") {
        return Some((rest, Some(0)));
    }
    let Some(at) = behind.iter().position(|byte| matches!(byte, b'+' | b'-')) else {
        return Some((text, None));
    };
    let (time, offset) = text.split_at(13 + at);
    let pair = |pair: &[u8]| -> Option<i64> {
        match pair {
            [a @ b'0'..=b'9', b @ b'0'..=b'9'] => {
                Some(i64::from(a - b'0') * 10 + i64::from(b - b'0'))
            }
            _ => None,
        }
    };
    let (hours, minutes) = match &offset[1..] {
        [hours @ .., b':', a, b] => (pair(hours)?, pair(&[*a, *b])?),
        [a, b, c, d] => (pair(&[*a, *b])?, pair(&[*c, *d])?),
        hours => (pair(hours)?, 0),
    };
    if hours > 15 || minutes > 59 {
        return None;
    }
    let seconds = hours * 3600 + minutes * 60;
    Some((time, Some(if offset[0] == b'-' { -seconds } else { seconds })))
}

/// Whether a text is a moment with an offset from UTC.
pub fn has_offset(text: &str) -> bool {
    matches!(split_offset(text.as_bytes()), Some((time, Some(_))) if day::parse_iso_time(time).is_some())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(zone: &str, text: &str) -> Option<(String, Option<OddHour>)> {
        let clock = Zone::named(zone).unwrap().read_iso(text.as_bytes())?;
        let mut out = vec![];
        day::write_time(clock.micros, &mut out);
        Some((String::from_utf8(out).unwrap(), clock.odd))
    }

    #[test]
    fn offsets_become_what_the_clock_showed() {
        let is = |zone, text, time: &str, odd| {
            assert_eq!(shown(zone, text), Some((time.to_owned(), odd)), "{zone} {text}");
        };
        is("Europe/Berlin", "2026-03-01T23:30:00Z", "2026-03-02T00:30:00", None);
        is("Europe/Berlin", "2026-07-01 23:30+00", "2026-07-02T01:30:00", None);
        is("Europe/Berlin", "2026-07-01T23:30:00.250+0200", "2026-07-01T23:30:00.25", None);
        is("America/New_York", "2026-03-01T02:00-01:30", "2026-02-28T22:30:00", None);
        is("Asia/Kathmandu", "2026-03-01T20:00:00Z", "2026-03-02T01:45:00", None);
        is("UTC", "1969-12-31T23:59:59+00:00", "1969-12-31T23:59:59", None);
        // A time of the clock's own, in hours that it showed twice, and never.
        is("Europe/Berlin", "2026-03-01T23:30", "2026-03-01T23:30:00", None);
        is("Europe/Berlin", "2026-10-25T02:30", "2026-10-25T02:30:00", Some(OddHour::Twice));
        is("Europe/Berlin", "2026-03-29T02:30", "2026-03-29T02:30:00", Some(OddHour::Never));
        is("Europe/Berlin", "2026-10-25T00:30:00Z", "2026-10-25T02:30:00", Some(OddHour::Twice));
        is("Europe/Berlin", "2026-10-25T01:30:00Z", "2026-10-25T02:30:00", Some(OddHour::Twice));
    }

    #[test]
    fn what_is_no_moment_is_none() {
        for text in [
            "",
            "2026-03-01",
            "2026-03-01T",
            "2026-03-01T23:30+",
            "2026-03-01T23:30+2",
            "2026-03-01T23:30+16:00",
            "2026-03-01T23:30+02:60",
            "2026-13-01T23:30Z",
            "2026-03-01T23:30ZZ",
            "2026-03-01T23:30+02:00:00",
        ] {
            assert_eq!(shown("UTC", text), None, "{text}");
            assert!(!has_offset(text), "{text}");
        }
        assert!(has_offset("2026-03-01 23:30:00+02:00") && !has_offset("2026-03-01 23:30:00"));
        assert!(Zone::named("Europe/Nowhere").is_none() && Zone::names().len() > 300);
    }

    #[test]
    fn formats_may_say_the_offset() {
        let zone = Zone::named("Europe/Berlin").unwrap();
        let read = |format, text: &str| {
            zone.read_format(format, text.as_bytes()).map(|clock| clock.micros)
        };
        let own = read("%d.%m.%Y %H:%M", "01.03.2026 23:30");
        assert_eq!(read("%d.%m.%Y %H:%M %z", "01.03.2026 22:30 +0000"), own);
        assert!(own.is_some() && read("%d.%m.%Y %H:%M", "x").is_none());
        assert!(read("%d.%m.%Y %H:%M", "01.03.0026 23:30").is_none());
    }
}
