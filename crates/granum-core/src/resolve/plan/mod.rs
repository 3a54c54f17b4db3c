//! The typed plan: what the engine runs.

mod links;
mod steps;

pub(crate) use links::{Gather, GatherWhat, LinkPlan, PeriodEnd, PeriodPlan, Required};
pub(crate) use steps::{
    AggregatePlan, AllocateOver, AllocatePlan, ApartAlone, ApartPair, ApartPlan, AssignPlan,
    DedupeByPlan, DedupePlan, DedupeRule, ExpandPlan, FilterPlan, ForeseenPlan, GrainCheck,
    GroupedPlan, GroupedPlans, GroupedWhat, MultiplyPlan, NamesPlan, OneRowPlan, Proof, SortPlan,
    SplitPlan, Step, TopPlan, TurnPlan, Turned, UnitsPlan,
};

use std::ops::Range;

use crate::bug::Sure;
use crate::expr::Typed;
use crate::lang::{Percent, Severity};
use crate::port::{InputSpec, Style};
use crate::table::{ColumnId, GatherId, LinkId, SlotId, TableId};
use crate::value::Type;

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
    pub charts: Vec<ChartPlan>,
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

    /// What one row is before a step, or at the end: the columns' names as they were there.
    pub fn grain_at(&self, step: usize) -> &[String] {
        let changes = |step: &StepPlan| step.grain.is_some();
        let before = self.steps[..step].iter().rev().find(|step| changes(step));
        let behind = self.steps[step..].iter().find(|step| changes(step));
        match (before, behind) {
            (Some(StepPlan { grain: Some((_, after)), .. }), _) => after,
            (None, Some(StepPlan { grain: Some((before, _)), .. })) => before,
            _ => self.grain.as_ref().map_or(&[], |grain| &grain.columns),
        }
    }

    /// The tables that its rows come from.
    pub fn bases(&self) -> Vec<TableId> {
        match &self.source {
            Source::Base(base) => vec![*base],
            Source::Several(several) => several.tables.clone(),
            Source::Input(_) | Source::Calendar(_) => vec![],
        }
    }

    /// The hidden slot that says of an input's rows whether a cell sets them aside.
    pub fn source_aside(&self) -> Option<SlotId> {
        match &self.source {
            Source::Input(input) => input.aside,
            Source::Base(_) | Source::Several(_) | Source::Calendar(_) => None,
        }
    }

    /// The columns before a step, or at the end.
    pub fn columns_at(&self, step: usize) -> &[(String, SlotId)] {
        self.steps.get(step).map_or(&self.columns, |step| &step.before)
    }

    /// The columns of its grain, in its order; none where each row stands for itself.
    pub fn grain_columns(&self) -> Vec<ColumnId> {
        let column = |name: &String| {
            let at = self.columns.iter().position(|(known, _)| known == name);
            ColumnId(at.sure("a column of the grain"))
        };
        self.grain.iter().flat_map(|grain| &grain.columns).map(column).collect()
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
    /// What keeps it apart: the step before which each version of that exists, and its slot.
    pub apart: Vec<(usize, SlotId)>,
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

    /// The slot of what keeps it apart right before a step, if anything does.
    pub fn apart_before(&self, step: usize) -> Option<SlotId> {
        self.apart
            .iter()
            .rev()
            .find(|(from, _)| *from <= step)
            .or(self.apart.first())
            .map(|(_, slot)| *slot)
    }

    /// Whether a slot is its latest version, or what that is in.
    pub fn is_of(&self, slot: SlotId) -> bool {
        self.last_slot() == slot || self.apart.last().is_some_and(|(_, apart)| *apart == slot)
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
    /// The columns before it.
    pub before: Vec<(String, SlotId)>,
    /// Which of the steps that the plan writes for its table it came of; their number where of none.
    pub written: usize,
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
    pub wide: Option<WidePlan>,
    pub style: Style,
}

/// What a chart shows of a finished table.
#[derive(Debug)]
pub(crate) struct ChartPlan {
    pub title: String,
    pub table: TableId,
    pub x: ColumnId,
    /// What is drawn: bars, and lines behind them.
    pub bars: Vec<ColumnId>,
    pub lines: Vec<ColumnId>,
    pub by: Option<ColumnId>,
    /// What one row of the table is, where that is known.
    pub grain: Vec<ColumnId>,
    pub stacked: bool,
    pub share: bool,
    pub path: Option<String>,
}

impl ChartPlan {
    /// All columns that it looks at.
    pub fn columns(&self) -> impl Iterator<Item = ColumnId> {
        let drawn = self.bars.iter().chain(&self.lines).copied();
        [self.x].into_iter().chain(self.by).chain(self.grain.iter().copied()).chain(drawn)
    }
}

/// An output with a column for each value of one.
#[derive(Debug)]
pub(crate) struct WidePlan {
    pub from: ColumnId,
    /// What stands in the cells.
    pub value: ColumnId,
    /// What one row is there: the table's grain without `from`.
    pub keys: Vec<ColumnId>,
    /// All other columns, those among them.
    pub beside: Vec<ColumnId>,
}
