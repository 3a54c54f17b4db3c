//! Expressions in words.

use granum_core::lang::{
    Clauses, Expr, ExprKind, GroupTree, Name, Operator, Over, PlanTree, StatementKind,
    format_expression,
};

use super::super::lists::listed;

/// The links of a table by their names: where its rows lead, and what leads to them.
#[derive(Debug, Clone, Default)]
pub(super) struct Scope {
    back: Vec<String>,
}

impl Scope {
    /// The links of a table and of those that it is made from, row by row.
    pub fn of(tree: &PlanTree, table: &str) -> Self {
        let mut tables = vec![table.to_owned()];
        while let Some(base) = tree.statements.iter().find_map(|statement| match &statement.kind {
            StatementKind::Table(own) if Some(&own.name.text) == tables.last() => {
                Some(own.base.text.clone())
            }
            _ => None,
        }) {
            // A table cannot be made from itself; what is wrong is told elsewhere.
            if tables.contains(&base) {
                break;
            }
            tables.push(base);
        }
        let back = tree.statements.iter().filter_map(|statement| match &statement.kind {
            StatementKind::Link(link) if tables.contains(&link.to.text) => {
                Some(link.back.as_ref().unwrap_or(&link.from).text.clone())
            }
            _ => None,
        });
        Self { back: back.collect() }
    }

    /// A path: `region_code of places by way of orders and customers`.
    fn path(&self, path: &[Name]) -> String {
        let names: Vec<&str> = path.iter().map(|name| name.text.as_str()).collect();
        match names.as_slice() {
            [] => String::new(),
            [name] => (*name).to_owned(),
            [through @ .., name] => format!("{name} of {}", self.reached(through)),
        }
    }

    /// Where links lead: `orders`, `the returns that lead to it`.
    fn reached(&self, links: &[&str]) -> String {
        match links {
            [] => String::new(),
            [back] if self.back.iter().any(|name| name == back) => {
                format!("the {back} that lead to it")
            }
            [link] => (*link).to_owned(),
            [through @ .., last] => {
                let through: Vec<String> = through.iter().map(|link| (*link).to_owned()).collect();
                format!("{last} by way of {}", listed(&through, "and"))
            }
        }
    }

    fn leads(&self, args: &[Expr], not: bool) -> Option<String> {
        let [Expr { kind: ExprKind::Path(path), .. }] = args else { return None };
        let names: Vec<&str> = path.iter().map(|name| name.text.as_str()).collect();
        let own = |name: &str| self.back.iter().any(|back| back == name);
        Some(match (names.as_slice(), not) {
            ([back], false) if own(back) => format!("one of {back} leads to it"),
            ([back], true) if own(back) => format!("none of {back} leads to it"),
            (names, false) => format!("it leads to one of {}", self.reached(names)),
            (names, true) => format!("it leads to none of {}", self.reached(names)),
        })
    }

    /// An expression in words; what there are none for stands as in a plan.
    pub fn words(&self, expr: &Expr) -> String {
        match &expr.kind {
            ExprKind::Text(_)
            | ExprKind::Number { .. }
            | ExprKind::Boolean(_)
            | ExprKind::Blank => format_expression(expr),
            ExprKind::Path(path) => self.path(path),
            ExprKind::Call { function, args, clauses } => {
                self.call(&function.text, args, clauses).unwrap_or_else(|| format_expression(expr))
            }
            ExprKind::Negate(value) => format!("\u{2212}{}", self.inner(value)),
            ExprKind::Not(value) => match &value.kind {
                ExprKind::Call { function, args, .. } if function.text == "has" => {
                    self.leads(args, true).unwrap_or_else(|| format!("not {}", self.inner(value)))
                }
                _ => format!("not {}", self.inner(value)),
            },
            ExprKind::Binary { op, left, right } => self.binary(*op, left, right),
            ExprKind::In { value, items, negated } => {
                let items: Vec<String> = items.iter().map(|item| self.words(item)).collect();
                let word = if *negated { "is none of" } else { "is one of" };
                format!("{} {word} {}", self.inner(value), listed(&items, "or"))
            }
            ExprKind::IsBlank { value, negated } => {
                let word = if *negated { "is not blank" } else { "is blank" };
                format!("{} {word}", self.inner(value))
            }
            ExprKind::If { condition, then, otherwise } => format!(
                "{} where {}, else {}",
                self.inner(then),
                self.words(condition),
                self.inner(otherwise)
            ),
        }
    }

    /// What holds of rows: `that lead to one of orders`, `for which status is "void"`.
    pub fn rows_where(&self, condition: &Expr) -> String {
        let has = |expr: &Expr| match &expr.kind {
            ExprKind::Call { function, args, .. } if function.text == "has" => Some(args.clone()),
            _ => None,
        };
        let (args, not) = match &condition.kind {
            ExprKind::Not(inner) => (has(inner), true),
            _ => (has(condition), false),
        };
        let leads = args.and_then(|args| self.leads(&args, not));
        let words = leads.unwrap_or_else(|| self.words(condition));
        match words.strip_prefix("it leads ") {
            Some(rest) => format!("that lead {rest}"),
            None => format!("for which {words}"),
        }
    }

    /// What a column is: `is the sum of net`, `is that of orders`, `says whether net is more than 0`.
    pub fn is(&self, name: &str, value: &Expr) -> String {
        let truth = match &value.kind {
            ExprKind::Path(path) => match path.as_slice() {
                [through @ .., last] if !through.is_empty() && last.text == name => {
                    let through: Vec<&str> =
                        through.iter().map(|name| name.text.as_str()).collect();
                    return format!("is that of {}", self.reached(&through));
                }
                _ => false,
            },
            ExprKind::Binary { op, .. } => op.level() <= 4,
            ExprKind::Not(_) | ExprKind::In { .. } | ExprKind::IsBlank { .. } => true,
            ExprKind::Call { function, .. } => {
                ["has", "contains", "starts_with", "ends_with"].contains(&function.text.as_str())
            }
            _ => false,
        };
        let verb = if truth { "says whether" } else { "is" };
        format!("{verb} {}", self.words(value))
    }

    /// A part of an expression: in brackets where it is made of parts itself.
    fn inner(&self, expr: &Expr) -> String {
        let words = self.words(expr);
        match &expr.kind {
            ExprKind::Not(_) if !words.starts_with("not ") => words,
            ExprKind::Binary { .. } | ExprKind::If { .. } | ExprKind::Not(_) => {
                format!("({words})")
            }
            _ => words,
        }
    }

    fn binary(&self, op: Operator, left: &Expr, right: &Expr) -> String {
        // Brackets stand where a plan has them.
        let side = |side: &Expr, tighter: bool| match &side.kind {
            ExprKind::Binary { op: own, .. }
                if own.level() > op.level() || (!tighter && own.level() == op.level()) =>
            {
                self.words(side)
            }
            _ => self.inner(side),
        };
        let (left, right) = (side(left, false), side(right, true));
        let word = match op {
            Operator::Or => "or",
            Operator::And => "and",
            Operator::Equal => "is",
            Operator::Unequal => "is not",
            Operator::Less => "is less than",
            Operator::LessEqual => "is at most",
            Operator::Greater => "is more than",
            Operator::GreaterEqual => "is at least",
            Operator::Join => "followed by",
            Operator::Add => "+",
            Operator::Subtract => "\u{2212}",
            Operator::Multiply => "\u{d7}",
            Operator::Divide => "divided by",
            Operator::OrElse => return format!("{left}, or {right} where that is blank"),
        };
        format!("{left} {word} {right}")
    }

    fn call(&self, function: &str, args: &[Expr], clauses: &Clauses) -> Option<String> {
        if function == "has" {
            return self.leads(args, false);
        }
        if let Some(words) = self.of_rows(function, args, clauses) {
            return Some(words + &self.clauses(function, clauses));
        }
        let word = |at: usize| Some(self.inner(args.get(at)?));
        Some(match function {
            "upper" | "lower" => {
                let of_words = matches!(args.first()?.kind, ExprKind::Call { .. });
                let comma = if of_words { "," } else { "" };
                format!("{}{comma} in {function} case", word(0)?)
            }
            "trim" => format!("{} without the spaces around it", word(0)?),
            "length" => format!("how many letters {} has", word(0)?),
            "left" => format!("the first {} letters of {}", word(1)?, word(0)?),
            "right" => format!("the last {} letters of {}", word(1)?, word(0)?),
            "contains" => format!("{} has {} in it", word(0)?, word(1)?),
            "starts_with" => format!("{} begins with {}", word(0)?, word(1)?),
            "ends_with" => format!("{} ends with {}", word(0)?, word(1)?),
            "round" => format!("{} rounded to {} places", word(0)?, word(1)?),
            "abs" => format!("{} without its sign", word(0)?),
            "year" | "quarter" | "month" | "week" | "hour" | "minute" => {
                format!("the {function} of {}", word(0)?)
            }
            "date" if args.len() == 1 => match &args[0].kind {
                ExprKind::Text(day) => day.clone(),
                _ => format!("the day of {}", word(0)?),
            },
            "month_name" => format!("the name of the month of {}", word(0)?),
            "weekday" => format!("the day of the week of {}", word(0)?),
            "start_of_month" => format!("the first day of the month of {}", word(0)?),
            "add_days" => format!("the day {} days after {}", word(1)?, word(0)?),
            "add_months" => format!("the day {} months after {}", word(1)?, word(0)?),
            "source_file" => "the file that the row came from".into(),
            "source_line" => "the line that the row came from".into(),
            _ => return None,
        })
    }

    /// What is worked of several rows.
    fn of_rows(&self, function: &str, args: &[Expr], clauses: &Clauses) -> Option<String> {
        let value = || Some(self.inner(args.first()?));
        let condition = || Some(self.words(args.first()?));
        Some(match function {
            "rows" => match args {
                [] => "how many rows there are".into(),
                [Expr { kind: ExprKind::Path(path), .. }] => {
                    let names: Vec<&str> = path.iter().map(|name| name.text.as_str()).collect();
                    format!("how many rows there are of {}", self.reached(&names))
                }
                _ => return None,
            },
            "count" => format!("how many values of {} are not blank", value()?),
            "distinct" => format!("how many different values of {} there are", value()?),
            "sum" => format!("the sum of {}", value()?),
            "running" if clauses.over.is_some() => format!("the sum of {}", value()?),
            "running" => format!("the sum of {} up to the row", value()?),
            "position" => "the row's number".into(),
            "previous" => format!("{} of the row before it", value()?),
            "next" => format!("{} of the row behind it", value()?),
            "min" => format!("the least {}", value()?),
            "max" => format!("the greatest {}", value()?),
            "mean" => format!("the mean of {}", value()?),
            "median" => format!("the median of {}", value()?),
            "percentile" => {
                format!("the {} that {} % are not above", value()?, self.inner(args.get(1)?))
            }
            "any" => format!("whether for any {}", condition()?),
            "all" => format!("whether for all {}", condition()?),
            "share" => format!("the part of rows for which {}", condition()?),
            "sole" => format!("the one {}", value()?),
            "list" => format!("all values of {} as one text", value()?),
            "latest" | "earliest" => {
                let by: Vec<String> = clauses.by.iter().map(|by| self.inner(&by.value)).collect();
                format!("{} of the row with the {function} {}", value()?, listed(&by, "and"))
            }
            _ => return None,
        })
    }

    fn clauses(&self, function: &str, clauses: &Clauses) -> String {
        let mut out = String::new();
        if let Some(filter) = &clauses.filter {
            out.push_str(&format!(", of rows where {}", self.words(filter)));
        }
        match &clauses.group {
            Some(GroupTree::Per(keys)) => {
                let keys: Vec<String> = keys.iter().map(|key| self.inner(key)).collect();
                out.push_str(&format!(", of rows with the same {}", listed(&keys, "and")));
            }
            Some(GroupTree::All) => out.push_str(", of all rows"),
            None => {}
        }
        if !clauses.by.is_empty() && !matches!(function, "latest" | "earliest") {
            let by: Vec<String> = clauses.by.iter().map(|by| self.inner(&by.value)).collect();
            out.push_str(&format!(", in the order of {}", listed(&by, "and")));
        }
        match clauses.over {
            Some(Over::Days(days)) => out.push_str(&format!(", of the {days} days up to its own")),
            Some(Over::Rows(rows)) => out.push_str(&format!(", of the {rows} rows up to it")),
            None => {}
        }
        out
    }
}

/// Names one after the other.
pub(super) fn names(names: &[Name]) -> String {
    let names: Vec<String> = names.iter().map(|name| name.text.clone()).collect();
    listed(&names, "and")
}
