//! What each row gets of its group: an aggregate of it, its place there, what stands beside it, a window of it.

use super::Called;
use crate::aggregate::OF_PLACE;
use crate::bug::Sure;
use crate::expr::{Kind, Typed};
use crate::lang::{Clauses, Diagnostic, DiagnosticKind, GroupTree, Name, Over};
use crate::resolve::Resolved;
use crate::resolve::apart::sole_of;
use crate::resolve::expression::Valued;
use crate::resolve::plan::{AggregatePlan, GroupedWhat};
use crate::resolve::scope::{Pending, PendingKind, Resolver, Row};
use crate::resolve::worth::{Repeat, Worth, WorthKind};
use crate::table::SlotId;
use crate::value::Type;

/// What is worked over windows, and by which aggregate.
const WINDOWS: &[(&str, &str)] = &[
    ("running", "sum"),
    ("rows", "rows"),
    ("count", "count"),
    ("mean", "mean"),
    ("min", "min"),
    ("max", "max"),
];

impl Resolver<'_> {
    /// With `per` or `in all`: each row gets its group's value.
    pub(super) fn of_each_row(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        if row.next_slot.is_none() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    called.span,
                    "a group's value for each row stands in `add`, `change`, `keep` and `drop`",
                )
                .help("give it a name with `add` before"),
            );
        }
        let mut keys = vec![];
        if let Some(GroupTree::Per(trees)) = &called.clauses.group {
            for tree in trees {
                keys.push(self.expression(tree, row)?.0);
            }
        }
        // What is inside belongs to the row, and has no groups of its own.
        let inside = Row { next_slot: None, ..row.clone() };
        let (what, ty, worth) = match (called.name.text.as_str(), called.clauses.over) {
            ("position", _) => self.position(called, &inside)?,
            ("previous", _) => self.neighbour(called, &inside, false)?,
            ("next", _) => self.neighbour(called, &inside, true)?,
            ("running", over) | (_, over @ Some(_)) => self.window(called, &inside, over)?,
            _ => {
                let (plan, worth) = self.aggregate_plan(called, &inside, &[])?;
                let (ty, worth) = (plan.ty, repeating(worth, Repeat::OnGroup));
                (GroupedWhat::Aggregate(plan), ty, worth)
            }
        };
        let (plan, span) = (what.plan(), called.span);
        let apart = plan.and_then(|plan| plan.apart.clone());
        let sole = plan.filter(|plan| plan.filter.is_some()).zip(apart.clone());
        let sole = sole.map(|(plan, apart)| sole_of(plan, apart));
        let at = row.next_slot.unwrap_or_default() + self.pending.len() + 1;
        // Of rows that are left out, the row itself may be one.
        let apart = match &sole {
            Some(sole) => Some(Typed::new(Kind::Slot(SlotId(at)), sole.ty, span)),
            None => apart,
        };
        let kind = PendingKind::Grouped(what, keys.clone());
        let value = self.pend(Pending { kind, ty, worth, apart }, row, span);
        if let Some(sole) = sole {
            let ty = sole.ty;
            let kind = PendingKind::Grouped(GroupedWhat::Aggregate(sole), keys);
            self.pend(Pending { kind, ty, worth: Worth::default(), apart: None }, row, span);
        }
        Ok((value, worth))
    }

    /// `position(per KEY by d)`: which of its group's rows a row is.
    fn position(&mut self, called: Called<'_>, row: &Row) -> Resolved<(GroupedWhat, Type, Worth)> {
        if !called.args.is_empty() || called.clauses.filter.is_some() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    called.span,
                    "`position` takes no value: it counts the rows of the group",
                )
                .help(said("position")),
            );
        }
        let by = self.orders(&called.clauses.by, row)?;
        let what = GroupedWhat::Position { by };
        Ok((what, Type::Integer, Worth::column(WorthKind::Plain, false)))
    }

    /// `previous(x per KEY by d)` and `next`: what the row beside it has.
    fn neighbour(
        &mut self,
        called: Called<'_>,
        row: &Row,
        next: bool,
    ) -> Resolved<(GroupedWhat, Type, Worth)> {
        let (mut plan, worth) = self.ordered(called, row, "sole")?;
        if let Some(value) = plan.value.clone() {
            plan.apart = self.apart_of(row, &value)?.of();
        }
        let (ty, worth) = (plan.ty, repeating(worth, Repeat::Neighbour));
        Ok((GroupedWhat::Neighbour { plan, next }, ty, worth))
    }

    /// `running(x per KEY by d)`, the sum up to each row, and what is worked `over` fewer rows.
    fn window(
        &mut self,
        called: Called<'_>,
        row: &Row,
        over: Option<Over>,
    ) -> Resolved<(GroupedWhat, Type, Worth)> {
        let name = called.name.text.as_str();
        let aggregate = WINDOWS.iter().find(|(known, _)| *known == name).map_or(name, |(_, of)| of);
        let (plan, worth) = self.ordered(called, row, aggregate)?;
        if let (Some(Over::Days(_)), by) = (over, &plan.by) {
            let one = matches!(by.as_slice(), [(by, false)] if by.ty.is_temporal() || by.ty == Type::Blank);
            if !one {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        called.clauses.by[0].value.span,
                        "a window of days needs one day to go by, the earliest first",
                    )
                    .help("as in  running(net per customer_no by ordered_on over 28 days)"),
                );
            }
        }
        let (ty, worth) = (plan.ty, repeating(worth, Repeat::Running));
        Ok((GroupedWhat::Window { plan, over }, ty, worth))
    }

    /// An aggregate with an order, which must be said.
    fn ordered(
        &mut self,
        called: Called<'_>,
        row: &Row,
        aggregate: &str,
    ) -> Resolved<(AggregatePlan, Worth)> {
        let function = &called.name.text;
        if called.clauses.by.is_empty() {
            let value = if function == "rows" { "" } else { "net " };
            let over = if called.clauses.over.is_some() { " over 28 days" } else { "" };
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    called.span,
                    format!("`{function}` needs an order"),
                )
                .help(format!("as in  {function}({value}per customer_no by ordered_on{over})")),
            );
        }
        let name = Name { text: aggregate.into(), span: called.name.span };
        let clauses = Clauses { by: vec![], ..called.clauses.clone() };
        let unordered = Called { name: &name, clauses: &clauses, ..called };
        let (mut plan, worth) = self.aggregate_plan(unordered, row, &[])?;
        plan.by = self.orders(&called.clauses.by, row)?;
        plan.text = called.text();
        Ok((plan, worth))
    }

    /// Refuses `over` where no window is worked.
    pub(super) fn may_have_window(&mut self, called: &Called<'_>) -> Resolved<()> {
        let name = called.name.text.as_str();
        let known = WINDOWS.iter().any(|(known, _)| *known == name);
        if known && called.clauses.group.is_some() {
            return Ok(());
        }
        let (message, help) = if known {
            (
                "a window reaches back from each row, so it needs to know among which".to_owned(),
                format!(
                    "with  per KEY  or  in all , as in  {name}(\u{2026} per customer_no by ordered_on over 28 days)"
                ),
            )
        } else {
            let names: Vec<&str> = WINDOWS.iter().map(|(name, _)| *name).collect();
            let sum =
                if name == "sum" { "its sum is  running(x \u{2026} over \u{2026}) ; " } else { "" };
            (
                format!("`{name}` is not worked over a window"),
                format!("{sum}over windows there are {}", names.join(", ")),
            )
        };
        self.wrong(Diagnostic::new(DiagnosticKind::Type, called.span, message).help(help))
    }
}

/// What is said of a name, with an example.
fn said(name: &str) -> String {
    let of = OF_PLACE.iter().find(|of| of.name == name).sure("an entry of a place");
    format!("{}: {} As in  {}", of.signature, of.says, of.example.0)
}

/// The worth of what stands on more rows than its own.
fn repeating(worth: Worth, repeat: Repeat) -> Worth {
    let kind = if worth.is_amount() { WorthKind::Repeats(repeat) } else { worth.kind };
    Worth { kind, own: false, ..worth }
}
