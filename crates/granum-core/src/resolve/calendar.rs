//! `calendar START through END`: an input of days.

use super::plan::{CALENDAR, CalendarPlan};
use super::scope::Resolver;
use super::steps::{Builder, Known, Named};
use super::worth::{Worth, WorthKind};
use super::{Resolved, Wrong};
use crate::lang::{CalendarTree, Diagnostic, DiagnosticKind};
use crate::value::{Scalar, Type};

impl Resolver<'_> {
    /// The days and the columns of a calendar; its grain is the day.
    pub(super) fn calendar(
        &mut self,
        builder: &mut Builder,
        tree: &CalendarTree,
    ) -> Resolved<CalendarPlan> {
        builder.input = true;
        // There is no file whose cells could be compared.
        builder.grouped = true;
        let start = self.constant(&tree.start, Type::Date, "the first day");
        let end = self.constant(&tree.end, Type::Date, "the last day");
        // A parameter that is wrong has been told.
        let (Scalar::Date(start), Scalar::Date(end)) = (start?, end?) else { return Err(Wrong) };
        if start > end {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Parameter,
                    tree.start.span.to(tree.end.span),
                    format!("{} is after {}", Scalar::Date(start), Scalar::Date(end)),
                )
                .help("as in  calendar date(\"2026-01-01\") through date(\"2026-12-31\")"),
            );
        }
        let mut slots = vec![];
        for (name, ty) in CALENDAR {
            let slot = builder.slot(ty, Worth::column(WorthKind::Plain, false), 0);
            builder.names.push(Named::new(name, 0, slot));
            slots.push(slot);
        }
        builder.grain = Some(Known { slots: vec![slots[0]], unique: true, filled: true });
        Ok(CalendarPlan { start, end, slots })
    }
}
