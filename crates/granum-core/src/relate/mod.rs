//! How files link: by the values that their columns share first, by names and types second.
//!
//! Each file is surveyed once. A column's dictionary tells which of its values another column has,
//! and with how many rows each: most questions are answered without looking at a row again.

mod crossing;
mod find;
mod links;
mod names;
mod parts;
mod periods;
mod report;

pub use find::{NameFound, find_names};
pub use names::{Grouped, Headed, group, table_name, together};
pub use parts::FoundParts;
pub use report::{Crossing, Doubt, FoundLink, FoundPeriod, Multiplicity, RelatedTable, Relations};

use crate::port::{Declared, InputSource, Observer, SourceError};
use crate::survey::{Surveyed, surveyed};

/// Files of one table, opened.
pub struct Related<'a> {
    /// The name that the table would have in a plan.
    pub name: String,
    /// The files' names.
    pub files: Vec<String>,
    /// The files.
    pub source: &'a dyn InputSource,
    /// Whether some files lack columns that others have.
    pub filling: bool,
}

/// A table on its way.
struct Subject {
    name: String,
    read: Surveyed,
    /// What one row is, by the places of its columns.
    key: Vec<usize>,
    /// The step that makes the key unique.
    dedupe: Option<String>,
    /// What its database says of it.
    declared: Declared,
}

/// Finds the links between tables.
///
/// # Errors
/// Why a file cannot be read.
pub fn relate(
    tables: Vec<Related<'_>>,
    most: usize,
    observer: &dyn Observer,
) -> Result<Relations, SourceError> {
    let mut subjects = vec![];
    let mut filling = vec![];
    for table in tables {
        filling.push(table.filling);
        let read = surveyed(table.source, table.files, most, observer)?;
        subjects.push(subject(table.name, read, table.source.declared()));
    }
    observer.stage("looking for links", 0);
    let links = links::links(&subjects);
    let crossings = crossing::crossings(&subjects, &links);
    let parts = parts::parts(&subjects);
    observer.stage("looking for periods", 0);
    let periods = periods::periods(&subjects);
    let tables = subjects.into_iter().zip(filling).map(|(subject, filling)| RelatedTable {
        filling,
        key: subject.key.iter().map(|at| subject.read.survey.columns[*at].name.clone()).collect(),
        name: subject.name,
        survey: subject.read.survey,
    });
    Ok(Relations { tables: tables.collect(), links, crossings, periods, parts })
}

/// What one row is once versions of one thing are made one.
fn subject(name: String, read: Surveyed, declared: Declared) -> Subject {
    let survey = &read.survey;
    let versions = survey.duplicates.versions.as_ref().filter(|versions| !versions.unlike);
    let key = match (versions, survey.grain.unique.first()) {
        (Some(versions), _) => versions.key.clone(),
        (None, Some(unique)) => unique.clone(),
        (None, None) => vec![],
    };
    let at = |name: &String| survey.columns.iter().position(|column| column.name == *name);
    let key = key.iter().filter_map(at).collect();
    let dedupe = survey.duplicates.dedupe.clone();
    Subject { name, read, key, dedupe, declared }
}

#[cfg(test)]
pub(crate) mod tests;
