//! The types of columns and values.

use std::fmt;

use serde::{Deserialize, Serialize};

/// Places after the decimal point.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Scale(pub u8);

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Type {
    /// Only blanks: goes with every other type.
    Blank,
    /// UTF-8 text, never empty.
    Text,
    /// 64-bit whole numbers.
    Integer,
    /// Exact numbers of up to 38 digits with this many places.
    Decimal(Scale),
    /// 64-bit floating point.
    Number,
    /// A calendar day.
    Date,
    /// A day and a time to the microsecond, without a zone.
    DateTime,
    /// True or false.
    Boolean,
}

impl Type {
    /// Whether it can be reckoned with.
    pub fn is_numeric(self) -> bool {
        matches!(self, Self::Integer | Self::Decimal(_) | Self::Number | Self::Blank)
    }

    /// Whether it is a day or a moment.
    pub fn is_temporal(self) -> bool {
        matches!(self, Self::Date | Self::DateTime | Self::Blank)
    }

    /// The places after the point of an exact number; 0 for an integer.
    pub fn scale(self) -> Option<Scale> {
        match self {
            Self::Integer => Some(Scale(0)),
            Self::Decimal(scale) => Some(scale),
            _ => None,
        }
    }

    /// The one type that both can become without loss: integers become decimals, the scale is the
    /// larger, anything numeric beside a `number` becomes one, and blank becomes the other.
    pub fn common(self, other: Type) -> Option<Type> {
        match (self, other) {
            (a, b) if a == b => Some(a),
            (Self::Blank, b) => Some(b),
            (a, Self::Blank) => Some(a),
            (Self::Number, b) if b.is_numeric() => Some(Self::Number),
            (a, Self::Number) if a.is_numeric() => Some(Self::Number),
            (a, b) => Some(Self::Decimal(a.scale()?.max(b.scale()?))),
        }
    }
}

impl fmt::Display for Type {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Blank => out.write_str("blank"),
            Self::Text => out.write_str("text"),
            Self::Integer => out.write_str("integer"),
            Self::Decimal(scale) => write!(out, "decimal({})", scale.0),
            Self::Number => out.write_str("number"),
            Self::Date => out.write_str("date"),
            Self::DateTime => out.write_str("datetime"),
            Self::Boolean => out.write_str("boolean"),
        }
    }
}
