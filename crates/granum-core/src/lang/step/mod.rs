//! The syntax of steps, a file each: its part of the tree, how it is parsed, how it is laid out. Each begins
//! with a word that is a name elsewhere; what follows decides.

mod allocate;
mod assign;
mod dedupe;
mod expand;
mod names;
mod one_row;
mod order;
mod read;
mod turn;
mod units;

use serde::{Deserialize, Serialize};

pub use allocate::AllocateTree;
pub use assign::AssignTree;
pub use dedupe::DedupeKeep;
pub use expand::ExpandTree;
pub use names::{ColumnTree, RenameTree, TrackTree};
pub use one_row::KeyTree;
pub(crate) use one_row::one_row;
pub use order::TopCount;
pub use read::{Otherwise, ReadTree};
pub use turn::{TurnTree, TurnedTree};
pub use units::{OddQuantity, SplitTree, UnitsPolicy};

use super::diagnostic::{Diagnostic, DiagnosticKind};
use super::format::expression::{format_expression, orders};
use super::format::layout::{Layout, name, quoted, width};
use super::parse::cursor::{Found, Parser, STATEMENTS, did_you_mean};
use super::terms::{Expr, Name, OrderTree, Quoted};
use super::token::{Span, TokenKind};

/// A step and the text it covers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StepTree {
    /// What it does.
    pub kind: StepKind,
    /// From its first to its last word.
    pub span: Span,
    /// What of it is allowed though it is usually a mistake.
    pub allow: Vec<AllowTree>,
}

/// `allow KIND "why"`: a warning that was looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AllowTree {
    /// The kind of warning.
    pub kind: Quoted,
    /// Why it is none here.
    pub reason: Quoted,
}

/// What a step does.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StepKind {
    /// `read COLUMN as TYPE …`
    Read(Vec<ReadTree>),
    /// `add NAME = EXPR …`
    Add(Vec<AssignTree>),
    /// `change NAME = EXPR …`
    Change(Vec<AssignTree>),
    /// `keep CONDITION`
    Keep(Expr),
    /// `drop CONDITION`
    Drop(Expr),
    /// `dedupe`
    Dedupe,
    /// `dedupe by KEY, … keep …`
    DedupeBy {
        /// What must be equal.
        keys: Vec<Expr>,
        /// Which row stays.
        keep: DedupeKeep,
    },
    /// `units of EXPR as NAME [split COLUMN [to N places], …] [dropping …] [keeping …] [up to N]`
    Units {
        /// How many units a row stands for.
        of: Expr,
        /// The unit's number.
        name: Name,
        /// Amounts divided over the units.
        split: Vec<SplitTree>,
        /// What becomes of quantities that are no numbers of units.
        policy: UnitsPolicy,
    },
    /// `expand LINK.BACK [split COLUMN, … by WEIGHT] [multiply COLUMN by FACTOR, …]`
    Expand(ExpandTree),
    /// `allocate LINK.COLUMN as NAME …`, `allocate COLUMN as NAME … per KEY, …`
    Allocate(AllocateTree),
    /// `columns NAME [as NEW], …`
    Columns(Vec<ColumnTree>),
    /// `rename OLD to NEW, …`
    Rename(Vec<RenameTree>),
    /// `grain COLUMN, …`
    Grain(Vec<Name>),
    /// `track COLUMN, … [in COLUMN]`
    Track(TrackTree),
    /// `one row per KEY [as NAME], … [total row "TEXT"] NAME = AGGREGATE …`, `one row in all …`
    OneRow {
        /// What one row is; nothing for one row in all.
        keys: Vec<KeyTree>,
        /// What stands in the keys of the total row.
        total: Option<Quoted>,
        /// What is worked of each group.
        items: Vec<AssignTree>,
    },
    /// `turn COLUMN, … into rows NAME, VALUE`, `turn COLUMN split by ";" into rows NAME`
    Turn(TurnTree),
    /// `sort EXPR [desc], …`
    Sort(Vec<OrderTree>),
    /// `top N by EXPR [per KEY, …] [with ties]`, `bottom …`
    Top {
        /// Whether the smallest are meant.
        bottom: bool,
        /// How many rows stay.
        count: TopCount,
        /// What is largest.
        by: Expr,
        /// The groups of which so many stay each.
        per: Vec<Expr>,
        /// Whether rows that tie with the last of them stay too.
        ties: bool,
    },
}

impl StepKind {
    /// Whether it says in which order rows stand.
    pub fn orders(&self) -> bool {
        matches!(self, Self::Sort(_) | Self::Top { .. })
    }
}

/// The words that steps begin with.
pub(crate) const STEPS: &[&str] = &[
    "read", "add", "change", "keep", "drop", "dedupe", "units", "columns", "rename", "grain",
    "track", "allocate", "turn", "expand", "one", "top", "bottom", "sort",
];

/// Lists longer than this are broken at a comma.
const LINE: usize = 100;

impl Parser {
    /// The steps up to the next statement. What cannot be understood is noted and left out.
    pub(in crate::lang) fn steps(&mut self) -> Vec<StepTree> {
        let mut steps = vec![];
        while *self.peek() != TokenKind::End && !self.at_statement() {
            let start = self.span();
            self.depth = 0;
            match self.step() {
                Ok(kind) => {
                    let span = start.to(self.last_span());
                    match self.allowed() {
                        Ok(allow) => steps.push(StepTree { kind, span, allow }),
                        Err(_) => {
                            self.skip_until(|parser| {
                                parser.at_statement() || parser.at_step_line()
                            });
                        }
                    }
                }
                Err(_) => self.skip_until(|parser| parser.at_statement() || parser.at_step_line()),
            }
        }
        steps
    }

    /// `allow KIND "why"`, any number of times.
    pub(in crate::lang) fn allowed(&mut self) -> Found<Vec<AllowTree>> {
        let mut allowed = vec![];
        while self.is_word("allow") {
            self.advance();
            let start = self.span();
            let mut kind = self.name("the kind of warning that is allowed")?.text;
            while self.take_sign("-") {
                kind.push('-');
                kind.push_str(&self.name("the rest of the kind's name")?.text);
            }
            let kind = Quoted { text: kind, span: start.to(self.last_span()) };
            let reason = self.quoted("the reason in quotes, which the verdict shows")?;
            allowed.push(AllowTree { kind, reason });
        }
        Ok(allowed)
    }

    /// A line that begins with a step's word and is not an assignment of a column called so.
    fn at_step_line(&self) -> bool {
        let token = &self.tokens[self.at];
        let TokenKind::Word(word) = &token.kind else { return false };
        token.first_on_line
            && STEPS.contains(&word.as_str())
            && !matches!(self.peek_after(1), TokenKind::Sign("="))
            && !matches!(self.peek_after(1), TokenKind::Word(next) if next == "as")
    }

    fn step(&mut self) -> Found<StepKind> {
        let span = self.span();
        let word = match self.peek() {
            TokenKind::Word(word) if STEPS.contains(&word.as_str()) => word.clone(),
            found => {
                let message = format!("expected a step or a statement, found {}", found.found());
                let meant = self.foreign().map(str::to_owned);
                let near = meant
                    .or_else(|| did_you_mean(found, STEPS))
                    .or_else(|| did_you_mean(found, STATEMENTS));
                let help = near.unwrap_or_else(|| {
                    "steps are read, add, change, keep, drop, dedupe, top, bottom, one row per, \
                     units, turn, expand, allocate, columns, rename, sort, grain, track"
                        .into()
                });
                self.advance();
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(help));
            }
        };
        self.advance();
        match word.as_str() {
            "read" => Ok(StepKind::Read(self.items(&["as"], Self::read_item)?)),
            "add" => Ok(StepKind::Add(self.items(&["="], Self::assignment)?)),
            "change" => Ok(StepKind::Change(self.items(&["="], Self::assignment)?)),
            "keep" => Ok(StepKind::Keep(self.expression()?)),
            "drop" => Ok(StepKind::Drop(self.expression()?)),
            "dedupe" => self.dedupe(span),
            "units" => self.units(),
            "turn" => self.turn(),
            "expand" => self.expand(),
            "allocate" => self.allocate(),
            "columns" => self.columns(),
            "rename" => self.rename(),
            "grain" => Ok(StepKind::Grain(self.names("a column of the grain")?)),
            "track" => self.track(),
            "one" => self.one_row(),
            "sort" => Ok(StepKind::Sort(self.orders()?)),
            "top" | "bottom" => self.top(word == "bottom"),
            _ => self.expected("a step"),
        }
    }

    /// One item, then more while a name is followed by one of `marks`. Commas between are allowed.
    fn items<T>(&mut self, marks: &[&str], item: impl Fn(&mut Self) -> Found<T>) -> Found<Vec<T>> {
        let mut items = vec![item(self)?];
        loop {
            let comma = usize::from(self.is_sign(","));
            let goes_on = self.at_name(comma)
                && match self.peek_after(comma + 1) {
                    TokenKind::Sign(sign) => marks.contains(sign),
                    TokenKind::Word(word) => marks.contains(&word.as_str()),
                    _ => false,
                };
            if !goes_on {
                return Ok(items);
            }
            if comma == 1 {
                self.advance();
            }
            items.push(item(self)?);
        }
    }
}

impl Layout<'_> {
    /// Prints a step.
    pub(in crate::lang) fn step(&mut self, step: &StepTree, indent: usize) {
        let span = step.span;
        match &step.kind {
            StepKind::Read(items) => self.read(span, indent, items),
            StepKind::Add(items) => self.assignments(span, "add", indent, items),
            StepKind::Change(items) => self.assignments(span, "change", indent, items),
            StepKind::Keep(condition) => {
                self.line(span, indent, &format!("keep {}", format_expression(condition)));
            }
            StepKind::Drop(condition) => {
                self.line(span, indent, &format!("drop {}", format_expression(condition)));
            }
            StepKind::Dedupe => self.line(span, indent, "dedupe"),
            StepKind::DedupeBy { keys, keep } => {
                self.line(span, indent, &dedupe::words(keys, keep));
            }
            StepKind::Units { of, name, split, policy } => {
                self.line(span, indent, &units::words(of, name, split, policy));
            }
            StepKind::Turn(tree) => self.line(span, indent, &turn::words(tree)),
            StepKind::Expand(tree) => self.line(span, indent, &expand::words(tree)),
            StepKind::Allocate(tree) => self.line(span, indent, &allocate::words(tree)),
            StepKind::Columns(columns) => self.columns(span, indent, columns),
            StepKind::Rename(renames) => self.renames(span, indent, renames),
            StepKind::Grain(names) => self.names(span, "grain", indent, names),
            StepKind::Track(tree) => self.track(span, indent, tree),
            StepKind::OneRow { keys, total, items } => {
                self.one_row(span, indent, keys, total.as_ref(), items);
            }
            StepKind::Sort(by) => self.line(span, indent, &format!("sort {}", orders(by))),
            StepKind::Top { bottom, count, by, per, ties } => {
                self.line(span, indent, &order::words((*bottom, *count), by, per, *ties));
            }
        }
    }

    /// Each on a line of its own, below what it allows.
    pub(in crate::lang) fn allowed(&mut self, allow: &[AllowTree], indent: usize) {
        for allow in allow {
            let line = format!("allow {} {}", allow.kind.text, quoted(&allow.reason.text));
            self.line(allow.kind.span.to(allow.reason.span), indent, &line);
        }
    }

    /// Items one to a line, the first behind the step's word.
    fn hanging(&mut self, step: Span, word: &str, indent: usize, items: Vec<(Span, String)>) {
        for (at, (span, text)) in items.into_iter().enumerate() {
            if at == 0 {
                let span = step.to(span);
                self.line(span, indent, &format!("{word} {text}"));
            } else {
                self.line(span, indent + word.len() + 1, &text);
            }
        }
    }

    fn list(&mut self, span: Span, word: &str, indent: usize, items: &[String]) {
        let hang = indent + word.len() + 1;
        let mut text = format!("{word} ");
        let mut column = hang;
        for (at, item) in items.iter().enumerate() {
            if at > 0 {
                text.push(',');
                if column + width(item) + 2 > LINE {
                    text.push('\n');
                    text.push_str(&" ".repeat(hang));
                    column = hang;
                } else {
                    text.push(' ');
                    column += 2;
                }
            }
            text.push_str(item);
            column += width(item);
        }
        self.line(span, indent, &text);
    }

    fn names(&mut self, span: Span, word: &str, indent: usize, names: &[Name]) {
        self.list(span, word, indent, &names.iter().map(name).collect::<Vec<_>>());
    }
}
