//! What one row is: whether a grain holds, which keys break it, and which sets of columns could be
//! one.

mod candidates;
mod copies;
mod grouping;
mod partition;
mod scattered;

pub(crate) use candidates::{VERSION, search};
pub(crate) use copies::{Shared, SharedKey};
pub(crate) use grouping::{Candidate, Grouping, Near};

use crate::link::{EXAMPLES, Keys, Repeats, repeated};

/// What breaks a grain.
#[derive(Debug, Default)]
pub(crate) struct Broken {
    pub repeated: u64,
    pub repeated_rows: u64,
    pub blank: u64,
    /// The first keys that repeat: the key in words, and its rows.
    pub examples: Vec<(String, Vec<u32>)>,
    pub blank_rows: Vec<u32>,
}

/// Looks for repeated and blank keys. Uniqueness need not be looked at where it is known.
pub(crate) fn broken(keys: &Keys, unique: bool) -> Option<Broken> {
    let mut broken = Broken { blank: keys.absent() as u64, ..Broken::default() };
    if broken.blank > 0 {
        let blank = (0..keys.rows()).filter(|row| !keys.has_key(*row));
        broken.blank_rows = blank.take(EXAMPLES).map(|row| row as u32).collect();
    }
    if !unique && !keys.increase() {
        let repeats = Repeats::of(&repeated(keys));
        broken.repeated = repeats.keys();
        broken.repeated_rows = repeats.rows();
        broken.examples = repeats.examples(keys);
    }
    (broken.blank > 0 || broken.repeated > 0).then_some(broken)
}
