//! Aggregates put together from parts of the rows: what is kept of a part, and the result of all.

use super::ordered::needed;
use super::{AggregateFunction, GroupFailure, Groups, Sums, Values, aggregate, divided, narrowed};
use crate::bug::Sure;
use crate::table::Column;
use crate::value::{Scalar, Scale, Type};

/// What is kept of each part: by these, columns of several parts become one. Nothing where all rows
/// must be seen at once.
pub(crate) fn kept(function: AggregateFunction) -> Option<&'static [AggregateFunction]> {
    use AggregateFunction::{
        All, Any, Count, Distinct, Earliest, Latest, List, Max, Mean, Median, Min, Percentile,
        Rows, Share, Sole, Sum,
    };
    Some(match function {
        Rows | Count | Sum => &[Sum],
        Mean | Share => &[Sum, Sum],
        Min => &[Min],
        Max => &[Max],
        Any => &[Any],
        All => &[All],
        Sole => &[Sole],
        // The value, and what it is the latest by.
        Latest => &[Latest, Latest],
        Earliest => &[Earliest, Earliest],
        Distinct | List | Median | Percentile(_) => return None,
    })
}

/// What is kept of some groups of a part: as many columns as [`kept`] says, a row for each group.
pub(crate) fn parts(worked: &Values, groups: &Groups) -> Result<Vec<Column>, GroupFailure> {
    use AggregateFunction::{Count, Earliest, Latest, Mean, Rows, Share, Sum};
    let of = |function, value: Option<Column>, ty| {
        let values = Values { function, value, ty, ..worked.clone() };
        aggregate(&values, groups)
    };
    Ok(match worked.function {
        Mean => vec![
            of(Sum, worked.value.clone(), wide(worked))?,
            of(Count, worked.value.clone(), Type::Integer)?,
        ],
        Share => {
            // Rows for which it is true, and all that count.
            let holds = match &worked.value {
                Some(Column::Boolean(array)) => {
                    let units = (0..groups.rows())
                        .map(|row| (array.has(row) && array.value(row)).then_some(1));
                    Column::Integer(units.collect())
                }
                _ => Column::all_blank(Type::Integer, groups.rows()),
            };
            vec![of(Sum, Some(holds), Type::Decimal(Scale(0)))?, of(Rows, None, Type::Integer)?]
        }
        Sum => vec![of(Sum, worked.value.clone(), wide(worked))?],
        Latest | Earliest => {
            // Rows without a value are not chosen.
            let there = |row| worked.value.as_ref().is_some_and(|value| !value.is_blank(row));
            let filter = (0..groups.rows()).map(|row| Some(worked.counts(row) && there(row)));
            let by = worked.by.first().map(|(by, _)| by.clone());
            let ty = by.as_ref().map_or(Type::Blank, Column::ty);
            let by = Values { value: by, ty, filter: Some(filter.collect()), ..worked.clone() };
            vec![aggregate(worked, groups)?, aggregate(&by, groups)?]
        }
        function => vec![of(function, worked.value.clone(), worked.ty)?],
    })
}

/// Sums of whole numbers are kept wide, so that only the last of them can be too large.
fn wide(worked: &Values) -> Type {
    match worked.value.as_ref().map(Column::ty) {
        Some(Type::Number) => Type::Number,
        Some(ty) => Type::Decimal(ty.scale().unwrap_or_default()),
        None => Type::Decimal(Scale(0)),
    }
}

/// What was kept of parts, put together for each group of their rows; fails for the group that
/// has no value, with the values that tell it.
pub(crate) fn folded(
    function: AggregateFunction,
    parts: &[Column],
    groups: &Groups,
) -> Result<Vec<Column>, (GroupFailure, Values)> {
    let by: Vec<(Column, bool)> = match function {
        AggregateFunction::Latest | AggregateFunction::Earliest => {
            parts.get(1).map(|by| (by.clone(), false)).into_iter().collect()
        }
        _ => vec![],
    };
    let columns = kept(function).unwrap_or_default().iter().zip(parts).map(|(function, part)| {
        let values = Values::of(*function, Some(part.clone()), part.ty());
        let values = Values { by: by.clone(), ..values };
        aggregate(&values, groups).map_err(|failure| (failure, values))
    });
    columns.collect()
}

/// Whether an aggregate with a result of `ty` can be put together from parts of the rows. Sums of
/// floating-point numbers cannot: they are rounded once.
pub(crate) fn parted(function: AggregateFunction, ty: Type) -> bool {
    let added = matches!(function, AggregateFunction::Sum | AggregateFunction::Mean);
    kept(function).is_some() && !(added && ty == Type::Number)
}

/// The aggregate of each group from what was kept of it and has become one column for each of
/// [`kept`]. Fails for the group for which it has too many digits.
pub(crate) fn from_parts(
    function: AggregateFunction,
    ty: Type,
    parts: &[Column],
) -> Result<Column, GroupFailure> {
    use AggregateFunction::{Mean, Share, Sum};
    let units = |column: &Column| match column {
        Column::Integer(array) => array.all().map(i128::from).collect(),
        Column::Decimal(array, _) => array.all().collect(),
        other => vec![0; other.len()],
    };
    match (function, parts) {
        (Mean | Share, [sums, Column::Integer(counts)]) => {
            let sums = match sums {
                Column::Number(sums) => Sums::Floats(sums.values().to_vec()),
                sums => Sums::Units(units(sums), sums.ty().scale().unwrap_or_default()),
            };
            divided(sums, &counts.all().collect::<Vec<_>>())
        }
        (Sum, [sums]) if ty == Type::Integer => narrowed(&units(sums)),
        (_, parts) => Ok(parts.first().sure("what was kept of an aggregate").clone()),
    }
}

/// What an aggregate has seen of rows that come part by part and are all one group.
#[derive(Debug)]
pub(crate) enum AllRows {
    /// What is kept of each part.
    Parts(Vec<Vec<Column>>),
    /// The rows of each part that the aggregate can depend on.
    Rows(Vec<Values>),
    /// A part has no value, and the values that tell it.
    Failed(GroupFailure, Values),
}

impl AllRows {
    /// The first part of the rows.
    pub fn new(values: Values, rows: usize) -> Self {
        if !parted(values.function, values.ty) || values.by.len() > 1 || values.apart.is_some() {
            return Self::Rows(vec![needed(values, rows)]);
        }
        match parts(&values, &Groups::one(rows)) {
            Ok(parts) => Self::Parts(vec![parts]),
            Err(failure) => Self::Failed(failure, values),
        }
    }

    /// Takes in the next part.
    pub fn absorb(&mut self, more: Self) {
        match (&mut *self, more) {
            (Self::Parts(parts), Self::Parts(more)) => parts.extend(more),
            (Self::Rows(rows), Self::Rows(more)) => rows.extend(more),
            (Self::Parts(_), failed @ Self::Failed(..)) => *self = failed,
            _ => {}
        }
    }

    /// The aggregate of all rows; or why there is none, and the values that tell it.
    pub fn value(
        &self,
        function: AggregateFunction,
        ty: Type,
    ) -> Result<Scalar, (GroupFailure, Values)> {
        let column = match self {
            Self::Failed(failure, values) => return Err((failure.clone(), values.clone())),
            Self::Parts(parts) => {
                let columns = Column::concat_each(parts);
                let rows = columns.first().map_or(0, Column::len);
                let columns = folded(function, &columns, &Groups::one(rows))?;
                from_parts(function, ty, &columns)
                    .map_err(|failure| (failure, Values::of(function, None, ty)))?
            }
            Self::Rows(parts) => {
                let Some(values) = stacked(parts) else { return Ok(Scalar::Blank) };
                let rows = values.value.as_ref().map_or(0, Column::len);
                aggregate(&values, &Groups::one(rows)).map_err(|failure| (failure, values))?
            }
        };
        Ok(column.scalar(0))
    }
}

/// The rows of all parts; nothing of no parts.
fn stacked(parts: &[Values]) -> Option<Values> {
    let first = parts.first()?;
    let column =
        |of: &dyn Fn(&Values) -> Column| Column::concat(&parts.iter().map(of).collect::<Vec<_>>());
    let value = column(&|part| part.value.clone().unwrap_or(Column::Blank(0)));
    let by = (0..first.by.len()).map(|at| (column(&|part| part.by[at].0.clone()), first.by[at].1));
    let apart = first
        .apart
        .is_some()
        .then(|| column(&|part| part.apart.clone().sure("what keeps the values of a part apart")));
    Some(Values { value: Some(value), by: by.collect(), apart, ..first.clone() })
}
