//! Names in expressions.

use super::scopes::{Finder, Scope};
use super::symbol::Stands;
use crate::lang::{Clauses, Expr, ExprKind, GroupTree, LinkTree, Name};

/// What an expression sees.
#[derive(Clone, Copy)]
pub(super) struct Row<'s> {
    /// The columns of the row itself.
    pub scope: &'s Scope,
    /// In results of groups: the rows of a group, which aggregates see.
    pub rows: Option<&'s Scope>,
    /// Whether paths begin with tables, as in checks about totals.
    pub totals: bool,
}

impl<'s> Row<'s> {
    /// A row of a table.
    pub fn of(scope: &'s Scope) -> Self {
        Self { scope, rows: None, totals: false }
    }
}

/// Functions whose paths end with a link.
const OF_LINKS: [&str; 3] = ["has", "rows", "choices"];

/// What each row gets by its place in its group.
const OF_GROUPS: [&str; 4] = ["position", "running", "previous", "next"];

/// What a path names.
#[derive(Default)]
pub(super) struct Named {
    /// The table that its links lead back to, if they do.
    pub reached: Option<String>,
    /// Where it ends.
    pub symbol: Option<usize>,
}

impl Finder<'_> {
    pub fn expression(&mut self, expr: &Expr, row: Row<'_>) {
        match &expr.kind {
            ExprKind::Text(_)
            | ExprKind::Number { .. }
            | ExprKind::Boolean(_)
            | ExprKind::Blank => {}
            ExprKind::Path(path) => drop(self.path(path, row, false)),
            ExprKind::Call { function, args, clauses } => {
                self.call(&function.text, (args, clauses), row);
            }
            ExprKind::Negate(value) | ExprKind::Not(value) => self.expression(value, row),
            ExprKind::Binary { left, right, .. } => {
                self.expression(left, row);
                self.expression(right, row);
            }
            ExprKind::In { value, items, .. } => {
                self.expression(value, row);
                items.iter().for_each(|item| self.expression(item, row));
            }
            ExprKind::IsBlank { value, .. } => self.expression(value, row),
            ExprKind::If { condition, then, otherwise } => {
                for part in [condition, then, otherwise] {
                    self.expression(part, row);
                }
            }
        }
    }

    fn call(&mut self, function: &str, (args, clauses): (&[Expr], &Clauses), row: Row<'_>) {
        let of_rows = crate::aggregate::named(function).is_some() || OF_GROUPS.contains(&function);
        let links = OF_LINKS.contains(&function);
        // Aggregates see rows, not what is worked of them.
        let inner = match row.rows {
            Some(rows) if of_rows => Row { scope: rows, rows: None, ..row },
            _ => row,
        };
        let mut reached = None;
        for arg in args {
            match &arg.kind {
                ExprKind::Path(path) if links => {
                    let found = self.path(path, inner, true).reached;
                    reached = reached.or(found);
                }
                _ => {
                    let found = self.reached(arg, inner);
                    reached = reached.or(found);
                    self.expression(arg, inner);
                }
            }
        }
        // What is summed of other rows is chosen and ordered by their columns.
        let end = reached.and_then(|table| self.end_of(&table));
        let inner = match &end {
            Some(end) => Row { scope: end, rows: None, totals: false },
            None => inner,
        };
        if let Some(filter) = &clauses.filter {
            self.expression(filter, inner);
        }
        clauses.by.iter().for_each(|by| self.expression(&by.value, inner));
        if let Some(GroupTree::Per(keys)) = &clauses.group {
            keys.iter().for_each(|key| self.expression(key, inner));
        }
    }

    /// The table of other rows whose columns an aggregate's value has: behind a way back, or named in a total.
    fn reached(&self, expr: &Expr, row: Row<'_>) -> Option<String> {
        match &expr.kind {
            ExprKind::Path(path) => {
                let (_, links) = path.split_last()?;
                let mut at = row.scope.table.clone();
                let mut others = false;
                for (place, name) in links.iter().enumerate() {
                    let (table, back) = self.step(&at, &name.text, row.totals && place == 0)?;
                    at = table;
                    others |= back;
                }
                others.then_some(at)
            }
            ExprKind::Binary { left, right, .. } => {
                self.reached(left, row).or_else(|| self.reached(right, row))
            }
            ExprKind::Negate(value) | ExprKind::Not(value) | ExprKind::IsBlank { value, .. } => {
                self.reached(value, row)
            }
            ExprKind::In { value, .. } => self.reached(value, row),
            ExprKind::Call { args, .. } => args.iter().find_map(|arg| self.reached(arg, row)),
            _ => None,
        }
    }

    /// Where a link of a name leads from a table, and whether back; or a table itself.
    pub fn step(&self, from: &str, name: &str, total: bool) -> Option<(String, bool)> {
        if total && self.tables.contains_key(name) {
            return Some((name.to_owned(), true));
        }
        let chain = self.chain(from);
        if let Some((link, ..)) = self.forward(&chain, name) {
            return Some((link.to.text.clone(), false));
        }
        self.backward(&chain, name).map(|(link, ..)| (link.from.text.clone(), true))
    }

    fn forward(&self, chain: &[String], name: &str) -> Option<(&LinkTree, usize, usize)> {
        let own = |link: &LinkTree| link.name.as_ref().unwrap_or(&link.to).text == name;
        let mut links = self.links.iter();
        links.find(|(link, ..)| chain.contains(&link.from.text) && own(link)).copied()
    }

    fn backward(&self, chain: &[String], name: &str) -> Option<(&LinkTree, usize, usize)> {
        let own = |link: &LinkTree| link.back.as_ref().unwrap_or(&link.from).text == name;
        let mut links = self.links.iter();
        links.find(|(link, ..)| chain.contains(&link.to.text) && own(link)).copied()
    }

    /// Notes the names of a path, up to the first that nothing has.
    pub fn path(&mut self, path: &[Name], row: Row<'_>, of_link: bool) -> Named {
        let Some((last, links)) = path.split_last() else { return Named::default() };
        let links = if of_link { path } else { links };
        let mut at = row.scope.table.clone();
        let mut back = false;
        for (place, name) in links.iter().enumerate() {
            let total = row.totals && place == 0;
            if total && let Some(table) = self.tables.get(&name.text).copied() {
                self.note(table, name.span, Stands::Plain);
                (at, back) = (name.text.clone(), true);
                continue;
            }
            let chain = self.chain(&at);
            let forward = self.forward(&chain, &name.text);
            let forward = forward.map(|(link, own, _)| (own, link.to.text.clone(), false));
            let Some((symbol, to, returns)) = forward.or_else(|| {
                let (link, _, own) = self.backward(&chain, &name.text)?;
                Some((own, link.from.text.clone(), true))
            }) else {
                return Named::default();
            };
            self.note(symbol, name.span, Stands::Plain);
            at = to;
            back |= returns;
        }
        if of_link {
            return Named { reached: back.then_some(at), symbol: None };
        }
        let symbol = if links.is_empty() {
            self.name_in(row, &last.text)
        } else {
            self.end_of(&at).and_then(|end| self.column(&end, &last.text))
        };
        if let Some(symbol) = symbol {
            self.note(symbol, last.span, Stands::Plain);
        }
        Named { reached: back.then_some(at), symbol }
    }

    /// A name by itself: a column, else a parameter.
    fn name_in(&mut self, row: Row<'_>, name: &str) -> Option<usize> {
        let column = if row.totals { None } else { self.column(row.scope, name) };
        column.or_else(|| self.parameters.get(name).copied())
    }
}
