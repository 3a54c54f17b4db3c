//! What the resolver knows while it works: tables, links, and the names a row can see.

use std::collections::HashMap;

use super::ancestors::Ancestors;
use super::plan::{AggregatePlan, ApartPair, GroupedWhat, LinkPlan, Plan, SourceSlots, TablePlan};
use super::worth::Worth;
use super::{Parameter, Resolved, Wrong};
use crate::expr::{Kind, Typed};
use crate::lang::{
    Diagnostic, DiagnosticKind, LinkTree, MoreTree, Name, PlanTree, Span, StatementKind, foreign,
    nearest, nearest_or_longer, plan_name,
};
use crate::port::InputShape;
use crate::table::{ColumnId, GatherId, LinkId, SlotId, TableId};
use crate::value::Type;

/// A column of a finished table.
#[derive(Debug, Clone)]
pub(super) struct FinishedColumn {
    pub name: String,
    pub ty: Type,
    pub worth: Worth,
    pub tracked: bool,
    /// The column that it was looked up from, as it stands there.
    pub entity: Option<(TableId, usize)>,
    /// The column of the same table that keeps its amounts apart.
    pub apart: Option<usize>,
}

pub(super) enum TableState {
    Waiting,
    /// Being resolved; seen again, it is a circle.
    Open,
    Finished,
    /// Something in it was wrong and has been said.
    Failed,
}

pub(super) struct TableEntry<'a> {
    pub name: &'a Name,
    pub statement: &'a StatementKind,
    pub base: Option<TableId>,
    pub state: TableState,
    pub columns: Vec<FinishedColumn>,
    /// The tables whose links its rows can follow: itself and what it comes from, with whether
    /// one row there may be several here.
    pub ancestors: Ancestors,
    /// What columns were called before, and what they are called now.
    pub once: Vec<(String, String)>,
    pub plan: Option<TablePlan>,
}

pub(super) struct LinkEntry<'a> {
    pub tree: &'a LinkTree,
    pub from: TableId,
    pub to: TableId,
    pub name: String,
    pub back: String,
    pub plan: Option<LinkPlan>,
    /// Whether anything asks how many rows held before one was chosen.
    pub choices: bool,
}

/// Whether, and how, paths may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Paths {
    Allowed,
    /// In an input's steps.
    NotInInputs,
    /// In the keys of the table whose rows lead: links, and nothing that is gathered.
    InKeys,
    /// In the keys of the table that is led to: its columns alone.
    NotInKeys,
    /// In a parameter's value: no columns either.
    NotInParameters,
    /// In a check about totals: columns only inside aggregates.
    Totals,
    /// In the results of `one row per`: keys and results above, and aggregates of the rows.
    Results,
}

/// A value that a step makes before the expression that it stands in is worked.
pub(super) struct Pending {
    pub kind: PendingKind,
    pub ty: Type,
    pub worth: Worth,
    /// What keeps it apart, over the same rows.
    pub apart: Option<Typed>,
}

pub(super) enum PendingKind {
    /// Of the rows of each group, in `one row per`.
    Result(AggregatePlan),
    /// Of its group for each row, with what its rows have in common.
    Grouped(GroupedWhat, Vec<Typed>),
}

/// A value of a row itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Own {
    Slot(SlotId),
    Column(ColumnId),
}

/// The names that an expression can see.
#[derive(Debug, Clone)]
pub(super) struct Row {
    /// The table, for messages.
    pub table: String,
    pub columns: Vec<(String, Kind, Type, Worth)>,
    pub ancestors: Ancestors,
    pub paths: Paths,
    /// What keeps values of the row apart, where anything does.
    pub apart: Vec<(Own, Typed)>,
    /// The slot that a value made for an expression would get, where its step can make some.
    pub next_slot: Option<usize>,
    /// The slots of the row's file and line, in the steps of an input.
    pub source: Option<SourceSlots>,
    /// What columns were called before, and what they are called now.
    pub once: Vec<(String, String)>,
}

pub(super) struct Resolver<'a> {
    pub tree: &'a PlanTree,
    pub shapes: &'a HashMap<String, InputShape>,
    pub diagnostics: Vec<Diagnostic>,
    pub parameters: Vec<(String, Parameter)>,
    pub tables: Vec<TableEntry<'a>>,
    pub links: Vec<LinkEntry<'a>>,
    pub plan: Plan,
    /// Tables that are being resolved, outermost first.
    pub open: Vec<TableId>,
    /// What the expression that is being resolved needs made before.
    pub pending: Vec<Pending>,
    /// The rows that results of `one row per` are worked from.
    pub inner: Option<Row>,
    /// The keys of the groups that results are worked of, with their slots; and whether there is a total row.
    pub group_keys: Vec<(Typed, SlotId)>,
    pub group_total: bool,
    /// Amounts that count apart and meet in what was resolved.
    pub meets: Vec<ApartPair>,
    /// For what is gathered of amounts that count apart what those are in.
    pub gathered_apart: Vec<(GatherId, GatherId)>,
    /// Columns that were looked for and are not there, each with its table.
    pub unknown: Vec<(String, String)>,
}

impl<'a> Resolver<'a> {
    pub fn new(tree: &'a PlanTree, shapes: &'a HashMap<String, InputShape>) -> Self {
        Self {
            tree,
            shapes,
            diagnostics: vec![],
            parameters: vec![],
            tables: vec![],
            links: vec![],
            plan: Plan::default(),
            open: vec![],
            pending: vec![],
            inner: None,
            group_keys: vec![],
            group_total: false,
            meets: vec![],
            gathered_apart: vec![],
            unknown: vec![],
        }
    }

    pub fn wrong<T>(&mut self, diagnostic: Diagnostic) -> Resolved<T> {
        self.diagnostics.push(diagnostic);
        Err(Wrong)
    }

    pub fn finish(mut self) -> Result<Plan, Vec<Diagnostic>> {
        if !self.diagnostics.is_empty() {
            self.diagnostics.sort_by_key(|diagnostic| diagnostic.span.start);
            return Err(self.diagnostics);
        }
        self.plan.tables = self.tables.into_iter().filter_map(|entry| entry.plan).collect();
        let link = |entry: LinkEntry<'_>| {
            let mut plan = entry.plan?;
            if let Some(period) = &mut plan.period {
                period.choices = entry.choices;
            }
            Some(plan)
        };
        self.plan.links = self.links.into_iter().filter_map(link).collect();
        let tables = &self.plan.tables;
        for output in &mut self.plan.outputs {
            // A database is told what one row is.
            if output.style.named.is_some() && output.wide.is_none() {
                let grain = tables[output.table.0].grain.as_ref();
                output.style.key = grain.map_or(vec![], |grain| grain.columns.clone());
            }
        }
        Ok(self.plan)
    }

    pub fn find_table(&self, name: &str) -> Option<TableId> {
        self.tables.iter().position(|entry| entry.name.text == name).map(TableId)
    }

    pub fn table_named(&mut self, name: &Name) -> Resolved<TableId> {
        if let Some(id) = self.find_table(&name.text) {
            return Ok(id);
        }
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::UnknownName,
            name.span,
            format!("there is no table or input called `{}`", name.text),
        );
        let known: Vec<&str> = self.tables.iter().map(|entry| entry.name.text.as_str()).collect();
        if let Some(near) = nearest_or_longer(&name.text, known.iter().copied()) {
            diagnostic = diagnostic.help(format!("did you mean `{near}`?"));
        } else if !known.is_empty() {
            diagnostic = diagnostic.help(format!("the plan has {}", known.join(", ")));
        }
        self.wrong(diagnostic)
    }

    /// The names that a row of a finished table sees.
    pub fn finished_row(&self, table: TableId, paths: Paths) -> Row {
        let entry = &self.tables[table.0];
        Row {
            table: entry.name.text.clone(),
            columns: entry
                .columns
                .iter()
                .enumerate()
                .map(|(at, column)| {
                    let kind = Kind::Column(ColumnId(at));
                    (column.name.clone(), kind, column.ty, column.worth)
                })
                .collect(),
            ancestors: entry.ancestors.clone(),
            paths,
            apart: entry
                .columns
                .iter()
                .enumerate()
                .filter_map(|(at, column)| {
                    let apart = ColumnId(column.apart?);
                    let ty = entry.columns[apart.0].ty;
                    let typed = Typed::new(Kind::Column(apart), ty, Span::default());
                    Some((Own::Column(ColumnId(at)), typed))
                })
                .collect(),
            next_slot: None,
            source: None,
            once: entry.once.clone(),
        }
    }

    /// The table that a table is made from, whether or not it has been resolved.
    pub fn base_named(&self, table: TableId) -> Option<TableId> {
        match self.tables[table.0].statement {
            // What is laid from several has no one base.
            StatementKind::Table(tree) if tree.more == MoreTree::None => {
                self.find_table(&tree.base.text)
            }
            _ => None,
        }
    }

    /// The link of a name that leads on from a row of one of these tables, the nearest first.
    pub fn link_from(&self, ancestors: &Ancestors, name: &str) -> Option<(LinkId, TableId)> {
        ancestors.iter().find_map(|(table, _)| {
            let at = self.links.iter().position(|link| link.from == table && link.name == name)?;
            Some((LinkId(at), table))
        })
    }

    /// The link whose way back has this name, to one of these tables; with whether one row there
    /// may be several here.
    pub fn link_back(&self, ancestors: &Ancestors, name: &str) -> Option<(LinkId, TableId, bool)> {
        ancestors.iter().find_map(|(table, repeated)| {
            let at = self.links.iter().position(|link| link.to == table && link.back == name)?;
            Some((LinkId(at), table, repeated))
        })
    }

    /// A column that no name stands for, with the nearest that does.
    pub fn unknown_column<T>(&mut self, row: &Row, name: &Name) -> Resolved<T> {
        self.unknown.push((row.table.clone(), name.text.clone()));
        let mut diagnostic = Diagnostic::new(
            DiagnosticKind::UnknownName,
            name.span,
            format!("`{}` has no column called `{}`", row.table, name.text),
        );
        let own = nearest(&name.text, row.columns.iter().map(|(name, ..)| name.as_str()));
        let renamed = |(old, new): &&(String, String)| {
            *old == name.text && row.columns.iter().any(|(known, ..)| known == new)
        };
        let mut unread = self.shapes.values().flat_map(|shape| &shape.unread);
        if let Some(unread) = unread.find(|unread| unread.column == name.text) {
            diagnostic = diagnostic.help(format!(
                "its files have a column of that name, and what it holds is {}: no cell can hold it",
                unread.what
            ));
        } else if let Some((_, new)) = row.once.iter().rev().find(renamed) {
            diagnostic = diagnostic.help(format!("it is called `{new}` now"));
        } else if let Some(help) = undivided(&row.columns) {
            diagnostic = diagnostic.help(help);
        } else if let Some(help) = unseen(&name.text, &row.columns) {
            diagnostic = diagnostic.help(help);
        } else if let Some(meant) = foreign::meant(&name.text) {
            diagnostic = diagnostic.help(meant);
        } else if let Some(near) = own {
            diagnostic = diagnostic.help(if near.eq_ignore_ascii_case(&name.text) {
                format!("case counts: the column is called `{near}`")
            } else {
                format!("did you mean `{near}`?")
            });
        } else if let Some(help) = self.elsewhere(row, &name.text) {
            diagnostic = diagnostic.help(help);
        } else if let Some(near) =
            nearest(&name.text, self.parameters.iter().map(|(name, _)| name.as_str()))
        {
            diagnostic = diagnostic.help(format!("did you mean the parameter `{near}`?"));
        } else {
            let names: Vec<&str> = row.columns.iter().map(|(name, ..)| name.as_str()).collect();
            diagnostic = match nearest_or_longer(&name.text, names.iter().copied()) {
                Some(longer) => diagnostic.help(format!("did you mean `{longer}`?")),
                None => diagnostic.help(format!("its columns are {}", some_of(&names))),
            };
        }
        self.wrong(diagnostic)
    }

    /// In the results of `one row per`, a name that is neither a key nor a result above: mostly a
    /// column of the rows, which may have several values in a group.
    pub fn no_result<T>(&mut self, row: &Row, name: &Name) -> Resolved<T> {
        let of_rows = self
            .inner
            .as_ref()
            .is_some_and(|inner| inner.columns.iter().any(|(column, ..)| *column == name.text));
        let known: Vec<&str> = row.columns.iter().map(|(name, ..)| name.as_str()).collect();
        let (message, help) = if of_rows {
            (
                format!("`{}` is each row's, and a group may have many rows", name.text),
                format!(
                    "say which is meant:  sole({0}) , latest({0} by \u{2026}) , max({0}) , \
                     list({0}) ; or make it a key",
                    name.text
                ),
            )
        } else {
            (
                format!("no key and no result above is called `{}`", name.text),
                match nearest_or_longer(&name.text, known.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None if known.is_empty() => "results are aggregates of the rows".into(),
                    None => format!("there are {}", known.join(", ")),
                },
            )
        };
        self.wrong(Diagnostic::new(DiagnosticKind::UnknownName, name.span, message).help(help))
    }

    /// Where else a column of this name is, and the path that leads there if a link does.
    fn elsewhere(&self, row: &Row, name: &str) -> Option<String> {
        let has = |table: TableId| {
            let columns = self.column_names(table);
            columns.iter().any(|column| column == name)
        };
        for link in &self.links {
            if row.ancestors.has(link.from) && has(link.to) {
                return Some(format!("`{}` has it: write  {}.{name}", link.name, link.name));
            }
        }
        let other = (0..self.tables.len()).map(TableId).find(|table| has(*table))?;
        Some(format!("`{}` has a column of that name", self.tables[other.0].name.text))
    }

    fn column_names(&self, table: TableId) -> Vec<String> {
        let entry = &self.tables[table.0];
        if !entry.columns.is_empty() {
            return entry.columns.iter().map(|column| column.name.clone()).collect();
        }
        let shape = self.shapes.get(&entry.name.text);
        shape.map_or(vec![], |shape| shape.columns.iter().map(|(name, _)| name.clone()).collect())
    }

    /// Sees to it that a table is resolved. A table that waits for itself is a circle.
    pub fn need_table(&mut self, table: TableId, asked: Span) -> Resolved<()> {
        match self.tables[table.0].state {
            TableState::Finished => Ok(()),
            TableState::Failed => Err(Wrong),
            TableState::Waiting => self.resolve_table(table),
            TableState::Open => {
                let from = self.open.iter().position(|open| *open == table).unwrap_or(0);
                let mut names: Vec<&str> = self.open[from..]
                    .iter()
                    .map(|open| self.tables[open.0].name.text.as_str())
                    .collect();
                names.push(&self.tables[table.0].name.text);
                let circle = names.join(" → ");
                self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Circle,
                        asked,
                        format!("these tables wait for each other: {circle}"),
                    )
                    .help("put what both need into a table that comes before them"),
                )
            }
        }
    }
}

/// What to say of a column that is called so but for spaces around, or letters that nobody sees.
fn unseen(name: &str, columns: &[(String, Kind, Type, Worth)]) -> Option<String> {
    let bare = |text: &str| -> String {
        let seen = text.chars().filter(|letter| !crate::value::is_unseen(*letter));
        seen.collect::<String>().trim().to_owned()
    };
    let (column, ..) =
        columns.iter().find(|(column, ..)| column != name && bare(column) == bare(name))?;
    let odd: Vec<String> = column
        .chars()
        .filter(|letter| crate::value::is_unseen(*letter))
        .map(|letter| format!("U+{:04X}", u32::from(letter)))
        .collect();
    let what = match (odd.as_slice(), column.starts_with(' '), column.ends_with(' ')) {
        ([], true, _) => "begins with a space".to_owned(),
        ([], _, true) => "ends in a space".to_owned(),
        (odd, ..) => format!("has a letter that nobody sees ({})", odd.join(", ")),
    };
    Some(format!(
        "the column's name {what}: take it so, in backticks, and give it another:  rename `{column}` to {}",
        plan_name(name)
    ))
}

/// What to say where all of a file's columns were taken for one: another delimiter stands between
/// them.
fn undivided(columns: &[(String, Kind, Type, Worth)]) -> Option<String> {
    let [(name, ..)] = columns else { return None };
    let (sign, written) = [(";", ";"), ("\t", "\\t"), ("|", "|"), (",", ",")]
        .into_iter()
        .find(|(sign, _)| name.contains(sign))?;
    let names = name.split(sign).collect::<Vec<_>>().join(", ");
    Some(format!(
        "its only column is called `{}`: if these are {names}, say  delimiter \"{written}\"  after \
         the file",
        name.replace('\t', "\\t"),
    ))
}

/// Names one after the other; of many the first.
pub(super) fn some_of(names: &[&str]) -> String {
    const MOST: usize = 30;
    match names.len().checked_sub(MOST) {
        Some(more @ 1..) => format!("{} and {more} more", names[..MOST].join(", ")),
        _ => names.join(", "),
    }
}
