//! A run's report: tallies, links, checks, verdict.

use granum_core::tally;

use super::{bridge, links, periods, tally as tables, verdict};

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
}

impl Report<'_> {
    /// All of it.
    pub fn whole(&self) -> String {
        let mut out = String::new();
        if let Some(title) = &self.tally.title {
            out.push_str(&format!("{}\n\n", super::heading(title)));
        }
        out.push_str(&tables::tables(self.tally, self.width, self.every_table));
        out.push_str(&links::links(&self.tally.links));
        out.push_str(&periods::of_links(&self.tally.links, self.width));
        out.push_str(&bridge::bridges(&self.tally.bridges, self.whole_bridges, self.width));
        out.push_str(&verdict::checks(self));
        out.push_str(&self.verdict());
        out
    }

    /// Only how it ended, and why.
    pub fn verdict(&self) -> String {
        verdict::verdict(self)
    }
}
