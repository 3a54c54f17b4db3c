//! Cells → one column.

use arrow_array::builder::StringViewBuilder;
use arrow_array::{BooleanArray, Date32Array, Float64Array, Int64Array, TimestampMicrosecondArray};
use arrow_buffer::{NullBuffer, NullBufferBuilder};
use granum_core::resolve::InputColumn;
use granum_core::table::Column;
use granum_core::value::{Scale, Type, day, decimal, found_type, parse_boolean, parse_integer};

/// Whether a cell could be read. One that could not is blank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Read {
    Well,
    Badly,
}

pub(super) struct CellBuilder {
    values: Values,
    nulls: NullBufferBuilder,
    formats: Vec<String>,
    /// Without a `read` a cell must look like its type; with one it need only be readable.
    found: bool,
    /// The last text that was read as a day, and what it gave: neighbours are often equal.
    last: (String, i64),
}

enum Values {
    Blank(usize),
    Text(StringViewBuilder),
    Integer(Vec<i64>),
    Decimal(Vec<i128>, Scale),
    Number(Vec<f64>),
    Date(Vec<i32>),
    DateTime(Vec<i64>),
    Boolean(Vec<bool>),
}

impl CellBuilder {
    pub fn new(column: &InputColumn, room: usize) -> Self {
        let values = match column.ty {
            Type::Blank => Values::Blank(0),
            Type::Text => Values::Text(StringViewBuilder::with_capacity(room)),
            Type::Integer => Values::Integer(Vec::with_capacity(room)),
            Type::Decimal(scale) => Values::Decimal(Vec::with_capacity(room), scale),
            Type::Number => Values::Number(Vec::with_capacity(room)),
            Type::Date => Values::Date(Vec::with_capacity(room)),
            Type::DateTime => Values::DateTime(Vec::with_capacity(room)),
            Type::Boolean => Values::Boolean(Vec::with_capacity(room)),
        };
        Self {
            values,
            nulls: NullBufferBuilder::new(room),
            formats: column.rule.as_ref().map_or(vec![], |rule| rule.formats.clone()),
            found: column.rule.is_none(),
            last: (String::new(), 0),
        }
    }

    pub fn push_blank(&mut self) {
        match &mut self.values {
            Values::Blank(rows) => *rows += 1,
            Values::Text(builder) => builder.append_null(),
            Values::Integer(values) => values.push(0),
            Values::Decimal(values, _) => values.push(0),
            Values::Number(values) => values.push(0.0),
            Values::Date(values) => values.push(0),
            Values::DateTime(values) => values.push(0),
            Values::Boolean(values) => values.push(false),
        }
        self.nulls.append_null();
    }

    /// Takes a cell; an empty one is blank.
    pub fn push(&mut self, cell: &str) -> Read {
        if cell.is_empty() {
            self.push_blank();
            return Read::Well;
        }
        if let Values::Text(builder) = &mut self.values {
            builder.append_value(cell);
            return Read::Well;
        }
        let bytes = cell.as_bytes();
        let read = match &mut self.values {
            Values::Integer(values) => {
                let leading = self.found && !looks_whole(bytes);
                parse_integer(bytes).filter(|_| !leading).map(|value| values.push(value))
            }
            Values::Decimal(values, scale) => {
                // Found from cells, a column has whole numbers beside decimals, and no others.
                let fits = !self.found
                    || looks_whole(bytes)
                    || matches!(found_type(bytes), Type::Decimal(found) if found <= *scale);
                let value = decimal::parse_to(bytes, *scale).filter(|_| fits);
                value.map(|value| values.push(value))
            }
            Values::Number(values) => {
                cell.parse::<f64>().ok().filter(|n| n.is_finite()).map(|value| values.push(value))
            }
            Values::Date(values) => {
                if self.last.0 == cell {
                    values.push(self.last.1 as i32);
                    Some(())
                } else {
                    let day = if self.formats.is_empty() {
                        day::parse_iso(bytes)
                    } else {
                        self.formats.iter().find_map(|format| day::parse_format(format, bytes))
                    };
                    day.map(|day| {
                        cell.clone_into(&mut self.last.0);
                        self.last.1 = day.into();
                        values.push(day);
                    })
                }
            }
            Values::DateTime(values) => {
                let moment = if self.formats.is_empty() {
                    day::parse_iso_time(bytes)
                } else {
                    self.formats.iter().find_map(|format| day::parse_time_format(format, bytes))
                };
                moment.map(|moment| values.push(moment))
            }
            Values::Boolean(values) => parse_boolean(bytes).map(|value| values.push(value)),
            Values::Blank(_) | Values::Text(_) => None,
        };
        if read.is_some() {
            self.nulls.append_non_null();
            return Read::Well;
        }
        self.push_blank();
        Read::Badly
    }

    pub fn finish(mut self) -> Column {
        let nulls: Option<NullBuffer> = self.nulls.finish();
        match self.values {
            Values::Blank(rows) => Column::Blank(rows),
            Values::Text(mut builder) => Column::Text(builder.finish()),
            Values::Integer(values) => Column::Integer(Int64Array::new(values.into(), nulls)),
            Values::Decimal(values, scale) => Column::decimal(values, nulls, scale),
            Values::Number(values) => Column::Number(Float64Array::new(values.into(), nulls)),
            Values::Date(values) => Column::Date(Date32Array::new(values.into(), nulls)),
            Values::DateTime(values) => {
                Column::DateTime(TimestampMicrosecondArray::new(values.into(), nulls))
            }
            Values::Boolean(values) => Column::Boolean(BooleanArray::new(values.into(), nulls)),
        }
    }
}

/// Digits without a leading zero or a plus: what a column of whole numbers is made of.
fn looks_whole(cell: &[u8]) -> bool {
    let digits = cell.strip_prefix(b"-").unwrap_or(cell);
    digits
        .first()
        .is_some_and(|first| first.is_ascii_digit() && (*first != b'0' || digits.len() == 1))
        && digits.iter().all(u8::is_ascii_digit)
}
