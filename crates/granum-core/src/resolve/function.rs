//! Calls of functions: how many arguments, of which types, and what is tried before any row is read.

use super::Resolved;
use super::expression::{Valued, aggregate_names};
use super::scope::{Resolver, Row};
use super::worth::{Worth, WorthKind};
use crate::expr::{
    FUNCTIONS, Function, Gives, Kind, NoPattern, Pattern, Takes, Typed, wrong_group,
};
use crate::lang::{
    Diagnostic, DiagnosticKind, Expr, ExprKind, Name, Span, foreign, nearest_or_longer,
};
use crate::value::{Scalar, Scale, Type};

/// What is known of an input's rows.
pub(super) const SOURCE: [&str; 2] = ["source_file", "source_line"];

impl Resolver<'_> {
    pub(super) fn unknown_function<T>(&mut self, name: &Name) -> Resolved<T> {
        let known: Vec<&str> = FUNCTIONS
            .iter()
            .map(|f| f.name)
            .chain(SOURCE)
            .chain(["choices"])
            .chain(aggregate_names())
            .collect();
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::UnknownName,
            name.span,
            format!("there is no function called `{}`", name.text),
        );
        let near = nearest_or_longer(&name.text, known.iter().copied());
        diagnostic = diagnostic.help(match (foreign::meant_by_call(&name.text), near) {
            (Some(meant), _) => meant.to_owned(),
            (None, Some(near)) => format!("did you mean `{near}`?"),
            (None, None) => family(&name.text),
        });
        self.wrong(diagnostic)
    }

    /// A call of a function of one row.
    pub(super) fn function(
        &mut self,
        function: &'static Function,
        args: &[Expr],
        span: Span,
        row: &Row,
    ) -> Resolved<Valued> {
        let least = function.takes.len() - function.optional;
        if args.len() < least || (args.len() > function.takes.len() && !function.repeats) {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    span,
                    format!("`{}` takes {least} values, not {}", function.name, args.len()),
                )
                .help(format!("it is called  {}", function.signature)),
            );
        }
        let mut typed = vec![];
        let mut worth = Worth::default();
        for (at, arg) in args.iter().enumerate() {
            let takes = function.takes[at.min(function.takes.len() - 1)];
            let (arg, arg_worth) = self.argument(function, takes, arg, &typed, row)?;
            worth = worth.with(arg_worth);
            typed.push(arg);
        }
        if function.takes[0] == Takes::Ordered {
            let mut ty = typed[0].ty;
            for arg in &typed[1..] {
                ty = match ty.common(arg.ty) {
                    Some(ty) => ty,
                    None => return self.mismatch(ty, arg.ty, function.name, arg.span),
                };
            }
            typed = typed.into_iter().map(|arg| arg.into_type(ty)).collect();
        }
        let places = match typed.last().and_then(Typed::constant) {
            Some(Scalar::Integer(places)) => Scale(*places as u8),
            _ => Scale(0),
        };
        let ty = match function.gives {
            Gives::Type(ty) => ty,
            Gives::Same => typed[0].ty,
            Gives::Rounded | Gives::Whole if typed[0].ty == Type::Number => Type::Number,
            Gives::Whole => Type::Integer,
            Gives::Rounded | Gives::Decimal => Type::Decimal(places),
        };
        if matches!(function.gives, Gives::Rounded | Gives::Decimal | Gives::Whole) {
            worth.divided = false;
        }
        // An amount that is written as text is read again as the amount it was.
        let written = ty == Type::Text && function.takes[0] == Takes::Any;
        if !ty.is_numeric() && !written {
            worth.kind = WorthKind::Plain;
        }
        Ok((Typed::new(Kind::Call { function, args: typed }, ty, span), worth))
    }

    /// An argument, of what a function takes there; some stand `before` it.
    fn argument(
        &mut self,
        function: &'static Function,
        takes: Takes,
        arg: &Expr,
        before: &[Typed],
        row: &Row,
    ) -> Resolved<Valued> {
        let empty = matches!(&arg.kind, ExprKind::Text(text) if text.is_empty());
        let may_be_empty = matches!(takes, Takes::Replacement | Takes::Template);
        let (arg, worth) = if empty && may_be_empty {
            let nothing = Kind::Constant(Scalar::Text(String::new()));
            (Typed::new(nothing, Type::Text, arg.span), Worth::default())
        } else {
            self.expression(arg, row)?
        };
        match takes {
            Takes::Text | Takes::Format | Takes::Replacement | Takes::Pattern | Takes::Template => {
                self.must_be(&arg, |ty| matches!(ty, Type::Text | Type::Blank), "text")?;
            }
            Takes::Integer => {
                let fits = |ty| matches!(ty, Type::Integer | Type::Blank);
                self.must_be(&arg, fits, "a whole number")?;
            }
            Takes::Numeric => self.must_be(&arg, Type::is_numeric, "a number")?,
            Takes::Temporal => {
                self.must_be(&arg, Type::is_temporal, "a date or datetime")?;
            }
            Takes::Ordered => {
                let fits = |ty: Type| ty.is_numeric() || ty.is_temporal();
                self.must_be(&arg, fits, "a number or a day")?;
            }
            Takes::Places => {
                let places = matches!(arg.constant(), Some(Scalar::Integer(0..=20)));
                if !places {
                    return self.wrong(Diagnostic::new(
                        DiagnosticKind::Type,
                        arg.span,
                        "the places are written out: a whole number from 0 to 20",
                    ));
                }
            }
            Takes::Number => {
                self.converts(function, &arg, |ty| ty.is_numeric() || ty == Type::Text)?;
            }
            Takes::Day => {
                self.converts(function, &arg, |ty| ty.is_temporal() || ty == Type::Text)?;
            }
            Takes::Moment => {
                let fits = |ty| matches!(ty, Type::DateTime | Type::Blank);
                self.must_be(&arg, fits, "a datetime")?;
            }
            Takes::Any => {}
        }
        match takes {
            Takes::Format => self.format(function, &arg)?,
            Takes::Pattern => return Ok((self.pattern(arg)?, worth)),
            Takes::Template => self.template(&arg, before)?,
            _ => {}
        }
        Ok((arg, worth))
    }

    /// A pattern, tried before it is used.
    fn pattern(&mut self, arg: Typed) -> Resolved<Typed> {
        let Some(Scalar::Text(text)) = arg.constant() else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    arg.span,
                    "the pattern is written out, so that it can be tried before any row is read",
                )
                .help("as in  matches(remark, \"M[0-9]{7}\")"),
            );
        };
        match Pattern::new(text) {
            Ok(pattern) => Ok(Typed::new(Kind::Pattern(pattern), Type::Text, arg.span)),
            Err(NoPattern { message, letter }) => {
                let place = letter.map_or(String::new(), |letter| {
                    let from: String = text.chars().skip(letter - 1).take(12).collect();
                    if from.is_empty() {
                        ", at its end".to_owned()
                    } else {
                        format!(", at letter {letter}: {from}")
                    }
                });
                self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        arg.span,
                        format!("this is no pattern: {message}{place}"),
                    )
                    .help("signs such as . ( ) [ ] + * ? stand for themselves behind \\\\"),
                )
            }
        }
    }

    /// What each match of the pattern before becomes.
    fn template(&mut self, arg: &Typed, before: &[Typed]) -> Resolved<()> {
        let pattern = before.last().map(|typed| &typed.kind);
        let (Some(Scalar::Text(by)), Some(Kind::Pattern(pattern))) = (arg.constant(), pattern)
        else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    arg.span,
                    "what the pattern is replaced by is written out",
                )
                .help("a text of each row is put in by  replace(text, what, by)"),
            );
        };
        let Some(letter) = wrong_group(by, pattern) else { return Ok(()) };
        let groups = match pattern.groups() {
            0 => "the pattern has no group: one stands in ( )".to_owned(),
            1 => "the pattern has one group, $1".to_owned(),
            count => format!("the pattern has $1 to ${}", count.min(9)),
        };
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Type,
                arg.span,
                format!("at letter {letter}, this `$` names no group of the pattern"),
            )
            .help(format!("{groups} ; a dollar sign itself is written $$")),
        )
    }

    /// A format for days, tried before it is used.
    fn format(&mut self, function: &Function, arg: &Typed) -> Resolved<()> {
        let Some(Scalar::Text(format)) = arg.constant() else {
            return self.wrong(Diagnostic::new(
                DiagnosticKind::Type,
                arg.span,
                "the format is written out: a text such as \"%d/%m/%Y\"",
            ));
        };
        let moment = function.gives == Gives::Type(Type::DateTime);
        let what = if moment { "a moment" } else { "a day" };
        match crate::value::day::format_error(format, moment) {
            None => Ok(()),
            Some(error) => self.wrong(Diagnostic::new(
                DiagnosticKind::Type,
                arg.span,
                format!("this format does not say {what}: {error}"),
            )),
        }
    }

    /// Refuses a conversion that can never succeed.
    fn converts(
        &mut self,
        function: &Function,
        arg: &Typed,
        fits: impl Fn(Type) -> bool,
    ) -> Resolved<()> {
        if fits(arg.ty) {
            return Ok(());
        }
        self.wrong(Diagnostic::new(
            DiagnosticKind::Type,
            arg.span,
            format!("`{}` does not convert from {}", function.name, arg.ty),
        ))
    }
}

/// The functions among which one of such a name would be looked for.
fn family(name: &str) -> String {
    let name = name.to_lowercase();
    let has = |words: &[&str]| words.iter().any(|word| name.contains(word));
    let days = ["date", "day", "month", "year", "week", "quarter", "time"];
    let texts =
        ["text", "str", "char", "case", "trim", "pad", "sub", "word", "find", "match", "reg"];
    let numbers = ["num", "round", "floor", "ceil", "abs", "sign", "sqrt", "pow", "log", "exp"];
    let rows =
        ["sum", "count", "agg", "mean", "min", "max", "first", "last", "any", "all", "total"];
    let of = |fits: &dyn Fn(Takes) -> bool| {
        let known = FUNCTIONS.iter().filter(|function| fits(function.takes[0]));
        known.map(|function| function.name).collect::<Vec<_>>().join(", ")
    };
    if has(&days) {
        return format!(
            "functions of days are {}",
            of(&|takes| matches!(takes, Takes::Temporal | Takes::Moment))
        );
    }
    if has(&texts) {
        return format!("functions of texts are {}", of(&|takes| takes == Takes::Text));
    }
    if has(&numbers) {
        let numeric = |takes| matches!(takes, Takes::Numeric | Takes::Ordered);
        return format!("functions of numbers are {}", of(&numeric));
    }
    if has(&rows) {
        return format!(
            "of many rows there are {}",
            aggregate_names().collect::<Vec<_>>().join(", ")
        );
    }
    "docs/language.md lists all functions: of texts, numbers, days, and of many rows".into()
}
