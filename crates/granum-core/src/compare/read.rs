//! The rows of two builds, each column in the type that both have together.

use rayon::prelude::*;

use crate::port::{InputColumn, InputSource, Observer, Part, ReadRequest, SourceError};
use crate::table::{Column, Place, Places};
use crate::value::{Scale, Type};

/// Parts are read so many at once.
const PARTS: usize = 16;

/// Two builds with the columns that both have.
pub(super) struct Both {
    /// By name, in the order of the new one: the old column and the new one, of one type.
    pub columns: Vec<(String, Column, Column)>,
    pub only_old: Vec<String>,
    pub only_new: Vec<String>,
    rows: [usize; 2],
    places: [Places; 2],
}

impl Both {
    pub fn names(&self) -> Vec<String> {
        self.columns.iter().map(|(name, ..)| name.clone()).collect()
    }

    pub fn rows(&self, old: bool) -> usize {
        self.rows[usize::from(!old)]
    }

    pub fn place(&self, old: bool, row: u32) -> Option<Place> {
        self.places[usize::from(!old)].place(row)
    }

    /// A column of one of them, which has it.
    pub fn column(&self, old: bool, name: &str) -> Option<&Column> {
        let (_, own, other) = self.columns.iter().find(|(known, ..)| known == name)?;
        Some(if old { own } else { other })
    }

    pub fn columns_of(&self, old: bool, names: &[String]) -> Vec<Column> {
        names.iter().filter_map(|name| self.column(old, name)).cloned().collect()
    }
}

/// The type in which two columns are compared.
fn together(old: Type, new: Type) -> Type {
    let decimal = |ty: Type| match ty {
        Type::Integer => Some(Scale(0)),
        Type::Decimal(scale) => Some(scale),
        _ => None,
    };
    match (old, new) {
        (Type::Blank, ty) | (ty, Type::Blank) => ty,
        (old, new) if old == new => old,
        (old, new) => match (decimal(old), decimal(new)) {
            (Some(old), Some(new)) => Type::Decimal(old.max(new)),
            _ => Type::Text,
        },
    }
}

/// Reads both, whole.
///
/// # Errors
/// A file that cannot be read.
pub(super) fn read(
    old: &dyn InputSource,
    new: &dyn InputSource,
    observer: &dyn Observer,
) -> Result<Both, SourceError> {
    let (old_columns, new_columns) = (old.shape().columns, new.shape().columns);
    let place = |columns: &[(String, Type)], name: &str| {
        columns.iter().position(|(known, _)| known == name)
    };
    let shared: Vec<(String, Type, usize, usize)> = new_columns
        .iter()
        .enumerate()
        .filter_map(|(at, (name, ty))| {
            let own = place(&old_columns, name)?;
            Some((name.clone(), together(old_columns[own].1, *ty), own, at))
        })
        .collect();
    let only = |columns: &[(String, Type)], others: &[(String, Type)]| -> Vec<String> {
        let alone = columns.iter().filter(|(name, _)| place(others, name).is_none());
        alone.map(|(name, _)| name.clone()).collect()
    };
    let of_old: Vec<(usize, Type)> = shared.iter().map(|(_, ty, own, _)| (*own, *ty)).collect();
    let of_new: Vec<(usize, Type)> = shared.iter().map(|(_, ty, _, at)| (*at, *ty)).collect();
    let old = side(old, &of_old, "reading the old build", observer)?;
    let new = side(new, &of_new, "reading the new build", observer)?;
    let pairs = old.columns.into_iter().zip(new.columns);
    Ok(Both {
        columns: shared
            .into_iter()
            .zip(pairs)
            .map(|((name, ..), (old, new))| (name, old, new))
            .collect(),
        only_old: only(&old_columns, &new_columns),
        only_new: only(&new_columns, &old_columns),
        rows: [old.rows, new.rows],
        places: [old.places, new.places],
    })
}

struct Side {
    columns: Vec<Column>,
    rows: usize,
    places: Places,
}

fn side(
    source: &dyn InputSource,
    columns: &[(usize, Type)],
    stage: &str,
    observer: &dyn Observer,
) -> Result<Side, SourceError> {
    observer.stage(stage, source.bytes());
    let column =
        |(column, ty): &(usize, Type)| InputColumn { column: *column, ty: *ty, rule: None };
    let request =
        ReadRequest { columns: columns.iter().map(column).collect(), ..ReadRequest::default() };
    let mut reader = source.read(request)?;
    let mut pieces: Vec<Vec<Column>> =
        columns.iter().map(|(_, ty)| vec![Column::all_blank(*ty, 0)]).collect();
    let (mut rows, mut places) = (0, Places::default());
    loop {
        let parts = reader.next(PARTS)?;
        if parts.is_empty() {
            break;
        }
        let read: Vec<Result<(Part, u64), SourceError>> =
            parts.par_iter().map(|part| part.parse().map(|read| (read, part.bytes()))).collect();
        for part in read {
            let (part, bytes) = part?;
            observer.advance(bytes);
            rows += part.rows;
            places.push(part.origin, part.lines, part.rows as u32);
            for (pieces, column) in pieces.iter_mut().zip(part.columns) {
                pieces.push(column);
            }
        }
    }
    let columns = pieces.par_iter().map(|pieces| Column::concat(pieces)).collect();
    Ok(Side { columns, rows, places })
}
