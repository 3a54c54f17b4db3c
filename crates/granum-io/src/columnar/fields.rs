//! The schema of a file → the columns that a plan can name, and those that are none.

use arrow_schema::{DataType, Fields, TimeUnit};
use granum_core::tally::Unread;
use granum_core::value::{Scale, Type, decimal};

/// A column that is to be picked out of what is read.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Known {
    pub name: String,
    /// The way to it, from the outermost.
    pub path: Vec<String>,
    pub ty: Type,
}

/// The columns of a file.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Columns {
    /// Each by its name; of a field within others that is the way to it: `customer.city`.
    pub named: Vec<(String, Type)>,
    /// The way to each, from the outermost.
    paths: Vec<Vec<String>>,
    pub unread: Vec<Unread>,
}

impl Columns {
    /// Those of a schema: each field within a field by the way to it.
    ///
    /// # Errors
    /// A name that two have.
    pub fn of(fields: &Fields) -> Result<Self, String> {
        let mut columns = Self::default();
        columns.add(fields, &[]);
        let mut names: Vec<&str> = columns.named.iter().map(|(name, _)| name.as_str()).collect();
        names.extend(columns.unread.iter().map(|unread| unread.column.as_str()));
        names.sort_unstable();
        match names.windows(2).find(|pair| pair[0] == pair[1]) {
            Some(pair) => Err(pair[0].to_owned()),
            None => Ok(columns),
        }
    }

    /// Those at some places.
    pub fn at(&self, wanted: &[usize]) -> Vec<Known> {
        let known = wanted.iter().map(|at| {
            let (name, ty) = self.named[*at].clone();
            Known { name, path: self.paths[*at].clone(), ty }
        });
        known.collect()
    }

    fn add(&mut self, fields: &Fields, outer: &[String]) {
        for field in fields {
            let mut path = outer.to_vec();
            path.push(field.name().clone());
            if let DataType::Struct(inner) = field.data_type()
                && !inner.is_empty()
            {
                self.add(inner, &path);
                continue;
            }
            let name = path.join(".");
            match of_data(field.data_type()) {
                Ok(ty) => {
                    self.named.push((name, ty));
                    self.paths.push(path);
                }
                Err(what) => self.unread.push(Unread { column: name, what }),
            }
        }
    }
}

/// The type of values; else what they are.
fn of_data(data: &DataType) -> Result<Type, String> {
    Ok(match data {
        DataType::Null => Type::Blank,
        DataType::Boolean => Type::Boolean,
        DataType::Int8
        | DataType::Int16
        | DataType::Int32
        | DataType::Int64
        | DataType::UInt8
        | DataType::UInt16
        | DataType::UInt32
        | DataType::UInt64 => Type::Integer,
        DataType::Float16 | DataType::Float32 | DataType::Float64 => Type::Number,
        DataType::Date32 | DataType::Date64 => Type::Date,
        DataType::Timestamp(..) => Type::DateTime,
        // A time of day is the text that shows it.
        DataType::Time32(_) | DataType::Time64(_) => Type::Text,
        DataType::Utf8
        | DataType::LargeUtf8
        | DataType::Utf8View
        | DataType::Binary
        | DataType::LargeBinary
        | DataType::BinaryView
        | DataType::FixedSizeBinary(_) => Type::Text,
        DataType::Decimal32(_, places)
        | DataType::Decimal64(_, places)
        | DataType::Decimal128(_, places)
        | DataType::Decimal256(_, places) => {
            let places = u8::try_from(*places).unwrap_or(0);
            if Scale(places) > decimal::MOST_SCALE {
                return Err(format!("a decimal of {places} places"));
            }
            Type::Decimal(Scale(places))
        }
        DataType::Dictionary(_, values) => return of_data(values),
        DataType::List(_)
        | DataType::LargeList(_)
        | DataType::ListView(_)
        | DataType::LargeListView(_)
        | DataType::FixedSizeList(..) => return Err("a list".into()),
        DataType::Map(..) => return Err("a map".into()),
        DataType::Struct(_) => return Err("an object without fields".into()),
        DataType::Union(..) => return Err("of several types at once".into()),
        DataType::Duration(_) | DataType::Interval(_) => return Err("a length of time".into()),
        DataType::RunEndEncoded(..) => return Err("written in runs".into()),
    })
}

/// How many of a unit are a second.
pub(super) fn a_second(unit: TimeUnit) -> i64 {
    match unit {
        TimeUnit::Second => 1,
        TimeUnit::Millisecond => 1_000,
        TimeUnit::Microsecond => 1_000_000,
        TimeUnit::Nanosecond => 1_000_000_000,
    }
}
