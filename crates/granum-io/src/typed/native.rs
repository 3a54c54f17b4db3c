//! A column as its file holds it → the column that is asked for, where no cell need be read for that.

use std::sync::Arc;

use granum_core::port::InputColumn;
use granum_core::table::{Column, PresentBuilder, TextBuilder, Whole};
use granum_core::value::{Scale, Type, decimal};

/// A column of a type, for some rows of a file.
#[derive(Debug, Clone)]
pub(crate) struct Native {
    pub column: Column,
    /// Whether its moments are those of UTC.
    pub utc: bool,
    /// The cells that hold what no value can be, by their rows, and what that is. They are blank in the column.
    pub without: Vec<(usize, Arc<str>)>,
    /// The cells that hold a value of another kind than the column, by their rows, as text. They are blank in the column.
    pub others: Vec<(usize, Arc<str>)>,
}

impl From<Column> for Native {
    fn from(column: Column) -> Self {
        Self { column, utc: false, without: vec![], others: vec![] }
    }
}

impl Native {
    /// The column that is asked for, if it is this one or follows from it; else its cells have to be read.
    pub fn goes_over(&self, asked: &InputColumn) -> Option<Column> {
        if !self.without.is_empty() || !self.others.is_empty() {
            return None;
        }
        if let Some(rule) = &asked.rule {
            // A form is one of text; a zone is asked of moments of any kind.
            if !rule.formats.is_empty() || rule.zone.is_some() {
                return None;
            }
        }
        match (&self.column, asked.ty) {
            (column, ty) if column.ty() == ty => Some(column.clone()),
            (Column::Blank(rows), ty) => Some(Column::all_blank(ty, *rows)),
            (_, Type::Text) => Some(self.texts()),
            (Column::Integer(values), Type::Decimal(scale)) => {
                let units = values.all().map(i128::from);
                rescaled(units, values.present(), Scale(0), scale)
            }
            (Column::Decimal(values, from), Type::Decimal(to)) => {
                rescaled(values.all(), values.present(), *from, to)
            }
            _ => None,
        }
    }

    /// The values as they are written.
    fn texts(&self) -> Column {
        let mut texts = TextBuilder::new(self.column.len());
        let mut scratch = vec![];
        for row in 0..self.column.len() {
            scratch.clear();
            self.write(row, &mut scratch);
            match std::str::from_utf8(&scratch) {
                Ok(text) if !text.is_empty() => texts.push(text),
                _ => texts.push_blank(),
            }
        }
        Column::Text(texts.finish())
    }

    /// Writes a row's value as a cell of text: a moment of UTC with the letter that says so.
    pub fn write(&self, row: usize, out: &mut Vec<u8>) {
        if let Ok(at) = self.others.binary_search_by_key(&row, |(row, _)| *row) {
            out.extend_from_slice(self.others[at].1.as_bytes());
        }
        self.column.write_value(row, out);
        if self.utc && !self.column.is_blank(row) {
            out.push(b'Z');
        }
    }
}

/// Units with more places; nothing if one has too many digits, or loses some.
fn rescaled(
    units: impl Iterator<Item = i128>,
    present: Option<&granum_core::table::Present>,
    from: Scale,
    to: Scale,
) -> Option<Column> {
    let mut rows = PresentBuilder::default();
    let mut values = vec![];
    for (row, units) in units.enumerate() {
        let there = present.is_none_or(|present| present.has(row));
        rows.push(there);
        values.push(if there { decimal::without_loss(units, from, to)? } else { 0 });
    }
    Some(Column::Decimal(Whole::new(values, rows.finish()).narrowed(), to))
}
