//! `read`.

use serde::{Deserialize, Serialize};

use super::super::format::layout::{Layout, name, pad, quoted, width};
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Name, Quoted, TypeTree};
use super::super::token::{Span, TokenKind};
use crate::value::{NumberExample, Type};

/// `COLUMN as TYPE ["FORMAT" or …] [zone "NAME"] [else blank | else aside]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ReadTree {
    /// The column.
    pub column: Name,
    /// What its cells become.
    pub ty: TypeTree,
    /// Formats tried in order.
    pub formats: Vec<Quoted>,
    /// The place whose clock the moments are read by.
    pub zone: Option<Quoted>,
    /// What becomes of a cell that cannot be read.
    pub otherwise: Otherwise,
}

/// What becomes of a cell that its `read` cannot take.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Otherwise {
    /// The run stops.
    #[default]
    Stop,
    /// The cell becomes blank.
    Blank,
    /// The row is taken out.
    Aside,
}

impl Parser {
    pub(super) fn read_item(&mut self) -> Found<ReadTree> {
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
        let zone = if self.is_word("zone") && matches!(self.peek_after(1), TokenKind::Text(_)) {
            self.advance();
            Some(self.quoted("a zone's name in quotes")?)
        } else {
            None
        };
        let mut otherwise = Otherwise::Stop;
        if self.take_word("else") {
            otherwise = if self.take_word("aside") {
                Otherwise::Aside
            } else {
                self.need_word("blank", "`else blank` or `else aside`: `blank`")?;
                Otherwise::Blank
            };
        }
        Ok(ReadTree { column, ty, formats, zone, otherwise })
    }
}

impl Layout<'_> {
    pub(super) fn read(&mut self, span: Span, indent: usize, items: &[ReadTree]) {
        let most = items.iter().map(|item| width(&name(&item.column))).max().unwrap_or(0);
        let lines = items.iter().map(|item| (read_span(item), read_line(item, most)));
        self.hanging(span, "read", indent, lines.collect());
    }
}

fn read_span(item: &ReadTree) -> Span {
    let last = item.formats.last().map_or(item.ty.span, |format| format.span);
    item.column.span.to(item.zone.as_ref().map_or(last, |zone| zone.span))
}

fn read_line(item: &ReadTree, most: usize) -> String {
    let ty = if item.ty.by_example { "decimal".into() } else { item.ty.ty.to_string() };
    let mut line = format!("{} as {ty}", pad(&name(&item.column), most));
    if !item.formats.is_empty() {
        let formats: Vec<String> = item.formats.iter().map(|format| quoted(&format.text)).collect();
        line.push(' ');
        line.push_str(&formats.join(" or "));
    }
    if let Some(zone) = &item.zone {
        line.push_str(&format!(" zone {}", quoted(&zone.text)));
    }
    line.push_str(match item.otherwise {
        Otherwise::Stop => "",
        Otherwise::Blank => " else blank",
        Otherwise::Aside => " else aside",
    });
    line
}
