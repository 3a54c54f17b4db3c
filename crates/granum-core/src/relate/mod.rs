//! How files link: by the values that their columns share first, by names and types second.
//!
//! Each file is surveyed once. A column's dictionary tells which of its values another column has,
//! and with how many rows each: most questions are answered without looking at a row again.

mod alike;
mod crossing;
mod falling;
mod find;
mod likely;
mod links;
mod meet;
mod names;
mod parts;
mod periods;
mod report;
mod several;
mod subjects;

pub use find::{NameFound, find_names};
pub use names::{Grouped, Headed, group, table_name, together};
pub use parts::FoundParts;
pub use report::{Crossing, Doubt, FoundLink, FoundPeriod, Multiplicity, RelatedTable, Relations};

use crate::port::{Declared, InputSource, Observer, SourceError};
use crate::survey::{Space, Surveyed};
use crate::table::Room;

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
    /// What is known of the keys, unless a database declares them.
    keys: Option<KeyCount>,
    /// The step that makes the key unique.
    dedupe: Option<String>,
    /// What its database says of it.
    declared: Declared,
}

/// Keys of a table.
#[derive(Debug, Clone, Copy)]
struct KeyCount {
    /// How many different ones there are.
    distinct: u64,
    /// Whether some stand on several rows, or rows have none.
    repeat: bool,
}

/// Finds the links between tables. `room` is how much memory it may take.
///
/// # Errors
/// Why a file cannot be read, or what has no room in memory cannot be put away.
pub fn relate(
    tables: Vec<Related<'_>>,
    room: &Room,
    observer: &dyn Observer,
) -> Result<Relations, SourceError> {
    let filling: Vec<bool> = tables.iter().map(|table| table.filling).collect();
    let sources: Vec<&dyn InputSource> = tables.iter().map(|table| table.source).collect();
    let subjects = subjects::subjects(tables, room, observer)?;
    observer.stage("looking for links", 0);
    let space = Space { room, limit: room.limit() };
    let links = links::links(&subjects, space);
    let crossings = crossing::crossings(&subjects, &links);
    let parts = parts::parts(&subjects);
    observer.stage("looking for periods", 0);
    let moments = periods::read_moments(&subjects, &sources, space, observer)?;
    let periods = periods::periods(&subjects, &moments, space);
    if let Some(error) = room.failed() {
        return Err(error.into());
    }
    let tables = subjects.into_iter().zip(filling).map(|(subject, filling)| RelatedTable {
        filling,
        key: subject.key.iter().map(|at| subject.read.survey.columns[*at].name.clone()).collect(),
        name: subject.name,
        survey: subject.read.survey,
    });
    Ok(Relations { tables: tables.collect(), links, crossings, periods, parts })
}

#[cfg(test)]
pub(crate) mod tests;
