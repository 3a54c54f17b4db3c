//! `allocate`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::format::layout::name;
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Name};
use super::StepKind;

/// `allocate LINK.COLUMN as NAME …`, `allocate COLUMN as NAME … per KEY, …`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AllocateTree {
    /// The amount: of a row that is led to, or one that each group repeats.
    pub amount: Expr,
    /// What a row's part is called.
    pub name: Name,
    /// In proportion to what; nothing for equal parts.
    pub weight: Option<Expr>,
    /// Whether parts are equal where all weights are zero.
    pub else_equally: bool,
    /// What the rows of a group have in common; nothing where they lead to one row.
    pub per: Vec<Expr>,
    /// How many places the parts have; without it those of the amount, at least two.
    pub places: Option<u8>,
}

impl Parser {
    /// `by WEIGHT [else equally]`, or `equally`: the weight, and whether weights that are all zero divide equally.
    pub(super) fn weight(&mut self) -> Found<(Option<Expr>, bool)> {
        if self.take_word("equally") {
            return Ok((None, false));
        }
        if !self.take_word("by") {
            return self.expected("`by` and a weight, or `equally`");
        }
        let weight = self.expression()?;
        let equally = self.take_word("else");
        if equally {
            self.need_word("equally", "`equally`, for weights that are all zero")?;
        }
        Ok((Some(weight), equally))
    }

    pub(super) fn allocate(&mut self) -> Found<StepKind> {
        let amount = self.key()?;
        self.need_word("as", "`as` and a name for each row's part")?;
        let name = self.name("a name for each row's part")?;
        let (weight, else_equally) = self.weight()?;
        let per = if self.take_word("per") { self.keys()? } else { vec![] };
        let places = self.said_places()?;
        if places.is_some() && self.is_word("per") {
            let message = "`per` stands before the places";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, self.span(), message)
                    .help("as in  allocate spend as cost equally per channel, day to 2 places"),
            );
        }
        let tree = AllocateTree { amount, name, weight, else_equally, per, places };
        Ok(StepKind::Allocate(tree))
    }
}

/// `allocate AMOUNT as NAME by WEIGHT [else equally] [per KEY, …] [to N places]`
pub(super) fn words(tree: &AllocateTree) -> String {
    let mut line = format!("allocate {} as {}", format_expression(&tree.amount), name(&tree.name));
    match &tree.weight {
        Some(weight) => line.push_str(&format!(" by {}", format_expression(weight))),
        None => line.push_str(" equally"),
    }
    if tree.else_equally {
        line.push_str(" else equally");
    }
    if !tree.per.is_empty() {
        let keys: Vec<String> = tree.per.iter().map(format_expression).collect();
        line.push_str(&format!(" per {}", keys.join(", ")));
    }
    if let Some(places) = tree.places {
        line.push_str(&format!(" to {places} places"));
    }
    line
}
