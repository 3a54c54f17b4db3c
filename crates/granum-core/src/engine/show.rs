//! The rows of one table, or those that a link leaves out.

use super::after::after;
use super::beside::Beside;
use super::context::RunError;
use super::demand::Purpose;
use super::inputs::Inputs;
use super::named::{find_link, find_table};
use super::run::{Run, within, worked};
use crate::lang::{PlanTree, plan_name};
use crate::port::{Observer, Sources};
use crate::resolve::{Plan, TablePlan};
use crate::table::{Column, LinkId, Room, Rows, Table, TableId};
use crate::tally::{Problem, Warning};

/// What is to be shown.
#[derive(Debug, Clone, Default)]
pub struct Showing {
    /// The table.
    pub table: String,
    /// Only rows that do not lead along this link.
    pub unmatched: Option<String>,
    /// How many rows at most; `None` for all.
    pub rows: Option<usize>,
    /// Only rows of which this holds.
    pub condition: Option<String>,
    /// As it stood after the step of this number in its tally; 0 is how it begins.
    pub after: Option<usize>,
    /// Expressions by which the rows are ordered: each may end in `desc`. Blanks stand last.
    pub sort: Vec<String>,
    /// How much columns may hold in memory; all that they need where nothing is said.
    pub room: Option<Room>,
}

/// The table that works conditions and orders, behind the plan that it is asked of.
const BESIDE: &str = "shown_rows";

/// What the columns are called that rows are ordered by.
const ORDER: &str = "shown_order_";

impl Showing {
    /// A plan's text with a table more, where rows are to be chosen or ordered; the plan as it is
    /// otherwise. Diagnostics of [`show`] point into this text.
    pub fn beside(&self, text: &str) -> Beside {
        if !self.is_extended() {
            return Beside::none(text);
        }
        let mut beside = Beside::new(text, BESIDE, &self.table);
        if let Some(link) = &self.unmatched {
            beside.step("keep not has(", "--unmatched", &plan_name(link), ")");
        }
        if let Some(condition) = &self.condition {
            beside.step("keep ", "--where", condition, "");
        }
        for (at, expression) in self.sort.iter().enumerate() {
            let (expression, _) = order(expression);
            beside.step(&format!("add {ORDER}{at} = "), "--sort", expression, "");
        }
        beside
    }

    fn is_extended(&self) -> bool {
        self.condition.is_some() || !self.sort.is_empty()
    }
}

/// An expression to order by, and whether the greatest comes first.
fn order(text: &str) -> (&str, bool) {
    let text = text.trim();
    match text.strip_suffix("desc") {
        Some(expression) if expression.ends_with(char::is_whitespace) => (expression.trim(), true),
        _ => (text, false),
    }
}

/// Rows of a table.
#[derive(Debug)]
pub struct Shown {
    /// The table.
    pub table: String,
    /// Its grain.
    pub grain: Vec<String>,
    /// Its columns and their values in the rows shown.
    pub columns: Vec<(String, Column)>,
    /// How many rows there are.
    pub rows: usize,
    /// How many of them are shown.
    pub shown: usize,
    /// Which rows they are, in words, where not those at its end.
    pub which: Option<String>,
    /// Whether the total of all rows stands behind the rows shown.
    pub total: bool,
    /// Whether the table is one row in all.
    pub one_row: bool,
    /// What stopped the table from being built.
    pub problems: Vec<Problem>,
    /// What is usually a mistake in it, or in what it is built from.
    pub warnings: Vec<Warning>,
}

/// Builds one table, and no more than it needs, and takes the first rows of it.
///
/// # Errors
/// As [`run`](super::run); an unknown table or link is a diagnostic without a place in the plan.
pub fn show(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    showing: &Showing,
    observer: &dyn Observer,
) -> Result<Shown, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let cut = showing
        .after
        .map(|number| after((tree, settings), &mut inputs, (&showing.table, number), BESIDE));
    let cut = cut.transpose()?;
    let (tree, of) = cut.as_ref().map_or((tree, None), |(tree, called, _)| (tree, Some(called)));
    let asked = |plan: &Plan| match of {
        Some(_) if showing.is_extended() => Ok((find_table(plan, BESIDE)?, None)),
        Some(called) => Ok((find_table(plan, called)?, None)),
        None => asked(plan, showing),
    };
    let wanted = |plan: &Plan| {
        let (table, link) = asked(plan)?;
        Ok(link.map_or(Purpose::Table(table), Purpose::Link))
    };
    let end = |run: Run<'_>, _: &Inputs| {
        let (table, link) = asked(run.plan)?;
        Ok(shown(run.plan, run, table, link, showing))
    };
    let begin = within(showing.room.as_ref());
    let mut shown = worked(&mut inputs, (tree, settings), observer, wanted, begin, end)?;
    shown.which = cut.map(|(_, _, words)| words);
    Ok(shown)
}

/// The table that is to be shown, and the link whose rows without a target are.
fn asked(plan: &Plan, showing: &Showing) -> Result<(TableId, Option<LinkId>), RunError> {
    let table = find_table(plan, &showing.table)?;
    let link = showing.unmatched.as_ref().map(|name| find_link(plan, table, name)).transpose()?;
    if showing.is_extended() { Ok((find_table(plan, BESIDE)?, None)) } else { Ok((table, link)) }
}

fn shown(plan: &Plan, run: Run<'_>, id: TableId, link: Option<LinkId>, showing: &Showing) -> Shown {
    let table_plan = &plan.tables[id.0];
    let mut shown = Shown {
        table: showing.table.clone(),
        grain: table_plan.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()),
        columns: vec![],
        rows: 0,
        shown: 0,
        which: None,
        total: run.total_rows.contains_key(&id),
        one_row: table_plan.is_one_row(),
        warnings: run.warnings().0,
        problems: run.problems,
    };
    let Some(table) = &run.world.tables[id.0] else { return shown };
    let most = showing.rows.unwrap_or(usize::MAX);
    let unmatched: Option<Rows> = match link.map(|link| run.world.links[link.0].as_ref()) {
        None => None,
        Some(None) => return shown,
        Some(Some(index)) => {
            let missing = (0..index.len()).filter(|row| !index.has(*row));
            Some(missing.map(|row| row as u32).collect::<Vec<_>>().into())
        }
    };
    let rows = unmatched.or_else(|| ordered(table_plan, table, showing));
    shown.rows = rows.as_ref().map_or(table.rows, Rows::len);
    shown.shown = shown.rows.min(most);
    for ((name, _), column) in table_plan.columns.iter().zip(&table.columns) {
        let Some(column) = column.as_ref().filter(|_| !name.starts_with(ORDER)) else { continue };
        let column = match &rows {
            Some(rows) => column.take(&rows.slice(0, shown.shown)),
            None => column.slice(0, shown.shown).whole(),
        };
        shown.columns.push((name.clone(), column));
    }
    // The total row stands behind the others.
    if let Some(total) = run.total_rows.get(&id) {
        for ((_, column), total) in shown.columns.iter_mut().zip(&total.columns) {
            if let Some(total) = total {
                *column = Column::concat(&[column.clone(), total.whole()]);
            }
        }
    }
    shown
}

/// The rows in the order that is asked for; those that are equal stay as they stood.
fn ordered(plan: &TablePlan, table: &Table, showing: &Showing) -> Option<Rows> {
    if showing.sort.is_empty() {
        return None;
    }
    let by: Vec<(Column, bool)> = showing
        .sort
        .iter()
        .enumerate()
        .filter_map(|(at, expression)| {
            let name = format!("{ORDER}{at}");
            let column = plan.columns.iter().position(|(known, _)| *known == name)?;
            Some((table.columns[column].as_ref()?.whole(), order(expression).1))
        })
        .collect();
    let mut rows: Vec<u32> = (0..table.rows as u32).collect();
    rows.sort_by(|a, b| crate::aggregate::order(&by, *a as usize, *b as usize));
    Some(rows.into())
}
