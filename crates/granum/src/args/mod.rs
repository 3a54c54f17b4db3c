//! What can be typed.

mod options;
mod words;

use std::path::PathBuf;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;
use granum_core::compare::Comparing;

pub use options::{
    Deny, Format, Memory, PlanOptions, PlanSource, Reading, ShowFormat, ShowOptions, Writing,
};
use words::{file_line, setting};
pub use words::{items, shown, traced};

/// Joins sales tables so that no row and no cent is lost unseen.
#[derive(Debug, Parser)]
#[command(name = "granum", version, about, max_term_width = 100, after_help = EXIT_CODES)]
pub struct Args {
    #[command(subcommand)]
    pub command: Command,
    #[command(flatten)]
    pub global: Global,
}

const EXIT_CODES: &str = "\
Exit codes:
  0  everything held
  1  the data does not hold to the plan; nothing was written
  2  the plan or the call is wrong
  3  a file cannot be read, or not be written, or memory ran out
  4  the program itself is at fault; it says what to send";

/// What goes with every command.
#[derive(Debug, Clone, ClapArgs)]
pub struct Global {
    /// Colour in what is printed (`NO_COLOR` is honoured)
    #[arg(long, global = true, value_enum, default_value_t = Color::Auto)]
    pub color: Color,
    /// Say less: only the verdict, and nothing where all is well
    #[arg(short, long, global = true)]
    pub quiet: bool,
    /// Say more: every table by itself, and how long it took
    #[arg(short, long, global = true)]
    pub verbose: bool,
    /// How many threads work; the results do not depend on it
    #[arg(long, global = true, value_name = "N", allow_negative_numbers = true, value_parser = clap::value_parser!(u16).range(1..=256))]
    pub threads: Option<u16>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Show the whole job on made-up data: write data and plans into DIR, run them, say what to try
    Demo {
        /// The folder to write into
        #[arg(default_value = "granum-demo")]
        dir: PathBuf,
        /// How many orders to make up
        #[arg(long, value_name = "N", default_value_t = 2_000, value_parser = clap::value_parser!(u64).range(1..=100_000_000))]
        orders: u64,
        /// The mean quantity of a line
        #[arg(long, value_name = "N", default_value_t = 2, value_parser = clap::value_parser!(u64).range(1..=12))]
        quantity: u64,
        /// Another seed makes other data; the same makes the same bytes
        #[arg(long, value_name = "N", default_value_t = 1)]
        seed: u64,
        /// Write data and plans, and run nothing
        #[arg(long)]
        only_data: bool,
        /// How the result is printed
        #[arg(long, value_enum, default_value_t = Format::Text)]
        format: Format,
    },
    /// What is in files: columns, types, values, what one row is, duplicates, what looks odd
    Survey {
        /// The files; `-` is standard input
        #[arg(required = true, value_name = "FILE")]
        files: Vec<String>,
        #[command(flatten)]
        reading: Reading,
        #[command(flatten)]
        memory: Memory,
    },
    /// How files link: which column leads where, how much of each side is met, what is not safe
    Relate {
        /// The files; `-` is standard input
        #[arg(required = true, value_name = "FILE")]
        files: Vec<String>,
        #[command(flatten)]
        reading: Reading,
        #[command(flatten)]
        memory: Memory,
        /// Only say which files have a column of a name like this
        #[arg(long, value_name = "NAME")]
        find: Option<String>,
        /// Draw the tables and links into a file, .svg or .png
        #[arg(long, value_name = "PATH")]
        picture: Option<PathBuf>,
    },
    /// One link in depth: what meets on both sides, whether a look-up is safe, why keys nearly match
    Match(MatchArgs),
    /// Print a first plan for files: how they are read, what one row is, how they link
    Draft {
        /// The files; the plan's paths begin in the current folder
        #[arg(required = true, value_name = "FILE")]
        files: Vec<String>,
        #[command(flatten)]
        reading: Reading,
        #[command(flatten)]
        memory: Memory,
    },
    /// Do all grains, links, checks and examples of a plan hold? Writes nothing
    Check {
        #[command(flatten)]
        plan: PlanArgs,
        /// Only the worked examples, which need no file
        #[arg(long, conflicts_with_all = ["deny", "bridge", "settings"])]
        examples: bool,
    },
    /// Run a plan: check everything, then write the outputs, all or none
    Run {
        #[command(flatten)]
        plan: PlanArgs,
        #[command(flatten)]
        writing: Writing,
    },
    /// Check a plan, and write one page that tells all of it: verdict, links, amounts, tables, charts
    Report {
        #[command(flatten)]
        plan: PlanArgs,
        /// Where the page goes; `-` is standard output [default: the plan's name, ending in .html, in this folder]
        #[arg(long, value_name = "PAGE")]
        to: Option<PathBuf>,
        /// Tell what changed since a record: inputs, plan, rows, shares and amounts
        #[arg(long, value_name = "RECORD")]
        against: Option<PathBuf>,
    },
    /// Print rows of a table, or what tables a plan has
    Show(ShowArgs),
    /// Tell a plan in plain sentences: what is built, what one row is, where each column comes from
    Tell {
        /// The plan (unless `-e` gives its text), and the table or input; without that, all of it
        #[arg(value_names = ["PLAN", "TABLE"], num_args = 0..=2)]
        words: Vec<String>,
        #[command(flatten)]
        options: PlanOptions,
    },
    /// Tell the story of a row: what it is made of, what each step did, what it went into; or why it is gone
    #[command(override_usage = "\
granum trace [OPTIONS] PLAN TABLE COLUMN=VALUE\u{2026}
       granum trace [OPTIONS] PLAN INPUT --line FILE:LINE")]
    Trace(RowArgs),
    /// Print a worked example made of real rows, to be pasted into the plan
    #[command(override_usage = "\
granum example [OPTIONS] PLAN TABLE COLUMN=VALUE\u{2026}
       granum example [OPTIONS] PLAN INPUT --line FILE:LINE")]
    Example {
        #[command(flatten)]
        row: RowArgs,
        /// Leave texts as they are that name people or places
        #[arg(long)]
        plain: bool,
    },
    /// Two builds of a table side by side: rows added, gone and changed, in which columns, by how much
    Compare(CompareArgs),
    /// Help whoever writes a plan in an editor: the Language Server Protocol on standard input and output
    Serve,
    /// Print what makes a shell complete this program's words: granum completions bash
    Completions {
        /// The shell
        shell: Shell,
    },
    /// Write the manual's pages into a folder, one a command, and the schemas of what is told as JSON
    #[command(hide = true)]
    Manual {
        /// The folder
        dir: PathBuf,
    },
    /// Bring a plan into the one layout
    Fmt {
        /// The plan; `-` formats standard input to standard output
        plan: PathBuf,
        /// Write nothing; exit with 1 if the layout is another
        #[arg(long)]
        check: bool,
        /// How the result is printed
        #[arg(long, value_enum, default_value_t = Format::Text)]
        format: Format,
    },
}

/// What `show` is asked for.
#[derive(Debug, ClapArgs)]
pub struct ShowArgs {
    /// The plan (unless `-e` gives its text), and the table or input; without that, all of
    /// them are listed
    #[arg(value_names = ["PLAN", "TABLE"], num_args = 0..=2)]
    pub words: Vec<String>,
    #[command(flatten)]
    pub options: ShowOptions,
    /// How many rows: 20, or all where they go into a file or on to a program
    #[arg(long, value_name = "N")]
    pub rows: Option<usize>,
    /// Write them to a file, all columns, in place of printing them
    #[arg(long, value_name = "PATH")]
    pub to: Option<String>,
    /// Only rows that do not lead along this link
    #[arg(long, value_name = "LINK")]
    pub unmatched: Option<String>,
    /// As it stood after the step that its tally numbers N; 0 is how it begins
    #[arg(long, value_name = "N", conflicts_with = "unmatched")]
    pub after: Option<usize>,
    /// The rows that its steps took out, each with the step, the reason, its file and line
    #[arg(long, conflicts_with_all = ["after", "unmatched", "condition", "sort"])]
    pub removed: bool,
    /// Only rows of which this holds, as in `keep`
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    /// In this order: columns or expressions, each may end in `desc`
    #[arg(long, value_name = "EXPR,\u{2026}")]
    pub sort: Option<String>,
}

/// A link, of two files or of a plan.
#[derive(Debug, ClapArgs)]
#[command(override_usage = "\
granum match [OPTIONS] A B --on KEY[=KEY],\u{2026}
       granum match [OPTIONS] PLAN TABLE.LINK")]
pub struct MatchArgs {
    /// Two files, or a plan (whose name ends in .granum) and one of its links
    #[arg(value_names = ["A", "B"], num_args = 2, required = true)]
    pub sides: Vec<String>,
    /// The keys: a column that both have, or A's = B's; expressions as in a plan
    #[arg(long, value_name = "KEY[=KEY],\u{2026}")]
    pub on: Option<String>,
    /// List names that are not equal and may be meant alike: letters swapped, words in another order, accents
    #[arg(long, requires = "on", conflicts_with_all = ["amount", "by", "settings", "memory", "spill"])]
    pub near: bool,
    /// Write the likeliest pairs to a CSV file, to be looked at and linked over
    #[arg(long, value_name = "FILE", requires = "near")]
    pub to: Option<PathBuf>,
    /// Tell the amounts of a column, too
    #[arg(long, value_name = "COLUMN")]
    pub amount: Option<String>,
    /// Tell the same for each value of a column or an expression: a month, `source_file()`
    #[arg(long, value_name = "COLUMN")]
    pub by: Option<String>,
    /// Give a parameter of the plan another value
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = setting)]
    pub settings: Vec<(String, String)>,
    #[command(flatten)]
    pub reading: Reading,
    #[command(flatten)]
    pub memory: Memory,
}

/// Two builds of a table.
#[derive(Debug, ClapArgs)]
pub struct CompareArgs {
    /// The old one
    pub old: String,
    /// The new one
    pub new: String,
    /// The columns that tell rows apart; found out if not given
    #[arg(long, value_name = "COLUMN,\u{2026}")]
    pub grain: Option<String>,
    /// Numbers that differ by no more are equal
    #[arg(long, value_name = "NUMBER", value_parser = tolerance)]
    pub tolerance: Option<(i128, granum_core::value::Scale)>,
    #[command(flatten)]
    pub reading: Reading,
}

impl CompareArgs {
    /// The columns of the grain.
    pub fn grain(&self) -> Vec<String> {
        let names = self.grain.as_deref().map(items).unwrap_or_default();
        names.into_iter().map(|name| name.trim_matches('`').to_owned()).collect()
    }
}

fn tolerance(text: &str) -> Result<(i128, granum_core::value::Scale), String> {
    Comparing::tolerance(text).ok_or_else(|| "a number such as 0.01".into())
}

/// Which row of a table or an input of a plan.
#[derive(Debug, ClapArgs)]
pub struct RowArgs {
    /// The plan (unless `-e` gives its text), the table or input, and what columns of the row hold;
    /// nothing behind the sign is blank
    #[arg(value_names = ["PLAN", "TABLE", "COLUMN=VALUE"], num_args = 0..)]
    pub words: Vec<String>,
    #[command(flatten)]
    pub options: PlanOptions,
    /// The row that begins on this line of a file of an input
    #[arg(long, value_name = "FILE:LINE", value_parser = file_line)]
    pub line: Option<(String, u64)>,
    #[command(flatten)]
    pub memory: Memory,
}

/// A plan, and how to take it.
#[derive(Debug, ClapArgs)]
pub struct PlanArgs {
    /// The plan
    #[arg(required_unless_present = "text", conflicts_with = "text")]
    pub plan: Option<PathBuf>,
    /// Let what is only warned of hold outputs back as well
    #[arg(long, value_enum, value_name = "WHAT")]
    pub deny: Option<Deny>,
    /// Show all entries of the amount bridges, not only the largest
    #[arg(long)]
    pub bridge: bool,
    /// Again whenever the plan or a file that it reads changes, and tell what that changed
    #[arg(long)]
    pub watch: bool,
    #[command(flatten)]
    pub memory: Memory,
    #[command(flatten)]
    pub options: PlanOptions,
}
impl PlanArgs {
    /// The plan that was meant. One of both is there, which the call was checked for.
    pub fn source(&self) -> PlanSource {
        match (&self.plan, &self.options.text) {
            (Some(path), _) => PlanSource::File(path.clone()),
            (None, text) => PlanSource::Text(text.clone().unwrap_or_default()),
        }
    }
}
