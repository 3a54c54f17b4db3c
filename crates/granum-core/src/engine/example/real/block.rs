//! The rows of one input as a block of an example has them.

use std::collections::BTreeSet;

use super::mask::{Masks, names_somebody};
use crate::engine::context::RunError;
use crate::engine::demand::Demand;
use crate::engine::trace::{Replay, cells};
use crate::lang::plan_name;
use crate::table::TableId;

/// Rows of an input, with the columns that matter.
pub(super) struct Block {
    input: String,
    columns: Vec<String>,
    rows: Vec<Vec<Option<String>>>,
}

/// A text as it is known again: without the spaces around it, whatever its case.
fn core(text: &str) -> String {
    text.trim().to_lowercase()
}

/// The texts of columns that name nobody: keys and codes among them.
pub(super) fn codes(blocks: &[Block]) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    for block in blocks {
        for (at, _) in block.columns.iter().enumerate().filter(|(_, name)| !names_somebody(name)) {
            found.extend(block.rows.iter().filter_map(|row| row[at].as_deref()).map(core));
        }
    }
    found
}

impl Block {
    /// Reads rows of an input as they stand in its files, with the columns that are needed.
    ///
    /// # Errors
    /// A file that cannot be read any more.
    pub fn read(
        replay: &Replay<'_>,
        demand: &Demand,
        input: TableId,
        rows: &BTreeSet<u32>,
    ) -> Result<Self, RunError> {
        let plan = replay.plan(input);
        let source = replay.source(input);
        let names = source.shape().columns;
        let all: Vec<usize> = (0..names.len()).collect();
        let cells = cells(source, &all, rows)?;
        let last_use = &demand.tables[input.0].last_use;
        let needed = plan.imports.iter().filter(|(slot, _)| last_use[slot.0].is_some());
        let mut columns: Vec<usize> = needed.map(|(_, column)| column.0).collect();
        // What only tells two rows apart matters where rows that are equal go.
        let same = |a: &[Option<String>], b: &[Option<String>]| {
            columns.iter().all(|column| a[*column] == b[*column])
        };
        let differing: BTreeSet<usize> = cells
            .iter()
            .enumerate()
            .flat_map(|(at, row)| cells[..at].iter().map(move |before| (before, row)))
            .filter(|(before, row)| same(before, row))
            .flat_map(|(before, row)| all.iter().filter(|at| before[**at] != row[**at]))
            .copied()
            .collect();
        columns.extend(differing);
        columns.sort_unstable();
        columns.dedup();
        let first = columns.first().copied().unwrap_or(0);
        columns.retain(|column| cells.iter().any(|row| row[*column].is_some()));
        if columns.is_empty() {
            columns.push(first);
        }
        let own = |row: &Vec<Option<String>>| columns.iter().map(|at| row[*at].clone()).collect();
        Ok(Self {
            input: plan.name.clone(),
            columns: columns.iter().map(|column| names[*column].0.clone()).collect(),
            rows: cells.iter().map(own).collect(),
        })
    }

    /// Puts masks in place of texts that name somebody; gives the columns in which it did. A column that has
    /// one of the `codes` is one of codes itself: what leads by it would lead nowhere.
    pub fn mask(&mut self, masks: &mut Masks, codes: &BTreeSet<String>) -> Vec<String> {
        let mut masked = vec![];
        for (at, name) in self.columns.iter().enumerate() {
            let texts = || self.rows.iter().filter_map(|row| row[at].as_deref());
            if !names_somebody(name) || texts().any(|text| codes.contains(&core(text))) {
                continue;
            }
            let mut any = false;
            for row in &mut self.rows {
                let Some(text) = &mut row[at] else { continue };
                let mask = masks.mask(name, text);
                any |= mask != *text;
                *text = mask;
            }
            if any {
                masked.push(format!("{}.{}", plan_name(&self.input), plan_name(name)));
            }
        }
        masked
    }

    /// The input's name, and a header and rows.
    pub fn text(self) -> (String, String) {
        let text = csv(&self.columns, self.rows.into_iter());
        (self.input, text)
    }
}

/// A header and rows as a block has them.
pub(super) fn csv(header: &[String], rows: impl Iterator<Item = Vec<Option<String>>>) -> String {
    let header = header.iter().map(|name| Some(name.clone())).collect();
    let mut text = String::new();
    for row in std::iter::once(header).chain(rows) {
        let row: Vec<Option<String>> = row;
        let cells: Vec<String> = row.iter().map(|cell| cell_text(cell.as_deref())).collect();
        // A line without a sign would be no row.
        let line = cells.join(",");
        text.push_str(if line.is_empty() { "\"\"" } else { &line });
        text.push('\n');
    }
    text
}

/// A cell, in quotes where it needs them.
fn cell_text(cell: Option<&str>) -> String {
    let cell = cell.unwrap_or("");
    let needs = cell.contains([',', '"', '\n', '\r']) || cell.trim() != cell;
    if needs { format!("\"{}\"", cell.replace('"', "\"\"")) } else { cell.to_owned() }
}
