//! The names of a plan: where each is made, and where it is used. Found by the syntax tree, and by the columns of files
//! where those are known, so that it serves a plan that is still being written.

mod calls;
mod expressions;
mod scopes;
mod statements;
mod symbol;
mod texts;

use std::collections::HashMap;

use crate::lang::{PlanTree, Span, plan_name};
use scopes::Finder;

pub use calls::{Call, calls, words};
pub use symbol::{Meaning, Stands, Symbol, Use};

/// The names of a plan.
#[derive(Debug, Default)]
pub struct Names {
    symbols: Vec<Symbol>,
    /// The columns of each table in its end, as far as they are known: by table, name and symbol.
    columns: HashMap<String, Vec<(String, usize)>>,
}

/// The table that links of these names lead to from a table, one after the other: forward, or back to what leads there.
pub fn reached(tree: &PlanTree, table: &str, links: &[&str]) -> Option<String> {
    let none = HashMap::new();
    let mut finder = Finder::new(tree, "", &none);
    finder.declare();
    let step = |at: String, link: &&str| finder.step(&at, link, false).map(|(to, _)| to);
    links.iter().try_fold(table.to_owned(), step)
}

/// The names of the links that lead on from a table, and back to it.
pub fn links_of(tree: &PlanTree, table: &str) -> Vec<String> {
    let none = HashMap::new();
    let mut finder = Finder::new(tree, "", &none);
    finder.declare();
    let chain = finder.chain(table);
    let mut found = vec![];
    for (link, ..) in &finder.links {
        let (forward, back) = (chain.contains(&link.from.text), chain.contains(&link.to.text));
        let own = link.name.as_ref().unwrap_or(&link.to);
        let way_back = link.back.as_ref().unwrap_or(&link.from);
        found.extend(forward.then(|| own.text.clone()));
        found.extend(back.then(|| way_back.text.clone()));
    }
    found.sort();
    found.dedup();
    found
}

/// Why a name cannot be another.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotRenamed {
    /// It is the name of a column of files.
    #[error("`{0}` is what the files call it; a step gives it another name:  rename {0} to NEW")]
    OfFiles(String),
    /// A name that becomes a value of rows.
    #[error("`{0}` stands in rows by its name: another would change what is written")]
    AsValue(String),
    /// A name that has no letters, or signs that no name has.
    #[error("`{0}` is no name")]
    NoName(String),
}

impl Names {
    /// The names of a plan. `columns` are those of its inputs, by input, as far as they are known.
    pub fn of(tree: &PlanTree, text: &str, columns: &HashMap<String, Vec<String>>) -> Self {
        Finder::new(tree, text, columns).find()
    }

    /// The symbol that a place of the text names.
    pub fn at(&self, byte: usize) -> Option<&Symbol> {
        self.symbols.iter().find(|symbol| symbol.at(byte).is_some())
    }

    /// All symbols.
    pub fn symbols(&self) -> &[Symbol] {
        &self.symbols
    }

    /// The columns of a table in its end, as far as the plan, or what is known of its files, has them.
    pub fn columns_of(&self, table: &str) -> impl Iterator<Item = &str> {
        self.columns.get(table).into_iter().flatten().map(|(name, _)| name.as_str())
    }

    /// What is to stand in place of what, so that a symbol has another name everywhere.
    ///
    /// # Errors
    /// Why it cannot have that name. That it is taken is not looked at here.
    pub fn renamed(&self, symbol: &Symbol, new: &str) -> Result<Vec<(Span, String)>, NotRenamed> {
        if symbol.of_files {
            return Err(NotRenamed::OfFiles(symbol.name.clone()));
        }
        if new.trim().is_empty() || new.chars().any(char::is_control) {
            return Err(NotRenamed::NoName(new.to_owned()));
        }
        if symbol.is_value {
            return Err(NotRenamed::AsValue(symbol.name.clone()));
        }
        let name = plan_name(new);
        let text = |one: &Use| match &one.stands {
            Stands::Plain => name.clone(),
            Stands::LeftOf(right) => format!("{name} = {}", plan_name(right)),
            Stands::RightOf(left) => format!("{} = {name}", plan_name(left)),
            Stands::InText => new.to_owned(),
            Stands::InRows if new.contains([',', '"']) => {
                format!("\"{}\"", new.replace('"', "\"\""))
            }
            Stands::InRows => new.to_owned(),
        };
        Ok(symbol.uses.iter().map(|one| (one.span, text(one))).collect())
    }
}

#[cfg(test)]
mod tests;
