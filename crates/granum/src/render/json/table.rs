//! Rows of a table: decimals and days as text, blanks as null.

use granum_core::engine::Shown;
use granum_core::tally::{Problem, Warning, with_kinds};
use granum_core::value::Scalar;
use serde::Serialize;

/// A table, and rows of it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Table"))]
pub struct TableTold<'a> {
    /// The table.
    name: &'a str,
    /// Its grain; empty where each row stands for itself.
    grain: &'a [String],
    /// Whether it is one row in all.
    one_row: bool,
    /// Its columns.
    columns: Vec<ColumnTold<'a>>,
    /// The rows that are shown, a value for each column.
    rows: Vec<Vec<Cell>>,
    /// How many rows there are.
    rows_in_all: usize,
    /// Which rows they are, where not those at the table's end.
    which: Option<&'a str>,
    /// The total of all rows; nothing where there is none.
    total: Option<Vec<Cell>>,
    /// What stopped it from being built.
    #[serde(serialize_with = "with_kinds")]
    #[cfg_attr(test, schemars(with = "Vec<granum_core::tally::ProblemTold>"))]
    problems: &'a [Problem],
    /// What is usually a mistake in it, or in what it is built from.
    warnings: &'a [Warning],
}

/// A column of a table.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Column"))]
struct ColumnTold<'a> {
    /// Its name.
    name: &'a str,
    /// Its type as a plan has it.
    #[serde(rename = "type")]
    ty: String,
}

/// A value: null where it is blank; decimals, days and times as text, so that nothing is rounded.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(untagged)]
enum Cell {
    Blank(()),
    Integer(i64),
    Boolean(bool),
    Number(f64),
    Text(String),
}

impl<'a> TableTold<'a> {
    /// Rows as they are shown.
    pub fn of(shown: &'a Shown) -> Self {
        let columns = shown.columns.iter();
        let row = |row: usize| -> Vec<Cell> {
            shown.columns.iter().map(|(_, column)| cell(column.scalar(row))).collect()
        };
        Self {
            name: &shown.table,
            grain: &shown.grain,
            one_row: shown.one_row,
            columns: columns
                .map(|(name, column)| ColumnTold { name, ty: column.ty().to_string() })
                .collect(),
            rows: (0..shown.shown).map(row).collect(),
            rows_in_all: shown.rows,
            which: shown.which.as_deref(),
            total: shown.total.then(|| row(shown.shown)),
            problems: &shown.problems,
            warnings: &shown.warnings,
        }
    }
}

fn cell(value: Scalar) -> Cell {
    match value {
        Scalar::Blank => Cell::Blank(()),
        Scalar::Integer(value) => Cell::Integer(value),
        Scalar::Boolean(value) => Cell::Boolean(value),
        Scalar::Number(value) => Cell::Number(value),
        other => Cell::Text(other.to_string()),
    }
}
