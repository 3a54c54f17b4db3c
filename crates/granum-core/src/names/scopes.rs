//! Which columns rows have at a step, and which links lead from them.

use std::collections::{HashMap, HashSet};
use std::rc::Rc;

use super::Names;
use super::symbol::{Meaning, Stands, Symbol, Use};
use crate::lang::{InputTree, LinkTree, Name, PlanTree, Span, StatementKind, TableTree};

/// The columns of rows on their way through a table.
#[derive(Debug, Clone, Default)]
pub(super) struct Scope {
    /// The table whose links lead on.
    pub table: String,
    /// What steps made, or took away.
    pub own: Vec<(String, Option<usize>)>,
    /// Where all else comes from.
    pub before: Before,
}

/// Where columns come from that no step made.
#[derive(Debug, Clone, Default)]
pub(super) enum Before {
    /// Nowhere.
    #[default]
    Nothing,
    /// The files of an input.
    Files(String),
    /// Other tables in their end.
    Tables(Vec<String>),
}

impl Scope {
    /// Gives a column a meaning, or takes it away.
    pub fn set(&mut self, name: &str, symbol: Option<usize>) {
        match self.own.iter_mut().find(|(known, _)| known == name) {
            Some((_, known)) => *known = symbol,
            None => self.own.push((name.to_owned(), symbol)),
        }
    }
}

/// Finds all names.
pub(super) struct Finder<'p> {
    pub tree: &'p PlanTree,
    pub text: &'p str,
    known: &'p HashMap<String, Vec<String>>,
    symbols: Vec<Symbol>,
    /// Symbols that are one: each leads to another, or to itself.
    one_with: Vec<usize>,
    /// Inputs, tables and parameters by their names.
    pub tables: HashMap<String, usize>,
    pub parameters: HashMap<String, usize>,
    /// For each link its name's symbol and that of its way back.
    pub links: Vec<(&'p LinkTree, usize, usize)>,
    files: HashMap<(String, String), usize>,
    ends: HashMap<String, Rc<Scope>>,
    /// What was found in the ends of tables, and all that is there.
    found: HashMap<String, HashMap<String, Option<usize>>>,
    all: HashMap<String, Rc<Vec<(String, usize)>>>,
    begun: HashSet<String>,
    /// Tables in whose ends something is looked for: those that wait for each other are looked at once.
    looking: HashSet<String>,
}

impl<'p> Finder<'p> {
    pub fn new(tree: &'p PlanTree, text: &'p str, known: &'p HashMap<String, Vec<String>>) -> Self {
        Self {
            tree,
            text,
            known,
            symbols: vec![],
            one_with: vec![],
            tables: HashMap::new(),
            parameters: HashMap::new(),
            links: vec![],
            files: HashMap::new(),
            ends: HashMap::new(),
            found: HashMap::new(),
            all: HashMap::new(),
            begun: HashSet::new(),
            looking: HashSet::new(),
        }
    }

    pub fn find(mut self) -> Names {
        self.declare();
        for statement in &self.tree.statements {
            match &statement.kind {
                StatementKind::Input(input) => drop(self.end_of(&input.name.text)),
                StatementKind::Table(table) => drop(self.end_of(&table.name.text)),
                _ => {}
            }
        }
        for statement in &self.tree.statements {
            self.statement(&statement.kind);
        }
        self.finish()
    }

    /// Makes a symbol.
    pub fn make(&mut self, meaning: Meaning, name: &Name, table: Option<&str>) -> usize {
        let id = self.silent(meaning, &name.text, table);
        self.symbols[id].made = Some(name.span);
        self.note(id, name.span, Stands::Plain);
        id
    }

    /// The same without a place.
    pub fn silent(&mut self, meaning: Meaning, name: &str, table: Option<&str>) -> usize {
        self.symbols.push(Symbol {
            meaning,
            name: name.to_owned(),
            table: table.map(str::to_owned),
            made: None,
            uses: vec![],
            of_files: false,
            is_value: false,
        });
        self.one_with.push(self.symbols.len() - 1);
        self.symbols.len() - 1
    }

    /// Where a symbol is made, in a place that is no name of its own.
    pub fn made_at(&mut self, id: usize, span: Span) {
        self.symbols[id].made = Some(span);
    }

    /// The name becomes a value of rows.
    pub fn becomes_value(&mut self, id: usize) {
        self.symbols[id].is_value = true;
    }

    pub fn note(&mut self, id: usize, span: Span, stands: Stands) {
        self.symbols[id].uses.push(Use { span, stands });
    }

    fn root(&self, mut id: usize) -> usize {
        while self.one_with[id] != id {
            id = self.one_with[id];
        }
        id
    }

    /// Two symbols are one: what has one of their names has the other.
    pub fn join(&mut self, one: usize, other: usize) {
        let (one, other) = (self.root(one), self.root(other));
        self.one_with[other.max(one)] = one.min(other);
    }

    /// A table and those that its rows come from one by one.
    pub fn chain(&self, table: &str) -> Vec<String> {
        let mut chain = vec![table.to_owned()];
        while let Some(own) = self.table(&chain[chain.len() - 1]) {
            if chain.contains(&own.base.text) {
                break;
            }
            chain.push(own.base.text.clone());
        }
        chain
    }

    pub fn table(&self, name: &str) -> Option<&'p TableTree> {
        self.tree.statements.iter().find_map(|statement| match &statement.kind {
            StatementKind::Table(table) if table.name.text == name => Some(table),
            _ => None,
        })
    }

    pub fn input(&self, name: &str) -> Option<&'p InputTree> {
        self.tree.statements.iter().find_map(|statement| match &statement.kind {
            StatementKind::Input(input) if input.name.text == name => Some(input),
            _ => None,
        })
    }

    /// The columns of a table in its end; nothing while they are looked for, as where tables wait for each other.
    pub fn end_of(&mut self, table: &str) -> Option<Rc<Scope>> {
        if let Some(end) = self.ends.get(table) {
            return Some(Rc::clone(end));
        }
        if !self.begun.insert(table.to_owned()) {
            return None;
        }
        let end = if let Some(input) = self.input(table) {
            self.of_input(input)
        } else {
            let table = self.table(table)?;
            self.of_table(table)
        };
        let end = Rc::new(end);
        self.ends.insert(table.to_owned(), Rc::clone(&end));
        Some(end)
    }

    /// The symbol of a column.
    pub fn column(&mut self, scope: &Scope, name: &str) -> Option<usize> {
        if let Some((_, symbol)) = scope.own.iter().find(|(known, _)| known == name) {
            return *symbol;
        }
        match &scope.before {
            Before::Nothing => None,
            Before::Files(input) => self.of_files(input, name),
            Before::Tables(tables) => {
                let mut found: Option<usize> = None;
                for table in tables {
                    let own = self.column_of(table, name);
                    let Some(own) = own else { continue };
                    // Columns of one name become one below each other.
                    if let Some(found) = found {
                        self.join(found, own);
                    }
                    found = found.or(Some(own));
                }
                found
            }
        }
    }

    /// A column of a table in its end.
    fn column_of(&mut self, table: &str, name: &str) -> Option<usize> {
        if let Some(found) = self.found.get(table).and_then(|found| found.get(name)) {
            return *found;
        }
        let end = self.end_of(table)?;
        if !self.looking.insert(table.to_owned()) {
            return None;
        }
        let found = self.column(&end, name);
        self.looking.remove(table);
        self.found.entry(table.to_owned()).or_default().insert(name.to_owned(), found);
        found
    }

    /// A column of an input's files, if they may have it.
    fn of_files(&mut self, input: &str, name: &str) -> Option<usize> {
        let key = (input.to_owned(), name.to_owned());
        if let Some(symbol) = self.files.get(&key) {
            return Some(*symbol);
        }
        let known = self.known.get(input);
        if known.is_some_and(|known| !known.iter().any(|column| column == name)) {
            return None;
        }
        // Of files that nobody has seen anything may be a column, but for what has another meaning.
        if known.is_none() && self.parameters.contains_key(name) {
            return None;
        }
        let id = self.silent(Meaning::Column, name, Some(input));
        self.symbols[id].of_files = true;
        self.files.insert(key, id);
        Some(id)
    }

    /// All columns of a scope that are known, each once.
    pub fn all_columns(&mut self, scope: &Scope) -> Vec<(String, usize)> {
        let mut all: Vec<(String, usize)> = vec![];
        let mut seen: HashSet<String> = HashSet::new();
        for (name, symbol) in &scope.own {
            seen.insert(name.clone());
            all.extend(symbol.map(|symbol| (name.clone(), symbol)));
        }
        let before: Vec<(String, usize)> = match &scope.before {
            Before::Nothing => vec![],
            Before::Files(input) => {
                let known = self.known.get(input).cloned().unwrap_or_default();
                let symbol = |name: String| Some((name.clone(), self.of_files(input, &name)?));
                known.into_iter().filter_map(symbol).collect()
            }
            Before::Tables(tables) => {
                let ends = tables.iter().flat_map(|table| self.all_of(table).to_vec());
                ends.collect()
            }
        };
        let own = all.len();
        for (name, symbol) in before {
            if seen.insert(name.clone()) {
                all.push((name, symbol));
            } else if let Some((_, known)) = all[own..].iter().find(|(known, _)| *known == name) {
                // Columns of one name become one below each other.
                self.join(*known, symbol);
            }
        }
        all
    }

    /// All columns of a table in its end.
    fn all_of(&mut self, table: &str) -> Rc<Vec<(String, usize)>> {
        if let Some(all) = self.all.get(table) {
            return Rc::clone(all);
        }
        let Some(end) = self.end_of(table) else { return Rc::default() };
        if !self.looking.insert(table.to_owned()) {
            return Rc::default();
        }
        let all = Rc::new(self.all_columns(&end));
        self.looking.remove(table);
        self.all.insert(table.to_owned(), Rc::clone(&all));
        all
    }

    fn finish(mut self) -> Names {
        let tables: Vec<String> = self.ends.keys().cloned().collect();
        let mut columns = HashMap::new();
        for table in tables {
            let all = self.all_of(&table).to_vec();
            columns.insert(table, all);
        }
        let roots: Vec<usize> = (0..self.symbols.len()).map(|id| self.root(id)).collect();
        let mut places: Vec<Option<usize>> = vec![None; roots.len()];
        let mut symbols: Vec<Symbol> = vec![];
        for (id, symbol) in self.symbols.into_iter().enumerate() {
            match places[roots[id]] {
                None => {
                    places[roots[id]] = Some(symbols.len());
                    symbols.push(symbol);
                }
                Some(at) => {
                    let known = &mut symbols[at];
                    known.uses.extend(symbol.uses);
                    known.of_files |= symbol.of_files;
                    known.is_value |= symbol.is_value;
                    known.made = known.made.or(symbol.made);
                }
            }
        }
        for symbol in &mut symbols {
            symbol.uses.sort_by_key(|one| one.span.start);
            symbol.uses.dedup();
        }
        for own in columns.values_mut() {
            own.iter_mut().for_each(|(_, id)| *id = places[roots[*id]].unwrap_or(0));
        }
        Names { symbols, columns }
    }
}
