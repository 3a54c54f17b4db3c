//! Plans as this test sees them, and as they are written. Nothing here knows the engine.

use std::fmt::Write;

/// The type of a column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ty {
    Int,
    Dec(u8),
    Text,
    Date,
    Bool,
}

impl Ty {
    pub fn places(self) -> Option<u8> {
        match self {
            Self::Int => Some(0),
            Self::Dec(places) => Some(places),
            _ => None,
        }
    }

    pub fn numeric(self) -> bool {
        self.places().is_some()
    }
}

/// What an aggregate works.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Agg {
    Rows,
    Count,
    Distinct,
    Sum,
    Min,
    Max,
    Mean,
    Any,
    All,
    Share,
    Sole,
    Median,
    /// The value that 40 % of all are not above.
    Percentile,
    Latest,
    Earliest,
    List,
    ListDistinct,
}

impl Agg {
    pub fn name(self) -> &'static str {
        match self {
            Self::Rows => "rows",
            Self::Count => "count",
            Self::Distinct => "distinct",
            Self::Sum => "sum",
            Self::Min => "min",
            Self::Max => "max",
            Self::Mean => "mean",
            Self::Any => "any",
            Self::All => "all",
            Self::Share => "share",
            Self::Sole => "sole",
            Self::Median => "median",
            Self::Percentile => "percentile",
            Self::Latest => "latest",
            Self::Earliest => "earliest",
            Self::List | Self::ListDistinct => "list",
        }
    }
}

/// An aggregate with what it is of.
#[derive(Debug, Clone)]
pub struct Call {
    pub agg: Agg,
    pub value: Option<Box<Expr>>,
    pub by: Option<Box<Expr>>,
    pub filter: Option<Box<Expr>>,
}

/// What the rows of a group have in common.
#[derive(Debug, Clone)]
pub enum Group {
    All,
    Per(Vec<String>),
}

/// How far a window reaches back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    All,
    Days(i64),
    Rows(usize),
}

#[derive(Debug, Clone)]
pub enum Expr {
    Col(String),
    Int(i64),
    Dec(i64),
    Text(&'static str),
    /// A column of the row that the link leads to.
    Path(String),
    Has,
    /// A column of the row whose period holds.
    When(String),
    /// How many periods hold.
    Choices,
    /// Of the rows that lead here.
    Back(Call),
    /// Of the row's group.
    Of(Call, Group),
    Position(Group, Box<Expr>),
    /// An aggregate of the rows up to this one, or of those in reach.
    Window(&'static str, Option<Box<Expr>>, Group, Box<Expr>, Reach),
    /// The row before, or behind.
    Neighbour(bool, Box<Expr>, Group, Box<Expr>),
    Bin(&'static str, Box<Expr>, Box<Expr>),
    Not(Box<Expr>),
    If(Box<Expr>, Box<Expr>, Box<Expr>),
    Blank(Box<Expr>, bool),
    In(Box<Expr>, Vec<Expr>),
    Fun(&'static str, Vec<Expr>),
}

#[derive(Debug, Clone)]
pub enum Step {
    Add(String, Expr),
    Change(String, Expr),
    Filter(bool, Expr),
    Dedupe,
    /// The keys; then the column whose largest stays, or `first` and `last`.
    DedupeBy(Vec<String>, Result<String, &'static str>),
    Sort(Expr, bool),
    Top {
        bottom: bool,
        /// Of each group, or per cent of it.
        count: Result<usize, usize>,
        by: Expr,
        per: Vec<String>,
        ties: bool,
    },
    Units {
        of: String,
        name: String,
        split: Vec<String>,
        dropping: Vec<&'static str>,
        keeps_negative: bool,
    },
    /// Columns that become rows: their names, what they were called and their values in new columns.
    Turn {
        columns: Vec<String>,
        name: String,
        value: String,
        keeping: bool,
    },
    /// Rows of `h` that lead to the row of `c`: what is split, whether by `w`, and what is multiplied by `q`.
    Expand {
        from_c: bool,
        split: Vec<String>,
        weighted: bool,
        else_equally: bool,
        multiply: Option<String>,
    },
    /// An amount divided over rows: that of the row that is led to where there are no keys.
    Allocate {
        amount: String,
        name: String,
        weight: Option<String>,
        else_equally: bool,
        per: Vec<String>,
    },
    OneRow {
        keys: Vec<String>,
        total: bool,
        results: Vec<(String, Call)>,
    },
    Columns(Vec<String>),
    Track(String),
    Grain(Vec<String>),
}

/// What a table starts as.
#[derive(Debug, Clone)]
pub enum Start {
    File,
    Base(String),
    /// Below each other; rows that come by two of them may be allowed.
    Stack(Vec<String>, bool),
    Meeting(Vec<String>, Vec<String>),
}

#[derive(Debug, Clone)]
pub struct Table {
    pub name: String,
    pub start: Start,
    pub steps: Vec<Step>,
}

/// Where periods end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum End {
    Through,
    Until,
    Onward,
}

/// The link from days of `o` to periods.
#[derive(Debug, Clone)]
pub struct Period {
    pub keyed: bool,
    pub end: End,
    /// What is preferred: `latest s`, `largest n`.
    pub prefer: Option<&'static str>,
}

#[derive(Debug, Clone)]
pub struct Plan {
    pub tables: Vec<Table>,
    pub files: Vec<(&'static str, String)>,
    pub period: Period,
}

fn call(call: &Call, link: &str, group: &str) -> String {
    let value = call.value.as_ref().map_or(String::new(), |value| text(value, link));
    let value = match (call.agg, link) {
        (Agg::Rows, "") => String::new(),
        (Agg::Rows, link) => link.trim_end_matches('.').to_owned(),
        (Agg::Percentile, _) => format!("{value}, 40"),
        (Agg::List, _) => format!("{value}, \"+\""),
        (Agg::ListDistinct, _) => format!("distinct {value}, \"+\""),
        _ => value,
    };
    let mut out = format!("{}({value}", call.agg.name());
    if let Some(filter) = &call.filter {
        let _ = write!(out, " where {}", text(filter, ""));
    }
    if let Some(by) = &call.by {
        let _ = write!(out, " by {}", text(by, ""));
    }
    format!("{out}{group})")
}

fn group(group: &Group) -> String {
    match group {
        Group::All => " in all".into(),
        Group::Per(keys) => format!(" per {}", keys.join(", ")),
    }
}

/// An expression as it is written; bare names stand behind `link`.
fn text(expr: &Expr, link: &str) -> String {
    let own = |expr: &Expr| text(expr, link);
    match expr {
        Expr::Col(name) => format!("{link}{name}"),
        Expr::Int(value) => format!("({value})"),
        Expr::Dec(cents) => {
            let sign = if *cents < 0 { "-" } else { "" };
            format!("({sign}{}.{:02})", cents.abs() / 100, cents.abs() % 100)
        }
        Expr::Text(text) => format!("\"{text}\""),
        Expr::Path(name) => format!("c.{name}"),
        Expr::Has => "has(c)".into(),
        Expr::When(name) => format!("e.{name}"),
        Expr::Choices => "choices(e)".into(),
        Expr::Back(of) => call(of, "o.", ""),
        Expr::Of(of, keys) => call(of, "", &group(keys)),
        Expr::Position(keys, by) => format!("position({} by {})", group(keys).trim(), own(by)),
        Expr::Window(function, value, keys, by, reach) => {
            let value = value.as_ref().map_or(String::new(), |value| own(value));
            let over = match reach {
                Reach::All => String::new(),
                Reach::Days(days) => format!(" over {days} days"),
                Reach::Rows(rows) => format!(" over {rows} rows"),
            };
            let inside = format!("{value}{} by {}{over}", group(keys), own(by));
            format!("{function}({})", inside.trim())
        }
        Expr::Neighbour(next, value, keys, by) => {
            let word = if *next { "next" } else { "previous" };
            format!("{word}({}{} by {})", own(value), group(keys), own(by))
        }
        Expr::Bin(op, left, right) => format!("({} {op} {})", own(left), own(right)),
        Expr::Not(inner) => format!("(not {})", own(inner)),
        Expr::If(condition, then, otherwise) => {
            format!("(if {} then {} else {})", own(condition), own(then), own(otherwise))
        }
        Expr::Blank(inner, not) => {
            format!("({} is {}blank)", own(inner), if *not { "not " } else { "" })
        }
        Expr::In(value, items) => {
            let items: Vec<String> = items.iter().map(own).collect();
            format!("({} in ({}))", own(value), items.join(", "))
        }
        Expr::Fun(name, args) => {
            let args: Vec<String> = args.iter().map(own).collect();
            format!("{name}({})", args.join(", "))
        }
    }
}

fn step(step: &Step) -> String {
    match step {
        Step::Add(name, value) => format!("add {name} = {}", text(value, "")),
        Step::Change(name, value) => format!("change {name} = {}", text(value, "")),
        Step::Filter(keep, condition) => {
            format!("{} {}", if *keep { "keep" } else { "drop" }, text(condition, ""))
        }
        Step::Dedupe => "dedupe".into(),
        Step::DedupeBy(keys, rule) => {
            let rule = match rule {
                Ok(column) => format!("largest {column}"),
                Err(word) => (*word).to_owned(),
            };
            format!("dedupe by {} keep {rule}", keys.join(", "))
        }
        Step::Sort(by, descending) => {
            format!("sort {}{}", text(by, ""), if *descending { " desc" } else { "" })
        }
        Step::Top { bottom, count, by, per, ties } => {
            let count = count.map_or_else(|part| format!("{part}%"), |count| count.to_string());
            let mut out =
                format!("{} {count} by {}", if *bottom { "bottom" } else { "top" }, text(by, ""));
            if !per.is_empty() {
                let _ = write!(out, " per {}", per.join(", "));
            }
            out + if *ties { " with ties" } else { "" }
        }
        Step::Units { of, name, split, dropping, keeps_negative } => {
            let split = if split.is_empty() {
                String::new()
            } else {
                format!(" split {}", split.join(", "))
            };
            let dropping = match dropping.join(", ") {
                none if none.is_empty() => none,
                dropping => format!(" dropping {dropping}"),
            };
            let keeping = if *keeps_negative { " keeping negative" } else { "" };
            format!("units of {of} as {name}{split}{dropping}{keeping}")
        }
        Step::Turn { columns, name, value, keeping } => {
            let keeping = if *keeping { " keeping blanks" } else { "" };
            format!("turn {} into rows {name}, {value}{keeping}", columns.join(", "))
        }
        Step::Expand { from_c, split, weighted, else_equally, multiply } => {
            let mut line = format!("expand {}h", if *from_c { "" } else { "c." });
            if !split.is_empty() {
                let by = if *weighted { "by w" } else { "equally" };
                let _ = write!(line, " split {} {by}", split.join(", "));
            }
            if *else_equally {
                line.push_str(" else equally");
            }
            if let Some(column) = multiply {
                let _ = write!(line, " multiply {column} by q");
            }
            line
        }
        Step::Allocate { amount, name, weight, else_equally, per } => {
            let from = if per.is_empty() { "c." } else { "" };
            let by = weight.as_ref().map_or("equally".into(), |weight| format!("by {weight}"));
            let equally = if *else_equally { " else equally" } else { "" };
            let per = match per.join(", ") {
                none if none.is_empty() => none,
                per => format!(" per {per}"),
            };
            format!("allocate {from}{amount} as {name} {by}{equally}{per}")
        }
        Step::OneRow { keys, total, results } => {
            let head = if keys.is_empty() {
                "one row in all".into()
            } else {
                format!("one row per {}", keys.join(", "))
            };
            let total = if *total { " total row \"all\"" } else { "" };
            let results: Vec<String> = results
                .iter()
                .map(|(name, of)| format!("    {name} = {}", call(of, "", "")))
                .collect();
            format!("{head}{total}\n{}", results.join("\n"))
        }
        Step::Columns(names) => format!("columns {}", names.join(", ")),
        Step::Track(name) => format!("track {name}"),
        Step::Grain(names) => format!("grain {}", names.join(", ")),
    }
}

impl Plan {
    /// The plan as it is written.
    pub fn text(&self) -> String {
        let mut out = String::new();
        for table in &self.tables {
            let name = &table.name;
            match &table.start {
                Start::File => {
                    let _ = writeln!(
                        out,
                        "input {name} from \"{name}\"\n  read k as text\n       x as integer\n       y as decimal(2)\n       d as date"
                    );
                }
                Start::Base(base) => {
                    let _ = writeln!(out, "table {name} from {base}");
                }
                Start::Stack(parts, allows) => {
                    let allow = if *allows { "\n    allow repeated-rows \"meant\"" } else { "" };
                    let _ = writeln!(out, "table {name} from {}{allow}", parts.join(", "));
                }
                Start::Meeting(parts, keys) => {
                    let _ = writeln!(
                        out,
                        "table {name} from {} meeting {} on {}",
                        parts[0],
                        parts[1..].join(", "),
                        keys.join(", ")
                    );
                }
            }
            for own in &table.steps {
                let _ = writeln!(out, "  {}", step(own));
            }
        }
        out.push_str("link o to c on k\n");
        out.push_str("input e from \"e\"\n  read k as text\n       n as integer\n       p as integer\n       s as date\n       z as date\n  grain p\n");
        let Period { keyed, end, prefer } = &self.period;
        let _ = writeln!(
            out,
            "link o to e on {}d within s {}{} as e back of_e",
            if *keyed { "k, " } else { "" },
            match end {
                End::Through => "through z",
                End::Until => "until z",
                End::Onward => "onward",
            },
            prefer.map_or(String::new(), |prefer| format!(" prefer {prefer}")),
        );
        out.push_str("input h from \"h\"\n  read g as text\n       m as integer\n       w as integer\n       q as integer\n  grain m\nlink h to c on g = k\n");
        for table in self.tables.iter().filter(|table| !matches!(table.start, Start::File)) {
            let _ = writeln!(out, "output {0} to \"{0}.csv\"", table.name);
        }
        out
    }
}
