//! The same values in another type.

use super::kernel::{Counting, FailureKind, RowFailure, map, texts, without};
use crate::table::{Column, Fixed, Present, Whole, Wide};
use crate::value::{Scalar, Scale, Type, day, decimal};

/// Converts a column. Used both for what the resolver puts in to make types fit and for the
/// conversions that a plan asks for; a value that has no exact place in the new type fails.
pub(super) fn convert(
    column: &Column,
    to: Type,
    counting: Counting<'_>,
) -> Result<Column, RowFailure> {
    if column.ty() == to {
        return Ok(column.clone());
    }
    Ok(match (column, to) {
        (Column::Blank(rows), _) => Column::all_blank(to, *rows),
        (column, Type::Text) => Column::Text(texts(column.len(), |row, out| {
            if let (Column::Text(_), _) | (_, true) = (column, column.is_blank(row)) {
                return false;
            }
            let mut bytes = vec![];
            column.write_value(row, &mut bytes);
            out.push_str(&String::from_utf8_lossy(&bytes));
            true
        })),
        (Column::Integer(a), Type::Decimal(scale)) => {
            if let Some(short) = short(a, scale.0) {
                return Ok(Column::Decimal(short, scale));
            }
            let by = decimal::power(scale.0);
            let (values, present) = map::<i64, i128>(
                a,
                counting,
                |_| FailureKind::Overflow,
                |value| decimal::fits(i128::from(value).checked_mul(by)?),
            )?;
            Column::decimal(values, present, scale)
        }
        (Column::Integer(a), Type::Number) => Column::Number(a.map(|value| value as f64)),
        (Column::Decimal(a, from), Type::Decimal(scale)) => {
            let from = *from;
            if scale > from
                && let Some(short) = short(a, scale.0 - from.0)
            {
                return Ok(Column::Decimal(short, scale));
            }
            let (values, present) = map::<i128, i128>(
                a,
                counting,
                |value| {
                    if scale >= from {
                        return FailureKind::Overflow;
                    }
                    conversion(&Scalar::Decimal(value, from), to)
                },
                |value| exactly(value, from, scale),
            )?;
            Column::decimal(values, present, scale)
        }
        (Column::Decimal(a, from), Type::Integer) => {
            let from = *from;
            let (values, present) = map::<i128, i64>(
                a,
                counting,
                |value| conversion(&Scalar::Decimal(value, from), to),
                |value| i64::try_from(exactly(value, from, Scale(0))?).ok(),
            )?;
            Column::Integer(Whole::new(values, present))
        }
        (Column::Decimal(a, scale), Type::Number) => {
            let by = decimal::power(scale.0) as f64;
            Column::Number(a.map(|value| value as f64 / by))
        }
        (Column::Number(a), Type::Integer) => {
            let (values, present) = map::<f64, i64>(
                a,
                counting,
                |value| conversion(&Scalar::Number(value), to),
                |value| {
                    let whole = value.fract() == 0.0 && value.abs() < 9.2e18;
                    whole.then_some(value as i64)
                },
            )?;
            Column::Integer(Whole::new(values, present))
        }
        (Column::Number(a), Type::Decimal(scale)) => {
            let (values, present) = map::<f64, i128>(
                a,
                counting,
                |value| conversion(&Scalar::Number(value), to),
                |value| {
                    let units = (value * decimal::power(scale.0) as f64).round();
                    if units.abs() < 1e38 { decimal::fits(units as i128) } else { None }
                },
            )?;
            Column::decimal(values, present, scale)
        }
        (Column::Date(a), Type::DateTime) => Column::DateTime(a.map(day::start_of)),
        (Column::DateTime(a), Type::Date) => Column::Date(a.map(day::day_of)),
        (Column::Text(_), _) => return parse(column, to, counting),
        (other, _) => Column::all_blank(to, other.len()),
    })
}

/// Numbers that stand in four bytes each with so many more places, if those are so few that each fits into
/// eight bytes.
fn short<T: Wide>(values: &Whole<T>, places: u8) -> Option<Whole<i128>> {
    let by = 10_i64.checked_pow(places.into()).filter(|by| *by < i64::from(i32::MAX))?;
    let (short, present) = (values.short()?, values.present().cloned());
    if places == 0 {
        return Some(Whole::of_short(short.into_owned(), present));
    }
    let longer: Vec<i64> = short.iter().map(|value| i64::from(*value) * by).collect();
    Some(Whole::of(&longer, present))
}

fn exactly(units: i128, from: Scale, to: Scale) -> Option<i128> {
    let converted = decimal::rescale(units, from, to)?;
    let whole = to >= from || converted.checked_mul(decimal::power(from.0 - to.0)) == Some(units);
    whole.then_some(converted)
}

fn conversion(value: &Scalar, to: Type) -> FailureKind {
    FailureKind::Conversion { value: value.to_string(), to }
}

/// Reads texts as another type, as cells are read.
fn parse(column: &Column, to: Type, counting: Counting<'_>) -> Result<Column, RowFailure> {
    parse_with(column, to, counting, |text| Scalar::parse(text, to))
}

/// Reads texts with `read`, which gives values of `to` or `None`.
pub(super) fn parse_with(
    column: &Column,
    to: Type,
    counting: Counting<'_>,
    read: impl Fn(&str) -> Option<Scalar>,
) -> Result<Column, RowFailure> {
    let Column::Text(array) = column else { return Ok(Column::all_blank(to, column.len())) };
    let mut values = Vec::with_capacity(array.len());
    let mut failed = vec![];
    for (row, text) in array.iter().enumerate() {
        let value = text.and_then(|text| {
            let read = read(text);
            if read.is_none() {
                failed.push((row, text));
            }
            read
        });
        values.push(value.unwrap_or(Scalar::Blank));
    }
    for (row, text) in &failed {
        counting.fail(*row, || FailureKind::Conversion { value: (*text).to_owned(), to })?;
    }
    let failed: Vec<usize> = failed.iter().map(|(row, _)| *row).collect();
    let present = without(array.present().cloned(), &failed, array.len());
    Ok(from_scalars(&values, present, to))
}

fn from_scalars(values: &[Scalar], present: Option<Present>, to: Type) -> Column {
    macro_rules! collect {
        ($wrap:path, $variant:path) => {
            $wrap(
                Fixed::new(
                    values
                        .iter()
                        .map(|value| match value {
                            $variant(value) => *value,
                            _ => Default::default(),
                        })
                        .collect::<Vec<_>>(),
                    present,
                )
                .into(),
            )
        };
    }
    match to {
        Type::Integer => collect!(Column::Integer, Scalar::Integer),
        Type::Number => collect!(Column::Number, Scalar::Number),
        Type::Date => collect!(Column::Date, Scalar::Date),
        Type::DateTime => collect!(Column::DateTime, Scalar::DateTime),
        Type::Decimal(scale) => {
            let units = values.iter().map(|value| match value {
                Scalar::Decimal(units, _) => *units,
                _ => 0,
            });
            Column::decimal(units.collect(), present, scale)
        }
        Type::Boolean => Column::Boolean(
            values
                .iter()
                .map(|value| if let Scalar::Boolean(value) = value { Some(*value) } else { None })
                .collect(),
        ),
        Type::Text | Type::Blank => Column::all_blank(to, values.len()),
    }
}
