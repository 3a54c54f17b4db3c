//! Where rows of a table must wait until all have come, as the plan alone tells.

use crate::resolve::Plan;
use crate::step::{Pace, RowsBecome, streams};
use crate::table::TableId;

/// Where rows are put together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum LeafKind {
    /// A step sees them all at once.
    Whole,
    /// They become groups as they come.
    Groups,
    /// The finished table is kept.
    Kept,
}

/// What rows wait for before a step that sees all at once.
pub(super) fn waits_for(plan: &Plan, table: TableId, step: usize) -> LeafKind {
    let groups = plan.tables[table.0].steps[step].step.work().groups();
    if groups.is_some_and(|groups| streams(plan, groups)) {
        LeafKind::Groups
    } else {
        LeafKind::Whole
    }
}

/// Whether a table that is made from another as it passes holds all its rows before any of them has
/// gone: then it holds as much as the other would.
pub(super) fn holds_all(plan: &Plan, table: TableId) -> Option<bool> {
    for (at, step) in plan.tables[table.0].steps.iter().enumerate() {
        let work = step.step.work();
        if work.pace() == Pace::Whole {
            return Some(waits_for(plan, table, at) == LeafKind::Whole);
        }
        if work.rows() == RowsBecome::Fewer {
            return Some(false);
        }
    }
    None
}
