//! Where each column of a table comes from.

use granum_core::engine::TableOutline;
use granum_core::lang::{
    AssignTree, MoreTree, Name, PlanTree, StatementKind, StepKind, StepTree, TableTree,
};

use super::super::lists::listed;
use super::words::Scope;

/// Where columns come from, as far as that is said step by step: name and origin.
type Origins = Vec<(String, String)>;

fn set(origins: &mut Origins, name: &str, origin: String) {
    match origins.iter_mut().find(|(known, _)| known == name) {
        Some((_, known)) => *known = origin,
        None => origins.push((name.to_owned(), origin)),
    }
}

/// Where a column of a table comes from. `outline` has the columns of all tables.
pub fn origin(tree: &PlanTree, outline: &[TableOutline], (table, column): (&str, &str)) -> String {
    let mut origins = vec![];
    let scope = Scope::of(tree, table);
    for statement in &tree.statements {
        match &statement.kind {
            StatementKind::Input(input) if input.name.text == table => {
                let read = match (&input.calendar, &input.rows) {
                    (Some(_), _) => "of the calendar",
                    (_, Some(_)) => "as the plan has it",
                    _ => "as it is read",
                };
                steps(&scope, &input.steps, &|_| read.to_owned(), &mut origins);
                return found(origins, column).unwrap_or_else(|| read.to_owned());
            }
            StatementKind::Table(own) if own.name.text == table => {
                begins(own, &mut origins);
                let before = |column: &str| as_before(own, outline, column);
                steps(&scope, &own.steps, &before, &mut origins);
                return found(origins, column).unwrap_or_else(|| before(column));
            }
            _ => {}
        }
    }
    String::new()
}

fn found(origins: Origins, column: &str) -> Option<String> {
    origins.into_iter().find(|(name, _)| name == column).map(|(_, origin)| origin)
}

/// Which of the tables that a table begins as has a column that no step makes; else the rows that `expand` put in.
fn as_before(table: &TableTree, outline: &[TableOutline], column: &str) -> String {
    let has = |name: &&Name| {
        let known = outline.iter().find(|known| known.name == name.text);
        known.is_some_and(|known| known.columns.iter().any(|(own, _)| own == column))
    };
    let bases = std::iter::once(&table.base).chain(table.more.tables());
    let bases: Vec<String> = bases.filter(has).map(|base| base.text.clone()).collect();
    let expanded = table.steps.iter().find_map(|step| match &step.kind {
        StepKind::Expand(expand) => expand.path.last(),
        _ => None,
    });
    match expanded {
        Some(parts) if bases.is_empty() => format!("of the row of {}", parts.text),
        _ => format!("as in {}", listed(&bases, "and")),
    }
}

/// What is made before the first step.
fn begins(table: &TableTree, origins: &mut Origins) {
    match &table.more {
        MoreTree::None | MoreTree::Stacked { labelled: None, .. } => {}
        MoreTree::Stacked { labelled: Some(labelled), .. } => {
            set(origins, &labelled.text, "the table that the row came from".into());
        }
        MoreTree::Meeting { keys, .. } => {
            for key in keys {
                set(origins, &key.text, "what the rows that meet have in common".into());
            }
        }
    }
}

fn steps(
    scope: &Scope,
    steps: &[StepTree],
    before: &dyn Fn(&str) -> String,
    origins: &mut Origins,
) {
    let assigned = |items: &[AssignTree], origins: &mut Origins| {
        items.iter().for_each(|item| set(origins, &item.name.text, scope.words(&item.value)));
    };
    for step in steps {
        match &step.kind {
            StepKind::Read(items) => {
                for item in items {
                    set(origins, &item.column.text, format!("read as {}", item.ty.ty));
                }
            }
            StepKind::Add(items) | StepKind::Change(items) => assigned(items, origins),
            StepKind::Units { name, split, .. } => {
                set(origins, &name.text, "the number of the unit, from 1".into());
                for split in split {
                    let part = format!("the unit's part of {}", split.column.text);
                    set(origins, &split.column.text, part);
                }
            }
            StepKind::Expand(expand) => {
                for split in &expand.split {
                    let part = format!("the part's share of {}", split.column.text);
                    set(origins, &split.column.text, part);
                }
                for item in &expand.multiply {
                    let times = format!("{} \u{d7} {}", item.name.text, scope.words(&item.value));
                    set(origins, &item.name.text, times);
                }
            }
            StepKind::Allocate(allocate) => {
                let part = format!("the row's part of {}", scope.words(&allocate.amount));
                set(origins, &allocate.name.text, part);
            }
            StepKind::Columns(columns) => {
                let renamed = columns.iter().filter_map(|column| {
                    Some((column.column.text.clone(), column.new.as_ref()?.text.clone()))
                });
                rename(renamed.collect(), before, origins);
            }
            StepKind::Rename(renames) => {
                let renamed = renames.iter();
                let renamed =
                    renamed.map(|rename| (rename.old.text.clone(), rename.new.text.clone()));
                rename(renamed.collect(), before, origins);
            }
            StepKind::OneRow { keys, items, .. } => {
                for key in keys {
                    let words = scope.words(&key.value);
                    if let Some(name) = &key.name {
                        set(origins, &name.text, words);
                    }
                }
                assigned(items, origins);
            }
            StepKind::Turn(turn) => {
                set(origins, &turn.name.text, "which column, or part, the row was".into());
                if let Some(value) = &turn.value {
                    set(origins, &value.text, "what stood in that column".into());
                }
            }
            StepKind::Keep(_)
            | StepKind::Drop(_)
            | StepKind::Dedupe
            | StepKind::DedupeBy { .. }
            | StepKind::Grain(_)
            | StepKind::Track(_)
            | StepKind::Sort(_)
            | StepKind::Top { .. } => {}
        }
    }
}

/// Gives columns other names.
fn rename(renamed: Vec<(String, String)>, before: &dyn Fn(&str) -> String, origins: &mut Origins) {
    for (old, new) in renamed {
        match origins.iter_mut().find(|(known, _)| *known == old) {
            Some((known, _)) => *known = new,
            None => set(origins, &new, format!("{old}, {}", before(&old))),
        }
    }
}
