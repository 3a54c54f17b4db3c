//! What is to be printed of a run, and how.

use granum_core::compare::Compared;
use granum_core::tally;

use crate::record::Since;

/// What is printed of a run.
pub struct Report<'a> {
    pub tally: &'a tally::Report,
    /// The plan's path, for commands to try.
    pub plan: &'a str,
    /// The values that parameters were given, for the same.
    pub settings: &'a [(String, String)],
    /// The plan's text, for what points into it.
    pub source: &'a str,
    pub width: usize,
    /// Each table by itself, not only those that nothing is built from.
    pub every_table: bool,
    /// All entries of bridges, not only those that changed most.
    pub whole_bridges: bool,
    /// Whether the worked examples ran alone.
    pub examples_alone: bool,
    /// What is another than in an earlier run.
    pub since: Option<&'a Since>,
    /// Outputs compared with what they replaced.
    pub changes: &'a [(String, Compared)],
    /// What was written of a run that stopped.
    pub anyway: &'a [tally::Written],
    /// The path and the size of the page that was written.
    pub page: Option<(&'a str, u64)>,
}
