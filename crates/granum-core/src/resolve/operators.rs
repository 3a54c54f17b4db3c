//! `+ - * /`, comparisons, `and or`: which types go together, and what comes out.

use super::Resolved;
use super::expression::{Valued, exact, truth};
use super::scope::Resolver;
use super::worth::Worth;
use crate::expr::{Arithmetic, Kind, Logic, Typed};
use crate::lang::{Diagnostic, DiagnosticKind, Operator, Span};
use crate::value::{Scalar, Scale, Type, decimal};

pub(super) fn logic(op: Operator, left: Typed, right: Typed, span: Span) -> Valued {
    let op = if op == Operator::And { Logic::And } else { Logic::Or };
    truth(Kind::Logic { op, left: Box::new(left), right: Box::new(right) }, span)
}

impl Resolver<'_> {
    /// Both sides in types that can be compared: exact numbers each with their own scale, a
    /// datetime by its day beside a date.
    pub(super) fn comparable(
        &mut self,
        left: &Typed,
        right: Typed,
        sign: &str,
    ) -> Resolved<(Typed, Typed)> {
        let left = left.clone();
        match (left.ty, right.ty) {
            (a, b) if a == b => Ok((left, right)),
            (Type::Date, Type::DateTime) | (Type::DateTime, Type::Date) => {
                Ok((left.into_type(Type::Date), right.into_type(Type::Date)))
            }
            (a, b) if a.is_numeric() && b.is_numeric() => {
                if a == Type::Number || b == Type::Number {
                    return Ok((left.into_type(Type::Number), right.into_type(Type::Number)));
                }
                // A number that is written out takes the places of what it is compared with.
                let (left, right) = (rescaled(left, b), rescaled(right, a));
                if left.ty == right.ty {
                    return Ok((left, right));
                }
                Ok((exact(left), exact(right)))
            }
            _ => {
                let span = left.span.to(right.span);
                self.one_type(left, right, sign, span)
            }
        }
    }

    pub(super) fn arithmetic(
        &mut self,
        op: Operator,
        (left, left_worth): Valued,
        (right, right_worth): Valued,
        span: Span,
    ) -> Resolved<Valued> {
        let kind =
            |op, left, right| Kind::Arithmetic { op, left: Box::new(left), right: Box::new(right) };
        if left.ty.is_temporal() || right.ty.is_temporal() {
            let both = left.ty.is_temporal() && right.ty.is_temporal();
            let dates = matches!(left.ty, Type::Date | Type::DateTime)
                || matches!(right.ty, Type::Date | Type::DateTime);
            if op == Operator::Subtract && both && dates {
                let days =
                    kind(Arithmetic::Days, left.into_type(Type::Date), right.into_type(Type::Date));
                return Ok((Typed::new(days, Type::Integer, span), Worth::default()));
            }
            if dates {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        span,
                        format!("`{}` does not work on days", op.sign()),
                    )
                    .help("days are added with  add_days(DAY, n) ; date - date gives days"),
                );
            }
        }
        self.must_be(&left, Type::is_numeric, "a number")?;
        self.must_be(&right, Type::is_numeric, "a number")?;
        let mut worth = match op {
            Operator::Multiply | Operator::Divide => left_worth.times(right_worth),
            _ => left_worth.with(right_worth),
        };
        let work = match op {
            Operator::Add => Arithmetic::Add,
            Operator::Subtract => Arithmetic::Subtract,
            Operator::Multiply => Arithmetic::Multiply,
            _ => Arithmetic::Divide,
        };
        // Half of something is no ratio.
        worth.ratio = work == Arithmetic::Divide && right.constant().is_none();
        if left.ty == Type::Number || right.ty == Type::Number {
            let (left, right) = (left.into_type(Type::Number), right.into_type(Type::Number));
            return Ok((Typed::new(kind(work, left, right), Type::Number, span), worth));
        }
        if work == Arithmetic::Divide {
            worth.divided = true;
            let ty = Type::Decimal(decimal::DIVISION_SCALE);
            return Ok((Typed::new(kind(work, exact(left), exact(right)), ty, span), worth));
        }
        let integers = |ty| matches!(ty, Type::Integer | Type::Blank);
        if integers(left.ty) && integers(right.ty) {
            let (left, right) = (left.into_type(Type::Integer), right.into_type(Type::Integer));
            return Ok((Typed::new(kind(work, left, right), Type::Integer, span), worth));
        }
        let scale = |ty: Type| ty.scale().unwrap_or(Scale(0));
        if work == Arithmetic::Multiply {
            let ty = Type::Decimal(decimal::product_scale(scale(left.ty), scale(right.ty)));
            return Ok((Typed::new(kind(work, exact(left), exact(right)), ty, span), worth));
        }
        let ty = Type::Decimal(scale(left.ty).max(scale(right.ty)));
        let (left, right) = (left.into_type(ty), right.into_type(ty));
        Ok((Typed::new(kind(work, left, right), ty, span), worth))
    }
}

/// A constant in the places of another exact number, if it has no more of them.
fn rescaled(typed: Typed, to: Type) -> Typed {
    let exact = match typed.constant() {
        Some(Scalar::Integer(value)) => Some((i128::from(*value), Scale(0))),
        Some(Scalar::Decimal(units, scale)) => Some((*units, *scale)),
        _ => None,
    };
    let (Some((units, from)), Type::Decimal(scale)) = (exact, to) else { return typed };
    match decimal::rescale(units, from, scale).filter(|_| from <= scale) {
        Some(units) => {
            let constant = Kind::Constant(Scalar::Decimal(units, scale));
            Typed::new(constant, to, typed.span)
        }
        None => typed,
    }
}
