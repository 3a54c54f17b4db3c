//! Expressions with no more brackets than they need.

use super::super::terms::{Expr, ExprKind, GroupTree, Operator, OrderTree, Over};
use super::layout::{name, quoted};

/// An expression as it is written in a plan.
pub fn format_expression(expr: &Expr) -> String {
    at_level(expr, 0)
}

const NOT: u8 = 3;
const COMPARES: u8 = 4;
const SIGNED: u8 = 9;
const OPERAND: u8 = 10;

fn level(kind: &ExprKind) -> u8 {
    match kind {
        ExprKind::If { .. } => 0,
        ExprKind::Binary { op, .. } => op.level(),
        ExprKind::Not(_) => NOT,
        ExprKind::In { .. } | ExprKind::IsBlank { .. } => COMPARES,
        ExprKind::Negate(_) => SIGNED,
        _ => OPERAND,
    }
}

/// The expression, in brackets where it binds less tightly than its place asks.
fn at_level(expr: &Expr, least: u8) -> String {
    let text = bare(expr);
    if level(&expr.kind) < least { format!("({text})") } else { text }
}

fn operand_of(op: Operator, side: &Expr, least: u8) -> String {
    let joins = matches!(&side.kind, ExprKind::Binary { op: inner, .. }
        if inner.level() > Operator::OrElse.level());
    if op == Operator::OrElse && joins {
        format!("({})", bare(side))
    } else {
        at_level(side, least)
    }
}

fn list(items: &[Expr]) -> String {
    items.iter().map(format_expression).collect::<Vec<_>>().join(", ")
}

/// `EXPR [desc], …`
pub(in crate::lang) fn orders(orders: &[OrderTree]) -> String {
    let each = orders.iter().map(|order| {
        let desc = if order.descending { " desc" } else { "" };
        format!("{}{desc}", format_expression(&order.value))
    });
    each.collect::<Vec<_>>().join(", ")
}

fn bare(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Text(text) => quoted(text),
        ExprKind::Number { units, scale, .. } => {
            crate::value::decimal::to_text(*units, crate::value::Scale(*scale))
        }
        ExprKind::Boolean(value) => value.to_string(),
        ExprKind::Blank => "blank".into(),
        ExprKind::Path(parts) => parts.iter().map(name).collect::<Vec<_>>().join("."),
        ExprKind::Call { function, args, clauses } => {
            let mut inside = vec![];
            if !args.is_empty() {
                let values = list(args);
                inside.push(match (clauses.distinct, values.strip_prefix('-'), args.as_slice()) {
                    // A column of that name before a minus would be taken for the word.
                    (false, ..) => match values.strip_prefix("distinct -") {
                        Some(rest) if function.text == "list" => format!("`distinct` -{rest}"),
                        _ => values,
                    },
                    // A minus behind `distinct` would take from a column of that name.
                    (true, Some(_), [first, rest @ ..]) => {
                        let rest: Vec<String> = rest
                            .iter()
                            .map(|arg| format!(", {}", format_expression(arg)))
                            .collect();
                        format!("distinct ({}){}", format_expression(first), rest.concat())
                    }
                    (true, ..) => format!("distinct {values}"),
                });
            }
            if let Some(filter) = &clauses.filter {
                inside.push(format!("where {}", format_expression(filter)));
            }
            match &clauses.group {
                Some(GroupTree::Per(keys)) => inside.push(format!("per {}", list(keys))),
                Some(GroupTree::All) => inside.push("in all".into()),
                None => {}
            }
            if !clauses.by.is_empty() {
                inside.push(format!("by {}", orders(&clauses.by)));
            }
            match clauses.over {
                Some(Over::Days(1)) => inside.push("over 1 day".into()),
                Some(Over::Days(days)) => inside.push(format!("over {days} days")),
                Some(Over::Rows(1)) => inside.push("over 1 row".into()),
                Some(Over::Rows(rows)) => inside.push(format!("over {rows} rows")),
                None => {}
            }
            format!("{}({})", name(function), inside.join(" "))
        }
        ExprKind::Negate(inner) => format!("-{}", at_level(inner, SIGNED)),
        ExprKind::Not(inner) => format!("not {}", at_level(inner, NOT)),
        ExprKind::Binary { op, left, right } => {
            let own = op.level();
            // Comparisons do not chain; all else groups from the left.
            let before = if op.compares() { own + 1 } else { own };
            format!(
                "{} {} {}",
                operand_of(*op, left, before),
                op.sign(),
                operand_of(*op, right, own + 1)
            )
        }
        ExprKind::In { value, items, negated } => {
            let not = if *negated { "not " } else { "" };
            let items = items.iter().map(|item| at_level(item, COMPARES + 1)).collect::<Vec<_>>();
            format!("{} {not}in ({})", at_level(value, COMPARES + 1), items.join(", "))
        }
        ExprKind::IsBlank { value, negated } => {
            let not = if *negated { "not " } else { "" };
            format!("{} is {not}blank", at_level(value, COMPARES + 1))
        }
        ExprKind::If { condition, then, otherwise } => format!(
            "if {} then {} else {}",
            format_expression(condition),
            format_expression(then),
            format_expression(otherwise)
        ),
    }
}
