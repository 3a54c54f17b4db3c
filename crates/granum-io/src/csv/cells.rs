//! Cells → one column, a block of rows at a time.

use granum_core::port::InputColumn;
use granum_core::table::{Column, ColumnBuilder, GrowingUnits, GrowingValues, PresentBuilder};
use granum_core::value::{
    NumberExample, OddHour, Scale, Type, Zone, day, decimal, parse_boolean, parse_integer,
};
use std::borrow::Cow;

use super::grid::Grid;
use super::numbers::{SHORT_PLACES, read_short};
use super::part::cell;
use super::scan::Field;

/// One column's cells in a block of rows.
pub(super) struct Cells<'a> {
    pub text: &'a str,
    pub grid: &'a Grid,
    /// Where the column stands in a row; `None` where the file lacks it.
    pub place: Option<usize>,
}

impl Cells<'_> {
    /// A row's cell, doubled quotes made single.
    pub fn text(&self, row: usize) -> Cow<'_, str> {
        self.place.map_or(Cow::Borrowed(""), |place| cell(self.text, self.grid.field(row, place)))
    }

    /// Reads each cell that is not empty; gives the rows of those that could not be read.
    fn each<T: Copy + Default>(
        &self,
        values: &mut Vec<T>,
        present: &mut PresentBuilder,
        mut read: impl FnMut(&[u8]) -> Option<T>,
    ) -> Vec<usize> {
        self.each_row(values, present, |_, cell| read(cell))
    }

    /// The same of units of decimals.
    fn units(
        &self,
        units: &mut GrowingUnits,
        present: &mut PresentBuilder,
        short: Option<usize>,
        mut read: impl FnMut(&[u8]) -> Option<i128>,
    ) -> Vec<usize> {
        let values = match units {
            GrowingUnits::Eight(values) => values,
            GrowingUnits::All(values) => return self.each(values, present, read),
        };
        let (first, mut large) = (values.len(), vec![]);
        let bad = self.whole(values, present, short, |row, cell| {
            let units = read(cell)?;
            Some(i64::try_from(units).unwrap_or_else(|_| {
                large.push((first + row, units));
                0
            }))
        });
        units.set(&large);
        bad
    }

    /// The same of whole numbers, or whole units of numbers with so many places, that most are written in a `short` way.
    fn whole(
        &self,
        values: &mut Vec<i64>,
        present: &mut PresentBuilder,
        short: Option<usize>,
        read: impl FnMut(usize, &[u8]) -> Option<i64>,
    ) -> Vec<usize> {
        let bytes = self.text.as_bytes();
        // Most amounts have two places: where the number is known beforehand, its steps are fewer.
        match short {
            None => self.each_row(values, present, read),
            Some(0) => self.quickly(values, present, |field| read_short(bytes, field, 0), read),
            Some(2) => self.quickly(values, present, |field| read_short(bytes, field, 2), read),
            Some(places) => {
                self.quickly(values, present, |field| read_short(bytes, field, places), read)
            }
        }
    }

    /// The same with the cell's row in the block.
    fn each_row<T: Copy + Default>(
        &self,
        values: &mut Vec<T>,
        present: &mut PresentBuilder,
        read: impl FnMut(usize, &[u8]) -> Option<T>,
    ) -> Vec<usize> {
        self.quickly(values, present, |_| None, read)
    }

    /// Reads each cell in a quick way, or if that finds nothing, as others are.
    fn quickly<T: Copy + Default>(
        &self,
        values: &mut Vec<T>,
        present: &mut PresentBuilder,
        quick: impl Fn(Field) -> Option<T>,
        mut read: impl FnMut(usize, &[u8]) -> Option<T>,
    ) -> Vec<usize> {
        let mut bad = vec![];
        let Some(place) = self.place else {
            values.resize(values.len() + self.grid.rows(), T::default());
            present.push_all(self.grid.rows(), false);
            return bad;
        };
        let bytes = self.text.as_bytes();
        values.extend((0..self.grid.rows()).map(|row| {
            let field = self.grid.field(row, place);
            let value = quick(field).or_else(|| {
                if field.start == field.end {
                    None
                } else if field.escaped {
                    read(row, cell(self.text, field).as_bytes())
                } else {
                    read(row, &bytes[field.start..field.end])
                }
            });
            present.push(value.is_some());
            value.unwrap_or_else(|| {
                if field.start < field.end {
                    bad.push(row);
                }
                T::default()
            })
        }));
        bad
    }
}

/// A column that is being made of cells.
pub(super) struct CellColumn {
    column: ColumnBuilder,
    formats: Vec<String>,
    /// How numbers are written, tried in order; plainly if there is none.
    examples: Vec<NumberExample>,
    /// Without a `read` a cell must look like its type; with one it need only be readable.
    found: bool,
    /// The place whose clock moments are read by.
    zone: Option<Zone>,
    /// Rows of the last block with moments in odd hours.
    odd: Vec<(usize, OddHour)>,
}

impl CellColumn {
    pub fn new(column: &InputColumn, room: usize) -> Self {
        let formats = column.rule.as_ref().map_or(vec![], |rule| rule.formats.clone());
        let whole = column.ty == Type::Integer;
        let numeric = whole || matches!(column.ty, Type::Decimal(_) | Type::Number);
        let examples = formats.iter().filter(|_| numeric);
        Self {
            column: ColumnBuilder::new(column.ty, room),
            // The plan was resolved, so each of them is one.
            examples: examples.filter_map(|e| NumberExample::parse(e, whole).ok()).collect(),
            formats,
            found: column.rule.is_none(),
            zone: column.rule.as_ref().and_then(|rule| rule.zone.clone()),
            odd: vec![],
        }
    }

    /// Takes in a block of rows. An empty cell is blank. Gives the rows, counted from the block's
    /// first, whose cells could not be read; they are blank too.
    pub fn take(&mut self, cells: &Cells<'_>) -> Vec<usize> {
        let (found, formats, examples) = (self.found, &self.formats, &self.examples);
        let mut digits = vec![];
        let mut by_example = |cell: &[u8]| {
            let cell = std::str::from_utf8(cell).ok()?;
            examples.iter().find_map(|example| example.read(cell, &mut digits))
        };
        let (values, present) = self.column.ends();
        match values {
            GrowingValues::Blank(rows) => {
                let first = *rows;
                *rows += cells.grid.rows();
                (0..*rows - first).filter(|row| !cells.text(*row).is_empty()).collect()
            }
            GrowingValues::Text(texts) => {
                let Some(place) = cells.place else {
                    texts.push_blanks(cells.grid.rows());
                    return vec![];
                };
                for row in 0..cells.grid.rows() {
                    let field = cells.grid.field(row, place);
                    if field.escaped {
                        texts.push(&cells.text(row));
                    } else {
                        texts.push_part(cells.text, field.start..field.end);
                    }
                }
                vec![]
            }
            GrowingValues::Integer(values) if !examples.is_empty() => {
                cells.each(values, present, |cell| {
                    let (units, places) = by_example(cell)?;
                    i64::try_from(decimal::without_loss(units, places, Scale(0))?).ok()
                })
            }
            GrowingValues::Decimal(values, scale) if !examples.is_empty() => {
                cells.units(values, present, None, |cell| {
                    let (units, places) = by_example(cell)?;
                    decimal::without_loss(units, places, *scale)
                })
            }
            GrowingValues::Number(values) if !examples.is_empty() => {
                cells.each(values, present, |cell| {
                    let (units, places) = by_example(cell)?;
                    decimal::to_text(units, places).parse().ok()
                })
            }
            GrowingValues::Integer(values) => cells.whole(values, present, Some(0), |_, cell| {
                if found && !plain_sign_and_zero(cell) { None } else { parse_integer(cell) }
            }),
            GrowingValues::Decimal(values, scale) => {
                let short =
                    Some(usize::from(scale.0)).filter(|places| (1..=SHORT_PLACES).contains(places));
                cells.units(values, present, short, |cell| {
                    let (units, places) = decimal::parse(cell)?;
                    // Found from cells, a column has no more places than were found.
                    if found && (places > *scale || !plain_sign_and_zero(cell)) {
                        return None;
                    }
                    decimal::without_loss(units, places, *scale)
                })
            }
            GrowingValues::Number(values) => cells.each(values, present, |cell| {
                let number: f64 = std::str::from_utf8(cell).ok()?.parse().ok()?;
                number.is_finite().then_some(number)
            }),
            GrowingValues::Date(values) => {
                // Neighbours are often equal.
                let mut last = (vec![], 0);
                cells.each(values, present, |cell| {
                    if last.0 != cell {
                        let day = if formats.is_empty() {
                            day::parse_iso(cell)
                        } else {
                            formats.iter().find_map(|format| day::parse_format(format, cell))
                        }?;
                        last.0.clear();
                        last.0.extend_from_slice(cell);
                        last.1 = day;
                    }
                    Some(last.1)
                })
            }
            GrowingValues::DateTime(values) if self.zone.is_some() => {
                by_clock(cells, (values, present), (&self.zone, formats), &mut self.odd)
            }
            GrowingValues::DateTime(values) => cells.each(values, present, |cell| {
                if formats.is_empty() {
                    day::parse_iso_time(cell)
                } else {
                    formats.iter().find_map(|format| day::parse_time_format(format, cell))
                }
            }),
            GrowingValues::Boolean(values) => {
                let mut all: Vec<bool> = Vec::with_capacity(cells.grid.rows());
                let bad = cells.each(&mut all, present, parse_boolean);
                all.into_iter().for_each(|is| values.push(is));
                bad
            }
        }
    }

    /// Rows of the last block with moments in hours that a clock showed twice, or never.
    pub fn odd_hours(&self) -> &[(usize, OddHour)] {
        &self.odd
    }

    pub fn finish(self) -> Column {
        self.column.finish()
    }
}

/// Reads moments as the clock of a zone showed them, and notes those in odd hours.
fn by_clock(
    cells: &Cells<'_>,
    (values, present): (&mut Vec<i64>, &mut PresentBuilder),
    (zone, formats): (&Option<Zone>, &[String]),
    odd: &mut Vec<(usize, OddHour)>,
) -> Vec<usize> {
    odd.clear();
    let read = |cell: &[u8]| {
        let zone = zone.as_ref()?;
        if formats.is_empty() {
            zone.read_iso(cell)
        } else {
            formats.iter().find_map(|format| zone.read_format(format, cell))
        }
    };
    cells.each_row(values, present, |row, cell| {
        let clock = read(cell)?;
        odd.extend(clock.odd.map(|hour| (row, hour)));
        Some(clock.micros)
    })
}

/// Whether a number has no plus and no leading zero: what columns that are found to be numbers
/// are made of.
fn plain_sign_and_zero(cell: &[u8]) -> bool {
    let digits = cell.strip_prefix(b"-").unwrap_or(cell);
    match digits {
        [b'0', next, ..] => !next.is_ascii_digit(),
        [first, ..] => first.is_ascii_digit(),
        [] => false,
    }
}
