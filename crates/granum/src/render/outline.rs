//! The tables of a plan for people.

use granum_core::engine::TableOutline;
use granum_core::lang::plan_name;

use super::tally::grain_words;
use super::{counted, dim, folded, heading};

/// Each table with what one row of it is, its columns, and where its links lead.
pub fn outline(tables: &[TableOutline], plan: &str, width: usize) -> String {
    let mut out = String::new();
    for table in tables {
        let kind = if table.input { "input \u{b7} " } else { "" };
        let grain = grain_words(&table.grain, table.one_row);
        out.push_str(&format!("{} \u{b7} {kind}{grain}\n", heading(&table.name)));
        let columns: Vec<String> =
            table.columns.iter().map(|(name, ty)| format!("{} {ty}", plan_name(name))).collect();
        out.push_str(&folded(&columns.join(", "), "  ", width));
        if !table.links.is_empty() {
            out.push_str(&folded(&format!("links to {}", table.links.join(", ")), "  ", width));
        }
        out.push('\n');
    }
    let count = counted(tables.len() as u64, "table", "tables");
    let rows = format!("{count}; the rows of one:  granum show {plan} TABLE");
    out.push_str(&format!("{}\n", dim(&rows)));
    out
}
