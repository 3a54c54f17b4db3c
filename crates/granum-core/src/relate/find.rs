//! Which files have a column of a name that one remembers.

use serde::Serialize;

use super::report::Relations;
use crate::survey::names::bare;

/// Names of more letters are not compared letter by letter.
const LONGEST: usize = 200;

/// A column whose name is like the one that is looked for.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NameFound {
    /// The table.
    pub table: String,
    /// Its files.
    pub files: Vec<String>,
    /// The column.
    pub column: String,
    /// How far it is from the name: 0 is the same but for case and signs, 1 contains it, more is
    /// spelled otherwise.
    #[serde(skip)]
    pub distance: u64,
    /// How many different values it has.
    pub distinct: u64,
    /// Whether they were counted; if not, their number is an estimate.
    pub exact: bool,
    /// How many rows are blank there.
    pub blank: u64,
}

/// Finds the columns whose names are like `name`, whatever its case, `_` and spaces; the nearest
/// first.
pub fn find_names(relations: &Relations, name: &str) -> Vec<NameFound> {
    let wanted = bare(name);
    let distance = |column: &str| {
        let column = bare(column);
        if column == wanted {
            return Some(0);
        }
        let inside = column.contains(&wanted) || wanted.contains(&column);
        if inside && wanted.len().min(column.len()) >= 3 {
            return Some(1);
        }
        if column.len().max(wanted.len()) > LONGEST {
            return None;
        }
        let letters = strsim::damerau_levenshtein(&column, &wanted) as u64;
        (letters <= 1 + wanted.chars().count() as u64 / 5).then_some(1 + letters)
    };
    let mut found: Vec<NameFound> = relations
        .tables
        .iter()
        .flat_map(|table| table.survey.columns.iter().map(move |column| (table, column)))
        .filter_map(|(table, column)| {
            Some(NameFound {
                table: table.name.clone(),
                files: table.survey.files.clone(),
                column: column.name.clone(),
                distance: distance(&column.name)?,
                distinct: column.distinct,
                exact: column.exact,
                blank: column.blank,
            })
        })
        .collect();
    found.sort_by_key(|found| found.distance);
    found
}
