//! `link`: its tree, its parser and its layout.

use serde::{Deserialize, Serialize};

use super::diagnostic::{Diagnostic, DiagnosticKind};
use super::format::expression::format_expression;
use super::format::layout::name;
use super::parse::cursor::{Found, Parser, did_you_mean};
use super::preference::{self, Preference};
use super::terms::{Expr, Name, Percent};
use super::token::{Span, TokenKind};

/// `link A to B on KEY, … [WHEN within PERIOD] [prefer …] [complete | at least N% [of COLUMN]]
/// [blank allowed] [as NAME [back NAME]]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct LinkTree {
    /// The table whose rows lead.
    pub from: Name,
    /// The table they lead to.
    pub to: Name,
    /// What must be equal.
    pub keys: Vec<LinkKeyTree>,
    /// The day that must fall into a period, the last of the keys.
    pub period: Option<PeriodTree>,
    /// Which row is led to where the periods of several hold.
    pub prefer: Vec<(Preference, Name)>,
    /// How complete it must be.
    pub required: Option<RequiredTree>,
    /// Whether blank keys are left out of the share.
    pub blank_allowed: bool,
    /// Its name, when not the target's.
    pub name: Option<Name>,
    /// The name of the way back, when not the source's.
    pub back: Option<Name>,
}

/// One key of a link: a column both have, or a pair of expressions.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct LinkKeyTree {
    /// The left table's side.
    pub left: Expr,
    /// The right table's side; without it, the left's name.
    pub right: Option<Expr>,
}

/// `WHEN within STARTS through ENDS`, `… until ENDS`, `… onward`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PeriodTree {
    /// The day or time of the left table's row.
    pub when: Expr,
    /// The start of the right table's period.
    pub starts: Expr,
    /// Where it ends.
    pub end: PeriodEndTree,
}

/// Where a period ends.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PeriodEndTree {
    /// `through ENDS`: the end is part of it.
    Through(Expr),
    /// `until ENDS`: the end is not.
    Until(Expr),
    /// `onward`: where the next one starts.
    Onward,
}

/// How complete a link must be.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum RequiredTree {
    /// `complete`
    Complete(Span),
    /// `at least N% [of COLUMN]`
    Share {
        /// The share.
        percent: Percent,
        /// The tracked amount it is a share of; without it, of the rows.
        of: Option<Name>,
        /// Where it stands.
        span: Span,
    },
}

impl LinkKeyTree {
    /// Both sides as a plan writes them.
    pub(crate) fn words(&self) -> (String, String) {
        let left = format_expression(&self.left);
        let right = self.right.as_ref().map_or_else(|| left.clone(), format_expression);
        (left, right)
    }
}

impl std::fmt::Display for LinkKeyTree {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(&format_expression(&self.left))?;
        match &self.right {
            Some(right) => write!(out, " = {}", format_expression(right)),
            None => Ok(()),
        }
    }
}

impl std::fmt::Display for PeriodTree {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let (when, starts) = (format_expression(&self.when), format_expression(&self.starts));
        write!(out, "{when} within {starts} ")?;
        match &self.end {
            PeriodEndTree::Through(end) => write!(out, "through {}", format_expression(end)),
            PeriodEndTree::Until(end) => write!(out, "until {}", format_expression(end)),
            PeriodEndTree::Onward => out.write_str("onward"),
        }
    }
}

impl LinkTree {
    /// Its keys as a plan writes them, the period last.
    pub(crate) fn keys_text(&self) -> String {
        let keys = self.keys.iter().map(ToString::to_string);
        keys.chain(self.period.iter().map(ToString::to_string)).collect::<Vec<_>>().join(", ")
    }

    /// Its words, by the columns in which neighbouring links stand.
    pub(super) fn cells(&self) -> Vec<String> {
        let mut rest = vec![];
        if !self.prefer.is_empty() {
            rest.push(format!("prefer {}", preference::words(&self.prefer)));
        }
        match &self.required {
            Some(RequiredTree::Complete(_)) => rest.push("complete".to_owned()),
            Some(RequiredTree::Share { percent, of, .. }) => {
                let of =
                    of.as_ref().map_or(String::new(), |column| format!(" of {}", name(column)));
                rest.push(format!("at least {percent}{of}"));
            }
            None => {}
        }
        if self.blank_allowed {
            rest.push("blank allowed".to_owned());
        }
        if let Some(own) = &self.name {
            rest.push(format!("as {}", name(own)));
            if let Some(back) = &self.back {
                rest.push(format!("back {}", name(back)));
            }
        }
        vec![
            format!("link {}", name(&self.from)),
            format!("to {}", name(&self.to)),
            format!("on {}", self.keys_text()),
            rest.join(" "),
        ]
    }
}

/// A key of a link, as it is read.
enum Key {
    Equal(LinkKeyTree),
    Period(PeriodTree),
}

impl Parser {
    pub(super) fn link(&mut self) -> Found<LinkTree> {
        let from = self.name("the table whose rows lead")?;
        self.need_word("to", "`to` and the table they lead to")?;
        let to = self.name("the table they lead to")?;
        self.need_word("on", "`on` and the key")?;
        let mut tree = LinkTree {
            from,
            to,
            keys: vec![],
            period: None,
            prefer: vec![],
            required: None,
            blank_allowed: false,
            name: None,
            back: None,
        };
        loop {
            match self.link_key()? {
                Key::Equal(key) => tree.keys.push(key),
                Key::Period(period) => tree.period = Some(period),
            }
            let comma = self.span();
            if !self.take_sign(",") {
                break;
            }
            if tree.period.is_some() {
                let message = "a period is the last of a link's keys";
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, comma, message).help(
                        "as in  on article_no, ordered_on within valid_from until valid_to",
                    ));
            }
        }
        self.link_rest(tree)
    }

    fn link_rest(&mut self, mut tree: LinkTree) -> Found<LinkTree> {
        loop {
            let span = self.span();
            if self.take_word("complete") {
                tree.required = Some(RequiredTree::Complete(span));
            } else if self.is_word("at") {
                let percent = self.at_least()?;
                let of = if self.take_word("of") {
                    Some(self.name("the tracked amount that it is a share of")?)
                } else {
                    None
                };
                tree.required =
                    Some(RequiredTree::Share { percent, of, span: span.to(self.last_span()) });
            } else if self.take_word("blank") {
                self.need_word("allowed", "`blank allowed`: `allowed`")?;
                tree.blank_allowed = true;
            } else if self.take_word("prefer") {
                tree.prefer = self.prefer(span, tree.period.is_some())?;
            } else if self.take_word("as") {
                tree.name = Some(self.name("the link's name")?);
                if self.take_word("back") {
                    tree.back = Some(self.name("the name of the way back")?);
                }
            } else if *self.peek() == TokenKind::End || self.at_statement() {
                return Ok(tree);
            } else {
                let known = [
                    "complete", "at", "blank", "as", "prefer", "within", "table", "input", "link",
                    "check", "warn", "output", "example", "param",
                ];
                let help = did_you_mean(self.peek(), &known).unwrap_or_else(|| {
                    "after the keys: prefer latest COLUMN, complete, at least N% [of COLUMN], \
                     blank allowed, as NAME [back NAME]"
                        .into()
                });
                let message = format!("expected the link's end, found {}", self.peek().found());
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(help));
            }
        }
    }

    fn link_key(&mut self) -> Found<Key> {
        let left = self.key()?;
        if self.take_word("within") {
            let starts = self.key()?;
            let end = if self.take_word("through") {
                PeriodEndTree::Through(self.key()?)
            } else if self.take_word("until") {
                PeriodEndTree::Until(self.key()?)
            } else if self.take_word("onward") {
                PeriodEndTree::Onward
            } else {
                return self.expected(
                    "where the period ends: `through ENDS` (that day is part of it), `until ENDS` \
                     (it is not), or `onward` (the next start ends it)",
                );
            };
            return Ok(Key::Period(PeriodTree { when: left, starts, end }));
        }
        let right = if self.take_sign("=") { Some(self.key()?) } else { None };
        Ok(Key::Equal(LinkKeyTree { left, right }))
    }

    /// Which row wins, behind `prefer`; each column with its own word.
    fn prefer(&mut self, span: Span, period: bool) -> Found<Vec<(Preference, Name)>> {
        if !period {
            let message = "`prefer` chooses between periods, and this link has none";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(
                "keys that repeat are mended in the table that is led to:  \
                     dedupe by KEY keep latest COLUMN",
            ));
        }
        let mut best = vec![];
        loop {
            match self.preference()? {
                Some(found) => best.push(found),
                None => {
                    return self.expected(
                        "what is preferred: latest COLUMN, earliest COLUMN, largest COLUMN or \
                         smallest COLUMN",
                    );
                }
            }
            if !self.take_sign(",") {
                return Ok(best);
            }
        }
    }
}
