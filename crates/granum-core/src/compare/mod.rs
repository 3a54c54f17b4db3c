//! Two builds of a table side by side: rows that were added, that are gone, that changed, in which columns
//! and by how much.

mod changes;
mod read;

use std::collections::HashMap;

use serde::Serialize;

use crate::link::{self, BlankKeys, EXAMPLES, Keys, Linked, Method, Repeats};
use crate::port::{InputSource, Observer, SourceError};
use crate::survey::survey;
use crate::table::{Amount, Column, Place, Room, Rows};
use crate::tally::NamedValue;
use crate::value::{Scalar, Scale, decimal};
use changes::{changes, named};
use read::{Both, read};

/// Rows are listed up to this many.
const FIRST: usize = 5;

/// How two builds are compared.
#[derive(Debug, Clone, Default)]
pub struct Comparing {
    /// The columns that tell rows apart; found where none is said.
    pub grain: Vec<String>,
    /// Numbers that differ by no more are equal: units of 10^-scale.
    pub tolerance: Option<(i128, Scale)>,
}

impl Comparing {
    /// Reads a tolerance such as `0.01`.
    pub fn tolerance(text: &str) -> Option<(i128, Scale)> {
        decimal::parse(text.as_bytes()).filter(|(units, _)| *units >= 0)
    }
}

/// What there is to tell of two builds.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Compared {
    /// Rows of the old one.
    pub old_rows: u64,
    /// Rows of the new one.
    pub new_rows: u64,
    /// The columns that tell rows apart; none where whole rows were compared.
    pub grain: Vec<String>,
    /// Whether they were found, not said.
    pub proposed: bool,
    /// Rows whose key only the new one has, the first of them.
    pub added: SomeRows,
    /// Rows whose key only the old one has.
    pub gone: SomeRows,
    /// Rows of both of which a value differs.
    pub changed: u64,
    /// Rows that are the same in both.
    pub same: u64,
    /// The columns of both, in the order of the new one.
    pub columns: Vec<ColumnChange>,
    /// Columns that only the old one has.
    pub only_old: Vec<String>,
    /// Columns that only the new one has.
    pub only_new: Vec<String>,
}

/// Some rows, and the first of them.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SomeRows {
    /// How many.
    pub rows: u64,
    /// The first of them: their keys, or all their values where there is none.
    pub first: Vec<Vec<NamedValue>>,
}

/// What became of a column.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ColumnChange {
    /// The column.
    pub name: String,
    /// Rows of both in which it differs.
    pub changed: u64,
    /// Its sum in the old one, if it is a number.
    pub before: Option<Amount>,
    /// Its sum in the new one.
    pub after: Option<Amount>,
    /// The largest changes; of what is no number the first.
    pub largest: Vec<Change>,
}

/// A value that changed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Change {
    /// Its row's key.
    pub key: Vec<NamedValue>,
    /// What it was; nothing where it was blank.
    pub before: Option<String>,
    /// What it is.
    pub after: Option<String>,
}

/// Why two builds cannot be compared.
#[derive(Debug)]
pub enum CompareError {
    /// A file cannot be read.
    Source(SourceError),
    /// A column of the grain is not in one of them: which, and whether it is the old one.
    NoColumn {
        /// The column.
        column: String,
        /// Whether the old one lacks it.
        old: bool,
        /// The columns that both have.
        known: Vec<String>,
    },
    /// The grain does not tell rows apart.
    Repeated(RepeatedGrain),
}

impl CompareError {
    /// Whether it is the old build that is at fault, where one of both is.
    pub fn in_old(&self) -> bool {
        match self {
            Self::Source(_) => false,
            Self::NoColumn { old, .. } | Self::Repeated(RepeatedGrain { old, .. }) => *old,
        }
    }
}

/// Keys of a grain that stand on several rows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RepeatedGrain {
    /// Whether in the old build.
    pub old: bool,
    /// The columns.
    pub grain: Vec<String>,
    /// How many keys.
    pub keys: u64,
    /// The first of them, with how many rows have each and where.
    pub examples: Vec<(String, u64, Vec<Place>)>,
}

impl From<SourceError> for CompareError {
    fn from(error: SourceError) -> Self {
        Self::Source(error)
    }
}

impl Compared {
    /// Whether there is a difference.
    pub fn differs(&self) -> bool {
        let columns = !self.only_old.is_empty() || !self.only_new.is_empty();
        self.added.rows + self.gone.rows + self.changed > 0 || columns
    }
}

/// Compares two builds. Cells compare by value, in the type that both have together. `room` is what looking for a grain
/// may take; what is compared is held.
///
/// # Errors
/// See [`CompareError`].
pub fn compare(
    (old, new): (&mut dyn InputSource, &mut dyn InputSource),
    comparing: &Comparing,
    room: &Room,
    observer: &dyn Observer,
) -> Result<Compared, CompareError> {
    old.settle()?;
    new.settle()?;
    let grain = match comparing.grain.as_slice() {
        [] => proposed(old, new, room, observer)?,
        grain => {
            for (old, source) in [(true, &*old), (false, &*new)] {
                let known: Vec<String> =
                    source.shape().columns.into_iter().map(|(name, _)| name).collect();
                if let Some(column) = grain.iter().find(|column| !known.contains(column)) {
                    return Err(CompareError::NoColumn { column: column.clone(), old, known });
                }
            }
            grain.to_vec()
        }
    };
    let both = read(old, new, observer)?;
    let keys = if grain.is_empty() { both.names() } else { grain.clone() };
    let of = |old: bool| Keys::new(both.columns_of(old, &keys), BlankKeys::Equal, both.rows(old));
    let (mut old_keys, mut new_keys) = (of(true), of(false));
    if grain.is_empty() {
        return Ok(as_whole_rows(&both, &old_keys, &new_keys));
    }
    if comparing.grain.is_empty() {
        // One that was found may leave exact copies: the first is compared with the first.
        (old_keys, new_keys) = (numbered(&old_keys), numbered(&new_keys));
    }
    for (old, keys) in [(true, &old_keys), (false, &new_keys)] {
        repeated(&both, old, keys, &grain)?;
    }
    observer.stage("comparing", 0);
    let method = Method::Equal { unique: true };
    let linked = Linked::new(new_keys, old_keys, method);
    let pairs = &linked.index;
    let back = linked.back();
    let gone: Vec<u32> = (0..back.len() as u32).filter(|row| !back.has(*row as usize)).collect();
    let added: Vec<u32> = (0..pairs.len() as u32).filter(|row| !pairs.has(*row as usize)).collect();
    let (columns, changed) = changes(&both, pairs, &grain, comparing.tolerance);
    let met = (pairs.len() - added.len()) as u64;
    Ok(Compared {
        old_rows: both.rows(true) as u64,
        new_rows: both.rows(false) as u64,
        proposed: comparing.grain.is_empty(),
        added: some(&both, false, &added, &grain),
        gone: some(&both, true, &gone, &grain),
        changed,
        same: met - changed,
        columns,
        only_old: both.only_old.clone(),
        only_new: both.only_new.clone(),
        grain,
    })
}

/// The likeliest grain of the old build that holds in the new one too; nothing where there is none.
fn proposed(
    old: &dyn InputSource,
    new: &dyn InputSource,
    room: &Room,
    observer: &dyn Observer,
) -> Result<Vec<String>, SourceError> {
    let of = |source: &dyn InputSource| survey(source, vec![], room, observer);
    let (old, new) = (of(old)?, of(new)?);
    let shared = old.grain.unique.iter().find(|columns| new.grain.unique.contains(columns));
    Ok(shared.cloned().unwrap_or_default())
}

/// Keys with the number that each row has among those of its key.
fn numbered(keys: &Keys) -> Keys {
    let mut numbers = vec![1_i64; keys.rows()];
    let mut seen: HashMap<u32, i64> = HashMap::new();
    for (row, first) in link::repeated(keys) {
        let number = seen.entry(first).or_insert(1);
        *number += 1;
        numbers[row as usize] = *number;
    }
    let columns = [keys.columns(), &[Column::Integer(numbers.into())]].concat();
    Keys::new(columns, BlankKeys::Equal, keys.rows())
}

/// That a grain does not tell rows apart.
fn repeated(both: &Both, old: bool, keys: &Keys, grain: &[String]) -> Result<(), CompareError> {
    let repeats = Repeats::of(&link::repeated(keys));
    if repeats.is_empty() {
        return Ok(());
    }
    let examples = repeats.examples(keys).into_iter().map(|(key, rows)| {
        let places = rows.iter().take(EXAMPLES).filter_map(|row| both.place(old, *row));
        (key, rows.len() as u64, places.collect())
    });
    Err(CompareError::Repeated(RepeatedGrain {
        old,
        grain: grain.to_vec(),
        keys: repeats.keys(),
        examples: examples.collect(),
    }))
}

/// Builds that nothing tells rows of apart: rows that only one has, however often.
fn as_whole_rows(both: &Both, old: &Keys, new: &Keys) -> Compared {
    // Each row of one takes an equal one of the other that is still free.
    let mut free: HashMap<Vec<Option<String>>, Vec<u32>> = HashMap::new();
    for row in (0..old.rows() as u32).rev() {
        free.entry(texts(old, row)).or_default().push(row);
    }
    let mut takes = |row: &u32| free.get_mut(&texts(new, *row)).and_then(Vec::pop).is_some();
    let added: Vec<u32> = (0..new.rows() as u32).filter(|row| !takes(row)).collect();
    let mut gone: Vec<u32> = free.into_values().flatten().collect();
    gone.sort_unstable();
    let names = both.names();
    let pairs = Rows::from(vec![None; new.rows()]);
    let (columns, _) = changes(both, &pairs, &[], None);
    Compared {
        old_rows: old.rows() as u64,
        new_rows: new.rows() as u64,
        grain: vec![],
        proposed: true,
        same: (new.rows() - added.len()) as u64,
        added: some(both, false, &added, &names),
        gone: some(both, true, &gone, &names),
        changed: 0,
        columns,
        only_old: both.only_old.clone(),
        only_new: both.only_new.clone(),
    }
}

/// The values of a row in words.
fn texts(keys: &Keys, row: u32) -> Vec<Option<String>> {
    let values = keys.values(row as usize).into_iter();
    values.map(|value| (value != Scalar::Blank).then(|| value.to_string())).collect()
}

fn some(both: &Both, old: bool, rows: &[u32], names: &[String]) -> SomeRows {
    let first = rows.iter().take(FIRST).map(|row| named(both, old, *row, names));
    SomeRows { rows: rows.len() as u64, first: first.collect() }
}

#[cfg(test)]
mod tests;
