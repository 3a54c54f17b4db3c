//! What each step of a table is to do.

use crate::aggregate::AggregateFunction;
use crate::expr::Typed;
use crate::lang::{Over, Preference, Span, TopCount, UnitsPolicy};
use crate::table::{ColumnId, GatherId, Hop, SlotId, TableId};
use crate::value::{Scale, Type};

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
    Turn(TurnPlan),
    Expand(ExpandPlan),
    Apart(ApartPlan),
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
    /// Columns of the file that are compared by their text, of which these are made: rows that are equal are so here.
    pub of_text: Vec<SlotId>,
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
    /// What keeps its values apart: those of a group must be in one.
    pub apart: Option<Typed>,
    /// That in words, where there are some.
    pub apart_text: Option<String>,
}

impl AggregatePlan {
    /// An aggregate of all rows' values, called `text` in a plan.
    pub fn of(function: AggregateFunction, text: String, value: Typed) -> Self {
        let (ty, span) = (value.ty, value.span);
        let (filter, by, separator) = (None, vec![], String::new());
        let value = Some(value);
        Self {
            function,
            text,
            value,
            filter,
            by,
            distinct: false,
            separator,
            ty,
            span,
            apart: None,
            apart_text: None,
        }
    }

    /// All expressions that it is made of.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        let by = self.by.iter().map(|(by, _)| by);
        self.value.iter().chain(&self.filter).chain(by).chain(&self.apart)
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
    /// The grain settles what ties.
    pub grain: Vec<SlotId>,
}

impl GroupedPlan {
    /// What is worked, in words.
    pub fn text(&self) -> &str {
        self.what.plan().map_or("position", |plan| &plan.text)
    }

    /// All slots that it looks at.
    pub fn reads(&self) -> Vec<SlotId> {
        self.parts().flat_map(Typed::slots).chain(self.grain.iter().copied()).collect()
    }

    /// All expressions that it is made of.
    pub fn parts(&self) -> impl Iterator<Item = &Typed> {
        let by = match &self.what {
            GroupedWhat::Position { by } => by.as_slice(),
            _ => &[],
        };
        let parts = self.what.plan().into_iter().flat_map(AggregatePlan::parts);
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
    /// An aggregate of the rows up to the row: of all of them, or as far back as is said.
    Window {
        plan: AggregatePlan,
        over: Option<Over>,
    },
    /// The value of the row before, or of the row behind; which function the plan has is not asked.
    Neighbour {
        plan: AggregatePlan,
        next: bool,
    },
}

impl GroupedWhat {
    /// The aggregate that it works, if it works one.
    pub fn plan(&self) -> Option<&AggregatePlan> {
        match self {
            Self::Aggregate(plan) | Self::Window { plan, .. } | Self::Neighbour { plan, .. } => {
                Some(plan)
            }
            Self::Position { .. } => None,
        }
    }
}

#[derive(Debug)]
pub(crate) struct TopPlan {
    pub bottom: bool,
    pub count: TopCount,
    pub by: Typed,
    /// What keeps the amounts apart that it goes by.
    pub apart: Option<Typed>,
    pub per: Vec<Typed>,
    pub ties: bool,
    /// The grain settles what ties.
    pub grain: Vec<SlotId>,
}

/// Columns, or parts of a cell, that become rows.
#[derive(Debug)]
pub(crate) struct TurnPlan {
    pub what: Turned,
    /// What says which of them a row is.
    pub name: SlotId,
    pub keeping_blanks: bool,
}

#[derive(Debug)]
pub(crate) enum Turned {
    /// What each column is called, its values in the type of all, and the slot of those.
    Columns { columns: Vec<(String, Typed)>, value: SlotId },
    /// A text, and what stands between its parts.
    Parts { column: SlotId, separator: String },
}

#[derive(Debug, Clone)]
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

/// Amounts that count apart: what would add two of them is looked for before it is worked.
#[derive(Debug, Default)]
pub(crate) struct ApartPlan {
    /// Both sides of what is added or compared in each row.
    pub pairs: Vec<ApartPair>,
    /// Amounts that stand in the table without what they are in: all rows must be in one.
    pub alone: Vec<ApartAlone>,
}

/// Two amounts that a row adds or compares, each with what it is in.
#[derive(Debug)]
pub(crate) struct ApartPair {
    pub left: (Typed, Typed),
    pub right: (Typed, Typed),
    /// Where they are worked; everywhere without it.
    pub guard: Option<Typed>,
}

/// An amount, and what it is in.
#[derive(Debug)]
pub(crate) struct ApartAlone {
    pub name: String,
    pub amount: Typed,
    pub apart: Typed,
    /// What would say it as a column of the table.
    pub add: Option<String>,
}

/// Rows that become those that lead to what they lead to.
#[derive(Debug)]
pub(crate) struct ExpandPlan {
    /// Whether a row leads to one that has some.
    pub to: Typed,
    /// The rows that lead there, each with its own row.
    pub gather: GatherId,
    /// The table of those, and their columns that come in, each with its slot.
    pub of: TableId,
    pub of_name: String,
    pub columns: Vec<(SlotId, ColumnId)>,
    /// Whether a row is one of those; else it is as it was.
    pub is_part: SlotId,
    /// Divided amounts, and in proportion to what; equally without it.
    pub split: Vec<SplitPlan>,
    pub weight: Option<Typed>,
    pub else_equally: bool,
    pub multiply: Vec<MultiplyPlan>,
}

/// A column that is multiplied for each of the rows that a row becomes.
#[derive(Debug)]
pub(crate) struct MultiplyPlan {
    pub name: String,
    /// Its slot before and after.
    pub old: SlotId,
    pub new: SlotId,
    pub factor: Typed,
    /// What it is afterwards.
    pub product: Typed,
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
    /// What keeps the amounts apart, as a row has it; and the weights.
    pub apart: Option<Typed>,
    pub weight_apart: Option<Typed>,
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
        /// What the target's amount is in there.
        apart: Option<ColumnId>,
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
