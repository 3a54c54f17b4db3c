//! The paths of an expression.

use crate::lang::{Expr, ExprKind, GroupTree, Name};

/// Calls `see` on every path of an expression, in the order of the text.
pub(super) fn visit_paths(expr: &Expr, see: &mut dyn FnMut(&[Name])) {
    let mut copy = expr.clone();
    rewrite_paths(&mut copy, &mut |parts| see(parts));
}

/// Calls `change` on every path of an expression, in the order of the text.
pub(super) fn rewrite_paths(expr: &mut Expr, change: &mut dyn FnMut(&mut Vec<Name>)) {
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
