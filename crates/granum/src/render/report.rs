//! A run's report: tallies, links, checks, verdict.

use super::view::Report;
use super::{bridge, compare, links, periods, since, tally as tables, verdict};

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
        for (path, compared) in self.changes {
            out.push_str(&compare::changes(compared, path, self.width));
        }
        if let Some(since) = self.since {
            out.push_str(&since::since(since, &self.tally.moved, self.width));
        }
        out.push_str(&verdict::checks(self));
        out.push_str(&self.verdict());
        out
    }

    /// Only how it ended, and why.
    pub fn verdict(&self) -> String {
        verdict::verdict(self)
    }
}
