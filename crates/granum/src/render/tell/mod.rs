//! A plan in plain sentences, as one would tell it to a colleague.

mod columns;
mod steps;
mod words;

use granum_core::engine::TableOutline;
use granum_core::lang::{
    InputTree, LinkTree, MoreTree, PeriodEndTree, PlanTree, RequiredTree, StatementKind, StepTree,
    TableTree, format_expression,
};
use serde::Serialize;

use super::lists::listed;
use super::tally::grain_words;
use super::{dim, folded, heading, shell};
pub use columns::origin as column_from;
use columns::origin;
use steps::{preferred, sentences};
use words::{Scope, names};

/// A plan in sentences.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Tale {
    /// The plan's title.
    pub title: Option<String>,
    /// Its parameters.
    pub parameters: Vec<String>,
    /// Its inputs and tables, in its order; of one that was asked for, those that it is made of before it.
    pub tables: Vec<TableTale>,
    /// What must hold.
    pub checks: Vec<String>,
    /// What is written and drawn.
    pub outputs: Vec<String>,
}

/// A table in sentences.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct TableTale {
    /// The table.
    pub name: String,
    /// Whether it is an input.
    pub input: bool,
    /// What one row of it is.
    pub grain: String,
    /// How it is made.
    pub sentences: Vec<String>,
    /// Where its rows lead.
    pub links: Vec<String>,
    /// Its columns.
    pub columns: Vec<ColumnTale>,
}

/// A column and where it comes from.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ColumnTale {
    /// The column.
    pub name: String,
    /// Its type.
    #[serde(rename = "type")]
    pub ty: String,
    /// Where it comes from.
    pub from: String,
}

/// A plan in sentences: all of it, or one table with what it is made of.
pub fn tale(tree: &PlanTree, outline: &[TableOutline], table: Option<&str>) -> Tale {
    let told =
        |own: &&TableOutline| table.is_none_or(|table| made_of(tree, table).contains(&own.name));
    let about = |name: &str| table.is_none_or(|table| table == name);
    let kinds = || tree.statements.iter().map(|statement| &statement.kind);
    Tale {
        title: kinds().find_map(|kind| match kind {
            StatementKind::Plan(title) => Some(title.text.clone()),
            _ => None,
        }),
        parameters: kinds().filter(|_| table.is_none()).filter_map(parameter).collect(),
        tables: outline.iter().filter(told).map(|own| table_tale(tree, outline, own)).collect(),
        checks: kinds()
            .filter_map(|kind| match kind {
                StatementKind::Check(check) => {
                    let own = check.table.as_ref().map(|table| table.text.as_str());
                    own.map_or(table.is_none(), about).then(|| check_words(tree, check))
                }
                _ => None,
            })
            .collect(),
        outputs: kinds()
            .filter_map(|kind| match kind {
                StatementKind::Output(output) if about(&output.table.text) => {
                    let part = output.style.sheet.as_ref().map(|sheet| ("sheet", sheet));
                    let part = part.or(output.style.named.as_ref().map(|named| ("table", named)));
                    let part = part
                        .map_or(String::new(), |(what, part)| format!(", {what} {}", part.text));
                    Some(format!("{} is written to {}{part}.", output.table.text, output.path.text))
                }
                StatementKind::Chart(chart) if about(&chart.table.text) => {
                    let to = chart.path.as_ref();
                    let to = to.map_or(String::new(), |path| format!(" to {}", path.text));
                    Some(format!("\"{}\" is drawn of {}{to}.", chart.title.text, chart.table.text))
                }
                _ => None,
            })
            .collect(),
    }
}

/// A table and those that it is made of.
fn made_of(tree: &PlanTree, table: &str) -> Vec<String> {
    let mut found = vec![table.to_owned()];
    let mut at = 0;
    while at < found.len() {
        for statement in &tree.statements {
            if let StatementKind::Table(own) = &statement.kind
                && own.name.text == found[at]
            {
                let bases = std::iter::once(&own.base).chain(own.more.tables());
                let new: Vec<String> = bases
                    .map(|base| base.text.clone())
                    .filter(|base| !found.contains(base))
                    .collect();
                found.extend(new);
            }
        }
        at += 1;
    }
    found
}

fn parameter(kind: &StatementKind) -> Option<String> {
    let StatementKind::Param(param) = kind else { return None };
    let value = Scope::default().words(&param.value);
    Some(format!("{} is {value} unless a run says otherwise.", param.name.text))
}

/// How a table is made, and where its rows lead.
pub fn made(tree: &PlanTree, name: &str) -> (Vec<String>, Vec<String>) {
    let scope = Scope::of(tree, name);
    let mut told = vec![];
    let mut links = vec![];
    let steps = |steps: &[StepTree]| -> Vec<String> {
        steps.iter().flat_map(|step| sentences(&scope, step)).collect()
    };
    for statement in &tree.statements {
        match &statement.kind {
            StatementKind::Input(input) if input.name.text == name => {
                told.push(input_words(input));
                told.extend(steps(&input.steps));
            }
            StatementKind::Table(table) if table.name.text == name => {
                told.push(begins(table));
                told.extend(steps(&table.steps));
            }
            StatementKind::Link(link) if link.from.text == name => {
                links.push(link_words(&scope, link));
            }
            _ => {}
        }
    }
    (told, links)
}

fn table_tale(tree: &PlanTree, outline: &[TableOutline], own: &TableOutline) -> TableTale {
    let (told, links) = made(tree, &own.name);
    let column = |(name, ty): &(String, String)| ColumnTale {
        name: name.clone(),
        ty: ty.clone(),
        from: origin(tree, outline, (&own.name, name)),
    };
    TableTale {
        name: own.name.clone(),
        input: own.input,
        grain: grain_words(&own.grain, own.one_row),
        sentences: told,
        links,
        columns: own.columns.iter().map(column).collect(),
    }
}

fn input_words(input: &InputTree) -> String {
    if let Some(calendar) = &input.calendar {
        let scope = Scope::default();
        let (start, end) = (scope.words(&calendar.start), scope.words(&calendar.end));
        return format!("It has a row for each day from {start} through {end}.");
    }
    if input.rows.is_some() {
        return "Its rows stand in the plan itself.".into();
    }
    let sources: Vec<String> = input.sources.iter().map(|source| source.text.clone()).collect();
    let part = input.sheet.as_ref().map(|sheet| format!(", sheet {}", sheet.text));
    let part = part.or(input.named.as_ref().map(|named| format!(", table {}", named.text)));
    let each = input.each.as_ref();
    let each = each.map_or(String::new(), |each| format!(", one for each of {}", each.list.text));
    format!("Its rows are read from {}{}{each}.", listed(&sources, "and"), part.unwrap_or_default())
}

fn begins(table: &TableTree) -> String {
    let base = &table.base.text;
    match &table.more {
        MoreTree::None => format!("Its rows are those of {base}."),
        MoreTree::Stacked { tables, .. } => {
            format!("Its rows are those of {base}, and below them those of {}.", names(tables))
        }
        MoreTree::Meeting { tables, keys } => format!(
            "Rows of {base} and {} with the same {} stand beside each other in one row.",
            names(tables),
            names(keys)
        ),
    }
}

fn link_words(scope: &Scope, link: &LinkTree) -> String {
    let (mut keys, mut whose): (Vec<String>, Vec<String>) = (vec![], vec![]);
    for key in &link.keys {
        match &key.right {
            None => keys.push(format!("the same {}", format_expression(&key.left))),
            Some(right) => {
                let left = scope.words(&key.left);
                whose.push(format!("whose {} is its {left}", format_expression(right)));
            }
        }
    }
    if let Some(period) = &link.period {
        let when = scope.words(&period.when);
        let end = match &period.end {
            PeriodEndTree::Through(end) => format!("through {}", format_expression(end)),
            PeriodEndTree::Until(end) => format!("until before {}", format_expression(end)),
            PeriodEndTree::Onward => "until the next begins".to_owned(),
        };
        let starts = format_expression(&period.starts);
        keys.push(format!("a period, from {starts} {end}, that {when} falls into"));
    }
    let with = if keys.is_empty() { "" } else { " with " };
    let keys = listed(&keys, "and");
    let whose = listed(&whose, "and");
    let whose = if whose.is_empty() { whose } else { format!(" {whose}") };
    let called = link.name.as_ref();
    let called = called.map_or(String::new(), |name| format!(", as {},", name.text));
    let mut out =
        format!("Each row leads{called} to the one of {}{with}{keys}{whose}", link.to.text);
    if !link.prefer.is_empty() {
        out.push_str(&format!("; of several to the one with {}", preferred(&link.prefer)));
    }
    match &link.required {
        None => {}
        Some(RequiredTree::Complete(_)) => out.push_str("; all must"),
        Some(RequiredTree::Share { percent, of, .. }) => {
            let of = of.as_ref().map_or("rows", |of| of.text.as_str());
            out.push_str(&format!("; at least {percent} of {of} must"));
        }
    }
    if link.blank_allowed {
        out.push_str(" (rows with a blank key apart)");
    }
    out + "."
}

fn check_words(tree: &PlanTree, check: &granum_core::lang::CheckTree) -> String {
    let table = check.table.as_ref().map(|table| table.text.as_str());
    let scope = table.map_or_else(Scope::default, |table| Scope::of(tree, table));
    let condition = scope.words(&check.condition);
    let of = match (table, check.at_least) {
        (None, _) => String::new(),
        (Some(table), None) => format!("for every row of {table}: "),
        (Some(table), Some(share)) => format!("for at least {share} of {table}: "),
    };
    let title = check.title.as_ref();
    let title = title.map_or(String::new(), |title| format!("\"{}\": ", title.text));
    format!("{title}{of}{condition}.")
}

impl Tale {
    /// For people: the columns of a table stand below it where it was asked for.
    pub fn text(&self, plan: &str, asked: Option<&str>, width: usize) -> String {
        let mut out = String::new();
        if let Some(title) = &self.title {
            out.push_str(&format!("{}\n\n", heading(title)));
        }
        let list = |out: &mut String, name: &str, lines: &[String]| {
            if !lines.is_empty() {
                out.push_str(&format!("{}\n", heading(name)));
                lines.iter().for_each(|line| out.push_str(&folded(line, "  ", width)));
                out.push('\n');
            }
        };
        list(&mut out, "parameters", &self.parameters);
        for table in &self.tables {
            let kind = if table.input { "input \u{b7} " } else { "" };
            out.push_str(&format!("{} \u{b7} {kind}{}\n", heading(&table.name), table.grain));
            let lines = table.sentences.iter().chain(&table.links);
            lines.for_each(|line| out.push_str(&folded(line, "  ", width)));
            if asked == Some(&table.name) {
                out.push('\n');
                for ColumnTale { name, ty, from } in &table.columns {
                    out.push_str(&folded(&format!("{name}, {ty}: {from}"), "  ", width));
                }
            }
            out.push('\n');
        }
        list(&mut out, "what must hold", &self.checks);
        list(&mut out, "what comes of it", &self.outputs);
        if asked.is_none() && !self.tables.is_empty() {
            let more = format!("each column of a table:  granum tell {} TABLE", shell::word(plan));
            out.push_str(&format!("{}\n", dim(&more)));
        }
        out
    }
}
