//! What one row is, and which rows are there more than once.

use std::cmp::Reverse;
use std::collections::HashMap;

use super::again::cells_again;
use super::coded::Coded;
use super::names::{names_key, names_own, names_version, unlikely_key};
use super::report::{ColumnSurvey, Duplicates, GrainSurvey, NearlyUnique, RepeatedRows, Versions};
use crate::grain::{Candidate, Grouping, Near, Shared, SharedKey, search};
use crate::lang::plan_name;
use crate::link::{BlankKeys, Keys, key_text};
use crate::port::{InputSource, Observer, SourceError};
use crate::table::Column;
use crate::value::{Scalar, Type};

/// Rows of one key that differ in more than this part of their columns, in hundredths, are no
/// versions of each other.
const UNLIKE: u64 = 60;

/// Columns from which on that means something.
const FEW: u64 = 3;

/// What one row is, and the rows that are there more than once. Keys of which not all values are kept are read again.
///
/// # Errors
/// Why a file cannot be read.
pub(super) fn structure(
    (source, files): (&dyn InputSource, &[String]),
    coded: &Coded,
    columns: &[ColumnSurvey],
    observer: &dyn Observer,
) -> Result<(GrainSurvey, Duplicates), SourceError> {
    let any_named = columns.iter().any(|column| names_key(&column.name));
    let unlikely = |column: &ColumnSurvey| {
        let ColumnSurvey { name, read_as, mean_length, .. } = column;
        // Where nothing is named as keys are, it is mostly what is named as its file.
        let own =
            !any_named && matches!(read_as, Type::Text | Type::Integer) && names_own(name, files);
        if own { 0 } else { unlikely_key(name, *read_as, *mean_length) }
    };
    let all: Vec<Candidate<'_>> = coded
        .columns
        .iter()
        .zip(columns)
        .map(|(column, survey)| Candidate {
            codes: &column.codes,
            blanks: column.blanks,
            distinct: column.distinct,
            unlikely: unlikely(survey),
        })
        .collect();
    let mut duplicates = Duplicates::default();
    if coded.rows == 0 {
        return Ok((GrainSurvey::default(), duplicates));
    }
    let grouping = Grouping::new(&all, coded.rows);
    let copies = grouping.copies();
    let place = |row: u32| coded.places.place(row);
    duplicates.copies = copies.count() as u64;
    duplicates.copy_places =
        copies.first.iter().filter_map(|(row, of)| Some((place(*of)?, place(*row)?))).collect();
    if duplicates.copies > 0 {
        duplicates.dedupe = Some("dedupe".into());
    }
    let sets = search(&grouping, &copies);
    let names =
        |set: &[usize]| -> Vec<String> { set.iter().map(|at| columns[*at].name.clone()).collect() };
    let shared: Vec<Shared> =
        sets.nearly.iter().map(|near| grouping.shared(&near.columns, &copies)).collect();
    let lacking = |at: &&usize| !coded.columns[**at].whole();
    let columns_again = sets.nearly.iter().flat_map(|near| near.columns.iter().filter(lacking));
    let rows_again = shared.iter().flat_map(|shared| shared.first.iter().map(|key| key.first[0]));
    let (columns_again, rows_again) = (columns_again.copied().collect(), rows_again.collect());
    let cells = cells_again(source, &columns_again, &rows_again, observer)?;
    let nearly = sets.nearly.iter().zip(&shared).map(|(near, shared)| {
        let named = |SharedKey { first, rows }: &SharedKey| RepeatedRows {
            key: text_of(coded, &cells, &near.columns, first[0]),
            rows: *rows,
            places: first.iter().filter_map(|row| place(*row)).collect(),
        };
        NearlyUnique {
            columns: names(&near.columns),
            repeating: near.repeating,
            blank: near.blank,
            examples: shared.first.iter().map(named).collect(),
        }
    });
    let grain = GrainSurvey {
        unique: sets.unique.iter().map(|set| names(set)).collect(),
        nearly: nearly.collect(),
        columns_left_out: sets.left_out as u64,
    };
    let keyed = |(near, _): &(&Near, &Shared)| near.repeating > 0 && is_key(near, &all);
    if let Some((near, shared)) = sets.nearly.iter().zip(&shared).find(keyed) {
        let keys = shared.keys;
        let found = grouping.differing(&near.columns, &copies);
        let others = (columns.len() - near.columns.len()).max(1) as u64;
        let latest = latest(columns, &found, keys);
        let told = found.iter().filter(|(at, _)| latest.as_ref().is_none_or(|l| l.0 != *at));
        let differ: u64 = told.map(|(_, groups)| groups).sum();
        let others = others.saturating_sub(u64::from(latest.is_some())).max(1);
        // Of one or two columns all may differ, where a day tells which version is the later.
        let few = others < FEW && latest.is_some();
        let unlike = !few && differ * 100 > others * keys * UNLIKE;
        if !unlike {
            let key: Vec<String> =
                near.columns.iter().map(|at| plan_name(&columns[*at].name)).collect();
            let keep = latest.map_or("last".to_owned(), |(at, word)| {
                format!("{word} {}", plan_name(&columns[at].name))
            });
            duplicates.dedupe = Some(format!("dedupe by {} keep {keep}", key.join(", ")));
        }
        duplicates.versions = Some(Versions {
            key: names(&near.columns),
            keys,
            rows: shared.rows,
            differ: found.iter().map(|(at, groups)| (columns[*at].name.clone(), *groups)).collect(),
            unlike,
        });
    }
    Ok((grain, duplicates))
}

/// Whether a set is made of what is named as a key.
fn is_key(near: &Near, columns: &[Candidate<'_>]) -> bool {
    near.columns.iter().all(|at| columns[*at].unlikely == 0)
}

/// The column that tells which version is the later, and how: a day or moment that differs in
/// nearly all groups, one that is named so before others.
fn latest(
    columns: &[ColumnSurvey],
    differ: &[(usize, u64)],
    groups: u64,
) -> Option<(usize, &'static str)> {
    let named = |at: usize| names_version(&columns[at].name);
    let fitting = differ.iter().filter_map(|&(at, count)| {
        let word = match columns[at].read_as {
            Type::Date | Type::DateTime => "latest",
            Type::Integer if named(at) => "largest",
            _ => return None,
        };
        (count * 10 >= groups * 7).then_some((at, count, word))
    });
    let best = fitting.min_by_key(|(at, count, _)| (!named(*at), Reverse(*count), *at));
    best.map(|(at, _, word)| (at, word))
}

/// A row's key in words; `cells` has what was read again.
fn text_of(
    coded: &Coded,
    cells: &HashMap<(usize, u32), String>,
    set: &[usize],
    row: u32,
) -> String {
    let values = set.iter().map(|at| {
        let text = coded.columns[*at].text(row).map(str::to_owned);
        let text = text.or_else(|| cells.get(&(*at, row)).cloned());
        Column::constant(&text.map_or(Scalar::Blank, Scalar::Text), Type::Text, 1)
    });
    key_text(&Keys::new(values.collect(), BlankKeys::Equal, 1), 0)
}
