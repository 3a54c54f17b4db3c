//! The syntax tree of a plan. It is serialisable, and holds spans but no layout and no comments.

use serde::{Deserialize, Serialize};

use super::example::ExampleTree;
use super::link::LinkTree;
use super::step::{AllowTree, StepTree};
use super::terms::{Expr, Name, Percent, Quoted, TypeTree};
use super::token::Span;

/// A plan as written: its statements in order.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct PlanTree {
    /// The statements in the order of the text.
    pub statements: Vec<Statement>,
}

/// A statement and the text it covers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Statement {
    /// What it says.
    pub kind: StatementKind,
    /// From its first to its last word.
    pub span: Span,
}

/// What a statement says.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StatementKind {
    /// `use "PATH"`
    Use(Quoted),
    /// `plan "TITLE"`
    Plan(Quoted),
    /// `param NAME TYPE = VALUE`
    Param(ParamTree),
    /// `input NAME from SOURCE …`
    Input(InputTree),
    /// `table NAME from BASE …`
    Table(TableTree),
    /// `link A to B on KEY …`
    Link(LinkTree),
    /// `check …`
    Check(CheckTree),
    /// `example …`
    Example(ExampleTree),
    /// `output TABLE to "PATH" [columns from COLUMN of VALUE] [delimiter …] …`
    Output(OutputTree),
    /// `chart …`
    Chart(ChartTree),
}

/// `param NAME TYPE = VALUE`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ParamTree {
    /// What it is called.
    pub name: Name,
    /// Its type.
    pub ty: TypeTree,
    /// Its value when `--set` says nothing.
    pub value: Expr,
}

/// `input NAME from """…""" STEP…`, or `input NAME from SOURCE, … [filling blanks] [delimiter ";"] [encoding "…"] [sheet "NAME"] [range "B4:H900"] [named "NAME"] [query """…"""] [ordered by COLUMN, …] [header at N] [footer N] [each "LIST" [with COLUMN, …]] STEP…`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputTree {
    /// What it is called.
    pub name: Name,
    /// Paths and globs as written.
    pub sources: Vec<Quoted>,
    /// The days that it has, in place of files.
    pub calendar: Option<CalendarTree>,
    /// A header and rows that stand in the plan, in place of files.
    pub rows: Option<Quoted>,
    /// Whether a column that a source lacks is blank there.
    pub filling_blanks: bool,
    /// The sign between fields, when it is not a comma.
    pub delimiter: Option<Quoted>,
    /// How its letters are written, when it is not UTF-8.
    pub encoding: Option<Quoted>,
    /// The sheet of a book that its rows stand in.
    pub sheet: Option<Quoted>,
    /// The cells of a sheet that are meant.
    pub range: Option<Quoted>,
    /// The table of a database.
    pub named: Option<Quoted>,
    /// What a database on a server is asked in place of a table.
    pub query: Option<Quoted>,
    /// The columns by which its rows come in order.
    pub ordered: Vec<Name>,
    /// The line of its header, when it is not the first that is not empty.
    pub header_at: Option<u64>,
    /// How many records below the rows are left out of each file.
    pub footer: Option<u64>,
    /// The list in each object whose own objects are its rows.
    pub each: Option<EachTree>,
    /// What cleans it.
    pub steps: Vec<StepTree>,
}

/// `each "LIST" [with COLUMN, …]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct EachTree {
    /// The path to the list.
    pub list: Quoted,
    /// What each row has of the object around it.
    pub with: Vec<Name>,
}

/// `calendar START through END`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CalendarTree {
    /// The first day.
    pub start: Expr,
    /// The last day.
    pub end: Expr,
}

/// `table NAME from BASE STEP…`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TableTree {
    /// What it is called.
    pub name: Name,
    /// The table whose rows it starts as.
    pub base: Name,
    /// What stands below or beside them.
    pub more: MoreTree,
    /// What is allowed of that though it is usually a mistake.
    pub allow: Vec<AllowTree>,
    /// What is done to them.
    pub steps: Vec<StepTree>,
}

/// What stands below or beside the rows that a table starts as.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub enum MoreTree {
    /// Nothing.
    #[default]
    None,
    /// `from A, B [filling blanks] [labelled COLUMN]`: their rows below.
    Stacked {
        /// The other tables.
        tables: Vec<Name>,
        /// Whether a column that one of them lacks is blank there.
        filling_blanks: bool,
        /// The column that says which table a row came from.
        labelled: Option<Name>,
    },
    /// `from A meeting B on KEY, …`: rows of the same key beside each other.
    Meeting {
        /// The other tables.
        tables: Vec<Name>,
        /// The keys: the grain of each.
        keys: Vec<Name>,
    },
}

impl MoreTree {
    /// The other tables.
    pub fn tables(&self) -> &[Name] {
        match self {
            Self::None => &[],
            Self::Stacked { tables, .. } | Self::Meeting { tables, .. } => tables,
        }
    }
}

/// What a condition that does not hold does to a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// `check`: nothing is written.
    Check,
    /// `warn`: it is told, and the outputs are written.
    Warn,
}

impl Severity {
    /// The word of the plan language.
    pub fn word(self) -> &'static str {
        match self {
            Self::Check => "check",
            Self::Warn => "warn",
        }
    }
}

/// `check ["TITLE"] [TABLE [at least N%]]: CONDITION`, or the same with `warn`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CheckTree {
    /// Whether it stops a run.
    pub severity: Severity,
    /// What the check says in words.
    pub title: Option<Quoted>,
    /// The table whose rows must hold; without it the check is about totals.
    pub table: Option<Name>,
    /// The share of rows that must hold.
    pub at_least: Option<Percent>,
    /// What must hold.
    pub condition: Expr,
    /// What of it is allowed though it is usually a mistake.
    pub allow: Vec<AllowTree>,
}

/// `output TABLE to "PATH"`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OutputTree {
    /// The table.
    pub table: Name,
    /// The path as written.
    pub path: Quoted,
    /// What becomes columns there.
    pub wide: Option<WideTree>,
    /// How it is written.
    pub style: StyleTree,
}

/// `chart "TITLE" from TABLE x COLUMN [bars COLUMN, …] [line COLUMN, …] [by COLUMN] [stacked] [as share] [to "PATH"]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ChartTree {
    /// What it shows, in words.
    pub title: Quoted,
    /// The table.
    pub table: Name,
    /// What stands along it.
    pub x: Name,
    /// What bars are as high as.
    pub bars: Vec<Name>,
    /// What lines go through.
    pub lines: Vec<Name>,
    /// For each of whose values it is drawn.
    pub by: Option<Name>,
    /// Where it says that bars stand on each other.
    pub stacked: Option<Span>,
    /// Where it says that values are shares.
    pub share: Option<Span>,
    /// Where it is drawn; without it, it is asked all the same.
    pub path: Option<Quoted>,
}

/// `[delimiter ";"] [decimals ","] [encoding "…"] [with mark] [sheet "NAME"] [named "NAME"] [adding by grain]`
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct StyleTree {
    /// The sign between fields.
    pub delimiter: Option<Quoted>,
    /// The sign before decimal places.
    pub decimals: Option<Quoted>,
    /// The encoding.
    pub encoding: Option<Quoted>,
    /// Where a mark is asked for that says the encoding.
    pub mark: Option<Span>,
    /// The sheet of a book.
    pub sheet: Option<Quoted>,
    /// The table of a database.
    pub named: Option<Quoted>,
    /// Where it says that rows are added to those that are there.
    pub adding: Option<Span>,
}

/// `columns from COLUMN of VALUE`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct WideTree {
    /// The column whose values become columns.
    pub from: Name,
    /// The column that stands in their cells.
    pub value: Name,
}
