//! `example`: its tree, its parser and its layout.

use serde::{Deserialize, Serialize};

use super::diagnostic::{Diagnostic, DiagnosticKind};
use super::format::expression::format_expression;
use super::format::layout::{Layout, name, quoted};
use super::parse::cursor::{Found, Parser, did_you_mean};
use super::terms::{Expr, Name, Quoted};
use super::token::{Span, TokenKind};

/// `example "TITLE" [set NAME = VALUE, …] with TABLE """…""" … gives TABLE """…""" …`, or `… stops "KIND"`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ExampleTree {
    /// What it shows, in words.
    pub title: Quoted,
    /// Parameters with other values.
    pub set: Vec<(Name, Expr)>,
    /// The rows of inputs. Inputs that are not named have none.
    pub with: Vec<RowsTree>,
    /// What must come of them.
    pub outcome: OutcomeTree,
}

/// Rows of a table as they are written: CSV with commas.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RowsTree {
    /// The table.
    pub table: Name,
    /// A header and rows.
    pub rows: Quoted,
}

/// What must come of an example.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum OutcomeTree {
    /// `gives TABLE """…"""`, once or several times: exactly these rows.
    Gives(Vec<RowsTree>),
    /// `stops "KIND"`: a problem of that kind, and no other.
    Stops(Quoted),
}

impl Parser {
    pub(super) fn example(&mut self) -> Found<ExampleTree> {
        let title = self.quoted("what it shows in quotes")?;
        let mut set = vec![];
        if self.take_word("set") {
            loop {
                let name = self.name("a parameter")?;
                self.need_sign("=", "`=` and its value in this example")?;
                set.push((name, self.expression()?));
                if !self.take_sign(",") {
                    break;
                }
            }
        }
        let mut with = vec![];
        while self.take_word("with") {
            with.push(self.rows("an input and its rows")?);
        }
        if with.is_empty() {
            return self.expected("`with`, an input, and its rows between \"\"\" and \"\"\"");
        }
        if self.take_word("stops") {
            let kind = self.quoted("the kind of problem in quotes")?;
            return Ok(ExampleTree { title, set, with, outcome: OutcomeTree::Stops(kind) });
        }
        let mut gives = vec![];
        while self.take_word("gives") {
            gives.push(self.rows("a table and the rows that must come out")?);
        }
        if gives.is_empty() {
            let message = format!(
                "expected `gives` and a table with its rows, or `stops` and a kind, found {}",
                self.peek().found()
            );
            let mut diagnostic = Diagnostic::new(DiagnosticKind::Syntax, self.span(), message);
            if let Some(help) = did_you_mean(self.peek(), &["with", "gives", "stops", "set"]) {
                diagnostic = diagnostic.help(help);
            }
            return self.wrong(diagnostic);
        }
        Ok(ExampleTree { title, set, with, outcome: OutcomeTree::Gives(gives) })
    }

    fn rows(&mut self, what: &str) -> Found<RowsTree> {
        let table = self.name(what)?;
        let rows = self.block()?;
        Ok(RowsTree { table, rows })
    }

    /// A header and rows between `"""` and `"""`.
    pub(super) fn block(&mut self) -> Found<Quoted> {
        let span = self.span();
        let TokenKind::Block(text) = self.peek() else {
            return self.expected(
                "its rows between \"\"\" and \"\"\": a header and rows, with commas between cells",
            );
        };
        let rows = Quoted { text: text.clone(), span };
        if rows.text.trim().is_empty() {
            let span = Span { start: span.start, end: span.start + 3 };
            let message = "this block has no header".to_owned();
            let help = "its first line names columns, and may be all: a table without rows";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(help));
        }
        self.advance();
        Ok(rows)
    }
}

impl Layout<'_> {
    pub(super) fn example(&mut self, span: Span, example: &ExampleTree) {
        let head = format!("example {}", quoted(&example.title.text));
        self.line(Span { start: span.start, end: example.title.span.end }, 0, &head);
        if let (Some((first, _)), Some((_, last))) = (example.set.first(), example.set.last()) {
            let set = example.set.iter();
            let set =
                set.map(|(param, value)| format!("{} = {}", name(param), format_expression(value)));
            let set: Vec<String> = set.collect();
            self.line(first.span.to(last.span), 2, &format!("set {}", set.join(", ")));
        }
        for rows in &example.with {
            self.rows("with", rows);
        }
        match &example.outcome {
            OutcomeTree::Gives(gives) => gives.iter().for_each(|rows| self.rows("gives", rows)),
            OutcomeTree::Stops(kind) => {
                self.line(kind.span, 2, &format!("stops {}", quoted(&kind.text)));
            }
        }
    }

    fn rows(&mut self, word: &str, rows: &RowsTree) {
        let head = format!("{word} {}", name(&rows.table));
        self.block(rows.table.span.start, 2, &head, &rows.rows);
    }

    /// A block behind its head, its lines as they stand.
    pub(super) fn block(&mut self, start: usize, indent: usize, head: &str, rows: &Quoted) {
        self.line(Span { start, end: rows.span.start }, indent, &format!("{head} \"\"\""));
        let within = indent + 2;
        for line in rows.text.lines() {
            let within = if line.is_empty() { 0 } else { within };
            self.out.push_str(&format!("{:within$}{line}\n", ""));
        }
        self.line(Span { start: rows.span.end, end: rows.span.end }, within, "\"\"\"");
    }
}
