//! A database on a server, and what is asked of it.

use std::sync::Arc;

use granum_core::port::{SourceError, SourceErrorKind};

use super::Wrong;
use crate::typed::Stored;

/// What an environment says, by its names.
pub(crate) type Environment<'e> = &'e dyn Fn(&str) -> Option<String>;

/// Where a database says which runs have written into it.
pub(crate) const RUNS: &str = "granum_run";

/// What the environment says.
pub(crate) fn environment(name: &str) -> Option<String> {
    std::env::var(name).ok()
}

/// What is asked for.
pub(crate) struct Asked<'a> {
    pub address: &'a str,
    pub named: Option<&'a str>,
    pub query: Option<&'a str>,
    pub ordered: &'a [String],
}

impl Asked<'_> {
    /// What stands behind `FROM` where a query is asked.
    pub fn query_in_brackets(&self) -> Option<String> {
        let query = self.query?.trim().trim_end_matches(';');
        Some(format!("(\n{query}\n) asked"))
    }
}

/// A database, as it is at the moment when it was first looked at.
pub(crate) trait Server: Send + Sync {
    /// What it is called: `PostgreSQL`.
    fn called(&self) -> &'static str;
    /// Its tables, as people name them.
    ///
    /// # Errors
    /// That they cannot be read.
    fn tables(&self) -> Result<Vec<String>, Wrong>;
    /// A table, or what a query gives.
    ///
    /// # Errors
    /// That it is not there, or cannot be read as it is asked.
    fn table(&self, asked: &Asked<'_>) -> Result<Table, SourceError>;
}

/// A table that can be read.
#[derive(Clone)]
pub(crate) struct Table {
    /// As messages name it: `postgres://db/shop#sales.orders`.
    pub shown: String,
    /// As people name it; nothing of what a query gives.
    pub named: Option<String>,
    /// By what it is known again, whatever the database is called by.
    pub known: Option<String>,
    /// How many bytes it takes there.
    pub bytes: u64,
    pub stored: Arc<dyn Stored>,
}

/// That no two columns have one name.
///
/// # Errors
/// That two have.
pub(crate) fn each_once(shown: &str, names: &[String]) -> Result<(), SourceError> {
    let twice = (1..names.len()).find(|at| names[..*at].contains(&names[*at]));
    let Some(twice) = twice else { return Ok(()) };
    Err(SourceError {
        kind: SourceErrorKind::Header,
        file: shown.to_owned(),
        line: None,
        message: format!("has two columns called `{}`", names[twice]),
        help: "give one of them another name in the query:  AS \u{2026}".into(),
    })
}
