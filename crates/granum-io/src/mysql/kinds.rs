//! The types of a database and those of values, both ways.

use granum_core::value::{Scale, Type, decimal};
use mysql::Column;
use mysql::consts::{ColumnFlags, ColumnType};

/// What is to be done about a column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Kind {
    /// Its values are of a type; moments, of UTC or by a clock that nobody names.
    Of(Type, bool),
    /// It holds no values: what it does hold.
    No(&'static str),
}

/// What becomes of a column; `truths` says whether its numbers are truth values.
pub(super) fn kind(column: &Column, truths: bool) -> Kind {
    use ColumnType as Own;
    // Bytes have no letters.
    let bytes = column.character_set() == 63;
    match column.column_type() {
        Own::MYSQL_TYPE_TINY if truths => Kind::Of(Type::Boolean, false),
        Own::MYSQL_TYPE_TINY
        | Own::MYSQL_TYPE_SHORT
        | Own::MYSQL_TYPE_LONG
        | Own::MYSQL_TYPE_LONGLONG
        | Own::MYSQL_TYPE_INT24
        | Own::MYSQL_TYPE_YEAR => Kind::Of(Type::Integer, false),
        Own::MYSQL_TYPE_FLOAT | Own::MYSQL_TYPE_DOUBLE => Kind::Of(Type::Number, false),
        Own::MYSQL_TYPE_DECIMAL | Own::MYSQL_TYPE_NEWDECIMAL => {
            let scale = Scale(column.decimals());
            if scale > decimal::MOST_SCALE {
                return Kind::No("a decimal of more than 20 places");
            }
            Kind::Of(Type::Decimal(scale), false)
        }
        Own::MYSQL_TYPE_DATE | Own::MYSQL_TYPE_NEWDATE => Kind::Of(Type::Date, false),
        Own::MYSQL_TYPE_DATETIME | Own::MYSQL_TYPE_DATETIME2 => Kind::Of(Type::DateTime, false),
        Own::MYSQL_TYPE_TIMESTAMP | Own::MYSQL_TYPE_TIMESTAMP2 => Kind::Of(Type::DateTime, true),
        Own::MYSQL_TYPE_NULL => Kind::Of(Type::Blank, false),
        Own::MYSQL_TYPE_BIT => Kind::No("bits"),
        Own::MYSQL_TYPE_GEOMETRY => Kind::No("a shape"),
        Own::MYSQL_TYPE_TIME | Own::MYSQL_TYPE_TIME2 | Own::MYSQL_TYPE_JSON => {
            Kind::Of(Type::Text, false)
        }
        // Words of a list are texts, whatever else is said of them.
        _ if bytes
            && !column.flags().intersects(ColumnFlags::ENUM_FLAG | ColumnFlags::SET_FLAG) =>
        {
            Kind::No("bytes")
        }
        _ => Kind::Of(Type::Text, false),
    }
}

/// How a column of a type is declared. Texts of a key are short, since no index holds long ones.
pub(super) fn declaration(ty: Type, in_key: bool) -> String {
    const TEXT: &str = "CHARACTER SET utf8mb4 COLLATE utf8mb4_bin";
    match ty {
        Type::Blank | Type::Text if in_key => format!("varchar(255) {TEXT}"),
        Type::Blank | Type::Text => format!("longtext {TEXT}"),
        Type::Integer => "bigint".into(),
        Type::Decimal(places) => format!("decimal(38,{})", places.0),
        Type::Number => "double".into(),
        Type::Date => "date".into(),
        Type::DateTime => "datetime(6)".into(),
        Type::Boolean => "tinyint(1)".into(),
    }
}
