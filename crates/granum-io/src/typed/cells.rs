//! Cells that each have a type of their own → a column of one type.

use std::sync::Arc;

use granum_core::table::{ColumnBuilder, GrowingValues};
use granum_core::value::{Type, decimal};

use super::Native;

/// A cell as a database gives it.
pub(crate) trait Cell {
    /// Writes its text, nothing of a blank one. False of one that has none.
    fn write(&self, out: &mut Vec<u8>) -> bool;
    /// What it is, where it has no text.
    fn unheld(&self) -> String;
    /// Its value as a whole number; of this and all below it is given its text, too.
    fn integer(&self, text: &[u8]) -> Option<i64>;
    /// As a number.
    fn number(&self) -> Option<f64>;
    /// As a day.
    fn date(&self, text: &[u8]) -> Option<i32>;
    /// As a moment.
    fn moment(&self, text: &[u8]) -> Option<i64>;
    /// As a truth value.
    fn boolean(&self, text: &[u8]) -> Option<bool>;
}

/// A column that is being made of cells.
pub(crate) struct Growing {
    column: ColumnBuilder,
    utc: bool,
    rows: usize,
    without: Vec<(usize, Arc<str>)>,
    others: Vec<(usize, Arc<str>)>,
    text: Vec<u8>,
}

impl Growing {
    /// One of a type that has room for some rows; `utc` says whether its moments are those of UTC.
    pub fn new(ty: Type, utc: bool, room: usize) -> Self {
        Self {
            column: ColumnBuilder::new(ty, room),
            utc,
            rows: 0,
            without: vec![],
            others: vec![],
            text: vec![],
        }
    }

    /// Adds a cell. One of another kind than the column is kept as the text that it is.
    pub fn take(&mut self, cell: &impl Cell) {
        self.text.clear();
        let has_text = cell.write(&mut self.text);
        let blank = has_text && self.text.is_empty();
        let text = &self.text;
        let (values, present) = self.column.ends();
        macro_rules! add {
            ($values:expr, $value:expr) => {{
                let value = if blank { None } else { $value };
                present.push(value.is_some());
                $values.push(value.unwrap_or_default());
                value.is_some()
            }};
        }
        let taken = match values {
            GrowingValues::Blank(rows) => {
                *rows += 1;
                false
            }
            GrowingValues::Text(texts) => match std::str::from_utf8(text) {
                Ok(text) if has_text && !blank => {
                    texts.push(text);
                    true
                }
                _ => {
                    texts.push_blank();
                    false
                }
            },
            GrowingValues::Integer(values) => add!(values, cell.integer(text)),
            GrowingValues::Decimal(values, scale) => {
                let read = || {
                    let (units, places) = decimal::parse(text)?;
                    decimal::without_loss(units, places, *scale)
                };
                add!(values, read())
            }
            GrowingValues::Number(values) => add!(values, cell.number()),
            GrowingValues::Date(values) => add!(values, cell.date(text)),
            GrowingValues::DateTime(values) => add!(values, cell.moment(text)),
            GrowingValues::Boolean(values) => add!(values, cell.boolean(text)),
        };
        if !taken && !blank {
            if has_text {
                self.others.push((self.rows, String::from_utf8_lossy(text).into()));
            } else {
                self.without.push((self.rows, cell.unheld().into()));
            }
        }
        self.rows += 1;
    }

    pub fn finish(self) -> Native {
        let (column, without, others) = (self.column.finish(), self.without, self.others);
        Native { column, utc: self.utc, without, others }
    }
}
