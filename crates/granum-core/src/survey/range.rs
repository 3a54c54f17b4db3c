//! The least and the greatest value of a column, once its cells are read as they would have to be.

use super::again::read_again;
use super::coded::Coded;
use super::reading::{Reading, reading};
use super::report::ColumnSurvey;
use crate::port::{InputSource, Observer, SourceError};
use crate::table::Column;
use crate::value::{NumberExample, Scalar, Type, day, decimal};

/// A range on its way.
pub(super) struct Range<'a> {
    reading: &'a Reading,
    example: Option<NumberExample>,
    digits: Vec<u8>,
    ends: Option<(End, End)>,
    /// Whether all values so far are read.
    all: bool,
}

/// A value to compare by, and as it is shown.
type End = (i128, Scalar);

impl<'a> Range<'a> {
    /// Of no values yet.
    pub fn new(reading: &'a Reading) -> Self {
        let example = match (reading.ty, reading.formats.first()) {
            (Type::Decimal(_) | Type::Integer, Some(example)) => {
                NumberExample::parse(example, reading.ty == Type::Integer).ok()
            }
            _ => None,
        };
        Self { reading, example, digits: vec![], ends: None, all: true }
    }

    /// Takes a value in, if it is read.
    pub fn take(&mut self, value: &str) {
        let Some(it) = self.read(value) else {
            self.all = false;
            return;
        };
        match &mut self.ends {
            None => self.ends = Some((it.clone(), it)),
            Some((least, _)) if it.0 < least.0 => *least = it,
            Some((_, greatest)) if it.0 > greatest.0 => *greatest = it,
            Some(_) => {}
        }
    }

    /// The least and the greatest; nothing where no value is read.
    pub fn ends(&self) -> Option<(String, String)> {
        let (least, greatest) = self.ends.as_ref()?;
        Some((least.1.to_string(), greatest.1.to_string()))
    }

    fn read(&mut self, value: &str) -> Option<End> {
        let bytes = value.as_bytes();
        let reading = self.reading;
        let mut formats = reading.formats.iter();
        match reading.ty {
            Type::Date => {
                let iso = day::parse_iso(bytes);
                let day =
                    iso.or_else(|| formats.find_map(|format| day::parse_format(format, bytes)))?;
                Some((day.into(), Scalar::Date(day)))
            }
            Type::DateTime => {
                let zone = reading.zone.as_ref().and_then(|(_, zone)| zone.read_iso(bytes));
                let iso = zone.map(|clock| clock.micros).or_else(|| day::parse_iso_time(bytes));
                let time = iso
                    .or_else(|| formats.find_map(|format| day::parse_time_format(format, bytes)))?;
                Some((time.into(), Scalar::DateTime(time)))
            }
            Type::Integer | Type::Decimal(_) => {
                let (units, from) = match &self.example {
                    Some(example) => example.read(value, &mut self.digits)?,
                    None => decimal::parse(bytes)?,
                };
                let scale = reading.ty.scale().unwrap_or_default();
                let units = decimal::rescale(units, from, scale)?;
                Some((units, Scalar::Decimal(units, scale)))
            }
            _ => None,
        }
    }
}

/// Looks at all cells of columns that are to be read in a way of their own and of whose values a sample was kept: the
/// files are read again. What does not read all of them is not proposed.
///
/// # Errors
/// Why a file cannot be read.
pub(super) fn ranges(
    source: &dyn InputSource,
    coded: &Coded,
    columns: &mut [ColumnSurvey],
    observer: &dyn Observer,
) -> Result<(), SourceError> {
    let again: Vec<(usize, Reading)> = coded
        .columns
        .iter()
        .enumerate()
        .filter(|(_, column)| !column.whole())
        .filter_map(|(at, column)| Some((at, reading(column)?)))
        .filter(|(_, reading)| reading.ty != Type::Text)
        .collect();
    if again.is_empty() {
        return Ok(());
    }
    observer.stage("reading again what has formats of its own", source.bytes());
    let asked = again.iter().map(|(column, reading)| (*column, Range::new(reading)));
    let ranges = read_again(source, asked.collect(), observer, |range, cells| {
        if let Column::Text(texts) = cells {
            texts.iter().flatten().for_each(|value| range.take(value));
        }
    })?;
    for ((at, reading), range) in again.iter().zip(&ranges) {
        let told = &mut columns[*at];
        if range.all || reading.else_blank {
            (told.least, told.greatest) = range.ends().unzip();
        } else {
            (told.read, told.formats, told.zone) = (None, vec![], None);
            told.read_as = told.ty;
            (told.least, told.greatest) = coded.columns[*at].profile.range().unzip();
        }
    }
    Ok(())
}
