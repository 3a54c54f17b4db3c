//! A first plan from files: what was found in them, written down so that it runs.
//!
//! The text is put together from what [`relate`](crate::relate) told. Then it is run against the
//! files: what does not hold is taken back, and the completeness of each link becomes what the plan
//! asks of it, until nothing changes any more. So a draft never promises what its own files do not keep.

mod links;
mod pair;
mod tables;

pub use pair::{Side, linked};

use std::collections::{BTreeMap, BTreeSet};

use self::links::Kept;
use crate::engine::{RunError, Running, Want, run_as};
use crate::lang::{format_plan, parse, quoted};
use crate::port::{Observer, Sources, Written, is_address};
use crate::relate::Relations;
use crate::resolve::with_paths;
use crate::table::Room;
use crate::tally::{InvertedPeriods, Problem, Report, SeveralPeriods};

/// How the files of a table are written, as its plan has to say it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DraftedFiles {
    /// Their paths.
    pub paths: Vec<String>,
    /// The columns of any of them, where some of the table's files lack some.
    pub columns: Vec<String>,
    /// How they are written, as far as it has to be said.
    pub written: Written,
    /// Whether a column that one of the table's files lacks is blank there.
    pub filling: bool,
}

/// A draft that runs, and what its run told.
#[derive(Debug)]
pub struct Draft {
    /// The plan, in the one layout.
    pub text: String,
    /// What its last run told.
    pub report: Report,
}

/// Columns that are read as text though they look like something else, by their tables: keys of
/// links whose other side is text.
type AsText = BTreeSet<(String, String)>;

/// What is left out of a draft, since the files do not keep it.
#[derive(Debug, Default)]
struct Refused {
    /// Grains, by table.
    grains: BTreeSet<String>,
    /// Links, by the tables at their ends.
    links: BTreeSet<(String, String)>,
    /// Columns that cannot be read as they seemed to be, by table.
    reads: BTreeSet<(String, String)>,
    /// Tables whose amounts cannot be kept apart by their currency.
    apart: BTreeSet<String>,
    /// The tables that inputs are parts of.
    parts: BTreeMap<String, String>,
}

/// Letters in a line of a comment.
const WIDTH: usize = 100;

/// A draft is taken back so often at most; each time something of it is left out.
const ROUNDS: usize = 40;

/// This part of the memory that there is, what was found of files may take.
const FOUND: u64 = 4;

/// Writes a plan for files that have been related. `files` are those of each table, by how they are
/// written; `room` is how much memory there is, of which what was found of the files takes some.
///
/// # Errors
/// Why a file cannot be read, or what has no room in memory cannot be put away.
pub fn draft(
    relations: &Relations,
    files: &[Vec<DraftedFiles>],
    (sources, room): (&dyn Sources, &Room),
    observer: &dyn Observer,
) -> Result<Draft, RunError> {
    let mut refused = Refused::default();
    for (table, files) in relations.tables.iter().zip(files) {
        let parts = tables::part_names(&table.name, files.len());
        refused.parts.extend(parts.into_iter().map(|part| (part, table.name.clone())));
    }
    // What links are expected to keep mostly is what they keep: then one run is enough.
    let mut kept = Kept::expected(relations);
    let room = room.beside(room.limit() / FOUND);
    for _ in 0..ROUNDS {
        let text = text(relations, files, &refused, &kept);
        let parsed = parse(&text);
        if !parsed.diagnostics.is_empty() {
            return Err(RunError::Plan(parsed.diagnostics));
        }
        let tree = with_paths(&parsed.tree, &[]).map_err(RunError::Plan)?;
        let running = Running { room: Some(&room), ..Running::default() };
        let report = run_as(&tree, &[], sources, Want::Check, observer, running)?;
        let taken_back = refused.take_back(&report);
        kept = report.links.iter().map(Kept::of).collect();
        if !taken_back && self::text(relations, files, &refused, &kept) == text {
            return Ok(Draft { text: format_plan(&text, &parsed), report });
        }
    }
    Err(RunError::Plan(vec![]))
}

impl Refused {
    /// Notes what did not hold. Says whether there was anything.
    fn take_back(&mut self, report: &Report) -> bool {
        let mut found = false;
        for problem in &report.problems {
            found |= match problem {
                Problem::Grain { table, .. } => self.grains.insert(table.clone()),
                Problem::RepeatedKeys { from, to, .. }
                | Problem::SeveralPeriods(SeveralPeriods { from, to, .. })
                | Problem::InvertedPeriods(InvertedPeriods { from, to, .. }) => {
                    self.links.insert((from.clone(), to.clone()))
                }
                Problem::BadCells { table, column, .. } => {
                    let table = self.parts.get(table).unwrap_or(table).clone();
                    self.reads.insert((table, column.clone()))
                }
                Problem::CountedApart(_) => {
                    let known = self.apart.len();
                    self.apart.extend(report.tables.iter().map(|table| table.name.clone()));
                    self.apart.extend(report.not_built.iter().cloned());
                    self.apart.len() > known
                }
                _ => false,
            };
        }
        found
    }
}

fn text(
    relations: &Relations,
    files: &[Vec<DraftedFiles>],
    refused: &Refused,
    kept: &[Kept],
) -> String {
    let mut paths: Vec<&String> = files.iter().flatten().flat_map(|files| &files.paths).collect();
    paths.sort();
    paths.dedup();
    let title = match (paths.len(), relations.tables.as_slice()) {
        (_, [table]) => format!("Draft: {}", table.name),
        (1, tables) if is_address(paths[0]) => {
            format!("Draft from {} tables of one database", tables.len())
        }
        (1, tables) => format!("Draft from {} tables of one file", tables.len()),
        (count, _) => format!("Draft from {count} files"),
    };
    let mut out = format!(
        "plan {}\n\n# A first plan, as the files were found. What it asks, they keep today: look at \
         each line,\n# and say what must hold tomorrow.\n\n# What the files are, and what one row \
         of each is.\n\n",
        quoted(&title)
    );
    let chosen = links::choose(relations, refused);
    let as_text = links::as_text(relations, &chosen);
    for (table, files) in relations.tables.iter().zip(files) {
        out.push_str(&tables::input(table, files, refused, &as_text));
    }
    out.push_str(&links::links(relations, &chosen, kept));
    out.push_str(&tables::joined(relations, &chosen, refused, &as_text));
    out
}

/// A comment of as many lines as it takes.
fn remark(text: &str) -> String {
    let mut out = String::new();
    let mut line = "#".to_owned();
    for word in text.split_whitespace() {
        if line.chars().count() + 1 + word.chars().count() > WIDTH && line.len() > 1 {
            out.push_str(&line);
            out.push('\n');
            "#  ".clone_into(&mut line);
        }
        line.push(' ');
        line.push_str(word);
    }
    out.push_str(&line);
    out.push('\n');
    out
}

#[cfg(test)]
mod tests;
