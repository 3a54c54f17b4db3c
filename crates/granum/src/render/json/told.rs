//! What single commands tell, where it is more than one value of the core.

use granum_core::compare::Compared;
use granum_core::engine::RealExample;
use granum_core::survey::Survey;
use granum_core::tally::{Likeness, Moved, Report, Written};
use granum_io::Look;
use serde::Serialize;

use super::Outcome;
use super::fault::ErrorTold;
use crate::record::Since;

/// What a run or a check tells.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Run"))]
pub struct RunTold<'a> {
    /// What was counted and what held.
    #[serde(flatten)]
    pub report: &'a Report,
    /// What is another since a record, where one was named.
    pub since: Option<&'a Since>,
    /// Outputs beside what they replaced, where that was asked for.
    pub changes: Vec<ChangeTold<'a>>,
    /// What was written of a run that stopped, where that was asked for.
    pub anyway: &'a [Written],
    /// The page that tells all of it, where that was asked for.
    pub page: Option<&'a PageTold>,
    /// Why its record or its page could not be written, where that failed: the outputs are.
    pub unwritten: Option<ErrorTold>,
}

/// A page that was written.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Page"))]
pub struct PageTold {
    /// Its path; `-` is standard output.
    pub path: String,
    /// Its size.
    pub bytes: u64,
}

/// An output beside the file that it replaced.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Change"))]
pub struct ChangeTold<'a> {
    /// The output.
    pub path: &'a str,
    /// What differs.
    pub compared: &'a Compared,
}

/// Names that may be meant alike.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "LikeNames"))]
pub struct LikenessTold<'a> {
    /// The pairs, and how many names there are.
    #[serde(flatten)]
    pub likeness: &'a Likeness,
    /// Where the likeliest pairs were written.
    pub written: Option<&'a str>,
}

/// What is in a file, and how it is written.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "FileSurvey"))]
pub struct SurveyTold {
    /// What is in it.
    #[serde(flatten)]
    pub survey: Survey,
    /// How it is written, as found or said.
    pub written: Look,
}

/// Two records of runs side by side.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Records"))]
pub struct RecordsTold<'a> {
    /// Whether files and numbers that came out are the same.
    pub same: bool,
    /// Numbers that are others.
    pub moved: &'a [Moved],
    /// What else is another.
    pub since: &'a Since,
}

/// A worked example of real rows.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "RealExample"))]
pub struct ExampleTold<'a> {
    /// The statement; nothing where there is none.
    text: Option<&'a str>,
    /// How many rows of files are in it.
    rows: usize,
    /// Whether more rows of files belong to it.
    cut: bool,
    /// Columns that come out otherwise than of all rows.
    differs: Vec<DiffersTold<'a>>,
    /// Columns whose texts are masked, as `TABLE.COLUMN`.
    masked: &'a [String],
}

/// A column that comes out of an example otherwise than of all rows.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Differs"))]
struct DiffersTold<'a> {
    /// The column.
    column: &'a str,
    /// Its value of all rows; nothing where that is blank, or its texts are masked.
    of_all_rows: Option<&'a str>,
    /// Its value of the rows in the example.
    of_these_rows: Option<&'a str>,
}

impl<'a> ExampleTold<'a> {
    /// What was made.
    pub fn of(made: &'a RealExample) -> Self {
        let differs = made.differs.iter().map(|differs| {
            let (all, here) = differs
                .values
                .as_ref()
                .map_or((None, None), |(all, here)| (all.as_deref(), here.as_deref()));
            DiffersTold { column: &differs.column, of_all_rows: all, of_these_rows: here }
        });
        Self {
            text: made.text.as_deref(),
            rows: made.rows,
            cut: made.cut,
            differs: differs.collect(),
            masked: &made.masked,
        }
    }
}

/// What became of a plan's layout.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Layout"))]
pub struct LayoutTold<'a> {
    /// Whether it was the one layout before.
    pub was: bool,
    /// Whether the file was written.
    pub written: bool,
    /// The text in the one layout, of what came by standard input.
    pub text: Option<&'a str>,
}

/// What the demo wrote, and what came of its plans.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Demo"))]
pub struct DemoTold<'a> {
    /// The folder.
    pub folder: String,
    /// The files of data and the plans in it.
    pub files: Vec<String>,
    /// The runs of its plans, where they were run.
    pub runs: Vec<DemoRun<'a>>,
}

/// A run of one of the demo's plans.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct DemoRun<'a> {
    /// The plan.
    pub plan: &'a str,
    /// How it ended.
    pub outcome: Outcome,
    /// What it told.
    pub report: RunTold<'a>,
}
