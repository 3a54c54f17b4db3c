//! Steps: each begins with a word that is a name elsewhere; what follows decides.

use super::super::ast::{
    AllowTree, AssignTree, ColumnTree, DedupeKeep, KeyTree, Otherwise, Preference, Quoted,
    ReadTree, RenameTree, StepKind, StepTree,
};
use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::token::{Span, TokenKind};
use super::{Found, Parser, did_you_mean};
use crate::value::{NumberExample, Type};

pub(super) const STEPS: &[&str] = &[
    "read", "add", "change", "keep", "drop", "dedupe", "units", "columns", "rename", "grain",
    "track", "allocate", "one", "top", "bottom", "sort",
];

const PREFERENCES: &[Preference] =
    &[Preference::Latest, Preference::Earliest, Preference::Largest, Preference::Smallest];

impl Parser {
    /// The steps up to the next statement. What cannot be understood is noted and left out.
    pub(super) fn steps(&mut self) -> Vec<StepTree> {
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
    pub(super) fn allowed(&mut self) -> Found<Vec<AllowTree>> {
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
                    .or_else(|| did_you_mean(found, super::statement::STATEMENTS));
                let help = near.unwrap_or_else(|| {
                    "steps are read, add, change, keep, drop, dedupe, top, bottom, one row per, \
                     units, columns, rename, sort, grain, track"
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
            "columns" => self.columns(),
            "rename" => self.rename(),
            "grain" => Ok(StepKind::Grain(self.names("a column of the grain")?)),
            "track" => Ok(StepKind::Track(self.names("an amount to track")?)),
            "one" => self.one_row(),
            "sort" => Ok(StepKind::Sort(self.orders()?)),
            "top" | "bottom" => self.top(word == "bottom"),
            _ => self.not_yet(span, &format!("the step `{word}`")),
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

    fn assignment(&mut self) -> Found<AssignTree> {
        let name = self.name("a column's name")?;
        self.need_sign("=", "`=` and the column's value")?;
        let value = self.expression()?;
        Ok(AssignTree { name, value })
    }

    fn read_item(&mut self) -> Found<ReadTree> {
        let column = self.name("a column's name")?;
        self.need_word("as", "`as` and a type")?;
        let mut ty = self.type_name()?;
        let mut formats: Vec<Quoted> = vec![];
        if matches!(self.peek(), TokenKind::Text(_)) {
            formats.push(self.quoted("a format")?);
            while self.take_word("or") {
                formats.push(self.quoted("another format in quotes")?);
            }
        }
        if ty.by_example {
            let examples = formats.iter();
            // An example that is wrong is told where names and types are.
            let places = examples.filter_map(|e| NumberExample::parse(&e.text, false).ok());
            let most = places.map(|example| example.places()).max();
            ty.ty = Type::Decimal(most.unwrap_or_default());
        }
        let mut otherwise = Otherwise::Stop;
        if self.take_word("else") {
            otherwise = if self.take_word("aside") {
                Otherwise::Aside
            } else {
                self.need_word("blank", "`else blank` or `else aside`: `blank`")?;
                Otherwise::Blank
            };
        }
        Ok(ReadTree { column, ty, formats, otherwise })
    }

    fn dedupe(&mut self, start: Span) -> Found<StepKind> {
        if !self.take_word("by") {
            // `keep latest = …` is a step of its own; `keep latest sent_at` belongs to a `by`.
            let prefers = self.is_word("keep")
                && matches!(self.peek_after(1), TokenKind::Word(word)
                    if PREFERENCES.iter().any(|preference| preference.word() == word))
                && self.at_name(2);
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
            let preference = PREFERENCES
                .iter()
                .copied()
                .find(|preference| self.is_word(preference.word()) && self.at_name(1));
            match preference {
                Some(preference) => {
                    self.advance();
                    best.push((preference, self.name("a column")?));
                }
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

    /// `one row per KEY [as NAME], … [total row "TEXT"] NAME = AGGREGATE …`
    fn one_row(&mut self) -> Found<StepKind> {
        self.need_word("row", "`row`, as in  one row per KEY")?;
        let mut keys = vec![];
        if self.take_word("in") {
            self.need_word("all", "`all`: one row in all")?;
        } else {
            self.need_word("per", "`per` and a key, or `in all`")?;
            loop {
                let value = self.key()?;
                let name =
                    if self.take_word("as") { Some(self.name("the key's name")?) } else { None };
                if self.is_sign("=") {
                    let diagnostic = Diagnostic::new(
                        DiagnosticKind::Syntax,
                        value.span,
                        "this is a result, and stands among the keys",
                    );
                    return self.wrong(diagnostic.help(
                        "no comma before the first result; a key is named behind it:  KEY as NAME",
                    ));
                }
                keys.push(KeyTree { value, name });
                if !self.take_sign(",") {
                    break;
                }
            }
        }
        let mut total = None;
        if self.take_words("total", "row") {
            total = Some(self.quoted("what stands in the keys of the total row, in quotes")?);
        }
        let named = self.at_name(0) && matches!(self.peek_after(1), TokenKind::Sign("="));
        let items = if named { self.items(&["="], Self::assignment)? } else { vec![] };
        Ok(StepKind::OneRow { keys, total, items })
    }

    /// `top N by EXPR [per KEY, …] [with ties]`
    fn top(&mut self, bottom: bool) -> Found<StepKind> {
        let span = self.span();
        let count = match *self.peek() {
            TokenKind::Number { units, decimal: false, .. } => u32::try_from(units).ok(),
            _ => None,
        };
        let Some(count) = count.filter(|count| *count > 0) else {
            let message = "expected how many rows, a whole number above 0";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
        };
        self.advance();
        self.need_word("by", "`by` and what is largest")?;
        let by = self.expression()?;
        let per = if self.take_word("per") { self.keys()? } else { vec![] };
        let ties = self.take_words("with", "ties");
        Ok(StepKind::Top { bottom, count, by, per, ties })
    }

    fn units(&mut self) -> Found<StepKind> {
        self.need_word("of", "`of` and the quantity")?;
        let of = self.expression()?;
        self.need_word("as", "`as` and a name for the unit's number")?;
        let name = self.name("a name for the unit's number")?;
        let mut split = vec![];
        if self.is_word("split") && self.at_name(1) {
            self.advance();
            split = self.names("an amount to split")?;
        }
        let span = self.span();
        if let TokenKind::Word(word) = self.peek().clone()
            && ["dropping", "keeping", "to", "up"].contains(&word.as_str())
        {
            return self.not_yet(span, &format!("`{word}` after `units`"));
        }
        Ok(StepKind::Units { of, name, split })
    }

    fn columns(&mut self) -> Found<StepKind> {
        let mut columns = vec![];
        loop {
            let column = self.name("a column to keep")?;
            let new = if self.take_word("as") { Some(self.name("its new name")?) } else { None };
            columns.push(ColumnTree { column, new });
            if !self.take_sign(",") {
                return Ok(StepKind::Columns(columns));
            }
        }
    }

    fn rename(&mut self) -> Found<StepKind> {
        let mut renames = vec![];
        loop {
            let old = self.name("a column to rename")?;
            self.need_word("to", "`to` and the new name")?;
            let new = self.name("the new name")?;
            renames.push(RenameTree { old, new });
            if !self.take_sign(",") {
                return Ok(StepKind::Rename(renames));
            }
        }
    }
}
