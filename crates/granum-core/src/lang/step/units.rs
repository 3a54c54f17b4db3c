//! `units`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::format::layout::name;
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Name};
use super::super::token::TokenKind;
use super::StepKind;

/// `COLUMN [to N places]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SplitTree {
    /// The amount that is divided over the units.
    pub column: Name,
    /// How many places its parts have; without it those of the column, at least two.
    pub places: Option<u8>,
}

/// A quantity that is no number of units.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum OddQuantity {
    /// None.
    Zero,
    /// Less than none: what came back.
    Negative,
    /// Not known.
    Blank,
    /// A part of a unit is left over.
    Fraction,
}

impl OddQuantity {
    /// The word in a plan.
    pub fn word(self) -> &'static str {
        match self {
            Self::Zero => "zero",
            Self::Negative => "negative",
            Self::Blank => "blank",
            Self::Fraction => "fraction",
        }
    }
}

/// What becomes of quantities that are no numbers of units.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct UnitsPolicy {
    /// `dropping …`: their rows go, and are counted.
    pub dropping: Vec<OddQuantity>,
    /// `keeping …`: a negative row stays as it is, a fraction becomes a last unit of its own.
    pub keeping: Vec<OddQuantity>,
    /// `up to N`: a row of more units stops the run.
    pub most: Option<u32>,
}

impl UnitsPolicy {
    /// How many units a row may be: above that it is taken for a mistake, a bar code typed as a
    /// quantity.
    pub fn most_units(&self) -> u32 {
        self.most.unwrap_or(10_000)
    }
}

/// As in a plan, with a space before each clause.
impl std::fmt::Display for UnitsPolicy {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (word, odd) in [("dropping", &self.dropping), ("keeping", &self.keeping)] {
            if !odd.is_empty() {
                let odd: Vec<&str> = odd.iter().map(|odd| odd.word()).collect();
                write!(out, " {word} {}", odd.join(", "))?;
            }
        }
        self.most.map_or(Ok(()), |most| write!(out, " up to {most}"))
    }
}

const DROPPED: &[OddQuantity] = &[OddQuantity::Zero, OddQuantity::Negative, OddQuantity::Blank];
const KEPT: &[OddQuantity] = &[OddQuantity::Negative, OddQuantity::Fraction];

/// Places that a decimal may have.
const MOST_PLACES: i128 = 20;

impl Parser {
    pub(super) fn units(&mut self) -> Found<StepKind> {
        self.need_word("of", "`of` and the quantity")?;
        let of = self.expression()?;
        self.need_word("as", "`as` and a name for the unit's number")?;
        let name = self.name("a name for the unit's number")?;
        let mut split = vec![];
        if self.is_word("split") && self.at_name(1) {
            self.advance();
            split.push(self.split()?);
            while self.take_sign(",") {
                split.push(self.split()?);
            }
        }
        let mut policy = UnitsPolicy::default();
        let mut kept_at = name.span;
        loop {
            let span = self.span();
            let twice = if self.is_word("dropping") && self.at_odd(1) {
                self.advance();
                let twice = !policy.dropping.is_empty();
                policy.dropping = self.odd(DROPPED, "zero, negative or blank")?;
                twice
            } else if self.is_word("keeping") && self.at_odd(1) {
                self.advance();
                kept_at = span;
                let twice = !policy.keeping.is_empty();
                policy.keeping = self.odd(KEPT, "negative or fraction")?;
                twice
            } else if self.take_words("up", "to") {
                let twice = policy.most.is_some();
                policy.most = Some(self.most_units()?);
                twice
            } else {
                break;
            };
            if twice {
                let message = "this is said of the units already";
                return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
            }
        }
        if policy.dropping.iter().any(|odd| policy.keeping.contains(odd)) {
            let message = "negative quantities cannot be dropped and kept";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, kept_at, message));
        }
        Ok(StepKind::Units { of, name, split, policy })
    }

    pub(super) fn split(&mut self) -> Found<SplitTree> {
        let column = self.name("an amount to split")?;
        Ok(SplitTree { column, places: self.said_places()? })
    }

    /// `to N places`, if it stands here.
    pub(super) fn said_places(&mut self) -> Found<Option<u8>> {
        if !self.is_word("to") || !matches!(self.peek_after(1), TokenKind::Number { .. }) {
            return Ok(None);
        }
        self.advance();
        let span = self.span();
        let places = match *self.peek() {
            TokenKind::Number { units: units @ 0..=MOST_PLACES, decimal: false, .. } => {
                u8::try_from(units).ok()
            }
            _ => None,
        };
        if places.is_none() {
            let message = "expected how many places, a whole number up to 20";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
        }
        self.advance();
        self.need_word("places", "`places`, as in  net to 2 places")?;
        Ok(places)
    }

    /// Whether a word for an odd quantity stands further on: else it is something else that begins here.
    fn at_odd(&self, ahead: usize) -> bool {
        let odd = |word: &str| DROPPED.iter().chain(KEPT).any(|odd| odd.word() == word);
        matches!(self.peek_after(ahead), TokenKind::Word(word) if odd(word))
    }

    fn odd(&mut self, known: &[OddQuantity], words: &str) -> Found<Vec<OddQuantity>> {
        let mut found = vec![];
        loop {
            let Some(odd) = known.iter().find(|odd| self.is_word(odd.word())) else {
                return self.expected(words);
            };
            self.advance();
            found.push(*odd);
            if !self.is_sign(",") || !self.at_odd(1) {
                return Ok(found);
            }
            self.advance();
        }
    }

    fn most_units(&mut self) -> Found<u32> {
        let most = self.count_here().filter(|most| i32::try_from(*most).is_ok());
        let Some(most) = most else {
            return self.expected("how many units a row may be, a whole number above 0");
        };
        self.advance();
        Ok(most)
    }
}

/// `units of EXPR as NAME [split COLUMN, …] [dropping …] [keeping …] [up to N]`
pub(super) fn words(of: &Expr, unit: &Name, split: &[SplitTree], policy: &UnitsPolicy) -> String {
    let mut line = format!("units of {} as {}", format_expression(of), name(unit));
    if !split.is_empty() {
        line.push_str(&format!(" split {}", split_words(split)));
    }
    format!("{line}{policy}")
}

/// `COLUMN [to N places], …`
pub(super) fn split_words(split: &[SplitTree]) -> String {
    let split = split.iter().map(|split| match split.places {
        Some(places) => format!("{} to {places} places", name(&split.column)),
        None => name(&split.column),
    });
    split.collect::<Vec<_>>().join(", ")
}
