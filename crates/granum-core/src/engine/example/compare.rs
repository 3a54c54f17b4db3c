//! Rows that are given beside rows that came out.

use crate::engine::show::Shown;
use crate::lang::RowsTree;
use crate::table::Column;
use crate::tally::{GivenRow, GivenTable};
use crate::value::{Scalar, Type};

/// The cells of a row; nothing where one is blank.
type Cells = Vec<Option<String>>;

/// Compares rows in the columns that are given, each with its place among those shown; in any order, unless
/// the table is sorted.
pub(super) fn compare(
    given: &RowsTree,
    shown: &Shown,
    expected: &[(usize, Column)],
    ordered: bool,
) -> GivenTable {
    let named = expected.iter().map(|(at, _)| &shown.columns[*at]);
    let (columns, found): (Vec<String>, Vec<&Column>) =
        named.map(|(name, column)| (name.clone(), column)).unzip();
    let numbers = found
        .iter()
        .map(|column| matches!(column.ty(), Type::Integer | Type::Decimal(_) | Type::Number))
        .collect();
    let expected: Vec<&Column> = expected.iter().map(|(_, column)| column).collect();
    let (expected, found) = (cells(&expected), cells(&found));
    let keys: Vec<usize> =
        shown.grain.iter().filter_map(|name| columns.iter().position(|own| own == name)).collect();
    let keys = if keys.len() == shown.grain.len() { keys } else { vec![] };
    let rows = if ordered { by_place(expected, found) } else { paired(expected, found, &keys) };
    let held = rows.iter().all(GivenRow::is_same);
    GivenTable { table: given.table.text.clone(), columns, numbers, held, ordered, rows }
}

fn cells(columns: &[&Column]) -> Vec<Cells> {
    let cell = |column: &Column, row: usize| match column.scalar(row) {
        Scalar::Blank => None,
        value => Some(value.to_string()),
    };
    let rows = columns.first().map_or(0, |column| column.len());
    (0..rows).map(|row| columns.iter().map(|column| cell(column, row)).collect()).collect()
}

fn by_place(expected: Vec<Cells>, found: Vec<Cells>) -> Vec<GivenRow> {
    let count = expected.len().max(found.len());
    let (mut expected, mut found) = (expected.into_iter(), found.into_iter());
    (0..count).map(|_| GivenRow { expected: expected.next(), found: found.next() }).collect()
}

/// Each given row with the one that came out for it: the same, else one of the same key, else the one that is
/// most like it and agrees in half of the cells, or in more than half where it has another key.
fn paired(expected: Vec<Cells>, mut found: Vec<Cells>, keys: &[usize]) -> Vec<GivenRow> {
    let mut rows: Vec<GivenRow> =
        expected.into_iter().map(|row| GivenRow { expected: Some(row), found: None }).collect();
    let mut take = |rows: &mut Vec<GivenRow>, fits: &dyn Fn(&Cells, &Cells) -> usize| {
        for row in rows.iter_mut().filter(|row| row.found.is_none()) {
            let Some(expected) = &row.expected else { continue };
            let best = (0..found.len())
                .map(|at| (fits(expected, &found[at]), at))
                .filter(|(fit, _)| *fit > 0)
                .max_by_key(|(fit, at)| (*fit, std::cmp::Reverse(*at)));
            if let Some((_, at)) = best {
                row.found = Some(found.remove(at));
            }
        }
    };
    take(&mut rows, &|a, b| usize::from(a == b));
    take(&mut rows, &|a, b| {
        usize::from(!keys.is_empty() && keys.iter().all(|at| a[*at] == b[*at]))
    });
    take(&mut rows, &|a, b| {
        let alike = a.iter().zip(b).filter(|(a, b)| a == b).count();
        let enough = if keys.is_empty() { alike * 2 >= a.len() } else { alike * 2 > a.len() };
        if enough { alike } else { 0 }
    });
    rows.extend(found.into_iter().map(|row| GivenRow { expected: None, found: Some(row) }));
    rows
}
