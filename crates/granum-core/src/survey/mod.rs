//! What is in files before any plan: types, values, oddities, what one row is, duplicates.
//!
//! Each cell is read as the text that it is. A column becomes a dictionary of its values and a
//! number for each row: what is asked of values is asked once of each, and what is asked of rows
//! (what one row is, which rows are copies) is asked of numbers.

use crate::port::{InputSource, Observer, SourceError};
use crate::table::Room;

mod again;
mod ascending;
mod coded;
mod coding;
mod column;
mod days;
mod dictionary;
pub(crate) mod names;
mod numbers;
mod offsets;
mod print;
mod profile;
mod range;
mod read;
mod reading;
mod report;
mod seen;
mod structure;

pub use report::{
    ColumnSurvey, Duplicates, GrainSurvey, NearlyUnique, Oddity, OddityKind, RepeatedRows, Survey,
    Typical, Versions,
};

pub(crate) use again::read_again;
pub(crate) use coded::{Coded, CodedColumn};
pub(crate) use column::{day_of, time_of};
pub(crate) use dictionary::Dictionary;
pub(crate) use print::Print;
pub(crate) use read::Space;

/// Files that have been read for a survey, and what was told of them.
pub(crate) struct Surveyed {
    pub coded: Coded,
    pub survey: Survey,
}

/// Surveys the files of an input. `files` are their names, `room` is how much memory it may take.
///
/// # Errors
/// Why a file cannot be read, or what has no room in memory cannot be put away.
pub fn survey(
    source: &dyn InputSource,
    files: Vec<String>,
    room: &Room,
    observer: &dyn Observer,
) -> Result<Survey, SourceError> {
    let space = Space { room, limit: room.limit() };
    surveyed(source, files, space, observer).map(|surveyed| surveyed.survey)
}

pub(crate) fn surveyed(
    source: &dyn InputSource,
    files: Vec<String>,
    space: Space<'_>,
    observer: &dyn Observer,
) -> Result<Surveyed, SourceError> {
    use rayon::prelude::*;
    observer.stage(&format!("reading {}", files.join(", ")), source.bytes());
    let coded = read::read(source, space, observer)?;
    observer.stage("looking at values", 0);
    let mut columns: Vec<ColumnSurvey> = coded
        .columns
        .par_iter()
        .map(|column| column::survey(column, coded.rows as u64, &coded.places))
        .collect();
    range::ranges(source, &coded, &mut columns, observer)?;
    observer.stage("looking for what one row is", 0);
    let (mut grain, mut duplicates) =
        structure::structure((source, &files), &coded, &columns, observer)?;
    if let Some(error) = space.room.failed() {
        return Err(error.into());
    }
    let key = source.declared().key;
    if !key.is_empty() {
        // What a database keeps apart is one row, whatever else tells rows apart by chance.
        grain.unique.retain(|unique| *unique != key);
        grain.unique.insert(0, key);
        (duplicates.versions, duplicates.dedupe) = (None, None);
    }
    let (rows, unread) = (coded.rows as u64, coded.unread.clone());
    let survey = Survey { files, rows, columns, unread, grain, duplicates };
    Ok(Surveyed { coded, survey })
}

#[cfg(test)]
mod tests;
