//! Expressions: names, types, and what their values are worth.

use super::aggregate::Called;
use super::function::SOURCE;
use super::scope::{Paths, Resolver, Row};
use super::worth::{Worth, WorthKind};
use super::{Resolved, Wrong};
use crate::aggregate::{AGGREGATES, of_place_names};
use crate::expr::{Kind, Typed, find_function};
use crate::lang::{Clauses, Diagnostic, DiagnosticKind, Expr, ExprKind, Name, Operator, Span};
use crate::value::{Scalar, Scale, Type};

pub(super) type Valued = (Typed, Worth);

/// The names of all aggregates.
pub(super) fn aggregate_names() -> impl Iterator<Item = &'static str> {
    AGGREGATES.iter().map(|aggregate| aggregate.name).chain(of_place_names())
}

fn is_aggregate(name: &str) -> bool {
    aggregate_names().any(|known| known == name)
}

impl Resolver<'_> {
    pub fn expression(&mut self, expr: &Expr, row: &Row) -> Resolved<Valued> {
        let span = expr.span;
        let constant = |value: Scalar| {
            let ty = value.ty();
            (Typed::new(Kind::Constant(value), ty, span), Worth::default())
        };
        match &expr.kind {
            ExprKind::Text(text) if text.is_empty() => self.wrong(
                Diagnostic::new(DiagnosticKind::Type, span, "a text is never empty: it is blank")
                    .help("write `blank`; \"\" may stand last in replace(…) and beside `&`"),
            ),
            ExprKind::Text(text) => Ok(constant(Scalar::Text(text.clone()))),
            ExprKind::Number { units, decimal: false, .. } => match i64::try_from(*units) {
                Ok(value) => Ok(constant(Scalar::Integer(value))),
                Err(_) => Ok(constant(Scalar::Decimal(*units, Scale(0)))),
            },
            ExprKind::Number { units, scale, .. } => {
                Ok(constant(Scalar::Decimal(*units, Scale(*scale))))
            }
            ExprKind::Boolean(value) => Ok(constant(Scalar::Boolean(*value))),
            ExprKind::Blank => Ok(constant(Scalar::Blank)),
            ExprKind::Path(parts) if parts.len() == 1 => self.single(&parts[0], row),
            ExprKind::Path(parts) => self.path(parts, span, row),
            ExprKind::Call { function, args, clauses } => {
                self.call(Called { name: function, args, clauses, span }, row)
            }
            ExprKind::Negate(inner) => {
                let (inner, worth) = self.expression(inner, row)?;
                self.must_be(&inner, Type::is_numeric, "a number")?;
                if let Some(value) = inner.constant().and_then(negated) {
                    return Ok(constant(value));
                }
                let ty = inner.ty;
                Ok((Typed::new(Kind::Negate(Box::new(inner)), ty, span), worth))
            }
            ExprKind::Not(inner) => {
                let inner = self.condition(inner, row)?;
                Ok(truth(Kind::Not(Box::new(inner)), span))
            }
            ExprKind::Binary { op, left, right } => self.binary(*op, left, right, span, row),
            ExprKind::In { value, items, negated } => {
                let (value, items) = self.inside(value, items, row)?;
                let inside = truth(Kind::In { value: Box::new(value), items }, span);
                if *negated { Ok(truth(Kind::Not(Box::new(inside.0)), span)) } else { Ok(inside) }
            }
            ExprKind::IsBlank { value, negated } => {
                let (value, _) = self.expression(value, row)?;
                Ok(truth(Kind::IsBlank { value: Box::new(value), negated: *negated }, span))
            }
            ExprKind::If { condition, then, otherwise } => {
                let condition = self.condition(condition, row)?;
                let (then, worth) = self.expression(then, row)?;
                let (otherwise, other_worth) = self.expression(otherwise, row)?;
                let (then, otherwise) = self.one_type(then, otherwise, "if", span)?;
                let ty = then.ty;
                let kind = Kind::If {
                    condition: Box::new(condition),
                    then: Box::new(then),
                    otherwise: Box::new(otherwise),
                };
                Ok((Typed::new(kind, ty, span), worth.with(other_worth)))
            }
        }
    }

    /// A value and what it is looked for among, all in types that can be compared.
    fn inside(&mut self, value: &Expr, items: &[Expr], row: &Row) -> Resolved<(Typed, Vec<Typed>)> {
        let (mut value, _) = self.expression(value, row)?;
        let mut resolved = vec![];
        for item in items {
            let (item, _) = self.expression(item, row)?;
            // Each item may ask for another type of the value, which the others then take too.
            let (left, item) = self.comparable(&value, item, "in")?;
            value = left;
            resolved.push(item);
        }
        let numeric = value.ty.is_numeric();
        let number = value.ty == Type::Number;
        let alike = resolved.into_iter().map(|item| match value.ty {
            _ if numeric && !number => exact(item),
            ty => item.into_type(ty),
        });
        let items = alike.collect();
        Ok((if numeric && !number { exact(value) } else { value }, items))
    }

    /// An expression that is true or false.
    pub fn condition(&mut self, expr: &Expr, row: &Row) -> Resolved<Typed> {
        let (typed, _) = self.expression(expr, row)?;
        match typed.ty {
            Type::Boolean => Ok(typed),
            Type::Blank => Ok(typed.into_type(Type::Boolean)),
            ty => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    expr.span,
                    format!("this is {ty}, but a condition is true or false"),
                )
                .help("compare it with something"),
            ),
        }
    }

    pub fn must_be(
        &mut self,
        typed: &Typed,
        fits: impl Fn(Type) -> bool,
        wanted: &str,
    ) -> Resolved<()> {
        if fits(typed.ty) {
            return Ok(());
        }
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::Type,
            typed.span,
            format!("this is {}, but {wanted} is needed", typed.ty),
        );
        if typed.ty == Type::Text && wanted == "a number" {
            diagnostic = diagnostic.help(
                "if its cells are numbers, say so in the input:  read COLUMN as integer  \
                 or  as decimal(2)",
            );
        }
        self.wrong(diagnostic)
    }

    /// A name alone: a column or a parameter.
    fn single(&mut self, name: &Name, row: &Row) -> Resolved<Valued> {
        let column = row.columns.iter().find(|(known, ..)| *known == name.text);
        let parameter = self.parameters.iter().find(|(known, _)| *known == name.text);
        match (column, parameter) {
            (Some(_), Some(_)) => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    name.span,
                    format!("`{}` is both a column here and a parameter", name.text),
                )
                .help("give the parameter another name"),
            ),
            (Some((_, kind, ty, worth)), None) => {
                Ok((Typed::new(kind.clone(), *ty, name.span), *worth))
            }
            (None, Some((_, parameter))) => {
                let constant = Kind::Constant(parameter.value.clone());
                Ok((Typed::new(constant, parameter.ty, name.span), Worth::default()))
            }
            (None, None) if row.paths == Paths::NotInParameters => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Parameter,
                    name.span,
                    "a parameter's value is written out: it sees no columns",
                )
                .help("as in  param as_of date = date(\"2026-06-30\")"),
            ),
            (None, None) if row.paths == Paths::Totals => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    name.span,
                    "a check about totals sees columns only inside an aggregate",
                )
                .help("as in  sum(sales.net) ; for each row:  check sales: net >= 0"),
            ),
            (None, None) if row.paths == Paths::Results => self.no_result(row, name),
            (None, None) => {
                let leads = self.link_from(&row.ancestors, &name.text).is_some();
                let back = self.link_back(&row.ancestors, &name.text).is_some();
                if leads || back {
                    let help = if leads {
                        format!(
                            "a column of it:  {0}.COLUMN ; whether there is one:  has({0})",
                            name.text
                        )
                    } else {
                        format!(
                            "how many there are:  rows({0}) ; a sum:  sum({0}.COLUMN)",
                            name.text
                        )
                    };
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Path,
                            name.span,
                            format!("`{}` is a link, not a column", name.text),
                        )
                        .help(help),
                    );
                }
                self.unknown_column(row, name)
            }
        }
    }

    fn call(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let Called { name, args, clauses, span } = called;
        if name.text == "has" {
            return self.has(args, span, row);
        }
        if name.text == "choices" {
            return self.choices(args, span, row);
        }
        if SOURCE.contains(&name.text.as_str()) {
            return self.source(called, row);
        }
        if is_aggregate(&name.text) {
            return self.aggregate(called, row);
        }
        let Some(function) = find_function(&name.text) else {
            return self.unknown_function(name);
        };
        if *clauses != Clauses::default() {
            return self.wrong(Diagnostic::new(
                DiagnosticKind::Syntax,
                span,
                format!(
                    "`where`, `by`, `per`, `in all` and `over` belong to aggregates; `{}` works on one row",
                    name.text
                ),
            ));
        }
        self.function(function, args, span, row)
    }

    /// The file, or the line, that a row of an input came from.
    fn source(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let Called { name, args, clauses, span } = called;
        if !args.is_empty() || *clauses != Clauses::default() {
            let message = format!("`{}` takes nothing: it is of the row itself", name.text);
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Type, span, message)
                    .help(format!("it is called  {}()", name.text)),
            );
        }
        let Some(source) = row.source else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    span,
                    "only rows of an input are known to come from a file",
                )
                .help(format!("take it along from there:  add NAME = {}()", name.text)),
            );
        };
        let (slot, ty) = match name.text.as_str() {
            "source_file" => (source.file, Type::Text),
            _ => (source.line, Type::Integer),
        };
        let worth = Worth::column(WorthKind::Plain, false);
        Ok((Typed::new(Kind::Slot(slot), ty, span), worth))
    }

    pub(super) fn mismatch<T>(
        &mut self,
        left: Type,
        right: Type,
        what: &str,
        span: Span,
    ) -> Resolved<T> {
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::Type,
            span,
            format!("`{what}` needs values that go together: {left} and {right} do not"),
        );
        diagnostic = diagnostic.help(match (left, right) {
            (Type::Text, Type::Date | Type::DateTime)
            | (Type::Date | Type::DateTime, Type::Text) => {
                "a day is written  date(\"2026-06-30\")".to_owned()
            }
            (Type::Text, ty) | (ty, Type::Text) if ty.is_numeric() => {
                "say in the input what the column is:  read COLUMN as text  or  as integer"
                    .to_owned()
            }
            _ => "convert one of them: text(…), integer(…), decimal(…, places), date(…)".to_owned(),
        });
        self.wrong(diagnostic)
    }

    /// Both in the one type that both go into.
    pub(super) fn one_type(
        &mut self,
        left: Typed,
        right: Typed,
        what: &str,
        span: Span,
    ) -> Resolved<(Typed, Typed)> {
        match left.ty.common(right.ty) {
            Some(ty) => Ok((left.into_type(ty), right.into_type(ty))),
            None => {
                self.mismatch::<()>(left.ty, right.ty, what, span)?;
                Err(Wrong)
            }
        }
    }

    fn binary(
        &mut self,
        op: Operator,
        left: &Expr,
        right: &Expr,
        span: Span,
        row: &Row,
    ) -> Resolved<Valued> {
        if op == Operator::Join {
            return self.join(left, right, span, row);
        }
        if matches!(op, Operator::And | Operator::Or) {
            let left = self.condition(left, row);
            let right = self.condition(right, row);
            return Ok(super::operators::logic(op, left?, right?, span));
        }
        let left = self.expression(left, row);
        let right = self.expression(right, row);
        let ((left, left_worth), (right, right_worth)) = (left?, right?);
        match op {
            Operator::OrElse => {
                let (left, right) = self.one_type(left, right, "??", span)?;
                let ty = left.ty;
                let kind = Kind::OrElse { left: Box::new(left), right: Box::new(right) };
                Ok((Typed::new(kind, ty, span), left_worth.with(right_worth)))
            }
            op if op.compares() => {
                let (left, right) = self.comparable(&left, right, op.sign())?;
                let kind = Kind::Compare { op, left: Box::new(left), right: Box::new(right) };
                Ok(truth(kind, span))
            }
            _ => self.arithmetic(op, (left, left_worth), (right, right_worth), span),
        }
    }

    fn join(&mut self, left: &Expr, right: &Expr, span: Span, row: &Row) -> Resolved<Valued> {
        let mut sides = vec![];
        for side in [left, right] {
            let empty = matches!(&side.kind, ExprKind::Text(text) if text.is_empty());
            let typed = if empty {
                Typed::new(Kind::Constant(Scalar::Text(String::new())), Type::Text, side.span)
            } else {
                self.expression(side, row)?.0
            };
            let text = match typed.ty {
                Type::Text => typed,
                Type::Blank => typed.into_type(Type::Text),
                ty => {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Type,
                            side.span,
                            format!("`&` joins texts, and this is {ty}"),
                        )
                        .help("write  text(…)"),
                    );
                }
            };
            sides.push(text);
        }
        let right = Box::new(sides.remove(1));
        let kind = Kind::Join { left: Box::new(sides.remove(0)), right };
        Ok((Typed::new(kind, Type::Text, span), Worth::default()))
    }
}

/// A truth value, which is never an amount.
pub(super) fn truth(kind: Kind, span: Span) -> Valued {
    (Typed::new(kind, Type::Boolean, span), Worth::default())
}

/// An integer as a decimal, so that it can be compared with decimals of any scale.
pub(super) fn exact(typed: Typed) -> Typed {
    match typed.ty {
        Type::Integer | Type::Blank => typed.into_type(Type::Decimal(Scale(0))),
        _ => typed,
    }
}

fn negated(value: &Scalar) -> Option<Scalar> {
    match value {
        Scalar::Integer(value) => value.checked_neg().map(Scalar::Integer),
        Scalar::Decimal(units, scale) => Some(Scalar::Decimal(-units, *scale)),
        _ => None,
    }
}
