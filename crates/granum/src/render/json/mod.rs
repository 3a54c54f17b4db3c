//! What came of a command as one JSON document. `docs/json.md` says what it holds, and `docs/schema/` has the
//! same as schemas, made from these types; fields are added, and none changes its meaning without `format`
//! going up.

mod fault;
#[cfg(test)]
mod schema;
mod table;
mod told;

use granum_core::compare::Compared;
use granum_core::engine::{Matched, TableOutline};
use granum_core::relate::{NameFound, Relations};
use granum_core::tally::{Report, Story, Written};
use serde::Serialize;

use super::Tale;

pub use fault::{DiagnosticTold, ErrorTold, asked_wrong, diagnostics};
pub use table::TableTold;
pub use told::{
    ChangeTold, DemoRun, DemoTold, ExampleTold, LayoutTold, LikenessTold, PageTold, RecordsTold,
    RunTold, SurveyTold,
};

/// The version of the documents.
const FORMAT: u64 = 1;

/// The schemas, each with the name of its file: of what commands print, and of the records of runs.
pub const SCHEMAS: [(&str, &str); 2] = [
    ("document.schema.json", include_str!("../../../../../docs/schema/document.schema.json")),
    ("record.schema.json", include_str!("../../../../../docs/schema/record.schema.json")),
];

/// What a command prints.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Document<'a> {
    /// The version of the documents.
    #[cfg_attr(test, schemars(extend("const" = FORMAT)))]
    format: u64,
    /// The plan as it was named, where there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    plan: Option<&'a str>,
    /// How it ended.
    outcome: Outcome,
    /// What there is to tell.
    #[serde(flatten)]
    told: Told<'a>,
}

/// How a command ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// All holds.
    Held,
    /// The data does not hold to the plan, or what is compared differs.
    Stopped,
    /// The plan is wrong, or what was asked beside it.
    PlanWrong,
    /// A file cannot be read or not be written.
    FileFailed,
}

impl Outcome {
    /// `held` or `stopped`.
    pub fn of(held: bool) -> Self {
        if held { Self::Held } else { Self::Stopped }
    }
}

/// What there is to tell, by the name of its field.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Told<'a> {
    /// Of `run` and `check`.
    Report(RunTold<'a>),
    /// Of `show`: rows of a table.
    Table(TableTold<'a>),
    /// Of `show` without a table: those that there are.
    Outline(&'a [TableOutline]),
    /// Of `tell`: a plan in sentences.
    Tale(&'a Tale),
    /// Of `show --to`.
    Written(&'a Written),
    /// Of `trace`.
    Story(&'a Story),
    /// Of `example`.
    Example(ExampleTold<'a>),
    /// Of `survey`: each file that could be read.
    Surveys(Vec<SurveyTold>),
    /// Of `relate --find`.
    Found(&'a [NameFound]),
    /// Of `match`.
    Match(&'a Matched),
    /// Of `match --near`.
    Likeness(LikenessTold<'a>),
    /// Of `compare`.
    Compared(&'a Compared),
    /// Of `compare` with records of runs.
    Records(RecordsTold<'a>),
    /// Of `fmt`.
    Layout(LayoutTold<'a>),
    /// Of `demo`.
    Demo(DemoTold<'a>),
    /// Of a plan that is wrong: by what.
    Diagnostics(Vec<DiagnosticTold>),
    /// Of a file that cannot be read or not be written: why.
    Error(ErrorTold),
    /// Of `relate`.
    #[serde(untagged)]
    Relations(&'a Relations),
    /// Of `draft`.
    #[serde(untagged)]
    Draft {
        /// The plan.
        text: &'a str,
        /// What its run told.
        report: &'a Report,
    },
}

/// A document without a plan.
pub fn document(outcome: Outcome, told: Told<'_>) -> String {
    text(&Document { format: FORMAT, plan: None, outcome, told })
}

/// A document of a plan.
pub fn of_plan(plan: &str, outcome: Outcome, told: Told<'_>) -> String {
    text(&Document { format: FORMAT, plan: Some(plan), outcome, told })
}

fn text(document: &Document<'_>) -> String {
    // Its maps have texts for keys, and nothing of it fails: what cannot be is told, never hidden.
    match serde_json::to_string_pretty(document) {
        Ok(text) => text + "\n",
        Err(error) => panic!("a document that cannot be written: {error}"),
    }
}
