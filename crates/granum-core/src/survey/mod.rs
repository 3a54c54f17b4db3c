//! What is in files before any plan: types, values, oddities, what one row is, duplicates.
//!
//! Each cell is read as the text that it is. A column becomes a dictionary of its values and a
//! number for each row: what is asked of values is asked once of each, and what is asked of rows
//! (what one row is, which rows are copies) is asked of numbers.

use crate::port::{InputSource, Observer, SourceError};

mod coded;
mod column;
mod days;
mod dictionary;
pub(crate) mod names;
mod numbers;
mod offsets;
mod profile;
mod report;
mod seen;
mod structure;

pub use coded::EXACT;
pub use report::{
    ColumnSurvey, Duplicates, GrainSurvey, NearlyUnique, Oddity, OddityKind, RepeatedRows, Survey,
    Typical, Versions,
};

pub(crate) use coded::{Coded, CodedColumn};
pub(crate) use column::{day_of, time_of};
pub(crate) use dictionary::{Dictionary, Head};

/// Files that have been read for a survey, and what was told of them.
pub(crate) struct Surveyed {
    pub coded: Coded,
    pub survey: Survey,
}

/// Surveys the files of an input. `files` are their names, `most` is [`EXACT`]: how many different
/// values of a column are counted before their number is estimated.
///
/// # Errors
/// Why a file cannot be read.
pub fn survey(
    source: &dyn InputSource,
    files: Vec<String>,
    most: usize,
    observer: &dyn Observer,
) -> Result<Survey, SourceError> {
    surveyed(source, files, most, observer).map(|surveyed| surveyed.survey)
}

pub(crate) fn surveyed(
    source: &dyn InputSource,
    files: Vec<String>,
    most: usize,
    observer: &dyn Observer,
) -> Result<Surveyed, SourceError> {
    use rayon::prelude::*;
    observer.stage(&format!("reading {}", files.join(", ")), source.bytes());
    let coded = coded::read(source, most, observer)?;
    observer.stage("looking at values", 0);
    let columns: Vec<ColumnSurvey> = coded
        .columns
        .par_iter()
        .map(|column| column::survey(column, coded.rows as u64, &coded.places))
        .collect();
    observer.stage("looking for what one row is", 0);
    let (mut grain, mut duplicates) = structure::structure(&coded, &columns);
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
