//! An aggregate over the rows that it sees: its values, their types and what they are worth.

use super::Called;
use super::paths::rewrite_paths;
use crate::aggregate::{Aggregate, AggregateFunction, OfAmounts, Order, Takes};
use crate::expr::Typed;
use crate::lang::{Diagnostic, DiagnosticKind, Expr, ExprKind, Name, OrderTree, Percent, Span};
use crate::resolve::expression::Valued;
use crate::resolve::plan::{AggregatePlan, MistakePlan, WarningPlan};
use crate::resolve::scope::{Resolver, Row};
use crate::resolve::worth::{Past, Repeat, Worth};
use crate::resolve::{Resolved, Wrong};
use crate::value::{Scalar, Type};

/// What stands between the values of a list if nothing is said.
const SEPARATOR: &str = ", ";

impl Resolver<'_> {
    /// An aggregate over the rows that `inside` sees. `strip` are the names that led to them.
    pub(super) fn aggregate_plan(
        &mut self,
        called: Called<'_>,
        inside: &Row,
        strip: &[Name],
    ) -> Resolved<(AggregatePlan, Worth)> {
        let Some(aggregate) = called.aggregate() else { return Err(Wrong) };
        let stripped = |expr: &Expr| {
            let mut expr = expr.clone();
            rewrite_paths(&mut expr, &mut |parts| {
                // Only the path that named the rows loses its beginning.
                let names =
                    |names: &[Name]| names.iter().map(|n| n.text.clone()).collect::<Vec<_>>();
                if !strip.is_empty()
                    && parts.len() > strip.len()
                    && names(&parts[..strip.len()]) == names(strip)
                {
                    parts.drain(..strip.len());
                }
            });
            expr
        };
        let filter = called.clauses.filter.as_ref().map(&stripped);
        let filter = filter.map(|filter| self.condition(&filter, inside)).transpose()?;
        let args: Vec<Expr> = called.args.iter().map(&stripped).collect();
        let function = match aggregate.takes {
            Takes::Ranked => AggregateFunction::Percentile(self.part_below(called, &args)?),
            _ => aggregate.function,
        };
        let (value, worth) = if aggregate.takes == Takes::Nothing {
            self.no_value(called.args, called.span, strip)?;
            (None, Worth::default())
        } else {
            let (value, worth) = self.value_of(called, aggregate, &args, inside, strip)?;
            (Some(value), worth)
        };
        let separator = match aggregate.takes {
            Takes::Texts => self.separator(called, &args)?,
            _ => String::new(),
        };
        let by: Vec<OrderTree> = called
            .clauses
            .by
            .iter()
            .map(|order| OrderTree { value: stripped(&order.value), descending: order.descending })
            .collect();
        let by = self.orders(&by, inside)?;
        self.order_of(called, aggregate.order)?;
        let given = value.as_ref().map_or(Type::Blank, |value| value.ty);
        let ty = aggregate.gives.of(given);
        let value = value.map(|value| match function {
            AggregateFunction::Sum => value.into_type(ty),
            AggregateFunction::Mean if given == Type::Blank => value.into_type(Type::Integer),
            _ => value,
        });
        let mistake = match function {
            AggregateFunction::Mean if worth.ratio => Some(MistakePlan::MeanOfRatio),
            AggregateFunction::Sum if worth.counts_distinct => Some(MistakePlan::DistinctSummed),
            _ => None,
        };
        if let (Some(what), Some(table)) = (mistake, self.open.last()) {
            let step = called.text();
            self.plan.warnings.push(WarningPlan { table: *table, step, what });
        }
        // What adds amounts, or compares them, must see those of one currency alone.
        let meets = matches!(
            aggregate.takes,
            Takes::Number | Takes::Ordered | Takes::Measured | Takes::Ranked
        );
        let apart = match &value {
            Some(value) if meets => self.apart_of(inside, value)?.of(),
            _ => None,
        };
        let apart_text = apart.as_ref().and_then(|apart| self.apart_words(inside, apart));
        let worth = match aggregate.of_amounts {
            // One of the amounts, or what they are on average, is an amount as well.
            OfAmounts::Amount if worth.is_amount() => Worth::summed(),
            OfAmounts::Ratio if worth.is_amount() => Worth { divided: true, ..Worth::summed() },
            of => Worth {
                own: true,
                divided: of == OfAmounts::Ratio || function == AggregateFunction::Share,
                counts_distinct: function == AggregateFunction::Distinct,
                ..Worth::default()
            },
        };
        let distinct = called.clauses.distinct;
        let (text, span) = (called.text(), called.span);
        Ok((
            AggregatePlan {
                function,
                text,
                value,
                filter,
                by,
                distinct,
                separator,
                ty,
                span,
                apart,
                apart_text,
            },
            worth,
        ))
    }

    /// Refuses an order where none matters, and asks for one where there must be one.
    fn order_of(&mut self, called: Called<'_>, order: Order) -> Resolved<()> {
        let by = &called.clauses.by;
        let name = &called.name.text;
        match order {
            Order::Must if by.is_empty() || by.iter().any(|by| by.descending) => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    called.span,
                    format!("`{name}` needs to know by what it is the {name}"),
                )
                .help(format!("as in  {name}(place by changed_on)")),
            ),
            Order::Not if !by.is_empty() => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    by[0].value.span,
                    format!("the order of rows does not matter to `{name}`"),
                )
                .help("the value of one row:  latest(place by changed_on) , earliest(\u{2026})"),
            ),
            Order::Must | Order::Not | Order::May => Ok(()),
        }
    }

    /// `rows()` counts rows, so it takes no column.
    fn no_value(&mut self, args: &[Expr], span: Span, strip: &[Name]) -> Resolved<()> {
        let named = |arg: &Expr| {
            matches!(&arg.kind, ExprKind::Path(parts)
                if parts.len() == strip.len()
                    && parts.iter().zip(strip).all(|(a, b)| a.text == b.text))
        };
        let fits = match args {
            [] => strip.is_empty(),
            [arg] => !strip.is_empty() && named(arg),
            _ => false,
        };
        if fits {
            return Ok(());
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Type,
                args.first().map_or(span, |arg| arg.span),
                "`rows` counts rows, so it takes no column",
            )
            .help("to count what is not blank, use `count`"),
        )
    }

    /// What an aggregate gathers.
    fn value_of(
        &mut self,
        called: Called<'_>,
        aggregate: &Aggregate,
        args: &[Expr],
        inside: &Row,
        strip: &[Name],
    ) -> Resolved<Valued> {
        let name = called.name.text.as_str();
        let most = if matches!(aggregate.takes, Takes::Texts | Takes::Ranked) { 2 } else { 1 };
        if args.is_empty() || args.len() > most {
            let diagnostic = Diagnostic::new(
                DiagnosticKind::Type,
                called.span,
                format!("`{name}` takes one value, not {}", args.len()),
            )
            .help(format!(
                "{}: {} As in  {}",
                aggregate.signature, aggregate.says, aggregate.example.0
            ));
            return self.wrong(diagnostic);
        }
        // As it stands in the plan: a column may be called as what led to it.
        let arg = &called.args[0];
        if let ExprKind::Path(parts) = &arg.kind
            && !strip.is_empty()
            && parts.len() == strip.len()
            && parts.iter().zip(strip).all(|(a, b)| a.text == b.text)
        {
            return self.needs_a_column(name, inside, strip, arg.span);
        }
        let (value, worth) = self.expression(&args[0], inside)?;
        match aggregate.takes {
            Takes::Number => {
                self.must_be(&value, Type::is_numeric, "a number")?;
                if let Some(repeat) = worth.repeats() {
                    return self.counted_twice(&value, repeat);
                }
            }
            Takes::Truth => {
                self.must_be(
                    &value,
                    |ty| matches!(ty, Type::Boolean | Type::Blank),
                    "true or false",
                )?;
            }
            Takes::Ordered => {
                let fits = |ty: Type| ty != Type::Boolean;
                self.must_be(&value, fits, "a number, a day or a text")?;
            }
            Takes::Measured | Takes::Ranked => {
                let fits = |ty: Type| ty != Type::Boolean && ty != Type::Text;
                self.must_be(&value, fits, "a number or a day")?;
                if let Some(repeat) = worth.repeats() {
                    return self.counted_twice(&value, repeat);
                }
            }
            Takes::Nothing | Takes::Anything | Takes::Texts => {}
        }
        Ok((value, worth))
    }

    /// The part of all values that a percentile lies above.
    fn part_below(&mut self, called: Called<'_>, args: &[Expr]) -> Resolved<Percent> {
        let most = |scale: u8| 100 * 10_i128.pow(u32::from(scale));
        match args.get(1).map(|arg| &arg.kind) {
            Some(ExprKind::Number { units, scale, .. })
                if *scale <= 12 && *units > 0 && *units <= most(*scale) =>
            {
                Ok(Percent { units: *units as u64, scale: *scale })
            }
            _ => self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    args.get(1).map_or(called.span, |arg| arg.span),
                    format!(
                        "`{}` needs to know which part of the values, in per cent",
                        called.name.text
                    ),
                )
                .help("written out, above 0 and at most 100, as in  percentile(net, 90)"),
            ),
        }
    }

    /// `way` leads to rows, and an aggregate of them needs one of their columns.
    fn needs_a_column<T>(
        &mut self,
        aggregate: &str,
        inside: &Row,
        way: &[Name],
        span: Span,
    ) -> Resolved<T> {
        let message = format!("`{aggregate}` needs a column of `{}`", inside.table);
        let way = way.iter().map(|name| name.text.as_str()).collect::<Vec<_>>().join(".");
        self.wrong(
            Diagnostic::new(DiagnosticKind::Type, span, message)
                .help(format!("as in  {aggregate}({way}.COLUMN) ; rows are counted by `rows`")),
        )
    }

    /// What stands between the values of a list.
    fn separator(&mut self, called: Called<'_>, args: &[Expr]) -> Resolved<String> {
        match args.get(1).map(|arg| (&arg.kind, arg.span)) {
            None => Ok(SEPARATOR.into()),
            Some((ExprKind::Text(text), _)) => Ok(text.clone()),
            Some((ExprKind::Path(parts), span)) if parts.len() == 1 => {
                let known = self.parameters.iter().find(|(name, _)| *name == parts[0].text);
                match known.map(|(_, parameter)| &parameter.value) {
                    Some(Scalar::Text(text)) => Ok(text.clone()),
                    _ => self.no_separator(span),
                }
            }
            Some((_, span)) => self.no_separator(span.to(called.span)),
        }
    }

    fn no_separator<T>(&mut self, span: Span) -> Resolved<T> {
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Type,
                span,
                "what stands between the values is written out",
            )
            .help("as in  list(name, \", \")"),
        )
    }

    /// An amount that stands on several rows cannot be summed over them.
    fn counted_twice<T>(&mut self, value: &Typed, repeat: Repeat) -> Resolved<T> {
        let (message, help) = match repeat {
            Repeat::OverLink => (
                "this amount came over a link and stands on every row that leads there, so \
                 summing it here would count it more than once",
                "sum it in the table where it lives, or divide it over these rows before:  allocate \
                 LINK.COLUMN as NAME by WEIGHT",
            ),
            Repeat::Past(Past::Turn) => (
                "this amount was carried past `turn` and stands on every row that came of its own, so \
                 summing it here would count it more than once",
                "sum it in the table before",
            ),
            Repeat::Past(Past::Expand) => (
                "this amount was carried past `expand` unsplit and stands on every row that came of its \
                 own, so summing it here would count it more than once",
                "name it under `split` in the expand step, or sum it in the table before",
            ),
            Repeat::Past(Past::Each) => (
                "this amount stands once around the list that the rows are of, so summing it here \
                 would count it more than once",
                "sum it in an input of the same file without `each`, and link to that",
            ),
            Repeat::Past(Past::Units) => (
                "this amount was carried past `units` unsplit and stands on every unit of its \
                 row, so summing it here would count it more than once",
                "name it under `split` in the units step, or sum it in the table before",
            ),
            Repeat::OnGroup => (
                "this amount is its group's and stands on every row of it, so summing it here \
                 would count it more than once",
                "sum the column that it was made of",
            ),
            Repeat::Neighbour => (
                "this amount is another row's and stands there as well, so summing it here would \
                 count it more than once",
                "sum the column that it was taken from",
            ),
            Repeat::Running => (
                "this is a running sum and holds what stands in the rows before it, so summing it \
                 would count that again",
                "sum the column that it was made of; the last of a group:  latest(\u{2026} by \u{2026})",
            ),
        };
        self.wrong(Diagnostic::new(DiagnosticKind::CountedTwice, value.span, message).help(help))
    }
}
