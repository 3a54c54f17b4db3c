//! Names in statements and steps.

use super::expressions::Row;
use super::scopes::{Before, Finder, Scope};
use super::symbol::{Meaning, Stands};
use super::texts::{braced, header};
use crate::lang::{
    AssignTree, DedupeKeep, ExampleTree, Expr, ExprKind, InputTree, KeyTree, LinkTree, MoreTree,
    Name, OutcomeTree, PeriodEndTree, Quoted, RequiredTree, RowsTree, StatementKind, StepKind,
    StepTree, TableTree, TurnedTree,
};

impl Finder<'_> {
    /// What statements make: inputs, tables, parameters and links.
    pub fn declare(&mut self) {
        for statement in &self.tree.statements {
            match &statement.kind {
                StatementKind::Input(input) => {
                    let id = self.make(Meaning::Input, &input.name, None);
                    self.tables.insert(input.name.text.clone(), id);
                }
                StatementKind::Table(table) => {
                    let id = self.make(Meaning::Table, &table.name, None);
                    self.tables.insert(table.name.text.clone(), id);
                }
                StatementKind::Param(param) => {
                    let id = self.make(Meaning::Parameter, &param.name, None);
                    self.parameters.insert(param.name.text.clone(), id);
                }
                _ => {}
            }
        }
        for statement in &self.tree.statements {
            let StatementKind::Link(link) = &statement.kind else { continue };
            let own = self.link_name(link.name.as_ref(), &link.to, &link.from);
            let back = self.link_name(link.back.as_ref(), &link.from, &link.from);
            if let (Some(own), Some(back)) = (own, back) {
                self.links.push((link, own, back));
            }
        }
    }

    /// A link has the name that it is given, or that of the table that it leads to.
    fn link_name(&mut self, given: Option<&Name>, other: &Name, from: &Name) -> Option<usize> {
        match given {
            Some(name) => Some(self.make(Meaning::Link, name, Some(&from.text))),
            None => self.tables.get(&other.text).copied(),
        }
    }

    /// A name that stands for a table.
    fn table_name(&mut self, name: &Name) {
        if let Some(id) = self.tables.get(&name.text).copied() {
            self.note(id, name.span, Stands::Plain);
        }
    }

    fn column_name(&mut self, scope: &Scope, name: &Name) -> Option<usize> {
        let id = self.column(scope, &name.text)?;
        self.note(id, name.span, Stands::Plain);
        Some(id)
    }

    fn seen(&mut self, scope: &Scope, name: &Name) {
        // What nothing has is told elsewhere.
        let _ = self.column_name(scope, name);
    }

    /// A column whose name becomes a value.
    fn turned(&mut self, scope: &Scope, name: &Name) {
        if let Some(id) = self.column_name(scope, name) {
            self.becomes_value(id);
        }
    }

    fn parameters_in(&mut self, texts: &[&Quoted]) {
        for quoted in texts {
            for (name, span) in braced(self.text, quoted) {
                if let Some(id) = self.parameters.get(&name).copied() {
                    self.note(id, span, Stands::InText);
                }
            }
        }
    }

    pub fn of_input(&mut self, input: &InputTree) -> Scope {
        let name = &input.name.text;
        let mut scope =
            Scope { table: name.clone(), own: vec![], before: Before::Files(name.clone()) };
        if let Some(rows) = &input.rows {
            scope.before = Before::Nothing;
            for (column, span) in header(self.text, rows) {
                let id = self.silent(Meaning::Column, &column, Some(name));
                self.made_at(id, span);
                self.note(id, span, Stands::InRows);
                scope.set(&column, Some(id));
            }
        }
        for step in &input.steps {
            self.step_names(step, &mut scope);
        }
        scope
    }

    pub fn of_table(&mut self, table: &TableTree) -> Scope {
        let bases = std::iter::once(&table.base).chain(table.more.tables());
        let before = Before::Tables(bases.map(|base| base.text.clone()).collect());
        let mut scope = Scope { table: table.name.text.clone(), own: vec![], before };
        match &table.more {
            MoreTree::Stacked { labelled: Some(labelled), .. } => {
                let id = self.make(Meaning::Column, labelled, Some(&table.name.text));
                scope.set(&labelled.text, Some(id));
            }
            MoreTree::Meeting { keys, .. } => {
                for key in keys {
                    self.seen(&scope, key);
                }
            }
            MoreTree::None | MoreTree::Stacked { labelled: None, .. } => {}
        }
        for step in &table.steps {
            self.step_names(step, &mut scope);
        }
        scope
    }

    pub fn statement(&mut self, kind: &StatementKind) {
        match kind {
            StatementKind::Use(_) | StatementKind::Plan(_) => {}
            StatementKind::Param(param) => {
                self.expression(&param.value, totals(&Scope::default()));
            }
            StatementKind::Input(input) => {
                self.parameters_in(&input.sources.iter().collect::<Vec<_>>());
                let none = Scope::default();
                for day in input.calendar.iter().flat_map(|days| [&days.start, &days.end]) {
                    self.expression(day, totals(&none));
                }
            }
            StatementKind::Table(table) => {
                let labelled = matches!(table.more, MoreTree::Stacked { labelled: Some(_), .. });
                for name in std::iter::once(&table.base).chain(table.more.tables()) {
                    self.table_name(name);
                    let id = self.tables.get(&name.text).copied().filter(|_| labelled);
                    if let Some(id) = id {
                        self.becomes_value(id);
                    }
                }
            }
            StatementKind::Link(link) => self.link(link),
            StatementKind::Check(check) => match &check.table {
                Some(table) => {
                    self.table_name(table);
                    if let Some(end) = self.end_of(&table.text) {
                        self.expression(&check.condition, Row::of(&end));
                    }
                }
                None => self.expression(&check.condition, totals(&Scope::default())),
            },
            StatementKind::Example(example) => self.example(example),
            StatementKind::Output(output) => {
                self.table_name(&output.table);
                self.parameters_in(&[&output.path]);
                if let Some((end, wide)) = self.end_of(&output.table.text).zip(output.wide.as_ref())
                {
                    self.seen(&end, &wide.from);
                    self.seen(&end, &wide.value);
                }
            }
            StatementKind::Chart(chart) => {
                self.table_name(&chart.table);
                let texts: Vec<&Quoted> = chart.path.iter().chain([&chart.title]).collect();
                self.parameters_in(&texts);
                let Some(end) = self.end_of(&chart.table.text) else { return };
                let columns = chart.bars.iter().chain(&chart.lines).chain(&chart.by);
                for column in columns.chain([&chart.x]) {
                    self.seen(&end, column);
                }
            }
        }
    }

    fn link(&mut self, link: &LinkTree) {
        self.table_name(&link.from);
        self.table_name(&link.to);
        let (Some(from), Some(to)) = (self.end_of(&link.from.text), self.end_of(&link.to.text))
        else {
            return;
        };
        for key in &link.keys {
            match (&key.right, &key.left.kind) {
                (Some(right), _) => {
                    self.expression(&key.left, Row::of(&from));
                    self.expression(right, Row::of(&to));
                }
                // Both tables call it so.
                (None, ExprKind::Path(path)) if path.len() == 1 => {
                    let name = &path[0];
                    let ends = (self.column(&from, &name.text), self.column(&to, &name.text));
                    if let (Some(left), Some(right)) = ends {
                        self.note(left, name.span, Stands::LeftOf(name.text.clone()));
                        self.note(right, name.span, Stands::RightOf(name.text.clone()));
                    }
                }
                (None, _) => self.expression(&key.left, Row::of(&from)),
            }
        }
        if let Some(period) = &link.period {
            self.expression(&period.when, Row::of(&from));
            self.expression(&period.starts, Row::of(&to));
            if let PeriodEndTree::Through(end) | PeriodEndTree::Until(end) = &period.end {
                self.expression(end, Row::of(&to));
            }
        }
        for (_, name) in &link.prefer {
            self.seen(&to, name);
        }
        if let Some(RequiredTree::Share { of: Some(of), .. }) = &link.required {
            self.seen(&from, of);
        }
    }

    fn example(&mut self, example: &ExampleTree) {
        for (name, value) in &example.set {
            if let Some(id) = self.parameters.get(&name.text).copied() {
                self.note(id, name.span, Stands::Plain);
            }
            self.expression(value, totals(&Scope::default()));
        }
        for rows in &example.with {
            // Rows are given as files have them.
            let begins = Scope {
                table: rows.table.text.clone(),
                own: vec![],
                before: Before::Files(rows.table.text.clone()),
            };
            self.rows(rows, &begins);
        }
        if let OutcomeTree::Gives(all) = &example.outcome {
            for rows in all {
                if let Some(end) = self.end_of(&rows.table.text) {
                    self.rows(rows, &end);
                }
            }
        }
    }

    fn rows(&mut self, rows: &RowsTree, scope: &Scope) {
        self.table_name(&rows.table);
        for (column, span) in header(self.text, &rows.rows) {
            if let Some(id) = self.column(scope, &column) {
                self.note(id, span, Stands::InRows);
            }
        }
    }

    fn assign(&mut self, items: &[AssignTree], scope: &mut Scope) {
        for item in items {
            self.expression(&item.value, Row::of(scope));
            let id = self.make(Meaning::Column, &item.name, Some(&scope.table));
            scope.set(&item.name.text, Some(id));
        }
    }

    fn names(&mut self, names: &[Name], scope: &Scope) {
        names.iter().for_each(|name| self.seen(scope, name));
    }

    fn step_names(&mut self, step: &StepTree, scope: &mut Scope) {
        match &step.kind {
            StepKind::Read(items) => {
                items.iter().for_each(|item| self.seen(scope, &item.column));
            }
            StepKind::Add(items) => self.assign(items, scope),
            StepKind::Change(items) => {
                for item in items {
                    self.expression(&item.value, Row::of(scope));
                    self.seen(scope, &item.name);
                }
            }
            StepKind::Keep(condition) | StepKind::Drop(condition) => {
                self.expression(condition, Row::of(scope));
            }
            StepKind::Dedupe => {}
            StepKind::DedupeBy { keys, keep } => {
                keys.iter().for_each(|key| self.expression(key, Row::of(scope)));
                if let DedupeKeep::Best(best) = keep {
                    best.iter().for_each(|(_, name)| self.seen(scope, name));
                }
            }
            StepKind::Units { of, name, split, .. } => {
                self.expression(of, Row::of(scope));
                split.iter().for_each(|split| self.seen(scope, &split.column));
                let id = self.make(Meaning::Column, name, Some(&scope.table));
                scope.set(&name.text, Some(id));
            }
            StepKind::Expand(expand) => {
                let reached = self.path(&expand.path, Row::of(scope), true).reached;
                // The parts bring their columns along.
                if let (Some(parts), Before::Tables(tables)) = (reached, &mut scope.before) {
                    tables.push(parts);
                }
                expand.weight.iter().for_each(|weight| self.expression(weight, Row::of(scope)));
                expand.split.iter().for_each(|split| self.seen(scope, &split.column));
                for item in &expand.multiply {
                    self.expression(&item.value, Row::of(scope));
                    self.seen(scope, &item.name);
                }
            }
            StepKind::Allocate(allocate) => {
                let all = allocate.per.iter().chain(&allocate.weight).chain([&allocate.amount]);
                all.for_each(|expr| self.expression(expr, Row::of(scope)));
                let id = self.make(Meaning::Column, &allocate.name, Some(&scope.table));
                scope.set(&allocate.name.text, Some(id));
            }
            StepKind::Columns(columns) => {
                let mut own = vec![];
                for column in columns {
                    let id = self.column_name(scope, &column.column);
                    match &column.new {
                        Some(new) => {
                            let id = self.make(Meaning::Column, new, Some(&scope.table));
                            own.push((new.text.clone(), Some(id)));
                        }
                        None => own.push((column.column.text.clone(), id)),
                    }
                }
                (scope.own, scope.before) = (own, Before::Nothing);
            }
            StepKind::Rename(renames) => {
                for rename in renames {
                    self.seen(scope, &rename.old);
                    scope.set(&rename.old.text, None);
                    let id = self.make(Meaning::Column, &rename.new, Some(&scope.table));
                    scope.set(&rename.new.text, Some(id));
                }
            }
            StepKind::Grain(columns) => self.names(columns, scope),
            StepKind::Track(track) => {
                self.names(&track.names, scope);
                track.apart.iter().for_each(|apart| self.seen(scope, apart));
            }
            StepKind::OneRow { keys, items, .. } => *scope = self.groups(keys, items, scope),
            StepKind::Turn(turn) => {
                match &turn.what {
                    TurnedTree::Columns(columns) => {
                        columns.iter().for_each(|column| self.turned(scope, column));
                    }
                    TurnedTree::Range(first, last) => {
                        // Which stand between them only the files say.
                        for (_, id) in self.all_columns(scope) {
                            self.becomes_value(id);
                        }
                        [first, last].into_iter().for_each(|column| self.turned(scope, column));
                    }
                    TurnedTree::Parts(column, _) => self.seen(scope, column),
                }
                for name in [Some(&turn.name), turn.value.as_ref()].into_iter().flatten() {
                    let id = self.make(Meaning::Column, name, Some(&scope.table));
                    scope.set(&name.text, Some(id));
                }
            }
            StepKind::Sort(orders) => {
                orders.iter().for_each(|order| self.expression(&order.value, Row::of(scope)));
            }
            StepKind::Top { by, per, .. } => {
                per.iter().chain([by]).for_each(|expr| self.expression(expr, Row::of(scope)));
            }
        }
    }

    /// The columns of groups: keys, and what is worked of each.
    fn groups(&mut self, keys: &[KeyTree], items: &[AssignTree], rows: &Scope) -> Scope {
        let mut after = Scope { table: rows.table.clone(), ..Scope::default() };
        for key in keys {
            if let Some((name, id)) = self.key(&key.value, key.name.as_ref(), rows) {
                after.set(&name, Some(id));
            }
        }
        for item in items {
            let row = Row { scope: &after, rows: Some(rows), totals: false };
            self.expression(&item.value, row);
            let id = self.make(Meaning::Column, &item.name, Some(&rows.table));
            after.set(&item.name.text, Some(id));
        }
        after
    }

    /// A key of groups: what it is called, and its symbol.
    fn key(&mut self, value: &Expr, name: Option<&Name>, scope: &Scope) -> Option<(String, usize)> {
        // It is called as the column that it is, where nothing else is said.
        let called = match &value.kind {
            ExprKind::Path(path) => {
                let symbol = self.path(path, Row::of(scope), false).symbol;
                path.last().map(|last| last.text.clone()).zip(symbol)
            }
            _ => {
                self.expression(value, Row::of(scope));
                None
            }
        };
        match name {
            Some(name) => {
                let id = self.make(Meaning::Column, name, Some(&scope.table));
                Some((name.text.clone(), id))
            }
            None => called,
        }
    }
}

fn totals(scope: &Scope) -> Row<'_> {
    Row { scope, rows: None, totals: true }
}
