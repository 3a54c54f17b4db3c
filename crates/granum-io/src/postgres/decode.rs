//! Rows as the server sends them → columns.

use std::sync::Arc;

use granum_core::table::{ColumnBuilder, GrowingValues};

use super::kinds::Coming;
use super::numeric;
use crate::typed::Native;

/// What stands before all rows, both ways: how they begin, and eight bytes that mean nothing here.
pub(super) const BEGIN: &[u8] = b"PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0";

/// Days from 1970 to 2000, from where the server counts.
pub(super) const EPOCH: i32 = 10_957;
pub(super) const DAY: i64 = 86_400_000_000;

/// The days of the first and the last that there is in the years 1 to 9999.
const DAYS: std::ops::RangeInclusive<i32> = -719_162..=2_932_896;
const MICROS: std::ops::Range<i64> = -719_162 * DAY..2_932_897 * DAY;

/// What the server calls the end and the beginning of all time.
const LAST: [&str; 2] = ["infinity", "-infinity"];

/// Where rows stand in what has been sent so far.
#[derive(Debug, Default)]
pub(super) struct Rows {
    /// Where the next row begins.
    pub at: usize,
    /// How many there are before that.
    pub count: usize,
    /// Whether the mark of the end has come.
    pub ended: bool,
}

/// That bytes are no rows: a fault of the way to the server, or of this program.
#[derive(Debug)]
pub(super) struct Torn;

impl Rows {
    /// Goes on over whole rows. Stops at the end, and at a row of which something is still to come.
    pub fn go_on(&mut self, bytes: &[u8]) -> Result<(), Torn> {
        while !self.ended {
            let Some(fields) = short(bytes, self.at) else { return Ok(()) };
            if fields == -1 {
                self.ended = true;
                return Ok(());
            }
            let mut at = self.at + 2;
            for _ in 0..fields {
                let Some(length) = long(bytes, at) else { return Ok(()) };
                at += 4 + usize::try_from(length.max(0)).map_err(|_| Torn)?;
            }
            if at > bytes.len() {
                return Ok(());
            }
            self.at = at;
            self.count += 1;
        }
        Ok(())
    }
}

fn short(bytes: &[u8], at: usize) -> Option<i16> {
    Some(i16::from_be_bytes(bytes.get(at..at + 2)?.try_into().ok()?))
}

fn long(bytes: &[u8], at: usize) -> Option<i32> {
    Some(i32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?))
}

/// Makes columns of whole rows.
///
/// # Errors
/// Rows that have not as many fields.
pub(super) fn natives(bytes: &[u8], rows: usize, columns: &[Coming]) -> Result<Vec<Native>, Torn> {
    let mut growing: Vec<Growing> =
        columns.iter().map(|coming| Growing::new(*coming, rows)).collect();
    let mut at = 0;
    for row in 0..rows {
        let fields = short(bytes, at).ok_or(Torn)?;
        at += 2;
        // A row without columns is sent with one that is blank.
        if usize::try_from(fields) != Ok(columns.len().max(1)) {
            return Err(Torn);
        }
        for field in 0..columns.len().max(1) {
            let length = long(bytes, at).ok_or(Torn)?;
            at += 4;
            let cell = match usize::try_from(length) {
                Ok(length) => Some(bytes.get(at..at + length).ok_or(Torn)?),
                Err(_) => None,
            };
            at += cell.map_or(0, <[u8]>::len);
            if let Some(growing) = growing.get_mut(field) {
                growing.take(row, cell)?;
            }
        }
    }
    Ok(growing.into_iter().map(Growing::finish).collect())
}

/// A column that is being made of cells.
struct Growing {
    column: ColumnBuilder,
    coming: Coming,
    without: Vec<(usize, Arc<str>)>,
}

impl Growing {
    fn new(coming: Coming, room: usize) -> Self {
        Self { column: ColumnBuilder::new(coming.ty(), room), coming, without: vec![] }
    }

    fn take(&mut self, row: usize, cell: Option<&[u8]>) -> Result<(), Torn> {
        let coming = self.coming;
        let mut odd = None;
        let (values, present) = self.column.ends();
        macro_rules! add {
            ($values:expr, $read:expr) => {{
                let value = match cell.map($read).transpose()? {
                    Some(Ok(value)) => Some(value),
                    Some(Err(text)) => {
                        odd = Some(text);
                        None
                    }
                    None => None,
                };
                present.push(value.is_some());
                $values.push(value.unwrap_or_default());
            }};
        }
        match values {
            GrowingValues::Text(texts) => match cell.map(std::str::from_utf8) {
                Some(Ok(text)) if !text.is_empty() => texts.push(text),
                Some(Err(_)) => {
                    texts.push_blank();
                    odd = cell.map(|cell| format!("{} bytes that are no text", cell.len()));
                }
                _ => texts.push_blank(),
            },
            GrowingValues::Integer(values) => add!(values, |cell| integer(coming, cell)),
            GrowingValues::Number(values) => add!(values, |cell| number(coming, cell)),
            GrowingValues::Decimal(values, scale) => {
                add!(values, |cell| Ok(numeric::read(cell, *scale)));
            }
            GrowingValues::Date(values) => add!(values, date),
            GrowingValues::DateTime(values) => add!(values, moment),
            GrowingValues::Boolean(values) => {
                add!(values, |cell: &[u8]| Ok(Ok::<bool, String>(cell == [1])));
            }
            GrowingValues::Blank(rows) => *rows += 1,
        }
        self.without.extend(odd.map(|text| (row, text.into())));
        Ok(())
    }

    fn finish(self) -> Native {
        let utc = self.coming == Coming::Moment { utc: true };
        Native { column: self.column.finish(), utc, without: self.without, others: vec![] }
    }
}

/// A value, or the text of what is none.
type Read<T> = Result<Result<T, String>, Torn>;

fn integer(coming: Coming, cell: &[u8]) -> Read<i64> {
    Ok(Ok(match coming {
        Coming::Int2 => i16::from_be_bytes(cell.try_into().map_err(|_| Torn)?).into(),
        Coming::Int4 => i32::from_be_bytes(cell.try_into().map_err(|_| Torn)?).into(),
        _ => i64::from_be_bytes(cell.try_into().map_err(|_| Torn)?),
    }))
}

fn number(coming: Coming, cell: &[u8]) -> Read<f64> {
    let value = match coming {
        // The shortest text of a short number is what it was meant to be.
        Coming::Float4 => {
            let short = f32::from_be_bytes(cell.try_into().map_err(|_| Torn)?);
            short.to_string().parse().unwrap_or(f64::from(short))
        }
        _ => f64::from_be_bytes(cell.try_into().map_err(|_| Torn)?),
    };
    Ok(if value.is_finite() { Ok(value) } else { Err(value.to_string()) })
}

fn date(cell: &[u8]) -> Read<i32> {
    let days = i32::from_be_bytes(cell.try_into().map_err(|_| Torn)?);
    let own = days.checked_add(EPOCH).filter(|days| DAYS.contains(days));
    Ok(own.ok_or_else(|| match days {
        i32::MAX => LAST[0].into(),
        i32::MIN => LAST[1].into(),
        _ => format!("day {days} from 2000"),
    }))
}

fn moment(cell: &[u8]) -> Read<i64> {
    let micros = i64::from_be_bytes(cell.try_into().map_err(|_| Torn)?);
    let own = micros.checked_add(i64::from(EPOCH) * DAY);
    let own = own.filter(|micros| MICROS.contains(micros));
    Ok(own.ok_or_else(|| match micros {
        i64::MAX => LAST[0].into(),
        i64::MIN => LAST[1].into(),
        _ => format!("{} seconds from 2000", micros / 1_000_000),
    }))
}
