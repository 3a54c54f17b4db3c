//! Lines below the rows, such as `Total: 2 rows`: the last records of a file, which are left out and
//! told.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

use granum_core::table::Place;
use granum_core::tally::BadCell;

use super::scan::{Field, Scanner};

/// What was left out of each file, by its name.
#[derive(Debug, Clone, Default)]
pub(super) struct LeftOut(Arc<Mutex<BTreeMap<Arc<str>, Vec<BadCell>>>>);

impl LeftOut {
    /// Notes what was left out of a file, in place of what was noted of it before.
    pub fn note(&self, file: &Arc<str>, lines: Vec<BadCell>) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(file.clone(), lines);
    }

    /// All of it, by the files' names.
    pub fn lines(&self) -> Vec<BadCell> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.values().flatten().cloned().collect()
    }
}

/// Where the records of a text begin that are not empty.
fn starts(text: &[u8], delimiter: u8) -> Vec<usize> {
    let mut scanner = Scanner::new(text, delimiter);
    let mut fields: Vec<Field> = vec![];
    let mut starts = vec![];
    loop {
        let start = scanner.position();
        // What cannot be taken apart is told where it is read.
        if !matches!(scanner.next(&mut fields), Ok(true)) {
            return starts;
        }
        let record = &text[start..scanner.position()];
        if record.iter().any(|byte| !matches!(byte, b'\r' | b'\n')) {
            starts.push(start);
        }
    }
}

/// How many records a text has that are not empty.
pub(super) fn records(text: &[u8], delimiter: u8) -> u64 {
    starts(text, delimiter).len() as u64
}

/// Cuts the last `footer` records off a text whose first line is `line`; gives them with their lines.
pub(super) fn cut(
    text: &mut Vec<u8>,
    delimiter: u8,
    footer: u64,
    file: &Arc<str>,
    line: u64,
) -> Vec<BadCell> {
    let starts = starts(text, delimiter);
    let first = starts.len().saturating_sub(footer as usize);
    let cut: Vec<BadCell> = (first..starts.len())
        .map(|at| {
            let end = starts.get(at + 1).copied().unwrap_or(text.len());
            let words = String::from_utf8_lossy(&text[starts[at]..end]).trim_end().to_owned();
            let above = memchr::memchr_iter(b'\n', &text[..starts[at]]).count() as u64;
            BadCell { text: words, place: Place::line(file.clone(), line + above) }
        })
        .collect();
    if let Some(start) = starts.get(first) {
        text.truncate(*start);
    }
    cut
}

/// Words that a line begins with which adds up those above it.
const TOTALS: [&str; 6] = ["total", "sum", "subtotal", "grand total", "rows", "records"];

/// Whether a line that begins with this field adds up those above it.
pub(crate) fn totals(first: &str) -> bool {
    let first = first.trim().to_lowercase();
    TOTALS.iter().any(|word| {
        first.strip_prefix(word).is_some_and(|rest| !rest.starts_with(char::is_alphanumeric))
    })
}
