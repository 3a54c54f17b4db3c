//! Paths: forward over links, from a row to what it leads to.

use super::Resolved;
use super::ancestors::Ancestors;
use super::expression::{Valued, truth};
use super::scope::{Paths, Resolver, Row};
use super::worth::{Worth, WorthKind};
use crate::expr::{Kind, Typed};
use crate::lang::{
    Diagnostic, DiagnosticKind, Expr, ExprKind, Name, Span, format_expression, nearest_or_longer,
};
use crate::table::{ColumnId, Hop, TableId};
use crate::value::Type;

/// Where the links of a path lead.
pub(super) struct Way {
    pub from: TableId,
    pub hops: Vec<Hop>,
    pub target: TableId,
}

impl Resolver<'_> {
    /// `link.link.column`
    pub(super) fn path(&mut self, parts: &[Name], span: Span, row: &Row) -> Resolved<Valued> {
        let (column, links) = (&parts[parts.len() - 1], &parts[..parts.len() - 1]);
        let way = self.way(links, span, row)?;
        let found = self.tables[way.target.0]
            .columns
            .iter()
            .enumerate()
            .find(|(_, known)| known.name == column.text)
            .map(|(at, known)| (at, known.ty, known.worth));
        let Some((at, ty, worth)) = found else {
            let target = self.finished_row(way.target, Paths::Allowed);
            return self.unknown_column(&target, column);
        };
        let kind =
            Kind::Path { from: way.from, hops: way.hops, target: way.target, column: ColumnId(at) };
        Ok((Typed::new(kind, ty, span), worth.over_link()))
    }

    /// `has(link)`, `has(link.link)`: forward, or back over one link.
    pub(super) fn has(&mut self, args: &[Expr], span: Span, row: &Row) -> Resolved<Valued> {
        let [Expr { kind: ExprKind::Path(parts), .. }] = args else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    span,
                    "`has` takes the name of a link, or a path of links",
                )
                .help("as in  has(orders)  or  has(orders.customers)"),
            );
        };
        let forward = self.link_from(&row.ancestors, &parts[0].text).is_some();
        if !forward && let Some(found) = self.gather_presence(parts, span, row)? {
            return Ok(found);
        }
        let way = self.way(parts, span, row)?;
        Ok(truth(Kind::Leads { from: way.from, hops: way.hops }, span))
    }

    /// `choices(link)`: of how many rows that held one was chosen.
    pub(super) fn choices(&mut self, args: &[Expr], span: Span, row: &Row) -> Resolved<Valued> {
        let [Expr { kind: ExprKind::Path(parts), .. }] = args else {
            let message = "`choices` takes the name of a link by a period, or a path to one";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, message)
                    .help("as in  choices(promotions)  or  choices(orders.promotions)"),
            );
        };
        let Way { from, mut hops, .. } = self.way(parts, span, row)?;
        let Some(Hop::Link(link)) = hops.pop() else { return Err(super::Wrong) };
        if self.links[link.0].tree.period.is_none() {
            let message = format!(
                "the link to `{}` has no period: each row leads to one row or to none",
                self.links[link.0].name
            );
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, message)
                    .help(format!("write  has({})", format_expression(&args[0]))),
            );
        }
        self.links[link.0].choices = true;
        let kind = Kind::Choices { from, hops, link };
        let worth = Worth::column(WorthKind::Plain, false);
        Ok((Typed::new(kind, Type::Integer, span), worth))
    }

    /// Follows the names of links from a row.
    pub(super) fn way(&mut self, links: &[Name], span: Span, row: &Row) -> Resolved<Way> {
        match row.paths {
            Paths::Allowed | Paths::InKeys => {}
            Paths::NotInInputs => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Path,
                        span,
                        "an input's steps cannot follow links: links join finished tables",
                    )
                    .help(format!("do this in a table:  table NAME from {}", row.table)),
                );
            }
            Paths::NotInKeys => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Path,
                        span,
                        format!("this side of a key sees the columns of `{}` alone", row.table),
                    )
                    .help("a pair is written  orders.customer_no = customer_no"),
                );
            }
            Paths::Results => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Path,
                        span,
                        "a result sees keys and results above; rows only inside an aggregate",
                    )
                    .help("as in  latest(orders.channel by ordered_on) ; or make it a key"),
                );
            }
            Paths::Totals => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Path,
                        span,
                        "a check about totals sees columns only inside an aggregate",
                    )
                    .help("as in  sum(sales.net) ; for each row:  check sales: net >= 0"),
                );
            }
            Paths::NotInParameters => {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::Parameter,
                    span,
                    "a parameter's value is written out: it sees no columns",
                ));
            }
        }
        let mut ancestors = row.ancestors.clone();
        let mut way: Option<Way> = None;
        for (at, name) in links.iter().enumerate() {
            let Some((link, source)) = self.link_from(&ancestors, &name.text) else {
                return self.no_link(name, at, &ancestors, row);
            };
            let target = self.links[link.0].to;
            self.need_table(target, name.span)?;
            let way = way.get_or_insert(Way { from: source, hops: vec![], target });
            if at > 0 && source != way.target {
                way.hops.push(Hop::Origin { of: way.target, base: source });
            }
            way.hops.push(Hop::Link(link));
            way.target = target;
            ancestors.clone_from(&self.tables[target.0].ancestors);
        }
        way.ok_or(super::Wrong)
    }

    /// Why a name does not lead on.
    fn no_link<T>(
        &mut self,
        name: &Name,
        at: usize,
        ancestors: &Ancestors,
        row: &Row,
    ) -> Resolved<T> {
        if let Some((link, ..)) = self.link_back(ancestors, &name.text) {
            let source = self.tables[self.links[link.0].from.0].name.text.clone();
            let diagnostic = if at == 0 {
                Diagnostic::new(
                    DiagnosticKind::Path,
                    name.span,
                    format!("many rows of `{source}` may lead to one row here"),
                )
                .help(format!("gather them:  sum({0}.COLUMN)  or  rows({0})", name.text))
            } else {
                Diagnostic::new(
                    DiagnosticKind::CountedTwice,
                    name.span,
                    format!(
                        "this path goes forward and then back to `{source}`: its value would \
                         stand on several rows"
                    ),
                )
                .help("gather it in a table of the rows that it belongs to, and sum it there")
            };
            return self.wrong(diagnostic);
        }
        // A table sees the links of what it is built from, not its own.
        let own = self.find_table(&row.table);
        if at == 0
            && let Some(own) = own
            && !ancestors.has(own)
            && self.link_from(&Ancestors::of(own), &name.text).is_some()
        {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    name.span,
                    format!(
                        "the link to `{}` joins the finished `{}`, so its own steps cannot follow it",
                        name.text, row.table
                    ),
                )
                .help(format!("do this in a table:  table NAME from {}", row.table)),
            );
        }
        let owner = if at == 0 {
            row.table.clone()
        } else {
            ancestors
                .iter()
                .next()
                .map_or(String::new(), |(t, _)| self.tables[t.0].name.text.clone())
        };
        let names: Vec<String> = self
            .links
            .iter()
            .filter(|link| ancestors.has(link.from))
            .map(|link| link.name.clone())
            .collect();
        let message = format!("no link called `{}` leads on from `{owner}`", name.text);
        let near = nearest_or_longer(&name.text, names.iter().map(String::as_str));
        let help = match (self.advised_way(ancestors, &name.text), near) {
            (Some(way), _) => way,
            (None, Some(near)) => format!("did you mean `{near}`?"),
            (None, None) if names.is_empty() => {
                "a link is declared with  link A to B on KEY".into()
            }
            (None, None) => format!("links from there are {}", names.join(", ")),
        };
        self.wrong(Diagnostic::new(DiagnosticKind::Path, name.span, message).help(help))
    }
}
