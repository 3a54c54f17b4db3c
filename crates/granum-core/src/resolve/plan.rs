//! The typed plan: what the engine runs.

use std::ops::Range;

use crate::aggregate::AggregateFunction;
use crate::expr::Typed;
use crate::lang::{Percent, Preference, Severity, Span, UnitsPolicy};
use crate::link::LinkWords;
use crate::port::InputSpec;
use crate::table::{ColumnId, GatherId, Hop, LinkId, SlotId, TableId};
use crate::value::{Scale, Type};

#[derive(Debug, Default)]
pub(crate) struct Plan {
    pub title: Option<String>,
    pub tables: Vec<TablePlan>,
    pub links: Vec<LinkPlan>,
    pub gathers: Vec<Gather>,
    pub totals: Vec<Total>,
    pub checks: Vec<CheckPlan>,
    pub warnings: Vec<WarningPlan>,
    pub allowances: Vec<Allowance>,
    pub outputs: Vec<OutputPlan>,
}

impl Plan {
    /// The table without a base that a table's rows began in: mostly an input.
    pub(crate) fn input_of(&self, table: TableId) -> TableId {
        let mut at = table;
        while let Source::Base(base) = self.tables[at.0].source {
            at = base;
        }
        at
    }
}

/// A warning that a plan allows where it arises.
#[derive(Debug)]
pub(crate) struct Allowance {
    /// The table in whose steps it stands; nothing for a check about totals.
    pub table: Option<TableId>,
    /// What it stands behind, in words.
    pub step: String,
    /// The kind of warning.
    pub kind: String,
    pub reason: String,
    /// The warnings of the plan that it is about.
    pub warnings: Range<usize>,
    /// The steps of the table that it is about.
    pub steps: Range<usize>,
}

/// What is usually a mistake, to be told if the rows are so.
#[derive(Debug)]
pub(crate) struct WarningPlan {
    pub table: TableId,
    /// The step, or the result, in words.
    pub step: String,
    pub what: MistakePlan,
}

#[derive(Debug)]
pub(crate) enum MistakePlan {
    /// A key is a name of the rows of a table whose grain is another column.
    SharedName {
        key: String,
        of: TableId,
        name: ColumnId,
        id: ColumnId,
        /// What to do in its place.
        group: String,
    },
    /// A result counts rows and is called like a table that they lead to.
    RowsCounted {
        result: String,
        counted: TableId,
        link: LinkId,
    },
    MeanOfRatio,
    DistinctSummed,
}

#[derive(Debug)]
pub(crate) struct TablePlan {
    pub name: String,
    pub source: Source,
    /// The type of each slot.
    pub slots: Vec<Type>,
    /// For each slot the step from which it can be worked with `add` alone.
    pub from_step: Vec<usize>,
    /// Slots that hold a column of the base or of the files from the start.
    pub imports: Vec<(SlotId, ColumnId)>,
    pub steps: Vec<StepPlan>,
    /// The finished columns.
    pub columns: Vec<(String, SlotId)>,
    pub grain: Option<GrainPlan>,
    pub tracked: Vec<Tracked>,
}

impl TablePlan {
    /// Whether it is one row in all: a grain of no columns.
    pub fn is_one_row(&self) -> bool {
        self.grain.as_ref().is_some_and(|grain| grain.columns.is_empty())
    }
}

#[derive(Debug)]
pub(crate) enum Source {
    Input(InputPlan),
    Base(TableId),
    Several(SeveralPlan),
    Calendar(CalendarPlan),
}

/// All days from one to another.
#[derive(Debug)]
pub(crate) struct CalendarPlan {
    /// The first day and the last, counted from 1970-01-01.
    pub start: i32,
    pub end: i32,
    /// The slots of [`CALENDAR`]'s columns.
    pub slots: Vec<SlotId>,
}

/// What is known of each day.
pub(crate) const CALENDAR: [(&str, Type); 6] = [
    ("day", Type::Date),
    ("month", Type::Text),
    ("quarter", Type::Text),
    ("year", Type::Integer),
    ("week", Type::Text),
    ("weekday", Type::Integer),
];

/// Rows of several tables, below each other or beside.
#[derive(Debug)]
pub(crate) struct SeveralPlan {
    pub tables: Vec<TableId>,
    /// For each slot that holds a column from the start: which column of each table it is.
    pub columns: Vec<(SlotId, Vec<Option<ColumnId>>)>,
    pub lay: Lay,
    /// Why rows may stand in it twice, if they may.
    pub allows: Option<String>,
}

#[derive(Debug)]
pub(crate) enum Lay {
    /// Below each other; the slot says which table a row came from.
    Stacked { labelled: Option<SlotId> },
    /// Beside each other, one row for each key. The keys come first among the columns.
    Meeting { keys: usize },
}

#[derive(Debug)]
pub(crate) struct InputPlan {
    pub spec: InputSpec,
    /// Columns that a `read` says something of: it must hold, whether or not they are needed.
    pub read_columns: Vec<ColumnId>,
    /// Hidden slots that hold a fingerprint of the text of some columns of each row.
    pub fingerprints: Vec<(SlotId, Vec<usize>)>,
    /// The hidden slot that says of each row whether a cell sets it aside.
    pub aside: Option<SlotId>,
    /// The hidden slots that hold each row's file and line.
    pub source: Option<SourceSlots>,
}

/// Where the file and the line of a row stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct SourceSlots {
    pub file: SlotId,
    pub line: SlotId,
}

/// What one row is.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct GrainPlan {
    /// The finished columns, by name.
    pub columns: Vec<String>,
    /// Whether none of them can be blank: `dedupe by` leaves rows with a blank key beside the grain,
    /// until one is said.
    pub filled: bool,
}

/// An amount that the tally follows through a table.
#[derive(Debug, Clone)]
pub(crate) struct Tracked {
    /// Its name where the table ends, or where the amount does.
    pub name: String,
    /// Its name in the base, if it comes from there.
    pub base_name: Option<String>,
    /// Its versions: the step before which each exists, and its slot.
    pub versions: Vec<(usize, SlotId)>,
    /// The step that leaves it out.
    pub ends_at: Option<usize>,
    /// Whether the first version is made by `add` alone, so that rows removed before can be worked.
    pub from_step: usize,
    /// The rows of another table that it is the sum of, where it is one.
    pub gathered: Option<GatherId>,
    /// Whether it is followed only since a table built from this one makes it.
    pub foreseen: bool,
}

impl Tracked {
    /// The slot that holds the amount right before a step, if it has been made by then.
    pub fn slot_before(&self, step: usize) -> Option<SlotId> {
        self.versions.iter().rev().find(|(from, _)| *from <= step).map(|(_, slot)| *slot)
    }

    /// The slot of the amount right before a step that replaces or ends it.
    pub fn ends_or_changes(&self, step: usize) -> Option<SlotId> {
        let changes = self.versions.iter().skip(1).any(|(from, _)| *from == step + 1);
        self.slot_before(step).filter(|_| changes || self.ends_at == Some(step))
    }

    /// The slot of its latest version.
    pub fn last_slot(&self) -> SlotId {
        self.versions[self.versions.len() - 1].1
    }
}

#[derive(Debug)]
pub(crate) struct StepPlan {
    pub step: Step,
    /// The step on one line, as in a plan.
    pub text: String,
    /// Whether it can change rows, grain or tracked amounts.
    pub numbered: bool,
    /// What one row is before it and after, where it changes that; nothing if each row stands for
    /// itself.
    pub grain: Option<(Vec<String>, Vec<String>)>,
}

/// A step of a table; what it does is said by its work (see `crate::step`).
#[derive(Debug)]
pub(crate) enum Step {
    Assign(AssignPlan),
    Foreseen(ForeseenPlan),
    Filter(FilterPlan),
    Dedupe(DedupePlan),
    DedupeBy(DedupeByPlan),
    Units(UnitsPlan),
    Allocate(AllocatePlan),
    Grain(GrainCheck),
    Names(NamesPlan),
    OneRow(OneRowPlan),
    Grouped(GroupedPlans),
    Sort(SortPlan),
    Top(TopPlan),
}

/// New slots, worked one after another.
#[derive(Debug)]
pub(crate) struct AssignPlan(pub Vec<(SlotId, Typed)>);

/// Amounts that a table built from this one makes and follows: worked here for the tally alone, so that
/// it can begin here.
#[derive(Debug)]
pub(crate) struct ForeseenPlan(pub Vec<(SlotId, Typed)>);

/// `keep` and `drop`.
#[derive(Debug)]
pub(crate) struct FilterPlan {
    pub keep: bool,
    pub condition: Typed,
}

/// Rows equal in all of these to one before are dropped.
#[derive(Debug)]
pub(crate) struct DedupePlan {
    pub slots: Vec<SlotId>,
}

/// One row stays for each key.
#[derive(Debug)]
pub(crate) struct DedupeByPlan {
    pub keys: Vec<Typed>,
    pub rule: DedupeRule,
    /// Rows equal in all of these are exact copies.
    pub copies: Vec<SlotId>,
}

/// The grain is checked.
#[derive(Debug)]
pub(crate) struct GrainCheck {
    pub columns: Vec<(String, SlotId)>,
    pub proof: Proof,
}

/// Names change, columns are left out; no value does.
#[derive(Debug)]
pub(crate) struct NamesPlan;

/// What each row gets of its groups.
#[derive(Debug)]
pub(crate) struct GroupedPlans(pub Vec<GroupedPlan>);

/// Rows in another order: by what, and whether the greatest comes first.
#[derive(Debug)]
pub(crate) struct SortPlan {
    pub by: Vec<(Typed, bool)>,
}

/// What is worked of the rows of a group.
#[derive(Debug, Clone)]
pub(crate) struct AggregatePlan {
    pub function: AggregateFunction,
    /// Its name and its values, as in a plan.
    pub text: String,
    /// What is gathered; nothing for `rows`. In `one row per` it may stand for rows that lead here,
    /// by [`GatherWhat::Rows`].
    pub value: Option<Typed>,
    pub filter: Option<Typed>,
    /// What the rows of a group are ordered by, and whether the greatest comes first.
    pub by: Vec<(Typed, bool)>,
    pub distinct: bool,
    pub separator: String,
    pub ty: Type,
    pub span: Span,
}

impl AggregatePlan {
    /// An aggregate of all rows' values, called `text` in a plan.
    pub fn of(function: AggregateFunction, text: String, value: Typed) -> Self {
        let (ty, span) = (value.ty, value.span);
        let (filter, by, separator) = (None, vec![], String::new());
        let value = Some(value);
        Self { function, text, value, filter, by, distinct: false, separator, ty, span }
    }

    /// All expressions that it is made of.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        self.value.iter().chain(&self.filter).chain(self.by.iter().map(|(by, _)| by))
    }
}

#[derive(Debug)]
pub(crate) struct OneRowPlan {
    /// What one row is, and what it is called.
    pub keys: Vec<(Typed, SlotId, String)>,
    pub results: Vec<(AggregatePlan, SlotId)>,
    /// What stands in the keys of the total row, if there is one.
    pub total: Option<String>,
    /// What the amounts are called that are not carried over.
    pub ends: Vec<String>,
    /// Keys that are months of whichever year, with the day that they are of.
    pub months: Vec<(String, Typed)>,
    /// The one key, where it is a text of rows that another column alone tells apart; and that one.
    pub own_name: Option<(String, String)>,
}

/// A value that each row gets of its group.
#[derive(Debug)]
pub(crate) struct GroupedPlan {
    pub what: GroupedWhat,
    /// What the rows of a group have in common; nothing for all rows.
    pub keys: Vec<Typed>,
    pub slot: SlotId,
}

impl GroupedPlan {
    /// All expressions that it is made of.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        let (plan, by) = match &self.what {
            GroupedWhat::Aggregate(plan) | GroupedWhat::Running(plan) => (Some(plan), &[][..]),
            GroupedWhat::Position { by } => (None, by.as_slice()),
        };
        let parts = plan.into_iter().flat_map(AggregatePlan::parts);
        self.keys.iter().chain(parts).chain(by.iter().map(|(by, _)| by))
    }
}

#[derive(Debug)]
pub(crate) enum GroupedWhat {
    Aggregate(AggregatePlan),
    /// The row's place in its group, counted from 1.
    Position {
        by: Vec<(Typed, bool)>,
    },
    /// The sum up to the row.
    Running(AggregatePlan),
}

#[derive(Debug)]
pub(crate) struct TopPlan {
    pub bottom: bool,
    pub count: u32,
    pub by: Typed,
    pub per: Vec<Typed>,
    pub ties: bool,
    /// The grain settles what ties.
    pub grain: Vec<SlotId>,
}

#[derive(Debug)]
pub(crate) enum DedupeRule {
    First,
    Last,
    /// The best value of each slot in turn; ties go to the later row.
    Best(Vec<(Preference, SlotId)>),
}

#[derive(Debug)]
pub(crate) struct UnitsPlan {
    pub of: Typed,
    /// What `of` is called in messages.
    pub of_text: String,
    /// The column that was counted, before and after: it becomes 1.
    pub counted: Option<(SlotId, SlotId)>,
    pub unit: SlotId,
    /// Divided amounts.
    pub split: Vec<SplitPlan>,
    pub policy: UnitsPolicy,
}

/// An amount that is divided over units.
#[derive(Debug)]
pub(crate) struct SplitPlan {
    /// Its slot before and after.
    pub old: SlotId,
    pub new: SlotId,
    /// The places of its parts.
    pub places: Scale,
}

/// An amount that is divided over rows.
#[derive(Debug)]
pub(crate) struct AllocatePlan {
    /// The amount: what a row leads to, or a column of its own.
    pub amount: Typed,
    /// The amount and the weight in words.
    pub words: (String, Option<String>),
    pub over: AllocateOver,
    /// In proportion to what; nothing for equal parts.
    pub weight: Option<Typed>,
    pub else_equally: bool,
    /// The part of each row, and its places.
    pub slot: SlotId,
    pub places: Scale,
}

/// Which rows an amount is divided over.
#[derive(Debug)]
pub(crate) enum AllocateOver {
    /// Those that lead to one row.
    Link {
        from: TableId,
        hops: Vec<Hop>,
        target: TableId,
        column: ColumnId,
        /// The target's grain, as a row looks it up: not for the row, but to name what is left.
        grain: Vec<(Typed, ColumnId)>,
    },
    /// Those with the same keys.
    Keys(Vec<Typed>),
}

/// What is known of a grain before it is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Proof {
    /// It follows from the steps.
    Follows,
    /// Its rows are unique; blanks must be looked for.
    Unique,
    /// Nothing.
    None,
}

#[derive(Debug)]
pub(crate) struct LinkPlan {
    pub from: TableId,
    pub to: TableId,
    pub name: String,
    /// Pairs of keys over the finished columns of both tables; pairwise one type.
    pub keys: Vec<(Typed, Typed)>,
    /// The keys in words: `order_no`, `customer = customer_no`.
    pub keys_text: String,
    pub words: LinkWords,
    /// The period that a row's moment must fall into, where there is one.
    pub period: Option<PeriodPlan>,
    pub required: Option<Required>,
    pub blank_allowed: bool,
}

/// A moment of the source's rows, and periods of the target's: all days, or all times.
#[derive(Debug)]
pub(crate) struct PeriodPlan {
    pub when: Typed,
    pub starts: Typed,
    pub end: PeriodEnd,
    /// Which row is led to where several hold: columns of the target.
    pub prefer: Vec<(Preference, ColumnId)>,
    /// The start, where it is a column: the latest could be preferred, where nothing is.
    pub could_prefer: Option<String>,
    /// Whether anything asks how many rows held.
    pub choices: bool,
}

#[derive(Debug)]
pub(crate) enum PeriodEnd {
    Through(Typed),
    Until(Typed),
    Onward,
}

impl PeriodEnd {
    /// The end, where it is said.
    pub fn said(&self) -> Option<&Typed> {
        match self {
            Self::Through(end) | Self::Until(end) => Some(end),
            Self::Onward => None,
        }
    }
}

impl LinkPlan {
    /// All expressions over the source's rows.
    pub fn left_parts(&self) -> impl Iterator<Item = &Typed> {
        let when = self.period.iter().map(|period| &period.when);
        self.keys.iter().map(|(left, _)| left).chain(when)
    }

    /// All expressions over the target's rows.
    pub fn right_parts(&self) -> impl Iterator<Item = &Typed> {
        let starts = self.period.iter().map(|period| &period.starts);
        let ends = self.period.iter().filter_map(|period| period.end.said());
        self.keys.iter().map(|(_, right)| right).chain(starts).chain(ends)
    }

    /// The columns of the target that decide between its rows.
    pub fn preferred(&self) -> impl Iterator<Item = ColumnId> {
        self.period.iter().flat_map(|period| period.prefer.iter().map(|(_, column)| *column))
    }
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Required {
    Complete,
    Share {
        percent: Percent,
        /// The finished column of the source.
        of: Option<(String, ColumnId)>,
    },
}

/// An aggregate over rows that lead here, for each row they lead to.
#[derive(Debug)]
pub(crate) struct Gather {
    /// The table whose rows are gathered.
    pub from: TableId,
    /// How they lead to `to`.
    pub hops: Vec<Hop>,
    pub to: TableId,
    pub what: GatherWhat,
    /// Whether it is told what of the amounts is not gathered, since the sum is tracked.
    pub told: bool,
}

#[derive(Debug)]
pub(crate) enum GatherWhat {
    /// Whether there is a row.
    Presence,
    Aggregate(Box<AggregatePlan>),
    /// The rows themselves, of which a step makes groups of its own.
    Rows(Box<AggregatePlan>),
}

impl Gather {
    /// All expressions over the gathered rows.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        let aggregate = match &self.what {
            GatherWhat::Presence => None,
            GatherWhat::Aggregate(aggregate) | GatherWhat::Rows(aggregate) => Some(aggregate),
        };
        aggregate.into_iter().flat_map(|aggregate| aggregate.parts())
    }
}

/// An aggregate over all rows of a table, in a check.
#[derive(Debug)]
pub(crate) struct Total {
    pub table: TableId,
    pub plan: AggregatePlan,
}

#[derive(Debug)]
pub(crate) struct CheckPlan {
    pub severity: Severity,
    /// Its title, or its condition in words.
    pub title: String,
    /// The condition in words.
    pub condition_text: String,
    pub condition: Typed,
    pub kind: CheckKind,
}

impl CheckPlan {
    /// What messages call it: `check "no negative unit"`.
    pub fn called(&self) -> String {
        format!("{} \"{}\"", self.severity.word(), self.title)
    }
}

#[derive(Debug)]
pub(crate) enum CheckKind {
    Rows {
        table: TableId,
        at_least: Option<Percent>,
        /// Finished columns that the condition looks at, to be shown with what failed.
        shown: Vec<ColumnId>,
    },
    /// With both sides of a comparison, to be shown when it fails.
    Totals { sides: Vec<(String, Typed)> },
}

#[derive(Debug)]
pub(crate) struct OutputPlan {
    pub table: TableId,
    pub path: String,
}
