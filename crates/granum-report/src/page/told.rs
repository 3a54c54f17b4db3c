//! What stands on a page: texts as they are read, numbers as they are written, and where something is drawn how long
//! it is.

use serde::Serialize;

use super::way::Way;

/// All that stands on a page.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Page {
    /// The plan's title, or its name where it has none.
    pub title: String,
    /// The plan's path.
    pub plan: String,
    /// The program, with its version.
    pub program: String,
    /// `held`, `warned` or `stopped`.
    pub state: &'static str,
    /// How it ended, in a sentence or two.
    pub verdict: String,
    /// What is read first of a run: a few numbers.
    pub facts: Vec<Fact>,
    /// What did not hold, and what is warned of; the worst first.
    pub troubles: Vec<Trouble>,
    /// The links.
    pub links: Vec<LinkTold>,
    /// What became of each amount.
    pub bridges: Vec<BridgeTold>,
    /// Amounts that came through as they were read, in words, by output.
    pub unchanged: Vec<String>,
    /// What is made of what.
    pub way: Way,
    /// The tables, inputs among them.
    pub tables: Vec<TableTold>,
    /// The charts.
    pub charts: Vec<ChartTold>,
    /// The checks.
    pub checks: Vec<CheckTold>,
    /// The worked examples.
    pub examples: Vec<ExampleTold>,
    /// What is another than in an earlier run.
    pub since: Option<SinceTold>,
    /// The files that were read.
    pub read: Vec<FileTold>,
    /// The outputs, in words.
    pub written: Vec<String>,
    /// The values that parameters were given, in words.
    pub parameters: Vec<String>,
    /// The texts of the plan.
    pub texts: Vec<PlanTold>,
    /// What is not on the page, and where to find it.
    pub left_out: Vec<String>,
}

/// A number that is read first.
#[derive(Debug, Clone, Serialize)]
pub struct Fact {
    /// What it counts.
    pub name: String,
    /// The number.
    pub value: String,
    /// More on it; may be empty.
    pub note: String,
}

/// Something that did not hold.
#[derive(Debug, Clone, Serialize)]
pub struct Trouble {
    /// `stopped` or `warned`.
    pub state: &'static str,
    /// What it is, on a line.
    pub title: String,
    /// What there is to say of it, on lines.
    pub text: String,
}

/// A length beside others: from where to where, in thousandths of the longest.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct BarTold {
    /// Where it begins.
    pub from: u32,
    /// How long it is.
    pub length: u32,
}

/// A link.
#[derive(Debug, Clone, Serialize)]
pub struct LinkTold {
    /// The table whose rows lead.
    pub from: String,
    /// The link's name.
    pub name: String,
    /// Its keys.
    pub keys: String,
    /// Its rows, those that lead nowhere, and those with a blank key.
    pub counts: [String; 3],
    /// The share of rows, and of each amount that is told: its name, the share, and how long a bar is.
    pub shares: Vec<(String, String, BarTold)>,
    /// What the plan asks; may be empty.
    pub required: String,
    /// `held`, `stopped`, or nothing where nothing is asked.
    pub state: &'static str,
    /// How many rows lead to one, and what is never reached.
    pub reach: String,
    /// What more there is to say, on lines: of a link by a period.
    pub more: String,
    /// The same month by month.
    pub months: Option<MonthsTold>,
}

/// A link month by month.
#[derive(Debug, Clone, Serialize)]
pub struct MonthsTold {
    /// The column of days.
    pub by: String,
    /// The month with the least share, in words; empty where all are complete.
    pub least: String,
    /// The months.
    pub rows: RowsTold,
    /// For each the share in thousandths; nothing where no row has it.
    pub bars: Vec<Option<u32>>,
}

/// Rows of texts under heads.
#[derive(Debug, Clone, Default, Serialize)]
pub struct RowsTold {
    /// The heads, each with whether its cells are numbers.
    pub heads: Vec<(String, bool)>,
    /// The cells, row by row; nothing where a cell is blank.
    pub rows: Vec<Vec<Option<String>>>,
}

/// What became of one amount on its way to an output.
#[derive(Debug, Clone, Serialize)]
pub struct BridgeTold {
    /// The output.
    pub output: String,
    /// The amount.
    pub amount: String,
    /// From where it began to where it stands.
    pub steps: Vec<Step>,
}

/// One step of an amount.
#[derive(Debug, Clone, Serialize)]
pub struct Step {
    /// What it is.
    pub name: String,
    /// Rows more or fewer.
    pub rows: String,
    /// The amount more or less.
    pub amount: String,
    /// What stands there afterwards.
    pub stands: String,
    /// `all`, `more` or `less`.
    pub kind: &'static str,
    /// How it is drawn.
    pub bar: BarTold,
}

/// A table.
#[derive(Debug, Clone, Serialize)]
pub struct TableTold {
    /// Its name.
    pub name: String,
    /// `input` or `table`.
    pub kind: &'static str,
    /// What one row of it is.
    pub grain: String,
    /// Its rows.
    pub rows: String,
    /// How it is made, in sentences.
    pub made: Vec<String>,
    /// Its steps with rows and amounts.
    pub tally: TallyTold,
    /// Its columns: name and type.
    pub columns: Vec<(String, String)>,
    /// Its first rows.
    pub first: RowsTold,
    /// What is not shown of them; may be empty.
    pub left_out: String,
}

/// What each step of a table did.
#[derive(Debug, Clone, Default, Serialize)]
pub struct TallyTold {
    /// Number, step, rows, change, and each amount with its change.
    pub rows: RowsTold,
    /// What there is to say of steps.
    pub notes: Vec<String>,
}

/// A chart.
#[derive(Debug, Clone, Serialize)]
pub struct ChartTold {
    /// Its title.
    pub title: String,
    /// The picture.
    pub svg: String,
    /// The same as rows.
    pub rows: RowsTold,
    /// What is not among them; may be empty.
    pub left_out: String,
}

/// A check.
#[derive(Debug, Clone, Serialize)]
pub struct CheckTold {
    /// What it is called.
    pub title: String,
    /// What must hold.
    pub condition: String,
    /// What it looked at.
    pub over: String,
    /// `held`, `warned`, `stopped` or `skipped`.
    pub state: &'static str,
}

/// A worked example.
#[derive(Debug, Clone, Serialize)]
pub struct ExampleTold {
    /// What it shows.
    pub title: String,
    /// `held` or `stopped`.
    pub state: &'static str,
    /// Its text in the plan.
    pub text: String,
}

/// What is another than in an earlier run.
#[derive(Debug, Clone, Serialize)]
pub struct SinceTold {
    /// Its record.
    pub record: String,
    /// What is another, line by line.
    pub lines: Vec<String>,
    /// The numbers that moved.
    pub rows: RowsTold,
}

/// A file.
#[derive(Debug, Clone, Serialize)]
pub struct FileTold {
    /// The input that it was read for.
    pub input: String,
    /// Its path.
    pub path: String,
    /// Its size.
    pub size: String,
    /// Its SHA-256.
    pub sha256: String,
}

/// A text of the plan.
#[derive(Debug, Clone, Serialize)]
pub struct PlanTold {
    /// Its name.
    pub name: String,
    /// Its pieces: what they are (`comment`, `word`, `text`, `number`, or nothing), and the text.
    pub pieces: Vec<(&'static str, String)>,
}
