//! What happened to rows and amounts, as values: for each table its steps, for each link how
//! complete it was, for each check whether it held, and what stopped the run.

mod allocate;
mod bridge;
mod chart;
mod check;
mod example;
mod figure;
mod gone;
mod likeness;
mod link;
mod period;
mod problem;
mod report;
mod seen;
mod step;
mod story;
mod warning;

pub use allocate::{AllocateProblem, AllocateTrouble, Allocated, NotAllocated};
pub use bridge::{Bridge, BridgeEntry, BridgeKind, bridges};
pub use chart::{Along, Chart, ChartProblem, ChartTrouble, Panel, Series};
pub use check::{CheckTally, FailedRow};
pub use example::{ExampleTally, GivenRow, GivenTable};
pub use figure::{Earlier, Figure, FigureKind, Moved, figures, moved};
pub use gone::Why;
pub use likeness::{LikePair, LikeReason, Likeness};
pub use link::{
    LinkAmount, LinkTally, LinkTold, MissingKey, NearKind, NearMiss, Spread, TakenKey, TakenOut,
    share_text,
};
pub use period::{
    InvertedPeriod, InvertedPeriods, OutsideTally, PeriodOverlap, PeriodRange, PeriodTally,
    SeveralPeriods,
};
pub use problem::{
    ApartProblem, BadCell, CountedApart, ExpandProblem, PartTwice, Problem, ProblemTold,
    RepeatedKey, RowReason, StackedTwice, UnitsProblem, UnitsTrouble, WideOutput, WideTrouble,
    with_kinds,
};
pub use report::{AsideFile, Report, Taken, Written, part_name};
pub use seen::{FirstRows, LinkMonths, MonthMet, Seen};
pub use step::{
    Cut, GatheredAmount, GrainChange, GroupSizes, Multiplied, OddHoursTold, Part, RowsAmount,
    SetAside, StepDetail, StepTally, TableTally, TrackedName, UnitsLeft, Unread, WithoutRows,
};
pub use story::{
    BecameStory, Beside, GoneRow, GoneStory, LedHere, Met, NamedValue, NearKey, NearMet, RowStory,
    StepName, StepStory, Story, TableStory, ToldRow,
};
pub use warning::{Allowed, MISTAKES, Mistake, Warning};
