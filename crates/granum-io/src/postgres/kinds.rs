//! The types of a database and those of values, both ways.

use granum_core::value::{Scale, Type, decimal};
use postgres::types::{Kind as Own, Type as Server};

use super::catalog::quoted;

/// How a column's values come over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Coming {
    Boolean,
    Int2,
    Int4,
    Int8,
    Float4,
    Float8,
    Numeric(Scale),
    Date,
    /// Moments; of UTC, or by a clock that nobody names.
    Moment {
        utc: bool,
    },
    /// Texts, and what is written as such.
    Text,
}

impl Coming {
    /// The type of the values.
    pub fn ty(self) -> Type {
        match self {
            Self::Boolean => Type::Boolean,
            Self::Int2 | Self::Int4 | Self::Int8 => Type::Integer,
            Self::Float4 | Self::Float8 => Type::Number,
            Self::Numeric(scale) => Type::Decimal(scale),
            Self::Date => Type::Date,
            Self::Moment { .. } => Type::DateTime,
            Self::Text => Type::Text,
        }
    }

    /// Whether its values compare by what they are; else they are compared as texts, byte by byte.
    pub fn compares(self) -> bool {
        self != Self::Text
    }
}

/// What is to be done about a column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Kind {
    /// It comes so; asked for as text where `as_text` says it.
    Comes { coming: Coming, as_text: bool },
    /// It comes as a number of as many places as its values have.
    Open,
    /// It holds no values: what it does hold.
    No(String),
}

/// What becomes of a column of a type, with what else is said of that, as the server numbers it.
pub(super) fn kind(ty: &Server, modifier: i32) -> Kind {
    let comes = |coming| Kind::Comes { coming, as_text: false };
    if let Own::Array(_) = ty.kind() {
        return Kind::No("a list".into());
    }
    if let Own::Composite(_) = ty.kind() {
        return Kind::No("an object".into());
    }
    match *ty {
        Server::BOOL => comes(Coming::Boolean),
        Server::INT2 => comes(Coming::Int2),
        Server::INT4 => comes(Coming::Int4),
        Server::INT8 => comes(Coming::Int8),
        Server::FLOAT4 => comes(Coming::Float4),
        Server::FLOAT8 => comes(Coming::Float8),
        Server::NUMERIC if modifier < 0 => Kind::Open,
        Server::NUMERIC => numeric(places(modifier)),
        Server::DATE => comes(Coming::Date),
        Server::TIMESTAMP => comes(Coming::Moment { utc: false }),
        Server::TIMESTAMPTZ => comes(Coming::Moment { utc: true }),
        Server::TEXT | Server::VARCHAR => comes(Coming::Text),
        Server::BYTEA => Kind::No("bytes".into()),
        _ => Kind::Comes { coming: Coming::Text, as_text: true },
    }
}

/// A number of so many places.
pub(super) fn numeric(places: i32) -> Kind {
    let places = u8::try_from(places.max(0)).unwrap_or(u8::MAX);
    if Scale(places) > decimal::MOST_SCALE {
        return Kind::No(format!("a decimal of {places} places"));
    }
    Kind::Comes { coming: Coming::Numeric(Scale(places)), as_text: false }
}

/// The places of `numeric(12, 2)`, as the server packs them: eleven bits with a sign.
fn places(modifier: i32) -> i32 {
    let packed = (modifier - 4) & 0x7ff;
    (packed ^ 1024) - 1024
}

/// How a column of a type is declared, as the server itself writes that.
pub(super) fn declaration(ty: Type) -> String {
    match ty {
        Type::Blank | Type::Text => "text".into(),
        Type::Integer => "bigint".into(),
        Type::Decimal(places) => format!("numeric(38,{})", places.0),
        Type::Number => "double precision".into(),
        Type::Date => "date".into(),
        Type::DateTime => "timestamp without time zone".into(),
        Type::Boolean => "boolean".into(),
    }
}

/// A column as the database has it.
#[derive(Debug, Clone)]
pub(super) struct Column {
    pub name: String,
    /// How its values come; nothing of one that holds none.
    pub coming: Option<Coming>,
    /// Whether they are asked for as text.
    pub as_text: bool,
    /// Whether texts of it are kept in the order of their bytes.
    pub bytewise: bool,
    /// Whether it may be blank.
    pub blank: bool,
}

impl Column {
    /// How a query asks for it.
    pub fn asked(&self) -> String {
        let name = quoted(&self.name);
        if self.as_text { format!("{name}::text") } else { name }
    }
}
