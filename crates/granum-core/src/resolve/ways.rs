//! Which way a name is meant that no link from here is called: for advice.

use std::collections::HashSet;

use super::ancestors::Ancestors;
use super::scope::{LinkEntry, Resolver};
use crate::table::TableId;

impl Resolver<'_> {
    /// How to reach what `name` stands for from rows of these tables, over links that lead on or
    /// over links that lead here, whichever takes fewer names; in words that can be typed.
    pub(super) fn advised_way(&self, ancestors: &Ancestors, name: &str) -> Option<String> {
        let starts: Vec<TableId> = ancestors.iter().map(|(table, _)| table).collect();
        let on = self.shortest(&starts, name, |link| (link.from, link.to, &link.name));
        let back = self.shortest(&starts, name, |link| (link.to, link.from, &link.back));
        match (on, back) {
            (Some(on), back) if back.as_ref().is_none_or(|back| on.len() <= back.len()) => {
                Some(format!("it is reached by  {}.COLUMN", on.join(".")))
            }
            (_, Some(back)) => {
                let way = back.join(".");
                Some(format!("gather what leads here:  sum({way}.COLUMN)  or  rows({way})"))
            }
            _ => None,
        }
    }

    /// The fewest names that end with `name`, each of a link as `ends` sees it: from, to, called.
    fn shortest<'s>(
        &'s self,
        starts: &[TableId],
        name: &str,
        ends: impl Fn(&'s LinkEntry<'_>) -> (TableId, TableId, &'s String),
    ) -> Option<Vec<&'s str>> {
        let mut seen: HashSet<TableId> = starts.iter().copied().collect();
        let mut ways: Vec<(TableId, Vec<&str>)> =
            starts.iter().map(|table| (*table, vec![])).collect();
        while !ways.is_empty() {
            let mut longer = vec![];
            for (at, way) in &ways {
                for link in &self.links {
                    let (from, to, called) = ends(link);
                    if from != *at {
                        continue;
                    }
                    let mut way = way.clone();
                    way.push(called);
                    if called == name {
                        return Some(way);
                    }
                    if seen.insert(to) {
                        longer.push((to, way));
                    }
                }
            }
            ways = longer;
        }
        None
    }
}
