//! `dedupe` and `dedupe by`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::parse::cursor::{Found, Parser};
use super::super::preference::{self, Preference};
use super::super::terms::{Expr, Name};
use super::super::token::Span;
use super::StepKind;

/// Which row of a key stays.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum DedupeKeep {
    /// `keep first`
    First,
    /// `keep last`
    Last,
    /// `keep latest sent_at, largest version`
    Best(Vec<(Preference, Name)>),
}

impl Parser {
    pub(super) fn dedupe(&mut self, start: Span) -> Found<StepKind> {
        if !self.take_word("by") {
            // `keep latest = …` is a step of its own; `keep latest sent_at` belongs to a `by`.
            let prefers = self.is_word("keep") && self.at_preference(1).is_some();
            if prefers {
                let span = start.to(self.tokens[self.at + 1].span);
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Syntax,
                        span,
                        "`dedupe` without `by` drops exact copies and has nothing to choose",
                    )
                    .help("write  dedupe by KEY keep latest COLUMN"),
                );
            }
            return Ok(StepKind::Dedupe);
        }
        let mut keys = vec![self.key()?];
        while self.take_sign(",") {
            keys.push(self.key()?);
        }
        self.need_word(
            "keep",
            "`keep` and which row stays: latest COLUMN, earliest COLUMN, largest COLUMN, \
             smallest COLUMN, first or last",
        )?;
        let mut best = vec![];
        loop {
            match self.preference()? {
                Some(found) => best.push(found),
                None if best.is_empty() => break,
                None => {
                    let preference = best[best.len() - 1].0;
                    best.push((preference, self.name("a column")?));
                }
            }
            if !self.take_sign(",") {
                return Ok(StepKind::DedupeBy { keys, keep: DedupeKeep::Best(best) });
            }
        }
        if self.take_word("first") {
            Ok(StepKind::DedupeBy { keys, keep: DedupeKeep::First })
        } else if self.take_word("last") {
            Ok(StepKind::DedupeBy { keys, keep: DedupeKeep::Last })
        } else {
            self.expected(
                "which row stays: latest COLUMN, earliest COLUMN, largest COLUMN, \
                 smallest COLUMN, first or last",
            )
        }
    }
}

/// `dedupe by KEY, … keep …`
pub(super) fn words(keys: &[Expr], keep: &DedupeKeep) -> String {
    let keys: Vec<String> = keys.iter().map(format_expression).collect();
    format!("dedupe by {} keep {}", keys.join(", "), keep_words(keep))
}

fn keep_words(keep: &DedupeKeep) -> String {
    match keep {
        DedupeKeep::First => "first".into(),
        DedupeKeep::Last => "last".into(),
        DedupeKeep::Best(best) => preference::words(best),
    }
}
