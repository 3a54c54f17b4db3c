//! Aggregates: of each group, against a link for each row, and over whole tables in checks.

use super::Resolved;
use super::expression::Valued;
use super::plan::{
    AggregatePlan, Gather, GatherId, GatherWhat, GroupedWhat, Hop, Total, TotalFunction, TotalId,
};
use super::scope::{Paths, Pending, PendingKind, Resolver, Row};
use super::worth::{Repeat, Worth, WorthKind};
use crate::aggregate::AggregateFunction;
use crate::expr::{Kind, Typed};
use crate::lang::{
    Clauses, Diagnostic, DiagnosticKind, Expr, ExprKind, GroupTree, Name, OrderTree, Span,
    format_expression,
};
use crate::table::TableId;
use crate::value::{Scalar, Scale, Type};

/// What stands between the values of a list if nothing is said.
const SEPARATOR: &str = ", ";

/// Names of aggregates, and what they work.
pub(super) const AGGREGATES: &[(&str, AggregateFunction)] = &[
    ("rows", AggregateFunction::Rows),
    ("count", AggregateFunction::Count),
    ("distinct", AggregateFunction::Distinct),
    ("sum", AggregateFunction::Sum),
    ("min", AggregateFunction::Min),
    ("max", AggregateFunction::Max),
    ("mean", AggregateFunction::Mean),
    ("any", AggregateFunction::Any),
    ("all", AggregateFunction::All),
    ("share", AggregateFunction::Share),
    ("only", AggregateFunction::Only),
    ("latest", AggregateFunction::Latest),
    ("earliest", AggregateFunction::Earliest),
    ("list", AggregateFunction::List),
];

/// Aggregates that only each row of a group has.
pub(super) const OF_ROWS: &[&str] = &["position", "running"];

/// An aggregate as it was called.
#[derive(Clone, Copy)]
pub(super) struct Called<'e> {
    pub name: &'e Name,
    pub args: &'e [Expr],
    pub clauses: &'e Clauses,
    pub span: Span,
}

impl Called<'_> {
    fn function(&self) -> Option<AggregateFunction> {
        AGGREGATES.iter().find(|(name, _)| *name == self.name.text).map(|(_, function)| *function)
    }

    fn text(&self) -> String {
        let kind = ExprKind::Call {
            function: self.name.clone(),
            args: self.args.to_vec(),
            clauses: Box::new(self.clauses.clone()),
        };
        format_expression(&Expr { kind, span: self.span })
    }

    /// Every expression in the brackets.
    fn inside(&self) -> impl Iterator<Item = &Expr> {
        let by = self.clauses.by.iter().map(|order| &order.value);
        self.args.iter().chain(&self.clauses.filter).chain(by)
    }
}

/// One step of it: how rows lead, from where, to where, and whether one row there is several here.
type StepBack = (Vec<Hop>, TableId, TableId, bool);

/// The way back over links that the first path of an aggregate begins with.
struct Back {
    /// The names that it takes.
    names: Vec<Name>,
    from: TableId,
    hops: Vec<Hop>,
    to: TableId,
    repeated: bool,
}

impl Resolver<'_> {
    /// An aggregate in an expression of a row.
    pub(super) fn aggregate(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        if row.paths == Paths::Totals {
            return Ok((self.total(called)?, Worth::default()));
        }
        if row.paths == Paths::Results {
            return self.of_group(called, row);
        }
        if let Some(back) = self.back(&called, row)? {
            return self.gather(called, &back, row);
        }
        if called.clauses.group.is_some() {
            return self.of_each_row(called, row);
        }
        self.not_grouped(called, row)
    }

    /// In `one row per`: of the rows of each group.
    fn of_group(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let Some(inner) = self.inner.clone() else { return Err(super::Wrong) };
        if let Some(group) = &called.clauses.group {
            let words = if *group == GroupTree::All { "in all" } else { "per" };
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    called.span,
                    format!(
                        "`{words}` gives each row its group's value, and here rows are gathered"
                    ),
                )
                .help("do it with `add` before, and gather the new column"),
            );
        }
        if OF_ROWS.contains(&called.name.text.as_str()) {
            return self.only_of_rows(called);
        }
        if let Some(back) = self.back(&called, &inner)? {
            let name = &back.names[0];
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    name.span,
                    format!("`{}` leads to the rows that are gathered here", name.text),
                )
                .help(format!(
                    "give each row its value before:  add NAME = {} ; then gather that",
                    called.text()
                )),
            );
        }
        let (plan, worth) = self.aggregate_plan(called, &inner, &[])?;
        let (ty, span) = (plan.ty, called.span);
        let pending = Pending { kind: PendingKind::Result(plan), ty, worth };
        Ok((self.pend(pending, row, span), worth))
    }

    /// With `per` or `in all`: each row gets its group's value.
    fn of_each_row(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        if row.next_slot.is_none() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    called.span,
                    "a group's value for each row stands in `add`, `change`, `keep` and `drop`",
                )
                .help("give it a name with `add` before"),
            );
        }
        let mut keys = vec![];
        if let Some(GroupTree::Per(trees)) = &called.clauses.group {
            for tree in trees {
                keys.push(self.expression(tree, row)?.0);
            }
        }
        let span = called.span;
        // What is inside belongs to the row, and has no groups of its own.
        let inside = Row { next_slot: None, ..row.clone() };
        let (what, ty, worth) = match called.name.text.as_str() {
            "position" => {
                if !called.args.is_empty() || called.clauses.filter.is_some() {
                    return self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Type,
                            span,
                            "`position` takes no value: it counts the rows of the group",
                        )
                        .help("as in  position(per customer_no by ordered_on)"),
                    );
                }
                let by = self.orders(&called.clauses.by, &inside)?;
                (
                    GroupedWhat::Position { by },
                    Type::Integer,
                    Worth::column(WorthKind::Plain, false),
                )
            }
            "running" => {
                let (plan, worth) = self.running(called, &inside)?;
                let ty = plan.ty;
                (GroupedWhat::Running(plan), ty, worth)
            }
            _ => {
                let (plan, worth) = self.aggregate_plan(called, &inside, &[])?;
                let worth = if worth.is_amount() {
                    Worth { kind: WorthKind::Repeats(Repeat::OnGroup), own: false, ..worth }
                } else {
                    Worth { own: false, ..worth }
                };
                let ty = plan.ty;
                (GroupedWhat::Aggregate(plan), ty, worth)
            }
        };
        let pending = Pending { kind: PendingKind::Grouped(what, keys), ty, worth };
        Ok((self.pend(pending, row, span), worth))
    }

    /// `running(x per KEY by d)`: the sum up to each row.
    fn running(&mut self, called: Called<'_>, row: &Row) -> Resolved<(AggregatePlan, Worth)> {
        if called.clauses.by.is_empty() {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Type, called.span, "`running` needs an order")
                    .help("as in  running(net per customer_no by ordered_on)"),
            );
        }
        let name = Name { text: "sum".into(), span: called.name.span };
        let clauses = Clauses { by: vec![], ..called.clauses.clone() };
        let sum = Called { name: &name, clauses: &clauses, ..called };
        let (mut plan, worth) = self.aggregate_plan(sum, row, &[])?;
        plan.by = self.orders(&called.clauses.by, row)?;
        plan.text = called.text();
        Ok((plan, worth))
    }

    /// A slot that the step makes before the expression is worked.
    fn pend(&mut self, pending: Pending, row: &Row, span: Span) -> Typed {
        let ty = pending.ty;
        let at = row.next_slot.unwrap_or_default() + self.pending.len();
        self.pending.push(pending);
        Typed::new(Kind::Slot(super::plan::SlotId(at)), ty, span)
    }

    fn orders(&mut self, orders: &[OrderTree], row: &Row) -> Resolved<Vec<(Typed, bool)>> {
        let mut typed = vec![];
        for order in orders {
            let (by, _) = self.expression(&order.value, row)?;
            typed.push((by, order.descending));
        }
        Ok(typed)
    }

    /// `sum(returns.quantity where …)`, `rows(returns)` for each row.
    fn gather(&mut self, called: Called<'_>, back: &Back, row: &Row) -> Resolved<Valued> {
        self.may_gather(called.span, back, row)?;
        if OF_ROWS.contains(&called.name.text.as_str()) || called.clauses.group.is_some() {
            return self.only_of_rows(called);
        }
        self.need_table(back.from, back.names[0].span)?;
        let inside = self.finished_row(back.from, Paths::Allowed);
        let (plan, worth) = self.aggregate_plan(called, &inside, &back.names)?;
        // A number of rows is no amount; a sum is one if what it sums is.
        let ty = plan.ty;
        let what = GatherWhat::Aggregate(Box::new(plan));
        let id =
            self.gathered(Gather { from: back.from, hops: back.hops.clone(), to: back.to, what });
        Ok((Typed::new(Kind::Gathered { from: back.to, id }, ty, called.span), worth))
    }

    /// `has(returns)`, against links.
    pub(super) fn gather_presence(
        &mut self,
        parts: &[Name],
        span: Span,
        row: &Row,
    ) -> Resolved<Option<Valued>> {
        let Some(back) = self.back_over(parts, row)? else { return Ok(None) };
        if back.names.len() < parts.len() {
            return Ok(None);
        }
        self.may_gather(span, &back, row)?;
        self.need_table(back.from, parts[0].span)?;
        let what = GatherWhat::Presence;
        let id = self.gathered(Gather { from: back.from, hops: back.hops, to: back.to, what });
        let kind = Kind::Gathered { from: back.to, id };
        Ok(Some((Typed::new(kind, Type::Boolean, span), Worth::default())))
    }

    /// Refuses what is gathered where no links can be followed, or where one row there is several
    /// here.
    fn may_gather(&mut self, span: Span, back: &Back, row: &Row) -> Resolved<()> {
        if row.paths != Paths::Allowed {
            let what = match row.paths {
                Paths::NotInInputs => {
                    "an input's steps cannot follow links: links join finished tables"
                }
                _ => "an aggregate cannot stand here",
            };
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, what)
                    .help("gather in a table:  table NAME from BASE"),
            );
        }
        if back.repeated {
            let name = &back.names[0];
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::CountedTwice,
                    name.span,
                    format!(
                        "after `units` one row is several: what `{}` gathers would stand on each",
                        name.text
                    ),
                )
                .help(
                    "gather it with `add` before the units, in the table that they are made from",
                ),
            );
        }
        Ok(())
    }

    fn gathered(&mut self, gather: Gather) -> GatherId {
        self.plan.gathers.push(gather);
        GatherId(self.plan.gathers.len() - 1)
    }

    /// The way back that the first path in the brackets which goes against a link begins with.
    fn back(&mut self, called: &Called<'_>, row: &Row) -> Resolved<Option<Back>> {
        let mut paths: Vec<Vec<Name>> = vec![];
        for expr in called.inside() {
            visit_paths(expr, &mut |parts| paths.push(parts.to_vec()));
        }
        for parts in paths {
            let column =
                parts.len() == 1 && row.columns.iter().any(|(name, ..)| *name == parts[0].text);
            if column || self.link_from(&row.ancestors, &parts[0].text).is_some() {
                continue;
            }
            if let Some(back) = self.back_over(&parts, row)? {
                return Ok(Some(back));
            }
        }
        Ok(None)
    }

    /// How far a path goes against links: each name one link, or a table built of rows that lead.
    fn back_over(&mut self, parts: &[Name], row: &Row) -> Resolved<Option<Back>> {
        let mut way: Option<Back> = None;
        for name in parts {
            let ancestors = match &way {
                None => row.ancestors.clone(),
                Some(way) => vec![(way.from, false)],
            };
            let Some((hops, from, to, repeated)) = self.step_back(&ancestors, name)? else { break };
            match &mut way {
                None => way = Some(Back { names: vec![name.clone()], from, hops, to, repeated }),
                Some(way) => {
                    way.names.push(name.clone());
                    // The rows farthest away lead through those before them.
                    way.hops.splice(0..0, hops);
                    way.from = from;
                }
            }
        }
        Ok(way)
    }

    /// One name against a link: the link's way back, or a table built from what leads here.
    fn step_back(
        &mut self,
        ancestors: &[(TableId, bool)],
        name: &Name,
    ) -> Resolved<Option<StepBack>> {
        if let Some((link, to, repeated)) = self.link_back(ancestors, &name.text) {
            return Ok(Some((vec![Hop::Link(link)], self.links[link.0].from, to, repeated)));
        }
        let Some(derived) = self.find_table(&name.text) else { return Ok(None) };
        if self.open.contains(&derived) || ancestors.iter().any(|(table, _)| *table == derived) {
            return Ok(None);
        }
        // Only tables whose base has a link to here are of interest, and are looked at.
        let leads = |table: TableId| {
            self.links.iter().position(|link| {
                link.from == table && ancestors.iter().any(|(here, _)| *here == link.to)
            })
        };
        let mut base = self.base_named(derived);
        let mut found = None;
        while let Some(table) = base {
            if let Some(link) = leads(table) {
                found = Some((table, link));
                break;
            }
            base = self.base_named(table);
        }
        let Some((table, link)) = found else { return Ok(None) };
        self.need_table(derived, name.span)?;
        // `one row per` between them ends the way.
        if !self.tables[derived.0].ancestors.iter().any(|(known, _)| *known == table) {
            return Ok(None);
        }
        let to = self.links[link].to;
        let repeated = ancestors.iter().any(|(here, repeated)| *here == to && *repeated);
        let hops =
            vec![Hop::Origin { of: derived, base: table }, Hop::Link(super::plan::LinkId(link))];
        Ok(Some((hops, derived, to, repeated)))
    }

    fn only_of_rows<T>(&mut self, called: Called<'_>) -> Resolved<T> {
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Step,
                called.span,
                format!("`{}` gives each row of one table its own value", called.name.text),
            )
            .help("use it with `add`, with  per KEY  or  in all"),
        )
    }

    fn not_grouped(&mut self, called: Called<'_>, row: &Row) -> Resolved<Valued> {
        let (function, span) = (called.name.text.as_str(), called.span);
        // A wrong path inside is the better thing to say.
        for arg in called.args {
            if let ExprKind::Path(parts) = &arg.kind
                && parts.len() > 1
            {
                self.expression(arg, row)?;
            }
        }
        if function == "rows"
            && let Some(ExprKind::Path(parts)) = called.args.first().map(|arg| &arg.kind)
            && parts.len() == 1
        {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Path,
                    parts[0].span,
                    format!("no link called `{}` leads to `{}`", parts[0].text, row.table),
                )
                .help("`rows` counts what leads here by a link:  rows(lines)"),
            );
        }
        if row.paths != Paths::Allowed && row.next_slot.is_none() {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Path, span, "an aggregate cannot stand here")
                    .help("gather in a table:  table NAME from BASE"),
            );
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Step,
                span,
                format!("`{function}` needs to know which rows are meant"),
            )
            .help(format!(
                "those of a group:  {function}(… per KEY) ; all:  {function}(… in all) ; those that \
                 lead here:  {function}(LINK.COLUMN) ; fewer rows:  one row per KEY"
            )),
        )
    }

    /// An aggregate over the rows that `inside` sees. `strip` are the names that led to them.
    fn aggregate_plan(
        &mut self,
        called: Called<'_>,
        inside: &Row,
        strip: &[Name],
    ) -> Resolved<(AggregatePlan, Worth)> {
        use AggregateFunction::{
            All, Any, Count, Distinct, Earliest, Latest, List, Max, Mean, Min, Only, Rows, Share,
            Sum,
        };
        let Some(function) = called.function() else { return Err(super::Wrong) };
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
        let (value, worth, separator) = match function {
            Rows => {
                self.no_value(&args, called.span, strip)?;
                (None, Worth::default(), String::new())
            }
            _ => {
                let (value, worth) = self.value_of(called, &args, inside, strip)?;
                let separator =
                    if function == List { self.separator(called, &args)? } else { String::new() };
                (Some(value), worth, separator)
            }
        };
        let by: Vec<OrderTree> = called
            .clauses
            .by
            .iter()
            .map(|order| OrderTree { value: stripped(&order.value), descending: order.descending })
            .collect();
        let by = self.orders(&by, inside)?;
        match function {
            Latest | Earliest if by.len() != 1 || called.clauses.by[0].descending => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        called.span,
                        format!("`{0}` needs to know by what it is the {0}", called.name.text),
                    )
                    .help(format!("as in  {}(place by changed_on)", called.name.text)),
                );
            }
            Latest | Earliest | List => {}
            _ if by.is_empty() => {}
            _ => {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::Type,
                    called.clauses.by[0].value.span,
                    format!("the order of rows does not matter to `{}`", called.name.text),
                ));
            }
        }
        let given = value.as_ref().map_or(Type::Blank, |value| value.ty);
        let ty = match function {
            Rows | Count | Distinct => Type::Integer,
            Sum => summed_type(given),
            Mean if given == Type::Number => Type::Number,
            Mean | Share => Type::Decimal(Scale(10)),
            Any | All => Type::Boolean,
            List => Type::Text,
            Min | Max | Only | Latest | Earliest => given,
        };
        let value = value.map(|value| match function {
            Sum => value.into_type(ty),
            Mean if given == Type::Blank => value.into_type(Type::Integer),
            _ => value,
        });
        let worth = match function {
            Sum if worth.is_amount() => Worth::summed(),
            _ => Worth { own: true, divided: matches!(function, Mean | Share), ..Worth::default() },
        };
        let distinct = called.clauses.distinct;
        let (text, span) = (called.text(), called.span);
        Ok((
            AggregatePlan { function, text, value, filter, by, distinct, separator, ty, span },
            worth,
        ))
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
        args: &[Expr],
        inside: &Row,
        strip: &[Name],
    ) -> Resolved<Valued> {
        let name = called.name.text.as_str();
        let most = if name == "list" { 2 } else { 1 };
        if args.is_empty() || args.len() > most {
            return self.wrong(Diagnostic::new(
                DiagnosticKind::Type,
                called.span,
                format!("`{name}` takes one value, not {}", args.len()),
            ));
        }
        let arg = &args[0];
        if let ExprKind::Path(parts) = &arg.kind
            && !strip.is_empty()
            && parts.len() == strip.len()
            && parts.iter().zip(strip).all(|(a, b)| a.text == b.text)
        {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    arg.span,
                    format!("`{name}` needs a column of `{}`", inside.table),
                )
                .help(format!(
                    "as in  {name}({}.COLUMN) ; rows are counted by `rows`",
                    strip.iter().map(|name| name.text.as_str()).collect::<Vec<_>>().join(".")
                )),
            );
        }
        let (value, worth) = self.expression(arg, inside)?;
        match name {
            "sum" | "mean" => {
                self.must_be(&value, Type::is_numeric, "a number")?;
                if let Some(repeat) = worth.repeats() {
                    return self.counted_twice(&value, repeat);
                }
            }
            "any" | "all" | "share" => {
                self.must_be(
                    &value,
                    |ty| matches!(ty, Type::Boolean | Type::Blank),
                    "true or false",
                )?;
            }
            "min" | "max" => {
                let fits = |ty: Type| ty != Type::Boolean;
                self.must_be(&value, fits, "a number, a day or a text")?;
            }
            _ => {}
        }
        Ok((value, worth))
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
                "sum it in the table where it lives, or give each row its part of it before",
            ),
            Repeat::PastUnits => (
                "this amount was carried past `units` unsplit and stands on every unit of its \
                 row, so summing it here would count it more than once",
                "name it under `split` in the units step, or sum it in the table before",
            ),
            Repeat::OnGroup => (
                "this amount is its group's and stands on every row of it, so summing it here \
                 would count it more than once",
                "sum the column that it was made of",
            ),
        };
        self.wrong(Diagnostic::new(DiagnosticKind::CountedTwice, value.span, message).help(help))
    }

    /// An aggregate over a whole table, in a check: `sum(sales.net where sales.net > 0)`.
    fn total(&mut self, called: Called<'_>) -> Resolved<Typed> {
        let (name, span) = (called.name, called.span);
        let function = match name.text.as_str() {
            "rows" => TotalFunction::Rows,
            "count" => TotalFunction::Count,
            "distinct" => TotalFunction::Distinct,
            "sum" => TotalFunction::Sum,
            "min" => TotalFunction::Min,
            "max" => TotalFunction::Max,
            other => {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::NotYet,
                        span,
                        format!(
                            "`{other}` in a check about totals is part of the plan language, but \
                             this version does not run it"
                        ),
                    )
                    .help("gather it in a table, with  one row in all , and check that"),
                );
            }
        };
        let mut first: Option<Name> = None;
        for expr in called.args.iter().chain(&called.clauses.filter) {
            visit_paths(expr, &mut |parts| {
                if first.is_none() && !self.parameters.iter().any(|(p, _)| *p == parts[0].text) {
                    first = Some(parts[0].clone());
                }
            });
        }
        let Some(first) = first else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::UnknownName,
                    span,
                    format!("`{}` needs a table here", name.text),
                )
                .help("as in  sum(sales.net)  or  rows(orders)"),
            );
        };
        let table = self.table_named(&first)?;
        self.need_table(table, first.span)?;
        let inside = self.finished_row(table, Paths::Allowed);
        // Every name inside is the table's.
        let unnamed = |expr: &Expr| {
            let mut expr = expr.clone();
            rewrite_paths(&mut expr, &mut |parts| {
                if parts.len() > 1 && parts[0].text == first.text {
                    parts.remove(0);
                }
            });
            expr
        };
        let filter = called.clauses.filter.as_ref().map(&unnamed);
        let args: Vec<Expr> = called.args.iter().map(&unnamed).collect();
        let clauses = Clauses { filter, ..called.clauses.clone() };
        let named = [first.clone()];
        // `rows(orders)` names the rows; what is inside of others has lost their name.
        let strip: &[Name] = if function == TotalFunction::Rows { &named } else { &[] };
        let bare = args.iter().any(|arg| {
            matches!(&arg.kind, ExprKind::Path(parts) if parts.len() == 1 && parts[0].span == first.span)
        });
        if bare && function != TotalFunction::Rows {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Type,
                    args[0].span,
                    format!("`{}` needs a column of `{}`", name.text, inside.table),
                )
                .help(format!(
                    "as in  {}({}.COLUMN) ; rows are counted by `rows`",
                    name.text, inside.table
                )),
            );
        }
        let of_table = Called { args: &args, clauses: &clauses, ..called };
        let (plan, _) = self.aggregate_plan(of_table, &inside, strip)?;
        let AggregatePlan { value, filter, ty, .. } = plan;
        self.plan.totals.push(Total { table, function, value, filter, ty });
        let id = TotalId(self.plan.totals.len() - 1);
        Ok(Typed::new(Kind::Total(id), ty, span))
    }
}

fn summed_type(ty: Type) -> Type {
    if ty == Type::Blank { Type::Integer } else { ty }
}

/// Calls `see` on every path of an expression, in the order of the text.
fn visit_paths(expr: &Expr, see: &mut dyn FnMut(&[Name])) {
    let mut copy = expr.clone();
    rewrite_paths(&mut copy, &mut |parts| see(parts));
}

/// Calls `change` on every path of an expression, in the order of the text.
fn rewrite_paths(expr: &mut Expr, change: &mut dyn FnMut(&mut Vec<Name>)) {
    match &mut expr.kind {
        ExprKind::Path(parts) => change(parts),
        ExprKind::Text(_) | ExprKind::Number { .. } | ExprKind::Boolean(_) | ExprKind::Blank => {}
        ExprKind::Negate(inner) | ExprKind::Not(inner) => rewrite_paths(inner, change),
        ExprKind::IsBlank { value, .. } => rewrite_paths(value, change),
        ExprKind::Binary { left, right, .. } => {
            rewrite_paths(left, change);
            rewrite_paths(right, change);
        }
        ExprKind::In { value, items, .. } => {
            rewrite_paths(value, change);
            items.iter_mut().for_each(|item| rewrite_paths(item, change));
        }
        ExprKind::If { condition, then, otherwise } => {
            rewrite_paths(condition, change);
            rewrite_paths(then, change);
            rewrite_paths(otherwise, change);
        }
        ExprKind::Call { args, clauses, .. } => {
            args.iter_mut().for_each(|arg| rewrite_paths(arg, change));
            if let Some(filter) = &mut clauses.filter {
                rewrite_paths(filter, change);
            }
            clauses.by.iter_mut().for_each(|order| rewrite_paths(&mut order.value, change));
            if let Some(GroupTree::Per(keys)) = &mut clauses.group {
                keys.iter_mut().for_each(|key| rewrite_paths(key, change));
            }
        }
    }
}
